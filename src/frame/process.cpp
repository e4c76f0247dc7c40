// process.cpp: see process.h. Interrupts are handed to a thread by a pipe: a handler itself may do next to
// nothing, and folders are to be removed.
#include "frame/process.h"

#include <fcntl.h>
#include <signal.h>
#include <unistd.h>

#include <atomic>
#include <boost/filesystem/path.hpp>
#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <locale>
#include <stdexcept>
#include <thread>

#include "formats/files/unfinished.h"

namespace vprism {

namespace {

std::atomic<bool> reader_gone = false;
int interrupt_pipe[2] = {-1, -1};

void pass_interrupt_on(int number) {
  const int kept = errno;
  const char byte = static_cast<char>(number);
  (void)!::write(interrupt_pipe[1], &byte, 1);
  errno = kept;
}

constexpr int interrupts[] = {SIGINT, SIGTERM, SIGHUP};

void handle_interrupts() {
  struct sigaction action {};
  action.sa_handler = pass_interrupt_on;
  action.sa_flags = SA_RESTART;
  for (const int number : interrupts) {
    struct sigaction before {};
    // Who started the program with an interrupt ignored (nohup) wants it to go on.
    if (::sigaction(number, nullptr, &before) == 0 && before.sa_handler == SIG_IGN) continue;
    ::sigaction(number, &action, nullptr);
  }
}

void wait_for_interrupts() {
  char byte = 0;
  while (::read(interrupt_pipe[0], &byte, 1) != 1)
    if (errno != EINTR) return;
  remove_all_unfinished();
  ::signal(byte, SIG_DFL);
  ::kill(::getpid(), byte);
}

}  // namespace

void settle_process() {
  for (int descriptor = 0; descriptor < 3; ++descriptor)
    if (::fcntl(descriptor, F_GETFD) < 0) (void)::open("/dev/null", descriptor == 0 ? O_RDONLY : O_WRONLY);
  ::signal(SIGPIPE, SIG_IGN);
  ::signal(SIGXFSZ, SIG_IGN);
  // Paths are bytes; the locale that the environment names may not be there, and the library asks for it even
  // to be told of another one.
  try {
    std::locale("");
  } catch (const std::runtime_error&) {
    ::setenv("LC_ALL", "C", 1);
  }
  boost::filesystem::path::imbue(std::locale::classic());
  if (::pipe2(interrupt_pipe, O_CLOEXEC) != 0) return;
  try {
    std::thread(wait_for_interrupts).detach();
  } catch (const std::system_error&) {
    return;  // Without a thread to spare an interrupt ends the program at once; the next run clears up.
  }
  handle_interrupts();
}

int silence_process() {
  const int kept = ::fcntl(STDERR_FILENO, F_DUPFD_CLOEXEC, 3),
            nowhere = ::open("/dev/null", O_WRONLY | O_CLOEXEC);
  ::dup2(nowhere, STDOUT_FILENO);
  ::dup2(nowhere, STDERR_FILENO);
  return kept;
}

void say(const std::string& text) {
  if (reader_gone) return;
  const bool all = std::fwrite(text.data(), 1, text.size(), stdout) == text.size();
  if (std::fflush(stdout) == 0 && all && std::ferror(stdout) == 0) return;
  const int why = errno;
  if (why == EPIPE) {
    reader_gone = true;
    std::clearerr(stdout);
    return;
  }
  throw Error(Status::output, std::string("standard output can't be written: ") + std::strerror(why));
}

int exit_status(Status status) {
  return status == Status::done && reader_gone ? 128 + SIGPIPE : static_cast<int>(status);
}

}  // namespace vprism
