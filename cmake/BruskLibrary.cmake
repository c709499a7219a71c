# One static library per folder: brusk_library(<name> <sources...> DEPENDS <targets...>).
# Includes are written from src/ ("core/image/Image.h"), so that a path names its owner.
function(brusk_library name)
  cmake_parse_arguments(ARG "" "" "DEPENDS" ${ARGN})
  add_library(brusk_${name} STATIC ${ARG_UNPARSED_ARGUMENTS})
  target_include_directories(brusk_${name} PUBLIC ${CMAKE_SOURCE_DIR}/src)
  target_link_libraries(brusk_${name} PUBLIC ${ARG_DEPENDS})
endfunction()
