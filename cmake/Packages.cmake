# Debian packages: cpack --config build/release/CPackConfig.cmake -B OUT
#   lofty-ladder       the tool, its demo data, manual pages and completions
#   liblofty-ladder0   the shared library
#   liblofty-ladder-dev  headers, the static library, CMake and pkg-config files
#   lofty-ladder-doc   the documentation and the examples
install(DIRECTORY ${PROJECT_SOURCE_DIR}/docs/ DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/lofty-ladder-doc/docs COMPONENT documentation)
install(FILES ${PROJECT_SOURCE_DIR}/README.md DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/lofty-ladder-doc COMPONENT documentation)
install(DIRECTORY ${PROJECT_SOURCE_DIR}/examples/ DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/lofty-ladder-doc/examples COMPONENT documentation
        FILES_MATCHING PATTERN "*.cpp")

set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME lofty-ladder)
set(CPACK_PACKAGE_VENDOR "Lofty Ladder")
set(CPACK_PACKAGE_CONTACT "Lofty Ladder <packages@lofty-ladder.example>")
set(CPACK_PACKAGE_VERSION ${PROJECT_VERSION})
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_STRIP_FILES ON)
set(CPACK_DEB_COMPONENT_INSTALL ON)
set(CPACK_COMPONENTS_ALL tool runtime development documentation)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_SECTION utils)
set(CPACK_DEBIAN_PACKAGE_HOMEPAGE "https://lofty-ladder.example")
set(CPACK_DEBIAN_PACKAGE_GENERATE_SHLIBS ON)
set(CPACK_DEBIAN_RUNTIME_PACKAGE_CONTROL_EXTRA ${PROJECT_SOURCE_DIR}/packaging/triggers)
set(CPACK_DEBIAN_PACKAGE_CONTROL_STRICT_PERMISSION ON)

# What each package is called, and what it says of itself.
set(about "Lofty Ladder ranks and sorts customers, products and orders by computed\ntotals: ties, several keys, custom orders, the best of each group, window\nfunctions.")
foreach(one IN ITEMS tool:lofty-ladder runtime:liblofty-ladder0 development:liblofty-ladder-dev documentation:lofty-ladder-doc)
  string(REGEX MATCH "^([a-z]+):(.*)$" _ ${one})
  set(component ${CMAKE_MATCH_1})
  set(package ${CMAKE_MATCH_2})
  string(TOUPPER ${component} upper)
  set(CPACK_DEBIAN_${upper}_PACKAGE_NAME ${package})
  # The copyright and the changes that every package has to hold.
  configure_file(${PROJECT_SOURCE_DIR}/packaging/changelog.in ${PROJECT_BINARY_DIR}/packaging/${package}/changelog @ONLY)
  execute_process(COMMAND gzip -9nf ${PROJECT_BINARY_DIR}/packaging/${package}/changelog)
  install(FILES ${PROJECT_SOURCE_DIR}/packaging/copyright ${PROJECT_BINARY_DIR}/packaging/${package}/changelog.gz
          DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/${package} COMPONENT ${component})
endforeach()
set(CPACK_COMPONENT_TOOL_DESCRIPTION "rank and sort sales data by computed totals\n${about}\nThis package has the command-line tool.")
set(CPACK_COMPONENT_RUNTIME_DESCRIPTION "ranking of sales data by computed totals - shared library\n${about}\nThis package has the shared library.")
set(CPACK_COMPONENT_DEVELOPMENT_DESCRIPTION "ranking of sales data by computed totals - development files\n${about}\nThis package has the headers and the static library.")
set(CPACK_COMPONENT_DOCUMENTATION_DESCRIPTION "ranking of sales data by computed totals - documentation\n${about}\nThis package has the documentation and the examples.")
set(CPACK_DEBIAN_TOOL_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_TOOL_PACKAGE_DEPENDS "libhwy1")  # opened at run time
set(CPACK_DEBIAN_TOOL_PACKAGE_RECOMMENDS "gnuplot-nox, fonts-dejavu-core")  # for pictures
set(CPACK_DEBIAN_TOOL_PACKAGE_SUGGESTS "libpq5")  # for tables on servers
set(CPACK_DEBIAN_RUNTIME_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_RUNTIME_PACKAGE_DEPENDS "libhwy1")
set(CPACK_DEBIAN_RUNTIME_PACKAGE_SECTION libs)
set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_SECTION libdevel)
set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_DEPENDS "liblofty-ladder0 (= ${PROJECT_VERSION}), libicu-dev, libsimdjson-dev, libtbb-dev, libcsv-dev, libsqlitecpp-dev, libsqlite3-dev, libzip-dev, libpugixml-dev, libxlsxwriter-dev, zlib1g-dev, libxxhash-dev")
set(CPACK_DEBIAN_DOCUMENTATION_PACKAGE_SECTION doc)
set(CPACK_DEBIAN_DOCUMENTATION_PACKAGE_ARCHITECTURE all)
include(CPack)
