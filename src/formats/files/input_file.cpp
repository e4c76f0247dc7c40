// input_file.cpp: see input_file.h.
#include "formats/files/input_file.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <utility>

#include "base/error.h"
#include "formats/files/file_digest.h"

namespace vprism {

InputFile::InputFile(const std::string& path) : name_(path) {
  descriptor_ = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (descriptor_ < 0) throw Error(Status::input, path + ": can't be opened: " + std::strerror(errno));
  ::posix_fadvise(descriptor_, 0, 0, POSIX_FADV_SEQUENTIAL);
  refresh();
}

InputFile::InputFile(int descriptor, std::string name) : descriptor_(descriptor), name_(std::move(name)) {
  refresh();
}

void InputFile::refresh() {
  struct stat facts {};
  if (::fstat(descriptor_, &facts) == 0) size_ = static_cast<std::uint64_t>(facts.st_size);
}

std::int64_t InputFile::changed_ns() const {
  struct stat facts {};
  if (::fstat(descriptor_, &facts) != 0) return 0;
  return static_cast<std::int64_t>(facts.st_mtim.tv_sec) * 1'000'000'000 + facts.st_mtim.tv_nsec;
}

InputFile::~InputFile() {
  if (descriptor_ >= 0) ::close(descriptor_);
}

InputFile::InputFile(InputFile&& other) noexcept
    : descriptor_(std::exchange(other.descriptor_, -1)),
      name_(std::move(other.name_)),
      size_(other.size_),
      cut_(other.cut_),
      digest_(std::move(other.digest_)) {}

InputFile& InputFile::operator=(InputFile&& other) noexcept {
  std::swap(descriptor_, other.descriptor_);
  std::swap(name_, other.name_);
  std::swap(size_, other.size_);
  std::swap(cut_, other.cut_);
  std::swap(digest_, other.digest_);
  return *this;
}

std::size_t InputFile::read_some(std::uint64_t offset, std::span<char> to) const {
  if (cut_)
    to = to.first(
        static_cast<std::size_t>(std::min<std::uint64_t>(to.size(), size_ - std::min(size_, offset))));
  std::size_t got = 0;
  while (got < to.size()) {
    const ssize_t n =
        ::pread(descriptor_, to.data() + got, to.size() - got, static_cast<off_t>(offset + got));
    if (n < 0)
      throw Error(Status::input, name_ + ": can't be read at byte " + std::to_string(offset + got) + ": " +
                                     std::strerror(errno));
    if (n == 0) break;
    got += static_cast<std::size_t>(n);
  }
  if (digest_) digest_->passed(offset, to.first(got));
  return got;
}

void InputFile::pass_on_to(std::shared_ptr<FileDigest> digest) {
  digest_ = std::move(digest);
  if (digest_) digest_->expect();
}

void InputFile::read(std::uint64_t offset, std::span<char> to) const {
  const std::size_t got = read_some(offset, to);
  if (got < to.size())
    throw Error(Status::input, name_ + ": cut short: " + std::to_string(to.size() - got) +
                                   " bytes missing at byte " + std::to_string(offset + got) +
                                   "; copy or export it again");
}

std::string InputFile::text(std::uint64_t offset, std::size_t count) const {
  if (offset >= size_) return {};
  std::string out(static_cast<std::size_t>(std::min<std::uint64_t>(count, size_ - offset)), '\0');
  out.resize(read_some(offset, out));
  return out;
}

bool LineReader::fill() {
  constexpr std::size_t ahead = 256 * 1024, longest = 1024 * 1024;
  if (buffer_.size() - at_ > longest)
    throw Error(Status::input,
                file_->name() + ": a line longer than a megabyte at byte " + std::to_string(offset()));
  buffer_.erase(0, at_);
  at_ = 0;
  const std::size_t had = buffer_.size();
  buffer_.resize(had + ahead);
  const std::size_t got = file_->read_some(next_, std::span(buffer_).subspan(had));
  buffer_.resize(had + got);
  next_ += got;
  return got > 0;
}

bool LineReader::get(std::string& line) {
  for (;;) {
    const std::size_t end = buffer_.find('\n', at_);
    if (end == std::string::npos) {
      if (fill()) continue;
      if (at_ == buffer_.size()) return false;
      line.assign(buffer_, at_);
      at_ = buffer_.size();
    } else {
      line.assign(buffer_, at_, end - at_);
      at_ = end + 1;
    }
    if (!line.empty() && line.back() == '\r') line.pop_back();
    return true;
  }
}

}  // namespace vprism
