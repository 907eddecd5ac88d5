include(CMakePackageConfigHelpers)
set(AGUJA_PACKAGE_DIR ${CMAKE_INSTALL_LIBDIR}/cmake/aguja)
install(DIRECTORY ${PROJECT_SOURCE_DIR}/include/aguja DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(EXPORT agujaTargets NAMESPACE aguja:: DESTINATION ${AGUJA_PACKAGE_DIR})
configure_package_config_file(${PROJECT_SOURCE_DIR}/cmake/agujaConfig.cmake.in
  ${PROJECT_BINARY_DIR}/agujaConfig.cmake INSTALL_DESTINATION ${AGUJA_PACKAGE_DIR})
write_basic_package_version_file(${PROJECT_BINARY_DIR}/agujaConfigVersion.cmake
  COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/agujaConfig.cmake ${PROJECT_BINARY_DIR}/agujaConfigVersion.cmake
              ${PROJECT_SOURCE_DIR}/cmake/FindGmp.cmake
        DESTINATION ${AGUJA_PACKAGE_DIR})
