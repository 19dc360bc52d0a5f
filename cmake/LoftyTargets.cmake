# Warnings live in a target of their own, which is linked only while building and never exported.
add_library(lofty_warnings INTERFACE)
target_compile_options(lofty_warnings INTERFACE -Wall -Wextra -Wpedantic -Wshadow -Wnon-virtual-dtor -Wold-style-cast
                                                -Wcast-align -Woverloaded-virtual -Wnull-dereference)
if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
  # g++ 12 sees things in inlined std::string and std::optional that are not there (its bugs 105651 and 105562).
  target_compile_options(lofty_warnings INTERFACE -Wno-null-dereference -Wno-restrict -Wno-maybe-uninitialized)
endif()

# With LOFTY_COMPILE_TOGETHER, as in all presets but dev and clang, the sources of a folder are compiled as one: most of
# the time goes into headers that they share. What works on every row is compiled file by file even then, so that its
# speed does not depend on the other sources.
set(lofty_row_by_row order rank window relation io/field_ends.cpp io/field_batch.cpp io/chunk_parser.cpp)
set(lofty_not_row_by_row window/call.cpp window/binder.cpp window/binding.cpp window/bind_clause.cpp window/bind_function.cpp window/shared_sorts.cpp)
function(lofty_compile_together target)
  if(NOT LOFTY_COMPILE_TOGETHER)
    return()
  endif()
  set_target_properties(${target} PROPERTIES UNITY_BUILD ON UNITY_BUILD_MODE GROUP)
  foreach(source ${ARGN})
    get_filename_component(folder "${source}" DIRECTORY)
    if(source IN_LIST lofty_not_row_by_row OR NOT (folder IN_LIST lofty_row_by_row OR source IN_LIST lofty_row_by_row))
      set_source_files_properties("${source}" PROPERTIES UNITY_GROUP "together_${folder}")
    endif()
  endforeach()
endfunction()

# What handles no table of rows is as fast with less optimisation, and compiled in two thirds of the time.
function(lofty_compile_quickly target)
  target_compile_options(${target} PRIVATE $<$<CONFIG:Release>:-O1>)
endfunction()

# lofty_layer(NAME [BELOW layers] [OUTSIDE libraries] SOURCES sources...): a layer of the library, which knows those below
# it. All of them (lofty_layers) are what is installed: one library, shared and static.
function(lofty_layer name)
  cmake_parse_arguments(layer "" "" "BELOW;OUTSIDE;SOURCES" ${ARGN})
  add_library(lofty_${name} STATIC ${layer_SOURCES})
  add_library(lofty::${name} ALIAS lofty_${name})
  target_include_directories(lofty_${name} PUBLIC ${PROJECT_SOURCE_DIR}/include PRIVATE ${PROJECT_SOURCE_DIR}/src)
  target_compile_features(lofty_${name} PUBLIC cxx_std_20)
  # What public headers declare is visible (lofty/export.hpp); the rest is the library's own.
  set_target_properties(lofty_${name} PROPERTIES CXX_VISIBILITY_PRESET hidden VISIBILITY_INLINES_HIDDEN ON
                                               CXX_EXTENSIONS OFF POSITION_INDEPENDENT_CODE ON)
  list(TRANSFORM layer_BELOW PREPEND lofty_)
  target_link_libraries(lofty_${name} PUBLIC ${layer_BELOW} PRIVATE ${layer_OUTSIDE} lofty_warnings)
  lofty_compile_together(lofty_${name} ${layer_SOURCES})
  set(lofty_layers ${lofty_layers} ${name} PARENT_SCOPE)
endfunction()
