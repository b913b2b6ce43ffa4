# The arrows of docs/architecture.md are enforced here: a module may only name modules that stand
# before it in this list, and only the desk may name Qt.
set(STAGE_ORDER scene optics motion checks media cutout edit render output cli desk)

# stage_module(NAME [USES module...] [LIBS target...]): every .cc of the current folder but those of programs
# becomes the static library stage_NAME with the alias stage::NAME.
function(stage_module name)
  cmake_parse_arguments(ARG "" "" "USES;LIBS" ${ARGN})
  list(FIND STAGE_ORDER ${name} own)
  foreach(used IN LISTS ARG_USES)
    list(FIND STAGE_ORDER ${used} place)
    if(place LESS 0 OR NOT place LESS own)
      message(FATAL_ERROR "src/${name} may not use src/${used}")
    endif()
  endforeach()
  foreach(lib IN LISTS ARG_LIBS)
    if(lib MATCHES "^Qt" AND NOT name STREQUAL "desk")
      message(FATAL_ERROR "src/${name} may not use ${lib}: Qt belongs to src/desk")
    endif()
  endforeach()
  file(GLOB sources CONFIGURE_DEPENDS *.cc *.h)
  list(FILTER sources EXCLUDE REGEX "/(main|shot)\\.cc$")
  add_library(stage_${name} STATIC ${sources})
  add_library(stage::${name} ALIAS stage_${name})
  target_include_directories(stage_${name} PUBLIC ${PROJECT_SOURCE_DIR}/src)
  list(TRANSFORM ARG_USES PREPEND "stage::")
  target_link_libraries(stage_${name} PUBLIC ${ARG_USES} ${ARG_LIBS})
endfunction()
