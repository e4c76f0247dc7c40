// unfinished.cpp: the folder's name holds host, process and when that began, so that a later run knows what
// was left behind by one that was killed, and leaves alone what another machine is at on storage they share.
#include "formats/files/unfinished.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <fstream>
#include <mutex>
#include <sstream>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/machine/host.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view unfinished = ".vprism-part-";

std::string this_host() {
  std::string name = host_name();
  std::replace(name.begin(), name.end(), '/', '-');
  return name;
}

/// When a process began, in ticks since the machine did; "" where there is none of that number.
std::string start_of(pid_t process) {
  std::ifstream in(fmt::format("/proc/{}/stat", process));
  std::string line;
  std::getline(in, line);
  // Behind the name, which may hold anything, the start is the twentieth word.
  std::istringstream words(line.substr(std::min(line.size(), line.rfind(')') + 1)));
  std::string word;
  for (int i = 0; i < 20; ++i)
    if (!(words >> word)) return "";
  return word;
}

/// What another machine, or an earlier version, left behind this long ago is in nobody's use.
constexpr std::chrono::hours abandoned{7 * 24};

/// Whether the folder of this name behind the common beginning is in use: "PROCESS-NUMBER-START@HOST".
/// Another host's is as long as something in it has changed lately.
bool in_use(const std::string& name, const fs::path& folder) {
  const std::size_t at = name.find('@');
  if (at != std::string::npos && name.substr(at + 1) == this_host()) {
    const std::string process = name.substr(0, name.find('-'));
    const std::size_t start = name.rfind('-', at) + 1;
    if (process.empty() || process.size() > 9 || process.find_first_not_of("0123456789") != std::string::npos)
      return true;
    const std::string lives_since = start_of(static_cast<pid_t>(std::stol(process)));
    return !lives_since.empty() && lives_since == name.substr(start, at - start);
  }
  std::error_code code;
  const auto now = fs::file_time_type::clock::now();
  const auto old = [&](const fs::path& path) {
    const auto time = fs::last_write_time(path, code);
    return !code && now - time > abandoned;
  };
  if (!old(folder)) return true;
  for (auto entry = fs::recursive_directory_iterator(folder, code);
       !code && entry != fs::recursive_directory_iterator(); entry.increment(code))
    if (!old(entry->path())) return true;
  return static_cast<bool>(code);
}

struct Register {
  std::mutex lock;
  int made = 0;
  std::vector<fs::path> folders;
};

Register& own_folders() {
  // Never destroyed: what is removed at the very end asks for it.
  static Register& folders = *new Register;
  return folders;
}

}  // namespace

fs::path unfinished_folder(const fs::path& folder) {
  std::error_code code;
  std::vector<fs::path> left;
  for (auto at = fs::directory_iterator(folder, code); !code && at != fs::directory_iterator();
       at.increment(code)) {
    const std::string name = at->path().filename().string();
    if (name.rfind(unfinished, 0) == 0 && !in_use(name.substr(unfinished.size()), at->path()))
      left.push_back(at->path());
  }
  for (const fs::path& path : left) fs::remove_all(path, code);
  Register& all = own_folders();
  const std::lock_guard guard(all.lock);
  const fs::path own = folder / fmt::format("{}{}-{}-{}@{}", unfinished, ::getpid(), ++all.made,
                                            start_of(::getpid()), this_host());
  code.clear();
  fs::create_directories(own, code);
  if (code)
    throw Error(Status::output,
                folder.string() + ": can't be written to: " + code.message() + "; choose another with --out");
  // Whatever the umask is: others must not look in, and its owner must.
  fs::permissions(own, fs::perms::owner_all, code);
  all.folders.push_back(fs::absolute(own, code));
  return own;
}

void remove_unfinished(const fs::path& folder) {
  std::error_code code;
  fs::remove_all(folder, code);
  Register& all = own_folders();
  const std::lock_guard guard(all.lock);
  std::erase(all.folders, fs::absolute(folder, code));
}

std::string without_unfinished(std::string message) {
  for (std::size_t at = message.find(unfinished); at != std::string::npos;
       at = message.find(unfinished, at)) {
    const std::size_t end = message.find('/', at);
    if (end == std::string::npos) break;
    message.erase(at, end + 1 - at);
  }
  return message;
}

void remove_all_unfinished() {
  Register& all = own_folders();
  const std::lock_guard guard(all.lock);
  std::error_code code;
  // A second time for what was made while the first one ran.
  for (int i = 0; i < 2; ++i)
    for (const fs::path& folder : all.folders) fs::remove_all(folder, code);
}

}  // namespace vprism
