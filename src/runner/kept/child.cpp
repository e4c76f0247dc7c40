// child.cpp: see child.h.
#include "runner/kept/child.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <spawn.h>
#include <sys/mman.h>
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

namespace {

/// A program by its path or, without a slash, as PATH has it; its exit status as of `run_child`.
int run_to_end(const std::string& program, std::vector<std::string> words, const FileActions& actions,
               std::vector<std::string> variables) {
  std::vector<char*> list, environment;
  for (std::string& word : words) list.push_back(word.data());
  list.push_back(nullptr);
  const std::size_t name = std::strlen(parent_variable);
  for (char** variable = environ; *variable != nullptr; ++variable)
    if (std::strncmp(*variable, parent_variable, name) != 0 || (*variable)[name] != '=')
      environment.push_back(*variable);
  for (std::string& variable : variables) environment.push_back(variable.data());
  environment.push_back(nullptr);
  pid_t child = 0;
  const int code =
      ::posix_spawnp(&child, program.c_str(), actions.get(), nullptr, list.data(), environment.data());
  if (code == ENOENT && program.find('/') == std::string::npos) return not_found;
  must(code);
  int status = 0;
  while (::waitpid(child, &status, 0) < 0)
    if (errno != EINTR) must(errno);
  return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

/// A file without a name that a child writes and this process reads.
class Heard {
 public:
  Heard() : descriptor_(::memfd_create("heard", MFD_CLOEXEC)) {
    if (descriptor_ < 0) must(errno);
  }
  ~Heard() { ::close(descriptor_); }
  Heard(const Heard&) = delete;
  Heard& operator=(const Heard&) = delete;
  std::string path() const {
    return "/proc/" + std::to_string(::getpid()) + "/fd/" + std::to_string(descriptor_);
  }
  std::string text() const {
    std::string out;
    char part[4096];
    for (::ssize_t n = 0;
         (n = ::pread(descriptor_, part, sizeof part, static_cast<::off_t>(out.size()))) > 0;)
      out.append(part, static_cast<std::size_t>(n));
    return out;
  }

 private:
  int descriptor_;
};

}  // namespace

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
  return run_to_end(own_program(), std::move(words), actions,
                    {fmt::format("{}={}", parent_variable, ::getpid())});
}

OtherRun run_other(const std::string& program, const std::vector<std::string>& arguments) {
  const Heard out, err;
  FileActions actions;
  actions.open(0, "/dev/null", O_RDONLY);
  actions.open(1, out.path(), O_WRONLY);
  actions.open(2, err.path(), O_WRONLY);
  actions.close_rest();
  std::vector<std::string> words = {program};
  words.insert(words.end(), arguments.begin(), arguments.end());
  OtherRun run;
  run.status = run_to_end(program, std::move(words), actions, {});
  run.out = out.text(), run.err = err.text();
  return run;
}

}  // namespace vprism
