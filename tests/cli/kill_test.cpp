// kill_test.cpp: every command that writes, ended from outside at moments spread over its run. What has its
// final name is whole, byte for byte what an undisturbed run writes; a run that was asked to end leaves
// nothing else.
#include <gmock/gmock.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cmath>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <map>
#include <random>
#include <sstream>
#include <thread>

#include "cli/run_program.h"

namespace vprism::kill_test {
namespace {

namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;
using Files = std::map<std::string, std::string>;

Files files_in(const std::string& folder) {
  Files out;
  if (!fs::exists(folder)) return out;
  for (const auto& entry : fs::recursive_directory_iterator(folder))
    if (entry.is_regular_file())
      out[entry.path().lexically_relative(folder)] = ScratchFolder::read(entry.path());
  return out;
}

pid_t started(const ScratchFolder& folder, const std::string& arguments) {
  const std::string command = "cd '" + folder.path() + "' && exec '" + tested_program() + "' " + arguments +
                              " --quiet --out out > said 2> err < /dev/null";
  const pid_t child = ::fork();
  if (child == 0) {
    ::execl("/bin/sh", "sh", "-c", command.c_str(), static_cast<char*>(nullptr));
    ::_exit(127);
  }
  return child;
}

class Kill : public testing::TestWithParam<const char*> {
 protected:
  Kill() {
    std::string bytes;
    std::minstd_rand random(7);
    for (int n = 0; n < 20000; ++n)
      for (const double hz : {50.0, 333.0}) {
        const double x = std::sin(6.283185 * hz * n / 4000) + 1e-11 * static_cast<double>(random());
        bytes.append(reinterpret_cast<const char*>(&x), sizeof x);
      }
    folder_.write("a.f64", bytes);
    folder_.write("l.csv", "frequency (Hz),bound (1)\n5,2\n1500,2\n");
    folder_.write("c.toml", R"(title = "a case"
[recordings.a]
file = "a.f64"
binary = "f64le:2ch"
rate = "4 kHz"
[[steps]]
name = "levels"
command = "spectrum"
recording = "a"
[[steps]]
name = "who"
command = "identify"
recording = "a"
)");
  }
  const ScratchFolder folder_;
};

/// VPRISM_EVERY_VALUE=1 tries more moments.
TEST_P(Kill, LeavesWholeFilesOrNone) {
  const std::string arguments = GetParam();
  const auto begin = Clock::now();
  int status = 0;
  ::waitpid(started(folder_, arguments), &status, 0);
  ASSERT_TRUE(WIFEXITED(status) && WEXITSTATUS(status) <= 1)
      << arguments << ScratchFolder::read(folder_.path("err"));
  const double whole_s = std::chrono::duration<double>(Clock::now() - begin).count();
  const Files whole = files_in(folder_.path("out"));
  ASSERT_FALSE(whole.empty()) << arguments;
  const bool every = std::getenv("VPRISM_EVERY_VALUE") != nullptr;
  for (const int signal : {SIGKILL, SIGTERM})
    for (const double part : every               ? std::vector<double>{0.1, 0.3, 0.5, 0.7, 0.8, 0.9, 0.95}
                             : signal == SIGKILL ? std::vector<double>{0.9}
                                                 : std::vector<double>{0.5}) {
      fs::remove_all(folder_.path("out"));
      const pid_t child = started(folder_, arguments);
      std::this_thread::sleep_for(std::chrono::duration<double>(part * whole_s));
      ::kill(child, signal);
      ::waitpid(child, &status, 0);
      for (const auto& [name, bytes] : files_in(folder_.path("out"))) {
        const auto known = whole.find(name);
        if (name == "steps/digests.json") {
          // Grows while the case runs.
          EXPECT_TRUE(nlohmann::json::accept(bytes)) << arguments;
        } else if (known != whole.end()) {
          EXPECT_EQ(known->second == bytes, true) << arguments << ": " << name << " is not whole";
        } else {
          EXPECT_NE(signal, SIGTERM) << arguments << " left " << name;
        }
      }
      // What a killed run left does not stand in the way of the next.
      if (signal == SIGKILL && part == 0.9) {
        ::waitpid(started(folder_, arguments), &status, 0);
        EXPECT_TRUE(WIFEXITED(status) && WEXITSTATUS(status) <= 1) << arguments;
        for (const auto& [name, bytes] : whole)
          EXPECT_TRUE(name == "steps/digests.json" ||
                      ScratchFolder::read(folder_.path("out/" + name)) == bytes)
              << arguments << name;
      }
    }
}

#define A " a.f64 --binary f64le:2ch --rate 4kHz --figure none"
#define F " a.f64 --binary f64le:2ch --rate 4kHz --figure svg"
/// Processes of a session, by the kernel's table.
std::size_t processes_of(pid_t session) {
  std::size_t out = 0;
  for (const auto& entry : fs::directory_iterator("/proc")) {
    std::ifstream stat(entry.path() / "stat");
    std::string line;
    if (!std::getline(stat, line)) continue;
    // PID (NAME) STATE PARENT GROUP SESSION ...
    std::istringstream fields(line.substr(line.rfind(')') + 1));
    char state = 0;
    pid_t parent = 0, group = 0, of = 0;
    if (fields >> state >> parent >> group >> of && of == session && state != 'Z') ++out;
  }
  return out;
}

TEST(KillProbe, AChildThatTriesAnEndlessFileEndsWithItsParent) {
  const pid_t child = ::fork();
  if (child == 0) {
    ::setsid();
    ::close(1), ::close(2);
    ::execl(tested_program().c_str(), tested_program().c_str(), "inspect",
            VPRISM_SOURCE "/tests/data/hostile/endless.h5", "--json", static_cast<char*>(nullptr));
    ::_exit(127);
  }
  // Until the file is being tried.
  for (int wait = 0; wait < 300 && processes_of(child) < 2; ++wait) ::usleep(10000);
  EXPECT_EQ(processes_of(child), 2u);
  ::kill(child, SIGKILL);
  ::waitpid(child, nullptr, 0);
  for (int wait = 0; wait < 300 && processes_of(child) > 0; ++wait) ::usleep(10000);
  EXPECT_EQ(processes_of(child), 0u);
}

INSTANTIATE_TEST_SUITE_P(Commands, Kill,
                         testing::Values("survey" F, "inspect" A, "convert" A " --to npy",
                                         "convert" A " --to hdf5", "convert" A " --to csv",
                                         "condition" A " --chain 'lowpass 1kHz'",
                                         "generate 'u: white 1' --rate 1MHz --duration 1s --to wav",
                                         "spectrum" F, "spectrogram" A " --map hdf5", "scalogram" A,
                                         "response" A " --reference 1", "identify" A, "distortion" A,
                                         "modulation" A, "cycles" A " --frequency 50Hz", "rebuild" A,
                                         "occupancy" A, "compare" A, "limits" A " --limit l.csv",
                                         "case c.toml", "batch spectrum" A),
                         [](const auto& name) {
                           std::string out;
                           for (const char c : std::string(name.param).substr(0, 12))
                             if (std::isalnum(static_cast<unsigned char>(c))) out += c;
                           return out + std::to_string(name.index);
                         });
#undef A
#undef F

}  // namespace
}  // namespace vprism::kill_test
