// timed_run.h: the built program as a child process, with its time and its greatest memory.
#pragma once

#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <string>
#include <vector>

namespace vprism {

struct TimedRun {
  int status = -1;
  double seconds = 0, megabytes = 0;
};

/// `command`: as a shell takes it; its output is thrown away. Ended after `limit_s`, the status is then 128
/// or more.
inline TimedRun timed_run(const std::string& command, unsigned limit_s = 600) {
  TimedRun run;
  const auto start = std::chrono::steady_clock::now();
  const pid_t child = ::fork();
  if (child == 0) {
    ::alarm(limit_s);
    ::execl("/bin/sh", "sh", "-c", ("exec " + command + " >/dev/null 2>&1").c_str(),
            static_cast<char*>(nullptr));
    ::_exit(127);
  }
  int status = 0;
  struct rusage usage {};
  ::wait4(child, &status, 0, &usage);
  run.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  run.megabytes = static_cast<double>(usage.ru_maxrss) / 1024;
  run.status = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  return run;
}

/// Flat f32: a tone of its own for each channel in noise, frame by frame.
inline void write_channels(const std::string& path, std::size_t channels, std::size_t samples) {
  std::ofstream out(path, std::ios::binary);
  std::vector<float> frame(channels);
  std::vector<double> sine(channels, 0), cosine(channels, 1), turn_s(channels), turn_c(channels);
  for (std::size_t c = 0; c < channels; ++c) {
    const double turn = 0.3 + 0.00137 * static_cast<double>(c % 97);
    turn_s[c] = __builtin_sin(turn), turn_c[c] = __builtin_cos(turn);
  }
  std::uint64_t state = 1;
  for (std::size_t n = 0; n < samples; ++n) {
    for (std::size_t c = 0; c < channels; ++c) {
      state = state * 6364136223846793005u + 1442695040888963407u;
      const double s = sine[c] * turn_c[c] + cosine[c] * turn_s[c];
      cosine[c] = cosine[c] * turn_c[c] - sine[c] * turn_s[c];
      sine[c] = s;
      frame[c] = static_cast<float>(s + static_cast<double>(state >> 33) / 4294967296.0 - 0.25);
    }
    out.write(reinterpret_cast<const char*>(frame.data()), static_cast<std::streamsize>(4 * channels));
  }
}

/// A folder for the bench's files, removed at the end.
struct BenchFolder {
  std::string path;
  BenchFolder() {
    std::string name = "/tmp/vprism-bench-XXXXXX";
    path = ::mkdtemp(name.data());
  }
  ~BenchFolder() { (void)!std::system(("rm -rf '" + path + "'").c_str()); }
};

}  // namespace vprism
