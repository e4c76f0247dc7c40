# vprism_embed(TARGET NAME FILES...): the files, one after the other, become std::string_view vprism::NAME() in the
# target, and their SHA-256, in hexadecimal digits, vprism::NAME_sha256().
function(vprism_embed target name)
  set(joined ${CMAKE_CURRENT_BINARY_DIR}/embedded/${name})
  set(source ${joined}.cpp)
  file(MAKE_DIRECTORY ${CMAKE_CURRENT_BINARY_DIR}/embedded)
  execute_process(COMMAND ${CMAKE_COMMAND} -E cat ${ARGN} OUTPUT_FILE ${joined}.raw COMMAND_ERROR_IS_FATAL ANY)
  # What a browser's tools would look for is not there.
  execute_process(COMMAND sed -E "s,//# sourceMappingURL=[^ ]*map,,; s,/[*]# sourceMappingURL=[^*]*[*]/,," ${joined}.raw OUTPUT_FILE ${joined} COMMAND_ERROR_IS_FATAL ANY)
  set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS ${ARGN})
  file(SHA256 ${joined} digest)
  file(READ ${joined} bytes HEX)
  string(REGEX REPLACE "([0-9a-f][0-9a-f])" "0x\\1," bytes "${bytes}")
  file(CONFIGURE OUTPUT ${source} CONTENT
"// Made by cmake/embed.cmake.
#include <string_view>
namespace vprism {
namespace {
constexpr unsigned char ${name}_bytes[] = {@bytes@};
}
std::string_view ${name}();
std::string_view ${name}() { return {reinterpret_cast<const char*>(${name}_bytes), sizeof ${name}_bytes}; }
std::string_view ${name}_sha256();
std::string_view ${name}_sha256() { return \"@digest@\"; }
}  // namespace vprism
" @ONLY)
  target_sources(${target} PRIVATE ${source})
  set_source_files_properties(${source} PROPERTIES SKIP_UNITY_BUILD_INCLUSION ON SKIP_PRECOMPILE_HEADERS ON)
endfunction()
