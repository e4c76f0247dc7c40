// command.cpp: the table of commands, help, and the frame around a run.
#include "cli/command.h"

#include <oneapi/tbb/global_control.h>

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <new>
#include <optional>
#include <stdexcept>
#include <thread>

#include "base/cores.h"
#include "base/text.h"
#include "cli/case_file.h"
#include "cli/child.h"
#include "cli/help.h"
#include "cli/manual.h"
#include "cli/process.h"
#include "cli/settings_file.h"
#include "formats/unfinished.h"

namespace vprism {

const std::vector<CommandEntry>& command_table() {
  static const std::vector<CommandEntry> table = {
      {"demo", "", "write the demo case to a folder and run it", "vprism demo --out tern-point",
       "writes the recordings, the truth about them, and the report that names the culprit", make_demo_task},
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
       "vprism condition tern-point/drive-scope.csv --channel 'motor current' --chain 'despike | "
       "lowpass 2kHz zero-phase'",
       "the motor current without its spikes and switching ripple, beside the raw one", make_condition_task},
      {"generate", "DESCRIPTION...", "make a signal of known content, with the truth about it beside it",
       "vprism generate 'mast (m/s^2): tone 31.2Hz 0.5 + white 1e-3 > resonator 37Hz damping 2%' --rate "
       "4096Hz "
       "--duration 10s --to wav",
       "a tone and a resonance driven by noise, and what they are, in generated-truth.toml",
       make_generate_task},
      {"spectrum", "FILE...",
       "averaged windowed spectrum, density, zoom or bands of each channel and its strongest peaks",
       "vprism spectrum tern-point/mount-daq.wav --channel 'mirror cell' --resolution 0.5Hz --span "
       "10Hz..200Hz",
       "the tones that shake the mirror cell, with level and uncertainty", make_spectrum_task},
      {"spectrogram", "FILE...",
       "spectrum against time: level map, lines that wander, events, slices, in 3-D with --waterfall",
       "vprism spectrogram tern-point/slew-runup.wav --channel 'mirror cell'",
       "the orders of the drive as they run up, and the mount's resonance where they cross it",
       make_spectrogram_task},
      {"scalogram", "FILE...",
       "continuous wavelet transform: short events with time, band and level, and their waveform by the "
       "inverse",
       "vprism scalogram tern-point/dome-tilt.h5 --extract '0.2Hz..0.6Hz @ 680s..740s'",
       "the two bumps of the dome's shutter, apart in time and pitch, and their waveform without drift and "
       "noise",
       make_scalogram_task},
      {"response", "FILE...",
       "frequency responses to a reference, coherence, resonances with damping and shape; also from outputs "
       "alone",
       "vprism response tern-point/tap-test.uff --also universal",
       "the fork's three modes with damping, each known by five methods, and its responses for other "
       "programs",
       make_response_task},
      {"field", "FILE|FOLDER...",
       "recordings of many points: mean spectrum, maps, shapes and phases at a frequency, animation",
       "vprism field tern-point/cell-field.h5 --animate",
       "the mirror cell's two plate modes, with damping, maps and moving shapes", make_field_task},
      {"identify", "FILE...",
       "what is in the signal, how sure, and who did it: tones, families, resonances, matched with suspects",
       "vprism identify tern-point/mount-daq.wav --suspects tern-point/suspects.toml",
       "the cooler shakes the mirror cell most; shutter, pump and servo clock are cleared",
       make_identify_task},
      {"distortion", "FILE...",
       "what a sine became: THD, SNR, SINAD, SFDR, effective bits and the harmonic table",
       "vprism distortion tern-point/amp-sim.raw --chain 'regrid 200kHz cubic' --gate 8ms..25ms --channel "
       "'V(out)'",
       "0.105% of distortion, nearly all of it the second harmonic", make_distortion_task},
      {"modulation", "FILE...",
       "amplitude, frequency and phase of a carrier against time: depth, deviation, rate, shape, drift, "
       "jumps",
       "vprism modulation tern-point/laser-beat.sigmf-meta",
       "the guide laser's beat note swings 9 kHz at the cooler's 31.2 Hz and jumps by 17.5 kHz",
       make_modulation_task},
      {"levels", "FILE...",
       "levels over time: RMS, peaks, running level, how often and how long a level is exceeded",
       "vprism levels tern-point/slew-runup.wav --channel 'mirror cell' --every 100ms --over 5mV",
       "when the mirror cell shakes by more than 5 mV, how often and how long", make_levels_task},
      {"peaks", "FILE...",
       "what stands out in time: beats, impacts, pulses; heights, widths, intervals and their rate",
       "vprism peaks tern-point/mount-daq.wav --channel 'cryocooler head' --min-distance 20ms",
       "the cooler's strokes, one every 32.05 ms", make_peaks_task},
      {"cycles", "FILE...",
       "the averaged cycle of a periodic signal, its Fourier coefficients and what they leave over",
       "vprism cycles tern-point/mount-daq.wav --channel 'cryocooler head' --frequency 31.2Hz --orders 6",
       "four orders of the cooler make up its motion; the rest is noise", make_cycles_task},
      {"rebuild", "FILE...", "the signal from chosen components, beside the original and what is left over",
       "vprism rebuild tern-point/mount-daq.wav --channel 'mirror cell' --suspects tern-point/suspects.toml "
       "--without "
       "cryocooler",
       "how the mirror cell would move without its cooler", make_rebuild_task},
      {"orders", "FILE...",
       "run-up or run-down: orders of a shaft over its speed, their cuts, and the resonances they cross",
       "vprism orders tern-point/slew-runup.wav --calibrate 'mirror cell: sensitivity 100 mV/(m/s^2)'",
       "orders 1, 2 and 17 of the drive, and the mount's resonance at 37 Hz where they cross it",
       make_orders_task},
      {"occupancy", "FILE...", "how often each level is reached at each frequency, and the rare events",
       "vprism occupancy tern-point/drive-scope.csv --channel 'motor current'",
       "the share of time at each level, with the median, the 99% level and what stands out of them",
       make_occupancy_task},
      {"compare", "FILE...",
       "recordings, channels, saved results or settings side by side, with the differences listed",
       "vprism compare tern-point/mount-daq.wav --channel 'mirror cell' --channel fork",
       "which lines the fork has stronger than the mirror cell, and which it has not", make_compare_task},
      {"limits", "FILE...",
       "levels against limit lines: margins, violations and a verdict; exit status 1 on failure",
       "vprism limits tern-point/mount-daq.wav --channel 'mirror cell' --calibrate '*: sensitivity 100 "
       "mV/(m/s^2)' "
       "--limit tern-point/jitter-limit.csv",
       "the mirror cell exceeds its jitter limit at the cooler's frequency", make_limits_task},
      {"case", "CASE.toml", "run a case: recordings, suspects, steps and limits in one file, to one report",
       "vprism case tern-point/tern-point.toml",
       "who shakes the telescope, with the evidence; a second run redoes only what has changed",
       make_case_task},
      {"batch", "COMMAND|CASE.toml INPUT...",
       "one command or case over many recordings: a table, a trend over the files, what failed",
       "vprism batch spectrum 'tern-point/mount-daq.*' --channel 'mirror cell' --trend "
       "rms_total,peaks.0.level",
       "one row for each file; run again, it goes on where it was stopped", make_batch_task},
      {"watch", "FILE|-|tcp:HOST:PORT",
       "a growing file, a pipe or a device: levels and peaks as they come, alarms where limits are broken",
       "vprism watch tern-point/laser-beat.sigmf-data --binary i16le:2ch --rate 200kHz --every 100ms "
       "--idle-end 1s",
       "the guide laser's two components as if they were still coming in", make_watch_task},
  };
  return table;
}

const CommandEntry* command_named(const std::string& name) {
  for (const CommandEntry& row : command_table())
    if (name == row.name) return &row;
  return nullptr;
}

namespace {

/// One-letter options as the long ones that they stand for, and a command behind options before them. Values
/// that only begin with a minus ("-1ms..2ms") stay.
std::vector<std::string> in_full(std::vector<std::string> arguments) {
  static const std::vector<std::pair<const char*, const char*>> letters = {
      {"-h", "--help"},  {"-V", "--version"}, {"-o", "--out"},
      {"-q", "--quiet"}, {"-f", "--figure"},  {"-j", "--threads"}};
  for (std::string& argument : arguments)
    for (const auto& [letter, name] : letters)
      if (argument == letter) argument = name;
  static const std::vector<std::string> own = {"--help",       "--version",  "--manual",
                                               "--completion", "--commands", "--reference"};
  if (!arguments.empty() && starts_with(arguments.front(), "--") &&
      std::find(own.begin(), own.end(), arguments.front()) == own.end()) {
    const auto command = std::find_if(arguments.begin(), arguments.end(),
                                      [](const std::string& word) { return command_named(word) != nullptr; });
    if (command != arguments.end()) std::rotate(arguments.begin(), command, command + 1);
  }
  return arguments;
}

std::string help_about(const std::string& what) {
  const CommandEntry* const entry = command_named(what);
  return entry == nullptr ? topic_help(what) : command_help(*entry, entry->make()->options());
}

Status dispatch(const std::vector<std::string>& given_arguments) {
  const std::vector<std::string> arguments = in_full(given_arguments);
  if (arguments.empty()) {
    say(program_help());
    return Status::usage;
  }
  const std::string& name = arguments.front();
  if (name == "--help" || name == "help") {
    say(arguments.size() > 1 ? help_about(arguments[1]) : program_help());
    return Status::done;
  }
  if (name == "settings") {
    if (arguments.size() > 1 && command_named(arguments[1]) == nullptr) {
      std::vector<std::string> names;
      for (const CommandEntry& row : command_table()) names.emplace_back(row.name);
      throw Error(Status::usage, unknown_name("command", arguments[1], names));
    }
    say(settings_text(arguments.size() > 1 ? arguments[1] : ""));
    return Status::done;
  }
  if (name == "--version") {
    say(version_text());
    return Status::done;
  }
  if (name == "--manual") {
    say(manual_page(arguments.size() > 1 ? arguments[1] : ""));
    return Status::done;
  }
  if (name == "--completion") {
    say(completion_script(arguments.size() > 1 ? arguments[1] : ""));
    return Status::done;
  }
  if (name == "--commands") {
    say(command_list());
    return Status::done;
  }
  if (name == "--reference") {
    say(command_reference());
    return Status::done;
  }
  std::vector<std::string> known;
  for (const CommandEntry& row : command_table()) known.emplace_back(row.name);
  const CommandEntry* const entry = command_named(name);
  if (entry == nullptr)
    throw Error(Status::usage, unknown_name(starts_with(name, "-") ? "option" : "command", name, known));
  const std::unique_ptr<Task> task = entry->make();
  std::vector<std::string> rest(arguments.begin() + 1, arguments.end());
  const std::vector<OptionGroup> groups = task->options_for(rest);
  if (const auto help = std::find(rest.begin(), rest.end(), "--help"); help != rest.end()) {
    say(help + 1 != rest.end() && !starts_with(help[1], "-") ? topic_help(help[1])
                                                             : command_help(*entry, groups));
    return Status::done;
  }
  const auto as_step = std::find(rest.begin(), rest.end(), "--as-step");
  const bool step_wanted = as_step != rest.end();
  if (step_wanted) rest.erase(as_step);
  const auto taken = [&rest](const char* word) {
    const auto found = std::find(rest.begin(), rest.end(), word);
    if (found == rest.end()) return false;
    rest.erase(found);
    return true;
  };
  const bool without_saved = taken("--no-settings") || std::getenv("VPRISM_NO_SETTINGS") != nullptr,
             save = taken("--save-settings");
  GivenOptions given;
  const std::vector<std::string> inputs = parse_command_line(rest, groups, &given);
  Json saved = Json::object();
  if (!without_saved && !step_wanted) {
    std::vector<std::string> of = {name};
    if (name == "batch" && !inputs.empty()) of.push_back(inputs.front());
    saved = apply_saved(saved_settings(of, inputs), groups, given);
  }
  // What they are to do stands on their command lines.
  if (runs_others(name)) ::setenv("VPRISM_NO_SETTINGS", "1", 1);
  if (*entry->inputs != '\0' && inputs.empty())
    throw Error(Status::usage, name + ": no input; usage: vprism " + name + " " + entry->inputs);
  if (*entry->inputs == '\0' && !inputs.empty())
    throw Error(Status::usage, name + " takes no input, but \"" + clean_text(inputs.front()) + "\" is given");
  if (step_wanted) {
    if (runs_others(name)) throw Error(Status::usage, name + " can't be a step of a case");
    say(step_text(name, inputs, given));
    return Status::done;
  }
  std::optional<oneapi::tbb::global_control> limit;
  // In a container or a scheduler's job the machine has more than is given.
  if (task->threads() > 0 || usable_cores() < std::thread::hardware_concurrency())
    limit.emplace(oneapi::tbb::global_control::max_allowed_parallelism,
                  task->threads() > 0 ? task->threads() : usable_cores());
  Json settings = settings_json(groups);
  if (!saved.empty()) settings["saved"] = std::move(saved);
  const Status status = task->run(inputs, settings);
  if (save) save_settings(name, given);
  return status;
}

}  // namespace

int run_program(const std::vector<std::string>& arguments) {
  const auto fail = [](const std::string& line, Status status) {
    std::fflush(stdout);  // In the order in which it was said.
    std::fprintf(stderr, "vprism: %s\n", clean_text(without_unfinished(line), 2000).c_str());
    return static_cast<int>(status);
  };
  settle_process();
  end_with_parent();
  try {
    return exit_status(dispatch(arguments));
  } catch (const Error& error) {
    return fail(error.what(), error.status());
  } catch (const std::bad_alloc&) {
    return fail("not enough memory for this analysis; ask for less resolution or fewer channels",
                Status::analysis);
  } catch (const std::length_error&) {
    return fail("what is asked for does not fit into memory; ask for less resolution or fewer channels",
                Status::analysis);
  } catch (const std::exception& error) {
    return fail(std::string("internal error: ") + error.what(), Status::analysis);
  }
}

}  // namespace vprism
