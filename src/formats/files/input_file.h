// input_file.h: an input opened for reading at any place, never written to.
#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace vprism {

class FileDigest;

class InputFile {
 public:
  InputFile() = default;
  /// Throws Error(input) when it can't be opened.
  explicit InputFile(const std::string& path);
  /// Takes over an open descriptor; `name` is for messages.
  InputFile(int descriptor, std::string name);
  ~InputFile();
  InputFile(InputFile&& other) noexcept;
  InputFile& operator=(InputFile&& other) noexcept;
  InputFile(const InputFile&) = delete;
  InputFile& operator=(const InputFile&) = delete;

  const std::string& name() const { return name_; }
  std::uint64_t size() const { return size_; }
  /// When it was last changed, in nanoseconds since 1970.
  std::int64_t changed_ns() const;
  /// Looks up the size anew, where the file has grown since.
  void refresh();
  /// What lies behind `offset` is no part of it.
  void end_at(std::uint64_t offset) { size_ = offset, cut_ = true; }
  /// From now on `digest`, if there is one, gets what is read.
  void pass_on_to(std::shared_ptr<FileDigest> digest);
  /// As many bytes from `offset` on as there are, up to to.size(). Throws Error(input) when reading fails.
  std::size_t read_some(std::uint64_t offset, std::span<char> to) const;
  /// Exactly to.size() bytes; throws Error(input) when they are not there.
  void read(std::uint64_t offset, std::span<char> to) const;
  /// The bytes [offset, offset + count), fewer at the end of the file.
  std::string text(std::uint64_t offset, std::size_t count) const;

 private:
  int descriptor_ = -1;
  std::string name_;
  std::uint64_t size_ = 0;
  bool cut_ = false;
  std::shared_ptr<FileDigest> digest_;
};

/// Lines of a file one after another, without their ends (LF or CRLF), reading ahead in blocks.
class LineReader {
 public:
  explicit LineReader(const InputFile& file, std::uint64_t offset = 0) : file_(&file), next_(offset) {}
  /// False at the end of the file. Throws Error(input) for a line over a megabyte.
  bool get(std::string& line);
  /// Offset of the line that `get` gives next.
  std::uint64_t offset() const { return next_ - (buffer_.size() - at_); }

 private:
  bool fill();
  const InputFile* file_;
  std::uint64_t next_;  ///< Offset behind the buffer.
  std::string buffer_;
  std::size_t at_ = 0;
};

}  // namespace vprism
