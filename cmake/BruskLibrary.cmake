# One static library per folder: brusk_library(<name> <sources...> [JSON] DEPENDS <targets...>). JSON: it keeps its things
# as JSON and hands on what others compute.
# Includes are written from src/ ("core/image/Image.h"), so that a path names its owner.
# All share one precompiled header of the standard library; a source still includes what it uses, and the linter, which
# does without it, sees to that.
set(BRUSK_STANDARD_HEADERS <algorithm> <array> <cmath> <cstdint> <cstring> <functional> <map> <memory> <optional> <set>
  <span> <string> <string_view> <vector> <tl/expected.hpp>)

function(brusk_library name)
  cmake_parse_arguments(ARG "JSON" "" "DEPENDS" ${ARGN})
  add_library(brusk_${name} STATIC ${ARG_UNPARSED_ARGUMENTS})
  target_include_directories(brusk_${name} PUBLIC ${CMAKE_SOURCE_DIR}/src)
  target_link_libraries(brusk_${name} PUBLIC ${ARG_DEPENDS})
  if(ARG_JSON)
    target_link_libraries(brusk_${name} PRIVATE nlohmann_json::nlohmann_json)
    brusk_quick(brusk_${name})
    brusk_precompiled(brusk_${name} json ${BRUSK_STANDARD_HEADERS} <nlohmann/json.hpp>)
  else()
    brusk_precompiled(brusk_${name} standard ${BRUSK_STANDARD_HEADERS})
  endif()
endfunction()

# What shows, keeps and hands on spends its time waiting: where the build is for developing, it is compiled in two thirds
# of the time. What computes is always optimised.
function(brusk_quick target)
  if(BRUSK_QUICK)
    # At -O1 GCC takes the value of an empty optional for one that is read.
    target_compile_options(${target} PRIVATE -O1 -Wno-maybe-uninitialized)
  endif()
endfunction()

# Gives a target the precompiled header `kind`: the first target of a kind makes it of the headers named, the others
# take that one. Targets of one kind must be compiled with the same flags.
function(brusk_precompiled target kind)
  get_property(owner GLOBAL PROPERTY BRUSK_PRECOMPILED_${kind})
  if(owner)
    target_precompile_headers(${target} REUSE_FROM ${owner})
  else()
    target_precompile_headers(${target} PRIVATE ${ARGN})
    set_property(GLOBAL PROPERTY BRUSK_PRECOMPILED_${kind} ${target})
  endif()
endfunction()
