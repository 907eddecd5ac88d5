# Flags that are ours alone: users of the installed targets never see them.
function(aguja_private_flags target)
  target_compile_options(${target} PRIVATE
    -Wall -Wextra -Wpedantic -Wshadow -Wconversion -Wno-sign-conversion -Wnon-virtual-dtor
    $<$<BOOL:${AGUJA_WERROR}>:-Werror>
    # GCC 12 sees overlaps and overruns in inlined std::string code that are not there (GCC bug 105651).
    "$<$<CXX_COMPILER_ID:GNU>:-Wno-restrict;-Wno-array-bounds;-Wno-stringop-overflow;-Wno-stringop-overread>"
    # Boxes are compared without branches on purpose.
    $<$<CXX_COMPILER_ID:Clang>:-Wno-bitwise-instead-of-logical>)
  set_target_properties(${target} PROPERTIES CXX_EXTENSIONS OFF)
  if(AGUJA_SANITIZE)
    target_compile_options(${target} PRIVATE -fsanitize=${AGUJA_SANITIZE} -fno-omit-frame-pointer
                           -fno-sanitize-recover=all)
    target_link_options(${target} PUBLIC -fsanitize=${AGUJA_SANITIZE})
    if(AGUJA_SANITIZE MATCHES "thread")
      target_compile_definitions(${target} PRIVATE AGUJA_PLAIN_THREADS)
    endif()
    # What the address sanitizer sees anyway, at half the time to compile.
    if(AGUJA_SANITIZE MATCHES "address,undefined")
      target_compile_options(${target} PRIVATE
        -fno-sanitize=null,alignment,object-size,vptr,pointer-overflow)
    endif()
  endif()
endfunction()

# Nearly every source needs these, and reading them takes longer than most of ours. One precompiled
# header serves all targets that are compiled with the same options: LIKE names the one that has it.
function(aguja_precompiled target)
  cmake_parse_arguments(P "" "LIKE" "HEADERS" ${ARGN})
  if(P_LIKE)
    target_precompile_headers(${target} REUSE_FROM ${P_LIKE})
  else()
    target_precompile_headers(${target} PRIVATE
      <Eigen/Core> <algorithm> <cmath> <optional> <span> <string> <vector> ${P_HEADERS})
  endif()
endfunction()

# aguja_library(NAME core SOURCES ... PUBLIC libs PRIVATE libs LIKE target): aguja_core, alias aguja::core.
function(aguja_library)
  cmake_parse_arguments(A "" "NAME;LIKE" "SOURCES;PUBLIC;PRIVATE" ${ARGN})
  set(target aguja_${A_NAME})
  add_library(${target} STATIC ${A_SOURCES})
  add_library(aguja::${A_NAME} ALIAS ${target})
  set_target_properties(${target} PROPERTIES EXPORT_NAME ${A_NAME} POSITION_INDEPENDENT_CODE ON)
  target_compile_features(${target} PUBLIC cxx_std_20)
  # Inline predicates in our headers rely on each operation being rounded by itself.
  target_compile_options(${target} PUBLIC -ffp-contract=off)
  target_include_directories(${target}
    PUBLIC $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/include>
           $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>
    PRIVATE ${PROJECT_SOURCE_DIR}/src)
  target_link_libraries(${target} PUBLIC ${A_PUBLIC} PRIVATE ${A_PRIVATE})
  aguja_private_flags(${target})
  aguja_precompiled(${target} LIKE ${A_LIKE})
  install(TARGETS ${target} EXPORT agujaTargets)
endfunction()
