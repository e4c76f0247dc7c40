// spool.cpp: see spool.h.
#include "formats/files/spool.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <cstring>
#include <filesystem>
#include <map>
#include <mutex>
#include <vector>

#include "base/error.h"
#include "formats/files/crash_folder.h"
#include "formats/files/input_file.h"
#include "formats/files/output_file.h"
#include "formats/files/unfinished.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

/// What must stay free for others where temporary files lie.
constexpr std::uint64_t least_free = std::uint64_t{64} << 20;
constexpr std::chrono::seconds patience{10};

std::uint64_t free_bytes(const fs::path& folder) {
  struct statvfs facts {};
  return ::statvfs(folder.c_str(), &facts) == 0 ? std::uint64_t{facts.f_bavail} * facts.f_frsize
                                                : std::uint64_t{1} << 62;
}

/// More bytes; 0 at the end. A named pipe without a writer is waited for only so long.
std::size_t next_bytes(int descriptor, const std::string& name, std::vector<char>& room) {
  const auto start = std::chrono::steady_clock::now();
  for (;;) {
    pollfd waiting{descriptor, POLLIN, 0};
    const int ready = ::poll(&waiting, 1, 100);
    if (ready < 0 && errno != EINTR)
      throw Error(Status::input, name + ": can't be read: " + std::strerror(errno));
    const ssize_t count = ::read(descriptor, room.data(), room.size());
    if (count > 0) return static_cast<std::size_t>(count);
    if (count < 0 && errno != EAGAIN && errno != EINTR)
      throw Error(Status::input, name + ": can't be read: " + std::strerror(errno));
    if (count == 0 && (ready > 0 || descriptor == STDIN_FILENO)) return 0;
    if (count == 0 && std::chrono::steady_clock::now() - start > patience)
      throw Error(Status::input, name + ": a pipe into which no one writes; start its writer first");
  }
}

/// Copies made so far; they go when the program ends.
class Spools {
 public:
  ~Spools() {
    for (const fs::path& folder : folders_) remove_unfinished(folder);
  }
  std::string copy_of(const std::string& path, const std::string& name) {
    const std::lock_guard guard(lock_);
    const auto found = copies_.find(path);
    if (found != copies_.end()) return found->second;
    const int descriptor =
        path == standard_input ? STDIN_FILENO : ::open(path.c_str(), O_RDONLY | O_NONBLOCK | O_CLOEXEC);
    if (descriptor < 0) throw Error(Status::input, name + ": can't be opened: " + std::strerror(errno));
    // Closed when it goes, but for standard input.
    const InputFile closer(descriptor == STDIN_FILENO ? -1 : descriptor, name);
    TemporaryFile out(name, path == standard_input ? "standard-input" : fs::path(path).filename().string(),
                      new_folder().string());
    std::vector<char> room(std::size_t{1} << 20);
    while (const std::size_t count = next_bytes(descriptor, name, room)) out.write({room.data(), count});
    return copies_[path] = out.finish();
  }
  std::string folder() {
    const std::lock_guard guard(lock_);
    return new_folder().string();
  }

 private:
  fs::path new_folder() {
    std::error_code code;
    const fs::path temporary = fs::temp_directory_path(code);
    return folders_.emplace_back(unfinished_folder(code ? fs::path("/tmp") : temporary));
  }
  std::mutex lock_;
  std::map<std::string, std::string> copies_;
  std::vector<fs::path> folders_;
};

Spools& spools() {
  static Spools all;
  return all;
}

}  // namespace

std::string input_name(const std::string& path) { return path == standard_input ? "standard input" : path; }

TemporaryFile::TemporaryFile(std::string input, const std::string& name, const std::string& folder)
    : input_(std::move(input)),
      path_((fs::path(folder) / name).string()),
      out_(std::make_unique<OutputFile>(path_)) {}

TemporaryFile::~TemporaryFile() = default;

void TemporaryFile::write(std::string_view bytes) {
  try {
    out_->write(bytes);
  } catch (const Error&) {
    throw Error(Status::input,
                input_ + ": no room for it in the folder for temporary files; set TMPDIR to a larger one");
  }
  all_ += bytes.size();
  if (all_ - looked_ < (std::uint64_t{8} << 20)) return;
  looked_ = all_;
  if (free_bytes(fs::path(path_).parent_path()) < least_free)
    throw Error(Status::input,
                input_ + ": more than fits into the folder for temporary files (" + std::to_string(all_) +
                    " bytes so far); set TMPDIR to a larger one, or unpack it to a file first");
}

std::string TemporaryFile::folder() const { return fs::path(path_).parent_path().string(); }

std::string TemporaryFile::finish() {
  out_->finish();
  return path_;
}

std::string folder_for_copies() { return spools().folder(); }

std::string readable_path(const std::string& path) {
  struct stat facts {};
  if (path == standard_input)
    ::fstat(STDIN_FILENO, &facts);
  else if (::stat(path.c_str(), &facts) != 0)
    return path;  // Whoever opens it says what is wrong.
  if (path != standard_input && S_ISDIR(facts.st_mode)) {
    // A folder may be one recording.
    const std::string entry = crash_folder_entry(path);
    return entry.empty() ? path : entry;
  }
  if (path != standard_input && (S_ISREG(facts.st_mode) || S_ISDIR(facts.st_mode))) return path;
  const bool device = S_ISBLK(facts.st_mode) ||
                      (S_ISCHR(facts.st_mode) && path != standard_input && ::isatty(STDIN_FILENO) == 0);
  if (device || S_ISSOCK(facts.st_mode))
    throw Error(Status::input, path + ": is a device, no file; name a file or a pipe");
  return spools().copy_of(path, input_name(path));
}

}  // namespace vprism
