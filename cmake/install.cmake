# What is installed: the program with its module, man pages and completion; the core library with its headers and a
# CMake package of its own; and both as Debian packages (cpack -G DEB).
include(GNUInstallDirs)
include(CMakePackageConfigHelpers)

install(TARGETS vprism RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR} COMPONENT vprism)
install(TARGETS vprism_containers LIBRARY DESTINATION lib/vprism COMPONENT vprism)
set(packages vprism vprism-dev)
if(TARGET vprism_ranks)  # By itself: MPI is not for everyone.
  install(TARGETS vprism_ranks LIBRARY DESTINATION lib/vprism COMPONENT vprism-mpi)
  list(APPEND packages vprism-mpi)
endif()

# Man pages and completion come from the program's own tables.
set(manual ${CMAKE_CURRENT_BINARY_DIR}/manual)
add_custom_command(OUTPUT ${manual}/made DEPENDS vprism ${CMAKE_SOURCE_DIR}/CHANGELOG.md ${CMAKE_SOURCE_DIR}/cmake/manual.cmake
  COMMAND ${CMAKE_COMMAND} -DPROGRAM=$<TARGET_FILE:vprism> -DTO=${manual} -DCHANGES=${CMAKE_SOURCE_DIR}/CHANGELOG.md -P ${CMAKE_SOURCE_DIR}/cmake/manual.cmake
  COMMENT "Man pages and shell completion")
if(VPRISM_SANITIZE)
  add_custom_target(vprism-manual DEPENDS ${manual}/made)
else()
  add_custom_target(vprism-manual ALL DEPENDS ${manual}/made)
endif()
install(DIRECTORY ${manual}/man1 ${manual}/man7 DESTINATION ${CMAKE_INSTALL_MANDIR} COMPONENT vprism)
install(FILES ${manual}/vprism.bash DESTINATION share/bash-completion/completions RENAME vprism COMPONENT vprism)
install(FILES ${manual}/vprism.fish DESTINATION share/fish/vendor_completions.d COMPONENT vprism)
install(FILES ${manual}/_vprism DESTINATION share/zsh/vendor-completions COMPONENT vprism)
install(FILES LICENSE README.md DESTINATION share/doc/vprism COMPONENT vprism)
foreach(component ${packages})
  install(FILES cmake/copyright ${manual}/changelog.gz DESTINATION share/doc/${component} COMPONENT ${component})
endforeach()

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
set(VPRISM_MAINTAINER "Vast Prism developers <vprism@example.org>" CACHE STRING "Who looks after the packages: NAME <ADDRESS>")
set(CPACK_PACKAGE_CONTACT "${VPRISM_MAINTAINER}")
set(CPACK_PACKAGE_DESCRIPTION_SUMMARY "from raw waveform exports to findings that others can check")
set(CPACK_COMPONENTS_ALL ${packages})
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
set(CPACK_DEBIAN_VPRISM-MPI_PACKAGE_NAME vprism-mpi)
set(CPACK_DEBIAN_VPRISM-MPI_PACKAGE_SECTION science)
set(CPACK_DEBIAN_VPRISM-MPI_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_VPRISM-MPI_PACKAGE_DEPENDS "vprism (= ${PROJECT_VERSION})")
set(CPACK_COMPONENT_VPRISM_DESCRIPTION "reads sampled waveforms, cleans them, computes spectra and spectrograms,
finds noise sources, harmonics and resonances, and reports findings with
their uncertainty.")
set(CPACK_COMPONENT_VPRISM-DEV_DESCRIPTION "core library and headers of vprism
Windows, spectra, estimation and identification for programs of one's own.")
set(CPACK_COMPONENT_VPRISM-MPI_DESCRIPTION "several processes on one recording, under an MPI launcher
The module by which processes of vprism that a launcher started share a
recording.")
set(CPACK_STRIP_FILES ON)
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
include(CPack)
