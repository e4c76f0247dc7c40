// output_folder.cpp: temporary names within the folder itself, so that the rename never crosses a file
// system.
#include "formats/files/output_folder.h"

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <fstream>

#include "base/error.h"
#include "formats/files/output_claims.h"
#include "formats/files/unfinished.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

[[noreturn]] void fail(const fs::path& path, const std::string& why) {
  throw Error(Status::output, path.string() + ": " + why);
}

bool same_bytes(const fs::path& path, const fs::path& other) {
  std::error_code code;
  if (fs::file_size(path, code) != fs::file_size(other, code) || code) return false;
  std::ifstream a(path, std::ios::binary), b(other, std::ios::binary);
  if (!a || !b) return false;
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

OutputFolder::OutputFolder(const std::string& folder, bool replace, std::string command)
    : folder_(folder), replace_(replace), command_(std::move(command)) {
  std::error_code code;
  for (fs::path path = fs::absolute(folder_, code).lexically_normal();
       !path.empty() && !fs::exists(path, code) && path != path.parent_path(); path = path.parent_path())
    made_.push_back(path);
  fs::create_directories(folder_, code);
  if (code || !fs::is_directory(folder_))
    fail(folder_, "can't be made a folder for the outputs" +
                      (code ? ": " + code.message() : std::string(": a file of that name is there")) +
                      "; choose another with --out");
  // A umask that shuts out the owner is meant for others.
  for (const fs::path& path : made_) fs::permissions(path, fs::perms::owner_all, fs::perm_options::add, code);
  waiting_ = unfinished_folder(folder_);
}

OutputFolder::~OutputFolder() {
  remove_unfinished(waiting_);
  std::error_code code;
  if (!committed_)
    for (const fs::path& path : made_) fs::remove(path, code);  // One that is not empty stays.
}

void OutputFolder::protect(const std::string& input) { inputs_.emplace_back(input); }

std::string OutputFolder::path_of(const std::string& name) const { return (folder_ / name).string(); }

void OutputFolder::check_input(const std::string& name) const {
  for (const fs::path& input : inputs_) {
    std::error_code code;
    if (fs::equivalent(input, folder_ / name, code))
      fail(folder_ / name, "is an input and is never written to; choose another folder with --out");
  }
}

void OutputFolder::expect(const std::vector<std::string>& names) const {
  std::error_code code;
  OutputClaims claims(folder_);
  for (const std::string& name : names) {
    check_input(name);
    if (!fs::exists(folder_ / name, code)) continue;
    if (fs::is_directory(folder_ / name, code))
      fail(folder_ / name, "is a folder; choose another with --out");
    if (replace_ || command_.empty()) continue;
    if (const std::string why = claims.why_foreign(name, command_); !why.empty())
      fail(folder_ / name, why + "; use --force to replace it, or another folder with --out");
  }
}

std::vector<OutputFolder::Entry> OutputFolder::entries_with_digests() const {
  std::vector<Entry> out = entries_;
  for (Entry& entry : out) entry.digest = output_digest(waiting_ / fs::path(entry.file).filename());
  return out;
}

void OutputFolder::add(const std::string& name, const std::string& bytes, const std::string& what) {
  const std::string path = place(name, what);
  try {
    write_whole_file(path, bytes);
  } catch (...) {
    withdraw(name);
    throw;
  }
}

std::string OutputFolder::place(const std::string& name, const std::string& what) {
  check_input(name);
  if (std::find(names_.begin(), names_.end(), name) == names_.end()) {
    names_.push_back(name);
    entries_.push_back({path_of(name), what});
  }
  return (waiting_ / name).string();
}

void OutputFolder::renew(const std::string& name, const std::string& bytes) {
  const fs::path path = waiting_ / name, part = waiting_ / (name + ".renewed");
  std::error_code code;
  try {
    write_whole_file(part, bytes);
    fs::rename(part, path, code);
  } catch (const Error&) {
    // What was there stays.
  }
}

void OutputFolder::withdraw(const std::string& name) {
  std::error_code code;
  fs::remove(waiting_ / name, code);
  std::erase(names_, name);
  std::erase_if(entries_, [&](const Entry& entry) { return entry.file == path_of(name); });
}

void OutputFolder::commit() {
  const FolderLock lock(folder_);
  std::error_code code;
  OutputClaims claims(folder_);
  for (const std::string& name : names_) {
    const fs::path there = folder_ / name;
    if (replace_ || !fs::exists(there, code) || same_bytes(waiting_ / name, there)) continue;
    const std::string why =
        command_.empty() ? "is there already and differs" : claims.why_foreign(name, command_);
    if (!why.empty()) fail(there, why + "; use --force to replace it, or another folder with --out");
  }
  for (const std::string& name : names_) {
    if (fs::exists(folder_ / name, code) && same_bytes(waiting_ / name, folder_ / name)) continue;
    // Marked before it has its name: a run that ends between the two leaves none that no one owns. A user's
    // own file that happens to hold the same bytes stays the user's.
    if (!command_.empty()) mark_output(waiting_ / name, command_);
    fs::rename(waiting_ / name, folder_ / name, code);
    if (code) fail(folder_ / name, "can't be written: " + code.message());
  }
  committed_ = true;
  names_.clear();
}

}  // namespace vprism
