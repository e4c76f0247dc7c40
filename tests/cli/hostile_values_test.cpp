// hostile_values_test.cpp: every option of every command with values that no one should give. Whatever comes,
// a command ends in time with a status of its own and, where it refuses, one line. As a rule each option gets
// one of the values, another for each option; VPRISM_EVERY_VALUE=1 tries all of them (about ten minutes).
#include <gmock/gmock.h>

#include <chrono>
#include <cmath>
#include <cstring>
#include <map>
#include <set>
#include <sstream>

#include "cli/run_program.h"

namespace vprism::hostile_values_test {
namespace {

const std::vector<std::string>& hostile_values() {
  static const std::vector<std::string> values = {"",
                                                  "0",
                                                  "-1",
                                                  "1",
                                                  "2",
                                                  "3",
                                                  "1e9",
                                                  "1e308",
                                                  "-1e308",
                                                  "1e-308",
                                                  "5e-324",
                                                  "nan",
                                                  "inf",
                                                  "-inf",
                                                  "1e400",
                                                  "0x10",
                                                  std::string(30, '9'),
                                                  "1,2",
                                                  "1;2",
                                                  "..",
                                                  "1..",
                                                  "..1",
                                                  "5..1",
                                                  "1Hz",
                                                  "0Hz",
                                                  "-5Hz",
                                                  "1e300Hz",
                                                  "1e-300Hz",
                                                  "nanHz",
                                                  "1s",
                                                  "0s",
                                                  "-1s",
                                                  "1e17s",
                                                  "1e-30s",
                                                  "1%",
                                                  "0%",
                                                  "100%",
                                                  "1e9%",
                                                  "1Hz..2Hz",
                                                  "0Hz..0Hz",
                                                  "1e-30Hz..1e30Hz",
                                                  "1s..0.5s",
                                                  "0s..1e-12s",
                                                  "*",
                                                  "a b",
                                                  "../../x",
                                                  "/dev/null",
                                                  "/etc/passwd",
                                                  "%s%n",
                                                  "\x1B[31m",
                                                  "\xC3\xA9\xE2\x88\x9E",
                                                  "$(touch z)",
                                                  "\"x",
                                                  std::string(5000, 'x'),
                                                  "1 | 2",
                                                  "1: 2",
                                                  "lowpass 1e-9Hz",
                                                  "2:"};
  return values;
}

struct Tried {
  std::string command, option;
  bool valued = false;
};

/// From the program's own tables. Options that several commands share are tried with the first that has them.
std::vector<Tried> all_options(const ScratchFolder& folder) {
  const std::set<std::string> shared = {"Input", "Output", "Analysis", "Field"};
  std::vector<Tried> out;
  std::set<std::string> known;
  std::istringstream page(run_program(folder, "--reference").out);
  std::string line, command, group;
  while (std::getline(page, line)) {
    if (line.rfind("## vprism ", 0) == 0) command = line.substr(10);
    if (!line.empty() && line[0] != ' ' && line.back() == ':') group = line.substr(0, line.size() - 1);
    if (line.rfind("  --", 0) != 0 || command == "demo" || command == "case") continue;
    const std::string option = line.substr(4, line.find_first_of(" \n", 4) - 4);
    const std::size_t after = 4 + option.size();
    if (!known.insert((shared.contains(group) ? group : command) + option).second) continue;
    out.push_back({command, option, after + 1 < line.size() && line[after + 1] != ' '});
  }
  return out;
}

std::string with_inputs(const std::string& command, const std::string& option) {
  static const std::map<std::string, std::vector<std::pair<std::string, std::string>>> needs = {
      {"limits", {{"limit", "l.csv"}}},    {"response", {{"reference", "1"}}},
      {"convert", {{"to", "npy"}}},        {"condition", {{"chain", "detrend"}}},
      {"cycles", {{"frequency", "50Hz"}}}, {"orders", {{"tachometer", "1"}}},
      {"watch", {{"idle-end", "50ms"}}},   {"generate", {{"duration", "1s"}}}};
  std::string out = command;
  out += command == "generate" ? " 'sine 50Hz 1'" : command == "batch" ? " inspect a.f64" : " a.f64";
  if (command != "generate" && option != "binary") out += " --binary f64le:2ch";
  if (option != "rate") out += " --rate 4kHz";
  if (const auto found = needs.find(command); found != needs.end())
    for (const auto& [name, value] : found->second)
      if (name != option) out += " --" + name + " " + value;
  if (option != "out") out += " --out out";
  if (option != "quiet") out += " --quiet";
  if (option != "figure") out += " --figure none";
  return out;
}

std::string quoted(const std::string& value) {
  std::string out = "'";
  for (const char c : value) out += c == '\'' ? "'\\''" : std::string(1, c);
  return out + "'";
}

void expect_an_end(const ScratchFolder& folder, const Tried& tried, const std::string& value) {
  const std::string line = with_inputs(tried.command, tried.option) + " " +
                           quoted("--" + tried.option + (tried.valued ? "=" + value : ""));
  const auto start = std::chrono::steady_clock::now();
  const ProgramRun run = run_program(folder, line + " < /dev/null");
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  const std::string shown = line.substr(0, 200);
  EXPECT_TRUE(run.status >= 0 && run.status <= 5) << shown << ": " << run.status << " " << run.err;
  EXPECT_LT(seconds, 60) << shown;
  EXPECT_EQ(run.err.find("internal error"), std::string::npos) << shown;
  EXPECT_EQ(run.err.find('\x1B'), std::string::npos) << shown;
  // Status 1 is a verdict or a partial result, which is more than a line.
  EXPECT_TRUE(run.status < 2 || std::count(run.err.begin(), run.err.end(), '\n') == 1) << shown << run.err;
  // A folder may be called "inf".
  if (tried.option == "out" || run.status != 0) return;
  for (const char* word : {" inf", "-inf", " nan", "-nan"})
    EXPECT_EQ(run.out.find(word), std::string::npos) << shown << run.out;
}

TEST(HostileValues, EveryOptionOfEveryCommandEnds) {
  const ScratchFolder folder;
  std::string bytes;
  for (int n = 0; n < 4000; ++n)
    for (const double x :
         {std::sin(0.0785398 * n) + 0.01 * std::sin(n * n % 1013),
          std::sin(0.0785398 * n + 1) + 0.3 * std::sin(0.5231 * n) + 0.1 * std::sin(n * n % 719)})
      bytes.append(reinterpret_cast<const char*>(&x), sizeof x);
  folder.write("a.f64", bytes);
  folder.write("l.csv", "frequency (Hz),bound (1)\n5,2\n1500,2\n");
  const std::vector<Tried> options = all_options(folder);
  ASSERT_GT(options.size(), 150u);
  const std::vector<std::string>& values = hostile_values();
  ASSERT_GE(values.size(), 50u);
  const bool all = std::getenv("VPRISM_EVERY_VALUE") != nullptr;
  std::size_t at = 0;
  for (const Tried& tried : options) {
    const std::size_t count = tried.valued && all ? values.size() : 1;
    for (std::size_t i = 0; i < count; ++i) {
      const std::string& value = values[at++ % values.size()];
      // What a user names as a folder is written to.
      if (tried.option == "out" && (value.find('/') != std::string::npos || value.find("..") == 0)) continue;
      expect_an_end(folder, tried, value);
    }
    // Another start for each option.
    at += 7;
  }
  // None named a way out of the folder.
  EXPECT_NE(std::system(("test -e '" + folder.path("z") + "'").c_str()), 0);
}

}  // namespace
}  // namespace vprism::hostile_values_test
