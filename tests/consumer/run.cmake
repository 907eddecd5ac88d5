# Installs the build tree, builds the consumer against it, and runs it.
function(run)
  execute_process(COMMAND ${ARGV} COMMAND_ERROR_IS_FATAL ANY)
endfunction()
file(REMOVE_RECURSE ${WORK_DIR})
run(${CMAKE_COMMAND} --install ${BUILD_DIR} --prefix ${WORK_DIR}/prefix)
run(${CMAKE_COMMAND} -S ${SOURCE_DIR} -B ${WORK_DIR}/build -DCMAKE_BUILD_TYPE=Release
    -DCMAKE_PREFIX_PATH=${WORK_DIR}/prefix -DCMAKE_CXX_FLAGS=-mfma)
run(${CMAKE_COMMAND} --build ${WORK_DIR}/build)
run(${WORK_DIR}/build/consumer)
run(${WORK_DIR}/prefix/bin/aguja --version)

# The core is built and used where Eigen, oneTBB and GMP are all there is.
set(bare)
foreach(package OpenSSL fmt nlohmann_json ZLIB pugixml embree PkgConfig CLI11 spdlog GTest)
  list(APPEND bare -DCMAKE_DISABLE_FIND_PACKAGE_${package}=ON)
endforeach()
run(${CMAKE_COMMAND} -S ${SOURCE_DIR}/../.. -B ${WORK_DIR}/core -DAGUJA_CORE_ONLY=ON ${bare})
run(${CMAKE_COMMAND} -S ${SOURCE_DIR} -B ${WORK_DIR}/of-core -DCMAKE_BUILD_TYPE=Release -DCORE_ALONE=ON
    -DCMAKE_PREFIX_PATH=${WORK_DIR}/prefix ${bare})
run(${CMAKE_COMMAND} --build ${WORK_DIR}/of-core)
run(${WORK_DIR}/of-core/consumer)
