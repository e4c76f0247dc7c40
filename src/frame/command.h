// command.h: the table of commands. Adding one is a file and a row.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "base/error.h"
#include "frame/options.h"

namespace vprism {

/// One command being run: settings, bound to options, and what is done with them.
class Task {
 public:
  virtual ~Task() = default;
  /// Bound to this task's settings; asked for once.
  virtual std::vector<OptionGroup> options() = 0;
  /// The same where they depend on what is asked for.
  virtual std::vector<OptionGroup> options_for(const std::vector<std::string>& /*arguments*/) {
    return options();
  }
  /// Whether something must be named, asked once options are set.
  virtual bool needs_inputs() const { return true; }
  /// Threads asked for; 0: all.
  virtual std::size_t threads() const { return 0; }
  virtual Status run(const std::vector<std::string>& inputs, const Json& settings) = 0;
};

struct CommandEntry {
  const char* name;
  const char* inputs;  ///< "FILE..."; "" when the command takes none.
  const char* summary;
  const char* example;  ///< On the demo data.
  const char* example_says;
  std::unique_ptr<Task> (*make)();
};
const std::vector<CommandEntry>& command_table();
/// The row of that name; null where there is none.
const CommandEntry* command_named(const std::string& name);

std::unique_ptr<Task> make_demo_task();
std::unique_ptr<Task> make_batch_task();
std::unique_ptr<Task> make_case_task();
std::unique_ptr<Task> make_compare_task();
std::unique_ptr<Task> make_condition_task();
std::unique_ptr<Task> make_levels_task();
std::unique_ptr<Task> make_peaks_task();
std::unique_ptr<Task> make_cycles_task();
std::unique_ptr<Task> make_convert_task();
std::unique_ptr<Task> make_distortion_task();
std::unique_ptr<Task> make_field_task();
std::unique_ptr<Task> make_generate_task();
std::unique_ptr<Task> make_identify_task();
std::unique_ptr<Task> make_inspect_task();
std::unique_ptr<Task> make_limits_task();
std::unique_ptr<Task> make_modulation_task();
std::unique_ptr<Task> make_occupancy_task();
std::unique_ptr<Task> make_orders_task();
std::unique_ptr<Task> make_rebuild_task();
std::unique_ptr<Task> make_report_task();
std::unique_ptr<Task> make_response_task();
std::unique_ptr<Task> make_scalogram_task();
std::unique_ptr<Task> make_spectrogram_task();
std::unique_ptr<Task> make_spectrum_task();
std::unique_ptr<Task> make_survey_task();
std::unique_ptr<Task> make_watch_task();

/// The whole program but for `main`: parses, runs, prints errors; the exit status.
int run_program(const std::vector<std::string>& arguments);

/// docs/commands.md, made from the tables of commands, options, windows, stages and formats.
std::string command_reference();

}  // namespace vprism
