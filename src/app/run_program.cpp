// run_program.cpp: what a command line asks for, and the frame around a run.
#include <oneapi/tbb/global_control.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <new>
#include <stdexcept>
#include <string_view>
#include <thread>

#include "app/completion.h"
#include "app/help.h"
#include "app/manual.h"
#include "app/settings_file.h"
#include "base/machine/cores.h"
#include "base/machine/host.h"
#include "base/machine/ranks.h"
#include "base/machine/threads.h"
#include "base/text.h"
#include "formats/files/unfinished.h"
#include "frame/command.h"
#include "frame/process.h"
#include "frame/terminal.h"
#include "runner/case_file.h"
#include "runner/kept/child.h"

/// docs/results.schema.json, embedded.
namespace vprism {
std::string_view results_schema();

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
                                               "--completion", "--complete", "--schema",
                                               "--topics",     "--commands", "--reference"};
  if (!arguments.empty() && starts_with(arguments.front(), "--") &&
      std::find(own.begin(), own.end(), arguments.front()) == own.end()) {
    const auto command = std::find_if(arguments.begin(), arguments.end(),
                                      [](const std::string& word) { return command_named(word) != nullptr; });
    if (command != arguments.end()) std::rotate(arguments.begin(), command, command + 1);
  }
  return arguments;
}

/// Commands whose passes ranks can share; of others rank 0 does all.
bool shares_its_work(const std::string& command) { return command == "spectrum"; }

std::string help_about(const std::string& what, bool all) {
  const CommandEntry* const entry = command_named(what);
  return entry == nullptr ? topic_help(what) : command_help(*entry, entry->make()->options(), all);
}

Status dispatch(const std::vector<std::string>& given_arguments) {
  const std::vector<std::string> arguments = in_full(given_arguments);
  if (arguments.empty()) {
    say(program_help());
    return Status::usage;
  }
  const std::string& name = arguments.front();
  if (name == "--help" || name == "help") {
    const bool all = arguments.size() > 2 && arguments[2] == "all";
    say(arguments.size() > 1 ? help_about(arguments[1], all) : program_help());
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
  if (name == "--complete") {
    say(completions({arguments.begin() + 1, arguments.end()}));
    return Status::done;
  }
  if (name == "--schema") {
    say(std::string(results_schema()));
    return Status::done;
  }
  if (name == "--topics") {
    say(topic_list());
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
    const std::string about = help + 1 != rest.end() && !starts_with(help[1], "-") ? help[1] : "";
    say(about.empty() || about == "all" ? command_help(*entry, groups, !about.empty()) : topic_help(about));
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
  if (*entry->inputs != '\0' && inputs.empty() && task->needs_inputs())
    throw Error(Status::usage, name + ": no input; usage: vprism " + name + " " + entry->inputs);
  if (*entry->inputs == '\0' && !inputs.empty())
    throw Error(Status::usage, name + " takes no input, but \"" + clean_text(inputs.front()) + "\" is given");
  if (runs_others(name) &&
      std::find(given.begin(), given.end(), std::pair<std::string, std::string>("figure", "terminal")) !=
          given.end())
    throw Error(Status::usage,
                name + ": --figure terminal shows the figures of one command; give another kind");
  if (step_wanted) {
    if (runs_others(name)) throw Error(Status::usage, name + " can't be a step of a case");
    say(step_text(name, inputs, given));
    return Status::done;
  }
  // In a container or a scheduler's job the machine has more than is given. It holds to the end: a limit that
  // is taken away begins threads.
  if (task->threads() > 0 || usable_cores() < std::thread::hardware_concurrency()) {
    using Limit = oneapi::tbb::global_control;
    [[maybe_unused]] static const Limit& limit =
        *new Limit(Limit::max_allowed_parallelism,
                   task->threads() > 0 ? startable_threads(task->threads()) : usable_cores());
  }
  Json settings = settings_json(groups);
  if (!saved.empty()) settings["saved"] = std::move(saved);
  // A pipe comes to the first rank alone.
  std::error_code code;
  const bool files = std::all_of(inputs.begin(), inputs.end(), [&](const std::string& input) {
    return std::filesystem::is_regular_file(input, code);
  });
  if (!shares_its_work(name) || !files) Ranks::go_on_alone();
  const Status status = task->run(inputs, settings);
  if (save && Ranks::rank() == 0) save_settings(name, given);
  return status;
}

}  // namespace

namespace {

/// Runs the program, whatever goes wrong with it; `fail` has the line and the status.
template <typename Fail>
int guarded(const std::vector<std::string>& arguments, const Fail& fail) {
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
    if (std::strstr(error.what(), std::strerror(EAGAIN)) != nullptr)
      return fail(
          "the system gives no more threads or processes; ask for fewer with --threads, or raise its limit",
          Status::analysis);
    return fail(std::string("internal error: ") + error.what(), Status::analysis);
  }
}

int fail(const std::string& line, Status status) {
  std::fflush(stdout);  // In the order in which it was said.
  const std::string whole = "vprism: " + clean_text(without_unfinished(line), 2000);
  std::fprintf(stderr, "%s\n", for_standard_error(whole).c_str());
  return static_cast<int>(status);
}

/// One of several that a launcher started: all do the same, rank 0 speaks and writes.
int run_as_rank(const std::vector<std::string>& arguments) {
  const bool speaks = Ranks::rank() == 0;
  const int kept_errors = speaks ? -1 : silence_process();
  const auto fail_for_all = [&](const std::string& line, Status status) -> int {
    if (!speaks) {
      // Where all have met the same, rank 0 says it and ends them.
      std::this_thread::sleep_for(std::chrono::seconds(2));
      ::dup2(kept_errors, STDERR_FILENO);
    }
    fail(speaks ? line : "rank " + std::to_string(Ranks::rank()) + " on " + host_name() + ": " + line,
         status);
    remove_all_unfinished();
    Ranks::abort(static_cast<int>(status));
  };
  int status = 0;
  try {
    status = guarded(arguments, fail_for_all);
  } catch (const RankIsDone&) {
  } catch (const RunAgainAlone&) {
    try {
      Ranks::go_on_alone();
      status = guarded(arguments, fail_for_all);
    } catch (const RankIsDone&) {
    }
  }
  Ranks::finish();
  return speaks ? status : 0;
}

}  // namespace

int run_program(const std::vector<std::string>& arguments) {
  settle_process();
  settle_terminal();
  end_with_parent();
  if (Ranks::launched() == 1) return guarded(arguments, fail);
  try {
    Ranks::join();
  } catch (const Error& error) {
    // Said by one of them.
    return Ranks::launched_rank() == 0 ? fail(error.what(), error.status())
                                       : static_cast<int>(error.status());
  }
  return run_as_rank(arguments);
}

}  // namespace vprism
