// spool.h: inputs that can be read only once - standard input, pipes - kept in a temporary file, so that
// readers can go to any place in them.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>

namespace vprism {

class OutputFile;

/// "-" for standard input.
inline constexpr const char* standard_input = "-";

/// The file to read for an input: the path itself for a file, a temporary copy for standard input and pipes,
/// made when first asked for and gone with the process. It may grow until the folder for temporary files is
/// nearly full. Throws Error(input) for devices, and where no one begins to write into a named pipe for some
/// seconds.
std::string readable_path(const std::string& path);

/// A file in a folder for copies: what an input is unpacked into.
class TemporaryFile {
 public:
  /// `input` is the input's name for messages.
  TemporaryFile(std::string input, const std::string& name, const std::string& folder);
  ~TemporaryFile();
  /// Throws Error(input) when the folder for temporary files is nearly full.
  void write(std::string_view bytes);
  std::string folder() const;
  /// Its path.
  std::string finish();

 private:
  std::string input_, path_;
  std::unique_ptr<OutputFile> out_;
  std::uint64_t all_ = 0, looked_ = 0;
};

/// A new folder for what is made of an input on the way; gone with the process.
std::string folder_for_copies();

/// How an input is called: "standard input" for "-".
std::string input_name(const std::string& path);

}  // namespace vprism
