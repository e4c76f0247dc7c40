// output_folder.cpp: temporary names within the folder itself, so that the rename never crosses a file
// system.
#include "formats/output_folder.h"

#include <fmt/format.h>
#include <signal.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <fstream>

#include "base/error.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

[[noreturn]] void fail(const fs::path& path, const std::string& why) {
  throw Error(Status::output, path.string() + ": " + why);
}

bool same_bytes(const fs::path& path, const fs::path& other) {
  std::error_code code;
  if (fs::file_size(path, code) != fs::file_size(other, code)) return false;
  std::ifstream a(path, std::ios::binary), b(other, std::ios::binary);
  std::vector<char> x(1 << 16), y(1 << 16);
  while (a && b) {
    a.read(x.data(), static_cast<std::streamsize>(x.size()));
    b.read(y.data(), static_cast<std::streamsize>(y.size()));
    if (a.gcount() != b.gcount() ||
        std::memcmp(x.data(), y.data(), static_cast<std::size_t>(a.gcount())) != 0)
      return false;
  }
  return true;
}

constexpr std::string_view unfinished = ".vprism-part-";

/// Whether the process lives whose number stands before the hyphen; what is no number counts as alive.
bool lives(std::string number) {
  number = number.substr(0, number.find('-'));
  if (number.empty() || number.size() > 9 || number.find_first_not_of("0123456789") != std::string::npos)
    return true;
  return ::kill(static_cast<pid_t>(std::stol(number)), 0) == 0 || errno != ESRCH;
}

}  // namespace

std::string read_whole_file(const fs::path& path) {
  std::ifstream in(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), std::istreambuf_iterator<char>()};
}

void write_whole_file(const fs::path& path, const std::string& bytes) {
  std::FILE* file = std::fopen(path.c_str(), "wb");
  if (file == nullptr) fail(path, std::string("can't be written: ") + std::strerror(errno));
  const bool all = std::fwrite(bytes.data(), 1, bytes.size(), file) == bytes.size();
  const int first_error = errno;
  const bool closed = std::fclose(file) == 0;
  if (!all || !closed) {
    const std::string why = std::strerror(all ? errno : first_error);
    std::error_code code;
    fs::remove(path, code);
    fail(path, "can't be written: " + why);
  }
}

fs::path unfinished_folder(const fs::path& folder) {
  std::error_code code;
  std::vector<fs::path> left;
  for (const auto& entry : fs::directory_iterator(folder, code)) {
    const std::string name = entry.path().filename().string();
    if (name.rfind(unfinished, 0) == 0 && !lives(name.substr(unfinished.size())))
      left.push_back(entry.path());
  }
  for (const fs::path& path : left) fs::remove_all(path, code);
  static std::atomic<int> made = 0;
  const fs::path own = folder / fmt::format("{}{}-{}", unfinished, ::getpid(), ++made);
  fs::create_directories(own, code);
  if (code) fail(folder, "can't be written to: " + code.message() + "; choose another with --out");
  return own;
}

OutputFolder::OutputFolder(const std::string& folder, bool replace) : folder_(folder), replace_(replace) {
  std::error_code code;
  fs::create_directories(folder_, code);
  if (code || !fs::is_directory(folder_))
    fail(folder_, "can't be made a folder for the outputs" +
                      (code ? ": " + code.message() : std::string(": a file of that name is there")) +
                      "; choose another with --out");
  waiting_ = unfinished_folder(folder_);
}

OutputFolder::~OutputFolder() {
  std::error_code code;
  fs::remove_all(waiting_, code);
}

void OutputFolder::protect(const std::string& input) { inputs_.emplace_back(input); }

std::string OutputFolder::path_of(const std::string& name) const { return (folder_ / name).string(); }

void OutputFolder::add(const std::string& name, const std::string& bytes, const std::string& what) {
  write_whole_file(place(name, what), bytes);
}

std::string OutputFolder::place(const std::string& name, const std::string& what) {
  for (const fs::path& input : inputs_) {
    std::error_code code;
    if (fs::equivalent(input, folder_ / name, code))
      fail(folder_ / name, "is an input and is never written to; choose another folder with --out");
  }
  names_.push_back(name);
  entries_.push_back({path_of(name), what});
  return (waiting_ / name).string();
}

void OutputFolder::commit() {
  std::error_code code;
  for (const std::string& name : names_) {
    const fs::path there = folder_ / name;
    if (!replace_ && fs::exists(there, code) && !same_bytes(waiting_ / name, there))
      fail(there, "is there already and differs; use --force to replace it, or another folder with --out");
  }
  for (const std::string& name : names_) {
    if (fs::exists(folder_ / name, code) && same_bytes(waiting_ / name, folder_ / name)) continue;
    fs::rename(waiting_ / name, folder_ / name, code);
    if (code) fail(folder_ / name, "can't be written: " + code.message());
  }
  names_.clear();
}

}  // namespace vprism
