// output_file.h: a file being written; every failure is an Error(output).
#pragma once

#include <cstdint>
#include <cstdio>
#include <memory>
#include <string>
#include <string_view>

namespace vprism {

class OutputFile {
 public:
  explicit OutputFile(const std::string& path);
  void write(std::string_view bytes);
  /// At a place of its own; the file grows as needed.
  void write_at(std::uint64_t offset, std::string_view bytes);
  /// Flushes and closes.
  void finish();

 private:
  struct Closer {
    void operator()(std::FILE* file) const { std::fclose(file); }
  };
  [[noreturn]] void fail() const;
  std::string path_;
  std::unique_ptr<std::FILE, Closer> file_;
};

/// Bytes of a number in little-endian order.
template <typename T>
void append_bytes(std::string& to, T value) {
  to.append(reinterpret_cast<const char*>(&value), sizeof value);
}

}  // namespace vprism
