# What is installed: the program with its module, man pages and completion; the core library with its headers and a
# CMake package of its own; and both as Debian packages (cpack -G DEB).
include(GNUInstallDirs)
include(CMakePackageConfigHelpers)

install(TARGETS vprism RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR} COMPONENT vprism)
install(TARGETS vprism_containers LIBRARY DESTINATION lib/vprism COMPONENT vprism)

# Man pages and completion come from the program's own tables.
set(manual ${CMAKE_CURRENT_BINARY_DIR}/manual)
add_custom_command(OUTPUT ${manual}/made DEPENDS vprism
  COMMAND ${CMAKE_COMMAND} -DPROGRAM=$<TARGET_FILE:vprism> -DTO=${manual} -P ${CMAKE_SOURCE_DIR}/cmake/manual.cmake
  COMMENT "Man pages and shell completion")
if(VPRISM_SANITIZE)
  add_custom_target(vprism-manual DEPENDS ${manual}/made)
else()
  add_custom_target(vprism-manual ALL DEPENDS ${manual}/made)
endif()
install(DIRECTORY ${manual}/man1 DESTINATION ${CMAKE_INSTALL_MANDIR} COMPONENT vprism)
install(FILES ${manual}/vprism.bash DESTINATION share/bash-completion/completions RENAME vprism COMPONENT vprism)
install(FILES ${manual}/_vprism DESTINATION share/zsh/vendor-completions COMPONENT vprism)
install(FILES LICENSE README.md DESTINATION share/doc/vprism COMPONENT vprism)

# The core library: find_package(VastPrism), VastPrism::core.
set_target_properties(vprism_core PROPERTIES EXPORT_NAME core)
set_target_properties(vprism_base PROPERTIES EXPORT_NAME base)
add_library(VastPrism::core ALIAS vprism_core)
install(TARGETS vprism_core vprism_base EXPORT VastPrismTargets ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} COMPONENT vprism-dev)
foreach(folder base signal condition generate transform identify field)
  install(DIRECTORY src/${folder} DESTINATION include/vprism COMPONENT vprism-dev FILES_MATCHING PATTERN "*.h")
endforeach()
set(package ${CMAKE_INSTALL_LIBDIR}/cmake/VastPrism)
install(EXPORT VastPrismTargets NAMESPACE VastPrism:: DESTINATION ${package} COMPONENT vprism-dev)
configure_package_config_file(cmake/VastPrismConfig.cmake.in ${CMAKE_CURRENT_BINARY_DIR}/VastPrismConfig.cmake
  INSTALL_DESTINATION ${package})
write_basic_package_version_file(${CMAKE_CURRENT_BINARY_DIR}/VastPrismConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/VastPrismConfig.cmake ${CMAKE_CURRENT_BINARY_DIR}/VastPrismConfigVersion.cmake
  DESTINATION ${package} COMPONENT vprism-dev)

set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME vprism)
set(CPACK_PACKAGE_VERSION ${PROJECT_VERSION})
set(CPACK_PACKAGE_CONTACT "Vast Prism's developers <vprism@example.invalid>")
set(CPACK_PACKAGE_DESCRIPTION_SUMMARY "from raw waveform exports to findings that others can check")
set(CPACK_COMPONENTS_ALL vprism vprism-dev)
set(CPACK_DEB_COMPONENT_INSTALL ON)
set(CPACK_DEBIAN_ENABLE_COMPONENT_DEPENDS ON)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_VPRISM_PACKAGE_NAME vprism)
set(CPACK_DEBIAN_VPRISM_PACKAGE_SECTION science)
set(CPACK_DEBIAN_VPRISM_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_VPRISM_PACKAGE_DEPENDS "gnuplot-nox, fonts-dejavu-core")
set(CPACK_DEBIAN_VPRISM-DEV_PACKAGE_NAME vprism-dev)
set(CPACK_DEBIAN_VPRISM-DEV_PACKAGE_SECTION libdevel)
set(CPACK_DEBIAN_VPRISM-DEV_PACKAGE_DEPENDS "libfmt-dev, libtbb-dev, libfftw3-dev, libeigen3-dev, libboost-dev, libmuparser-dev, libudunits2-dev, pkg-config")
set(CPACK_STRIP_FILES ON)
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
include(CPack)
