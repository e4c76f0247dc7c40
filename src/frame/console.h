// console.h: what goes to the terminal besides the result: progress, cautions, where files went.
#pragma once

#include <chrono>
#include <string>

#include "base/error.h"
#include "condition/road.h"
#include "frame/option_groups.h"
#include "frame/outputs.h"

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
  /// A line that is shown even with --quiet: something asked for is missing.
  void warn(const std::string& line);
  void clear();

 private:
  void show(const std::string& label, std::int64_t done, std::int64_t all);
  bool quiet_, bars_, shown_ = false;
  std::chrono::steady_clock::time_point start_, last_;
};

/// Prints cautions and the result (the table or, with --json, the document) and writes the outputs, where
/// `outputs` is not null: `add_files` adds the numbers and hands over figures. The table comes first and
/// figures last, so that neither a file nor a figure that fails takes the result away. Gives `status`, or
/// Status::output where a figure could not be drawn.
Status deliver(Delivery& delivery, const OutputSettings& settings, Console& console, Outputs* outputs,
               const std::function<void(Outputs&)>& add_files, const std::string& document_name,
               Status status = Status::done);

}  // namespace vprism
