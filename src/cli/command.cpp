// command.cpp: the table of commands, help, and the frame around a run.
#include "cli/command.h"

#include <oneapi/tbb/global_control.h>

#include <cstdio>
#include <new>
#include <optional>

#include "base/text.h"
#include "condition/chain.h"
#include "formats/format.h"
#include "transform/window.h"

namespace vprism {

const std::vector<CommandEntry>& command_table() {
  static const std::vector<CommandEntry> table = {
      {"demo", "", "write the demo case to a folder and survey it", "vprism demo --out tern-point",
       "writes the recordings, the truth about them, and the report on them", make_demo_task},
      {"survey", "FILE...", "first look in one go: inspect, time trace, spectrum, peaks in words, one report",
       "vprism survey tern-point/drive-scope.csv --calibrate 'phase U: probe 10'",
       "one HTML page with what is in both channels", make_survey_task},
      {"inspect", "FILE...", "what a file holds: channels, rate, length, level statistics, cautions",
       "vprism inspect tern-point/drive-scope.csv", "two channels, 20,000 samples at 1 MHz",
       make_inspect_task},
      {"convert", "FILE...", "read any format, calibrate, condition, write an open format",
       "vprism convert tern-point/mount-daq.wav --calibrate '*: sensitivity 100 mV/g' --to hdf5",
       "the same recording in g, with names and units, as HDF5", make_convert_task},
      {"condition", "FILE...",
       "what a chain of conditioning steps does: levels, lines and figures before and after",
       "vprism condition tern-point/drive-scope.csv --channel 'motor current' --chain 'detrend linear | "
       "despike | "
       "lowpass 2kHz zero-phase'",
       "the motor current without its spikes and switching ripple, beside the raw one", make_condition_task},
      {"spectrum", "FILE...", "averaged windowed one-sided spectrum of each channel and its strongest peaks",
       "vprism spectrum tern-point/mount-daq.wav --channel 'mirror cell' --resolution 0.5Hz --span "
       "10Hz..200Hz",
       "the tones that shake the mirror cell, with level and uncertainty", make_spectrum_task},
  };
  return table;
}

namespace {

std::string command_help(const CommandEntry& entry, const std::vector<OptionGroup>& groups) {
  std::string out = std::string("vprism ") + entry.name + ": " + entry.summary + "\n\nUsage: vprism " +
                    entry.name + (*entry.inputs != '\0' ? " " : "") + entry.inputs +
                    " [options]\n\nExample:\n  " + entry.example + "\n  (" + entry.example_says + ")\n";
  return out + options_help(groups);
}

std::string program_help() {
  std::string out =
      "vprism: from raw waveform exports to findings that others can check\n\nUsage: vprism COMMAND INPUT... "
      "[options]\n\nCommands:\n";
  for (const CommandEntry& entry : command_table())
    out += "  " + std::string(entry.name) + std::string(12 - std::string(entry.name).size(), ' ') +
           entry.summary + "\n";
  return out + "\nvprism COMMAND --help shows a command's options. Start with: vprism demo\n";
}

void print(const std::string& text) { std::fwrite(text.data(), 1, text.size(), stdout); }

Status dispatch(const std::vector<std::string>& arguments) {
  if (arguments.empty()) {
    print(program_help());
    return Status::usage;
  }
  const std::string& name = arguments.front();
  if (name == "--help" || name == "help") {
    print(program_help());
    return Status::done;
  }
  if (name == "--version") {
    print(std::string("vprism ") + version() + "\n");
    return Status::done;
  }
  if (name == "--reference") {
    print(command_reference());
    return Status::done;
  }
  std::vector<std::string> known;
  const CommandEntry* entry = nullptr;
  for (const CommandEntry& row : command_table()) {
    known.emplace_back(row.name);
    if (name == row.name) entry = &row;
  }
  if (entry == nullptr)
    throw Error(Status::usage, unknown_name(starts_with(name, "-") ? "option" : "command", name, known));
  const std::unique_ptr<Task> task = entry->make();
  const std::vector<OptionGroup> groups = task->options();
  const std::vector<std::string> rest(arguments.begin() + 1, arguments.end());
  for (const std::string& argument : rest) {
    if (argument != "--help") continue;
    print(command_help(*entry, groups));
    return Status::done;
  }
  const std::vector<std::string> inputs = parse_command_line(rest, groups);
  if (*entry->inputs != '\0' && inputs.empty())
    throw Error(Status::usage, name + ": no input; usage: vprism " + name + " " + entry->inputs);
  if (*entry->inputs == '\0' && !inputs.empty())
    throw Error(Status::usage, name + " takes no input, but \"" + clean_text(inputs.front()) + "\" is given");
  std::optional<oneapi::tbb::global_control> limit;
  if (task->threads() > 0)
    limit.emplace(oneapi::tbb::global_control::max_allowed_parallelism, task->threads());
  return task->run(inputs, settings_json(groups));
}

}  // namespace

int run_program(const std::vector<std::string>& arguments) {
  const auto fail = [](const std::string& line, Status status) {
    std::fflush(stdout);
    std::fprintf(stderr, "vprism: %s\n", clean_text(line, 2000).c_str());
    return static_cast<int>(status);
  };
  try {
    return static_cast<int>(dispatch(arguments));
  } catch (const Error& error) {
    return fail(error.what(), error.status());
  } catch (const std::bad_alloc&) {
    return fail("not enough memory for this analysis; ask for less resolution or fewer channels",
                Status::analysis);
  } catch (const std::exception& error) {
    return fail(std::string("internal error: ") + error.what(), Status::analysis);
  }
}

std::string command_reference() {
  std::string out =
      "# Commands\n\nMade from the program's own tables by `vprism --reference`; a test holds this page to "
      "them.\n";
  for (const CommandEntry& entry : command_table()) {
    const std::unique_ptr<Task> task = entry.make();
    out += "\n## vprism " + std::string(entry.name) + "\n\n```\n" + command_help(entry, task->options()) +
           "```\n";
  }
  out +=
      "\n## Windows\n\n| window | ENBW (bins) | scalloping (dB) | highest side lobe (dB) | coherent gain | "
      "for |\n|---|---|---|---|---|---|\n";
  for (const WindowEntry& entry : window_table()) {
    const Window window{entry.kind, entry.parameter};
    const WindowFigures f = window_figures(window);
    char row[200];
    std::snprintf(row, sizeof row, "| %s | %.3f | %.2f | %.1f | %.4f | %s |\n", window.name().c_str(),
                  f.enbw_bins, f.scalloping_db, f.sidelobe_db, f.coherent_gain, entry.what);
    out += row;
  }
  out += "\n## Steps of the chain\n\n| step | values | what it does |\n|---|---|---|\n";
  for (const StageEntry& entry : stage_table()) {
    std::string values = entry.values;
    for (std::size_t at = 0; (at = values.find('|', at)) != std::string::npos; at += 2)
      values.replace(at, 1, "\\|");
    out += "| `" + std::string(entry.name) + "` | " + values + " | " + entry.what + " |\n";
  }
  out += "\n## Formats\n\n| format | what is read |\n|---|---|\n";
  for (const Format& format : format_table())
    out += "| " + std::string(format.name) + " | " + format.what + " |\n";
  return out + "| flat binary | plain numbers, with `--binary` |\n";
}

}  // namespace vprism
