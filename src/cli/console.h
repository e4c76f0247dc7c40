// console.h: what goes to the terminal besides the result: progress, cautions, where files went.
#pragma once

#include <chrono>
#include <string>

#include "cli/option_groups.h"
#include "condition/road.h"

namespace vprism {

/// "warning: channel "x": what was found; what to do [code]"
std::string caution_line(const Caution& caution);

class Console {
 public:
  explicit Console(const OutputSettings& settings);
  ~Console() { clear(); }
  Console(const Console&) = delete;
  Console& operator=(const Console&) = delete;
  /// A bar under this label; it appears once a pass has lasted over a second.
  Progress progress(const std::string& label);
  void caution(const Caution& caution);
  void clear();

 private:
  void show(const std::string& label, std::int64_t done, std::int64_t all);
  bool quiet_, bars_, shown_ = false;
  std::chrono::steady_clock::time_point start_, last_;
};

/// Prints cautions, writes the outputs and prints the result: the table or, with --json, the document.
/// `add_files` is called when files are wanted, with the folder to add them to.
void deliver(Telling& telling, const OutputSettings& settings, Console& console,
             const std::function<void(OutputFolder&)>& add_files, const std::string& document_name);

}  // namespace vprism
