// spool.h: inputs that can be read only once - standard input, pipes - kept in a temporary file, so that
// readers can go to any place in them.
#pragma once

#include <string>

namespace vprism {

/// "-" for standard input.
inline constexpr const char* standard_input = "-";

/// The file to read for an input: the path itself for a file, a temporary copy for standard input and pipes,
/// made when first asked for and gone with the process. It may grow until the folder for temporary files is
/// nearly full. Throws Error(input) for devices, and where no one begins to write into a named pipe for some
/// seconds.
std::string readable_path(const std::string& path);

/// How an input is called: "standard input" for "-".
std::string input_name(const std::string& path);

}  // namespace vprism
