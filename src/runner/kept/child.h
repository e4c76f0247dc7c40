// child.h: this program run again as a child process, its streams going to files.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace vprism {

struct ChildRun {
  std::filesystem::path folder;  ///< Working folder.
  std::vector<std::string> arguments;
  std::filesystem::path out, err;  ///< Where its standard output and error go; "" for nowhere.
};

/// The child's exit status; 128 and its number where a signal ended it. Standard input is empty. No file but
/// the three streams is open in the child, whatever other threads do meanwhile. Throws Error(output) when it
/// can't be started.
int run_child(const ChildRun& run);

/// What another program said.
struct OtherRun {
  int status = 0;  ///< As of `run_child`; `not_found` where there is no such program.
  std::string out, err;
};
inline constexpr int not_found = 127;

/// Runs a program that PATH has, to its end, without input.
OtherRun run_other(const std::string& program, const std::vector<std::string>& arguments);

/// To be called at the program's start: where it was started by `run_child`, it ends with who started it, so
/// that nothing goes on writing when that one is killed.
void end_with_parent();

/// Path of this program.
std::string own_program();

}  // namespace vprism
