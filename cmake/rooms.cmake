# One static library per room. A room finds only the headers of the rooms above it: each room's own include
# directory holds one link to its folder, so that `#include "gnss/..."` from `geodesy` does not compile.

function(ample_library target folder name)
  file(GLOB_RECURSE sources CONFIGURE_DEPENDS ${CMAKE_SOURCE_DIR}/${folder}/*.cpp)
  file(GLOB_RECURSE headers CONFIGURE_DEPENDS ${CMAKE_SOURCE_DIR}/${folder}/*.h)
  add_library(${target} STATIC ${sources} ${headers})
  set(include ${CMAKE_BINARY_DIR}/include/${name})
  file(MAKE_DIRECTORY ${include})
  file(CREATE_LINK ${CMAKE_SOURCE_DIR}/${folder} ${include}/${name} SYMBOLIC)
  target_include_directories(${target} PUBLIC ${include})
  if(name STREQUAL base)
    target_precompile_headers(${target} PRIVATE ${CMAKE_SOURCE_DIR}/cmake/pch.h)
  else()
    target_precompile_headers(${target} REUSE_FROM ampletie_base)
  endif()
endfunction()

function(ample_room name)
  cmake_parse_arguments(A "" "" "ABOVE;LIBS" ${ARGN})
  ample_library(ampletie_${name} core/${name} ${name})
  foreach(room ${A_ABOVE})
    target_link_libraries(ampletie_${name} PUBLIC ampletie_${room})
  endforeach()
  target_link_libraries(ampletie_${name} PUBLIC ${A_LIBS} Eigen3::Eigen fmt::fmt)
endfunction()

function(ample_standin name)
  ample_library(ampletie_${name} standins/${name} ${name})
  target_link_libraries(ampletie_${name} PUBLIC ampletie_formats Eigen3::Eigen fmt::fmt)
endfunction()

# For folders where optimising costs more building than it saves; a debug build stays one.
macro(ample_lightly_optimised)
  add_compile_options($<$<CONFIG:Release>:-O1>)
  if(AMPLETIE_SANITIZE)
    add_compile_options(-O0 -g0)
  endif()
endmacro()
