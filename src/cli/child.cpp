// child.cpp: see child.h.
#include "cli/child.h"

#include <fcntl.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "base/error.h"

extern char** environ;

namespace vprism {

namespace {

void must(int code) {
  if (code != 0)
    throw Error(Status::output, std::string("a further process can't be started: ") + std::strerror(code));
}

class FileActions {
 public:
  FileActions() { must(::posix_spawn_file_actions_init(&actions_)); }
  ~FileActions() { ::posix_spawn_file_actions_destroy(&actions_); }
  FileActions(const FileActions&) = delete;
  FileActions& operator=(const FileActions&) = delete;
  void open(int descriptor, const std::string& path, int flags) {
    must(::posix_spawn_file_actions_addopen(&actions_, descriptor, path.c_str(), flags, 0666));
  }
  void enter(const std::string& folder) {
    must(::posix_spawn_file_actions_addchdir_np(&actions_, folder.c_str()));
  }
  void close_rest() { must(::posix_spawn_file_actions_addclosefrom_np(&actions_, 3)); }
  const posix_spawn_file_actions_t* get() const { return &actions_; }

 private:
  posix_spawn_file_actions_t actions_;
};

}  // namespace

std::string own_program() {
  std::error_code code;
  return std::filesystem::read_symlink("/proc/self/exe", code).string();
}

int run_child(const ChildRun& run) {
  const auto sink = [](const std::filesystem::path& path) {
    return path.empty() ? std::string("/dev/null") : std::filesystem::absolute(path).string();
  };
  FileActions actions;
  actions.open(0, "/dev/null", O_RDONLY);
  actions.open(1, sink(run.out), O_WRONLY | O_CREAT | O_TRUNC);
  actions.open(2, sink(run.err), O_WRONLY | O_CREAT | O_TRUNC);
  if (!run.folder.empty()) actions.enter(run.folder.string());
  actions.close_rest();
  std::vector<std::string> words = {"vprism"};
  words.insert(words.end(), run.arguments.begin(), run.arguments.end());
  std::vector<char*> list;
  for (std::string& word : words) list.push_back(word.data());
  list.push_back(nullptr);
  pid_t child = 0;
  must(::posix_spawn(&child, own_program().c_str(), actions.get(), nullptr, list.data(), environ));
  int status = 0;
  while (::waitpid(child, &status, 0) < 0)
    if (errno != EINTR) must(errno);
  return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

}  // namespace vprism
