# A copy of nlohmann/json.hpp without the literal "..."_json, put before the installed one. As an inline function it makes every file
# that includes the header compile the whole parser, a second each; nothing here writes it. Where the header has changed so
# that it is not found, the copy is the same as the installed one.
get_target_property(installed nlohmann_json::nlohmann_json INTERFACE_INCLUDE_DIRECTORIES)
list(GET installed 0 installed)
file(READ ${installed}/nlohmann/json.hpp header)
string(REGEX REPLACE "JSON_HEDLEY_NON_NULL\\(1\\)\ninline nlohmann::json operator \"\" _json\\(const char\\* s, std::size_t n\\)\n{[^}]*}\n" "" header "${header}")
string(REGEX REPLACE "[^\n]*using nlohmann::literals::json_literals::operator \"\" _json;[^\n]*\n" "" header "${header}")
set(copy ${CMAKE_BINARY_DIR}/json/nlohmann/json.hpp)
set(there "")
if(EXISTS ${copy})
  file(READ ${copy} there)
endif()
if(NOT there STREQUAL header)
  file(WRITE ${copy} "${header}")
endif()
include_directories(BEFORE SYSTEM ${CMAKE_BINARY_DIR}/json)
