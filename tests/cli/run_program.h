// run_program.h: runs the built program in a temporary folder and keeps what it said.
#pragma once

#include <gtest/gtest.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "formats/scratch_folder.h"

namespace vprism {

/// The program that was built with the tests, or another that VPRISM_TESTED names: the sanitized one is
/// driven by the same tests.
inline std::string tested_program() {
  const char* const other = std::getenv("VPRISM_TESTED");
  return other != nullptr ? other : VPRISM_PROGRAM;
}

/// Whether it takes memory of its own beside the program's, as sanitizers do.
inline bool tested_program_is_sanitized() { return std::getenv("VPRISM_TESTED_IS_SANITIZED") != nullptr; }

struct ProgramRun {
  int status = -1;
  std::string out, err;
  nlohmann::json json() const { return nlohmann::json::parse(out); }
};

/// Plain values out of a document; comparing JSON itself is slow to compile.
inline std::string text_of(const nlohmann::json& value) { return value.get<std::string>(); }
inline double number_of(const nlohmann::json& value) { return value.get<double>(); }

/// A command of the shell's that puts what it prints into the folder's .out and .err.
inline ProgramRun run_printed(const ScratchFolder& folder, const std::string& command) {
  ProgramRun run;
  const int code = std::system(command.c_str());
  run.status = WIFEXITED(code) ? WEXITSTATUS(code) : 128;
  run.out = ScratchFolder::read(folder.path(".out"));
  run.err = ScratchFolder::read(folder.path(".err"));
  return run;
}

/// `arguments` as a shell would take them; the folder is the working folder.
inline ProgramRun run_program(const ScratchFolder& folder, const std::string& arguments) {
  return run_printed(
      folder, "cd '" + folder.path() + "' && '" + tested_program() + "' " + arguments + " > .out 2> .err");
}

/// A run with --json; its document.
inline nlohmann::json document_of(const ScratchFolder& folder, const std::string& arguments) {
  const ProgramRun run = run_program(folder, arguments + " --json --quiet");
  EXPECT_EQ(run.status, 0) << run.err;
  return run.status == 0 ? run.json() : nlohmann::json();
}

inline std::vector<std::string> codes_of(const nlohmann::json& document) {
  std::vector<std::string> out;
  for (const nlohmann::json& caution : document["cautions"]) out.push_back(text_of(caution["code"]));
  return out;
}

/// A run that must end with `status` and one line of error; that line.
inline std::string error_line(const ScratchFolder& folder, const std::string& arguments, int status) {
  const ProgramRun run = run_program(folder, arguments + " --quiet");
  EXPECT_EQ(run.status, status) << arguments;
  EXPECT_EQ(std::count(run.err.begin(), run.err.end(), '\n'), 1) << run.err;
  return run.err;
}

/// Greatest memory of one run, in megabytes; its output is thrown away.
inline double peak_memory_mb(const ScratchFolder& folder, const std::string& arguments) {
  const std::string command =
      "cd '" + folder.path() + "' && exec '" + tested_program() + "' " + arguments + " > /dev/null 2>&1";
  const pid_t child = ::fork();
  if (child == 0) {
    ::execl("/bin/sh", "sh", "-c", command.c_str(), static_cast<char*>(nullptr));
    ::_exit(127);
  }
  int status = 0;
  struct rusage usage {};
  ::wait4(child, &status, 0, &usage);
  return WIFEXITED(status) && WEXITSTATUS(status) == 0 ? static_cast<double>(usage.ru_maxrss) / 1024 : -1;
}

}  // namespace vprism
