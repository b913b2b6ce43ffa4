# The arrows of docs/architecture.md are enforced here: a module may only name modules that stand
# before it in this list, and only those of the desk may name Qt.
set(STAGE_ORDER scene optics motion media grade cutout checks edit interaction render output cli
  desk/look desk/kit desk/jobs desk/session desk/camera desk/set desk/time desk/cutting desk/details desk/dialogs desk/files desk/commands
  desk/window)

# Whoever reuses a precompiled header is compiled as it was, whatever options of optimising and instrumenting it has
# itself: modules that are compiled in less time reuse that of scene, the others that of optics.
set(STAGE_PRECOMPILED <nlohmann/json.hpp> <Imath/ImathMatrix.h> <algorithm> <array> <atomic> <cmath> <filesystem>
  <functional> <map> <memory> <optional> <string> <thread> <variant> <vector>)

option(STAGE_UNITY "Compile several files as one: quickest from nothing, slow after a change" OFF)

# stage_in_groups(TARGET): with STAGE_UNITY its files are compiled in groups. Not files with code for several sets of
# vector instructions, which include themselves. Only here may one file's name hide another's, or a class be derived
# from one of its own file's.
function(stage_in_groups target)
  if(NOT STAGE_UNITY)
    return()
  endif()
  set_target_properties(${target} PROPERTIES UNITY_BUILD ON UNITY_BUILD_BATCH_SIZE 8)
  target_compile_options(${target} PRIVATE -Wno-shadow -Wno-subobject-linkage)
  get_target_property(sources ${target} SOURCES)
  foreach(source IN LISTS sources)
    if(EXISTS ${source})
      file(STRINGS ${source} includes_itself REGEX "HWY_TARGET_INCLUDE")
      if(includes_itself)
        set_source_files_properties(${source} PROPERTIES SKIP_UNITY_BUILD_INCLUSION ON)
      endif()
    endif()
  endforeach()
endfunction()

# stage_module(NAME [USES module...] [LIBS target...]): every .cc of src/NAME but main.cc becomes the static
# library stage::NAME, with _ for / in its name.
function(stage_module name)
  cmake_parse_arguments(ARG "" "" "USES;LIBS" ${ARGN})
  list(FIND STAGE_ORDER ${name} own)
  if(own LESS 0)
    message(FATAL_ERROR "src/${name} is not in STAGE_ORDER")
  endif()
  foreach(used IN LISTS ARG_USES)
    list(FIND STAGE_ORDER ${used} place)
    if(place LESS 0 OR NOT place LESS own)
      message(FATAL_ERROR "src/${name} may not use src/${used}")
    endif()
  endforeach()
  foreach(lib IN LISTS ARG_LIBS)
    if(lib MATCHES "^Qt" AND NOT name MATCHES "^desk/")
      message(FATAL_ERROR "src/${name} may not use ${lib}: Qt belongs to src/desk")
    endif()
  endforeach()
  string(REPLACE "/" "_" target ${name})
  file(GLOB sources CONFIGURE_DEPENDS ${PROJECT_SOURCE_DIR}/src/${name}/*.cc ${PROJECT_SOURCE_DIR}/src/${name}/*.h)
  list(FILTER sources EXCLUDE REGEX "/main\\.cc$")
  add_library(stage_${target} STATIC ${sources})
  add_library(stage::${target} ALIAS stage_${target})
  target_include_directories(stage_${target} PUBLIC ${PROJECT_SOURCE_DIR}/src)
  string(REPLACE "/" "_" used "${ARG_USES}")
  list(TRANSFORM used PREPEND "stage::")
  target_link_libraries(stage_${target} PUBLIC ${used} ${ARG_LIBS})
  stage_in_groups(stage_${target})
  # Code in which no time is spent is compiled in less of it. (A pointer that went over the end of memory is found when it
  # is used.)
  if(STAGE_SANITIZE AND name MATCHES "^(scene|edit|cli|desk/.*)$")
    target_compile_options(stage_${target} PRIVATE --param=asan-instrumentation-with-call-threshold=0
      -fno-sanitize=pointer-overflow)
  endif()
  if(CMAKE_BUILD_TYPE STREQUAL "Release" AND name MATCHES "^(scene|edit|cli|desk/.*)$")
    target_compile_options(stage_${target} PRIVATE -O2)
  endif()
endfunction()

# stage_plugin(MODULE NAME LIBS...): src/MODULE/plugins/NAME.cc becomes bin/plugins/NAME.so, which the module loads when it is
# first needed (media/plugin.h): what it links to would make every start slower.
function(stage_plugin module name)
  add_library(stage_plugin_${name} MODULE ${PROJECT_SOURCE_DIR}/src/${module}/plugins/${name}.cc)
  set_target_properties(stage_plugin_${name} PROPERTIES PREFIX "" OUTPUT_NAME ${name} CXX_VISIBILITY_PRESET hidden
    LIBRARY_OUTPUT_DIRECTORY ${CMAKE_RUNTIME_OUTPUT_DIRECTORY}/plugins)
  target_include_directories(stage_plugin_${name} PRIVATE ${PROJECT_SOURCE_DIR}/src)
  target_link_libraries(stage_plugin_${name} PRIVATE ${ARGN})
  add_dependencies(stage_${module} stage_plugin_${name})
  install(TARGETS stage_plugin_${name} LIBRARY DESTINATION lib/open-stage)
endfunction()
