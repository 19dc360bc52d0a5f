# Warnings live in a target of their own, which is linked only while building and never exported.
add_library(lofty_warnings INTERFACE)
target_compile_options(lofty_warnings INTERFACE -Wall -Wextra -Wpedantic -Wshadow -Wnon-virtual-dtor -Wold-style-cast
                                                -Wcast-align -Woverloaded-virtual -Wnull-dereference)
if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
  # g++ 12 sees things in inlined std::string and std::optional that are not there (its bugs 105651 and 105562).
  target_compile_options(lofty_warnings INTERFACE -Wno-null-dereference -Wno-restrict -Wno-maybe-uninitialized)
endif()

# lofty_library(NAME sources...): a part of the library, as lofty::NAME.
function(lofty_library name)
  add_library(lofty_${name} STATIC ${ARGN})
  add_library(lofty::${name} ALIAS lofty_${name})
  set_target_properties(lofty_${name} PROPERTIES EXPORT_NAME ${name} OUTPUT_NAME lofty_${name})
  target_include_directories(lofty_${name} PUBLIC $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/include> $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>
                             PRIVATE ${PROJECT_SOURCE_DIR}/src)
  target_compile_features(lofty_${name} PUBLIC cxx_std_20)
  target_link_libraries(lofty_${name} PRIVATE $<BUILD_INTERFACE:lofty_warnings>)
endfunction()
