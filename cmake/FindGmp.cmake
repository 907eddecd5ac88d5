# The GNU multiple precision library and its C++ interface, as gmp::gmpxx.
find_path(Gmp_INCLUDE_DIR gmpxx.h)
find_library(Gmp_LIBRARY gmp)
find_library(Gmpxx_LIBRARY gmpxx)
include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(Gmp REQUIRED_VARS Gmp_LIBRARY Gmpxx_LIBRARY Gmp_INCLUDE_DIR)
if(Gmp_FOUND AND NOT TARGET gmp::gmpxx)
  add_library(gmp::gmpxx INTERFACE IMPORTED)
  set_target_properties(gmp::gmpxx PROPERTIES
    INTERFACE_INCLUDE_DIRECTORIES "${Gmp_INCLUDE_DIR}"
    INTERFACE_LINK_LIBRARIES "${Gmpxx_LIBRARY};${Gmp_LIBRARY}")
endif()
mark_as_advanced(Gmp_INCLUDE_DIR Gmp_LIBRARY Gmpxx_LIBRARY)
