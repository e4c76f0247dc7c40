// help.cpp: see help.h. Everything is made from the tables that the program itself runs by.
#include "app/help.h"

#include <fmt/format.h>

#include "base/text.h"
#include "base/text_width.h"
#include "condition/chain.h"
#include "formats/format.h"
#include "generate/term.h"
#include "runner/case_file.h"
#include "transform/windows/window.h"

namespace vprism {

namespace {

constexpr TextTable::Align to_left = TextTable::Align::left;

TextTable windows_table() {
  TextTable table({{"window", to_left},
                   {"ENBW (bins)"},
                   {"scalloping (dB)"},
                   {"highest side lobe (dB)"},
                   {"falling by (dB/octave)"},
                   {"coherent gain"},
                   {"for", to_left}});
  for (const WindowEntry& entry : window_table()) {
    const Window window{entry.kind, entry.parameter};
    const WindowFigures f = window_figures(window);
    table.add({window.name(), fmt::format("{:.3f}", f.enbw_bins), fmt::format("{:.2f}", f.scalloping_db),
               std::isnan(f.sidelobe_db) ? "none" : fmt::format("{:.1f}", f.sidelobe_db),
               fmt::format("{:.0f}", f.rolloff_db), fmt::format("{:.4f}", f.coherent_gain), entry.what});
  }
  return table;
}

TextTable steps_table() {
  TextTable table({{"step", to_left}, {"values", to_left}, {"what it does", to_left}});
  for (const StageEntry& entry : stage_table()) table.add({entry.name, entry.values, entry.what});
  return table;
}

TextTable terms_table() {
  TextTable table({{"term", to_left}, {"values", to_left}, {"what it is", to_left}});
  for (const TermEntry& entry : term_table()) table.add({entry.name, entry.values, entry.what});
  for (const DrivenEntry& entry : driven_table())
    table.add({std::string("> ") + entry.name, entry.values, entry.what});
  table.add({"| clip", "A", "the whole sum cut off at A and -A"});
  table.add({"| quantise", "A", "the whole sum in steps of A"});
  return table;
}

TextTable formats_table() {
  TextTable table({{"format", to_left}, {"what is read", to_left}});
  for (const Format& format : format_table()) table.add({format.name, format.what});
  table.add({"flat binary", "plain numbers, with --binary"});
  return table;
}

/// As Markdown; the first column of names in `code` where they are typed.
std::string markdown(const TextTable& table, bool code) {
  const auto cell = [](std::string text) {
    for (std::size_t at = 0; (at = text.find('|', at)) != std::string::npos; at += 2)
      text.replace(at, 1, "\\|");
    return text;
  };
  std::string out = "|", rule = "|";
  for (const auto& column : table.columns()) out += " " + column.title + " |", rule += "---|";
  out += "\n" + rule + "\n";
  for (const auto& row : table.rows()) {
    out += "|";
    for (std::size_t i = 0; i < row.size(); ++i)
      out += " " + (i == 0 && code ? "`" + cell(row[i]) + "`" : cell(row[i])) + " |";
    out += "\n";
  }
  return out;
}

}  // namespace

const std::vector<Topic>& topic_table() {
  static const std::vector<Topic> table = {{"windows", "Windows", windows_table},
                                           {"chain", "Steps of the chain", steps_table},
                                           {"terms", "Terms of made-up signals", terms_table},
                                           {"formats", "Formats", formats_table}};
  return table;
}

std::string topic_help(const std::string& name) {
  std::vector<std::string> known;
  for (const Topic& topic : topic_table()) {
    known.emplace_back(topic.name);
    if (name != topic.name) continue;
    const TextTable table = topic.table();
    std::string out = std::string(topic.title) + "\n\n";
    // Sentences are folded under each other; figures stand in a table.
    if (table.columns().size() != 3) return out + table.text();
    for (const auto& row : table.rows())
      out += help_entry(row[0] + (row[1].empty() ? "" : " ") + row[1], row[2]);
    return out;
  }
  for (const CommandEntry& entry : command_table()) known.emplace_back(entry.name);
  throw Error(Status::usage, unknown_name("command or topic", name, known));
}

std::string command_help(const CommandEntry& entry, const std::vector<OptionGroup>& groups, bool all) {
  std::string out =
      folded(std::string("vprism ") + entry.name + ": " + entry.summary + "\n\nUsage: vprism " + entry.name +
                 (*entry.inputs != '\0' ? " " : "") + entry.inputs + " [options]\n\nExample:\n  " +
                 entry.example + "\n  (" + entry.example_says + ")\n",
             text_width());
  out += options_help(groups, all);
  if (!runs_others(entry.name))
    out += folded("\nWith --as-step the command is not run but printed as a step for a case file.\n",
                  text_width());
  return out;
}

const std::vector<CommandGroup>& command_groups() {
  static const std::vector<CommandGroup> groups = {
      {"Look", {"survey", "inspect", "levels", "peaks", "watch"}},
      {"Clean", {"condition", "convert", "generate"}},
      {"Analyse",
       {"spectrum", "spectrogram", "scalogram", "occupancy", "orders", "cycles", "modulation", "distortion",
        "response", "field", "rebuild"}},
      {"Find out", {"identify"}},
      {"Compare", {"compare", "limits"}},
      {"Automate", {"case", "batch", "report", "demo"}}};
  return groups;
}

std::string program_help() {
  std::string out =
      "vprism: from raw waveform exports to findings that others can check\n\nUsage: vprism COMMAND INPUT... "
      "[options]\n";
  const std::size_t column = 14;
  for (const CommandGroup& group : command_groups()) {
    out += "\n" + std::string(group.title) + ":\n";
    for (const char* name : group.commands) {
      std::string head = "  " + std::string(name);
      head.resize(column, ' ');
      for (const std::string& line : wrapped(command_named(name)->summary, help_width() - column)) {
        out += head + line + "\n";
        head = std::string(column, ' ');
      }
    }
  }
  std::string topics;
  for (const Topic& topic : topic_table()) topics += (topics.empty() ? "" : ", ") + std::string(topic.name);
  return out +
         folded(
             "\nvprism help COMMAND shows a command's options, vprism help COMMAND all also those that most "
             "have; "
             "vprism help TOPIC a table: " +
                 topics +
                 ".\nShort forms: -h --help, -o --out, -q --quiet, -f --figure, -j --threads, -V --version.\n"
                 "Start with: vprism demo\n",
             help_width());
}

std::string command_reference() {
  std::string out =
      "# Commands\n\nMade from the program's own tables by `vprism --reference`; a test holds this page to "
      "them.\n";
  for (const CommandEntry& entry : command_table()) {
    const std::unique_ptr<Task> task = entry.make();
    out += "\n## vprism " + std::string(entry.name) + "\n\n```\n" +
           command_help(entry, task->options(), true) + "```\n";
  }
  for (const Topic& topic : topic_table()) {
    const std::string name = topic.name;
    out += "\n## " + std::string(topic.title) + "\n\n" +
           markdown(topic.table(), name == "chain" || name == "terms");
  }
  return out;
}

}  // namespace vprism
