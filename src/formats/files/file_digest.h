// file_digest.h: which bytes a result was made from.
#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>

namespace vprism {

/// XXH3 of a whole file. A reader that goes through the file from its beginning passes on what it reads, so
/// that nothing is read twice; what was not passed on when the digest is asked for is read then.
class FileDigest {
 public:
  explicit FileDigest(std::string path);
  ~FileDigest();
  FileDigest(const FileDigest&) = delete;
  FileDigest& operator=(const FileDigest&) = delete;

  /// A reader says that it will pass on bytes.
  void expect() { expected_ = true; }
  bool expected() const { return expected_; }
  /// Bytes of the file from `offset` on. Ignored unless they follow on those before: passes may repeat. Not
  /// by two threads at once.
  void passed(std::uint64_t offset, std::span<const char> bytes);
  /// 16 hexadecimal digits behind "xxh3:". Throws Error(input).
  std::string text();
  /// The same if all has been passed on already, or the file is small; else, of a file of which only a part
  /// is wanted, "quick:" and a digest of its size, its time of change and 65 blocks of it.
  std::string quick_text();

 private:
  struct State;
  std::string path_;
  std::unique_ptr<State> state_;
  std::uint64_t next_ = 0;
  bool expected_ = false;
};

/// Of a text.
std::string text_digest(std::string_view text);
/// Of a file that no one reads. Throws Error(input).
inline std::string file_digest(const std::string& path) { return FileDigest(path).text(); }

}  // namespace vprism
