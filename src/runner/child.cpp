// child.cpp: see child.h.
#include "runner/child.h"

#include <fcntl.h>
#include <signal.h>
#include <spawn.h>
#include <sys/prctl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
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

constexpr const char* parent_variable = "VPRISM_STARTED_BY";

void end_with_parent() {
  const char* const parent = std::getenv(parent_variable);
  if (parent == nullptr) return;
  ::prctl(PR_SET_PDEATHSIG, SIGKILL);
  // It may have gone before that was said.
  if (std::to_string(::getppid()) != parent) ::_exit(static_cast<int>(Status::output));
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
  std::string parent = std::string(parent_variable) + "=" + std::to_string(::getpid());
  std::vector<char*> environment;
  for (char** variable = environ; *variable != nullptr; ++variable)
    if (std::strncmp(*variable, parent.c_str(), parent.find('=') + 1) != 0) environment.push_back(*variable);
  environment.push_back(parent.data());
  environment.push_back(nullptr);
  pid_t child = 0;
  must(::posix_spawn(&child, own_program().c_str(), actions.get(), nullptr, list.data(), environment.data()));
  int status = 0;
  while (::waitpid(child, &status, 0) < 0)
    if (errno != EINTR) must(errno);
  return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

}  // namespace vprism
