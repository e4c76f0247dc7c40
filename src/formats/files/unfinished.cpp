// unfinished.cpp: the folder's name holds the process's number, so that a later run knows what was left
// behind by one that was killed.
#include "formats/files/unfinished.h"

#include <fmt/format.h>
#include <signal.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <mutex>
#include <string>
#include <vector>

#include "base/error.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view unfinished = ".vprism-part-";

/// Whether the process lives whose number stands before the hyphen; what is no number counts as alive.
bool lives(std::string number) {
  number = number.substr(0, number.find('-'));
  if (number.empty() || number.size() > 9 || number.find_first_not_of("0123456789") != std::string::npos)
    return true;
  return ::kill(static_cast<pid_t>(std::stol(number)), 0) == 0 || errno != ESRCH;
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
    if (name.rfind(unfinished, 0) == 0 && !lives(name.substr(unfinished.size()))) left.push_back(at->path());
  }
  for (const fs::path& path : left) fs::remove_all(path, code);
  Register& all = own_folders();
  const std::lock_guard guard(all.lock);
  const fs::path own = folder / fmt::format("{}{}-{}", unfinished, ::getpid(), ++all.made);
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
