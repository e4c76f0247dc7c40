// manual.cpp: see manual.h.
#include "app/manual.h"

#include <algorithm>

#include "app/help.h"
#include "app/revision.h"
#include "base/error.h"
#include "base/text.h"
#include "frame/command.h"
#include "render/document.h"

namespace vprism {

namespace {

/// Text as roff shows it: no line begins a request, no hyphen is a soft one.
std::string roff(const std::string& text) {
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if ((c == '.' || c == '\'') && (i == 0 || text[i - 1] == '\n')) out += "\\&";
    if (c == '\\')
      out += "\\e";
    else if (c == '-')
      out += "\\-";
    else
      out += c;
  }
  return out;
}

std::string header(const std::string& name, int section = 1) {
  std::string upper = name;
  std::transform(upper.begin(), upper.end(), upper.begin(),
                 [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
  return ".TH " + upper + " " + std::to_string(section) + " \"\" \"vprism " + version() +
         "\" \"Vast Prism\"\n";
}

std::string status_part() {
  return ".SH EXIT STATUS\n"
         "0 done; 1 done, and a limit or a check failed; 2 the command line or the case file is wrong; 3 an "
         "input "
         "can't be read; 4 the analysis can't be made from this data; 5 an output can't be written.\n";
}

/// A table of a topic, row by row.
std::string topic_part(const Topic& topic) {
  const TextTable table = topic.table();
  std::string out;
  for (const auto& row : table.rows()) {
    out += ".TP\n.B " + roff(row[0]);
    if (table.columns().size() == 3 && !row[1].empty()) out += " \\fI" + roff(row[1]) + "\\fR";
    out += "\n";
    if (table.columns().size() <= 3) {
      out += roff(row.back()) + "\n";
      continue;
    }
    std::string figures;
    for (std::size_t c = 1; c + 1 < row.size(); ++c)
      figures += (c > 1 ? "; " : "") + table.columns()[c].title + " " + row[c];
    out += roff(row.back() + ": " + figures) + "\n";
  }
  return out;
}

std::string options_part(const std::vector<OptionGroup>& groups) {
  std::string out = ".SH OPTIONS\n";
  for (const OptionGroup& group : groups) {
    out += ".SS " + roff(group.title) + "\n";
    for (const Option& option : group.options) {
      out += ".TP\n.B " + roff("--" + option.name);
      if (!option.value.empty()) out += " \\fI" + roff(option.value) + "\\fR";
      out += "\n" + roff(option.help) + "\n";
    }
  }
  return out;
}

}  // namespace

std::string manual_page(const std::string& command) {
  if (command.empty()) {
    std::string out =
        header("vprism") +
        ".SH NAME\nvprism \\- from raw waveform exports to findings that others can check\n"
        ".SH SYNOPSIS\n.B vprism\n\\fICOMMAND\\fR \\fIINPUT\\fR... [\\fIoptions\\fR]\n.SH COMMANDS\n";
    for (const CommandEntry& entry : command_table())
      out += ".TP\n.BR vprism\\-" + std::string(entry.name) + " (1)\n" + roff(entry.summary) + "\n";
    return out + status_part() + ".SH EXAMPLE\n.EX\nvprism demo\n.EE\n";
  }
  for (const Topic& topic : topic_table())
    if (command == topic.name)
      return header("vprism-" + command, 7) + ".SH NAME\nvprism\\-" + command + " \\- " +
             roff(lower_case(topic.title)) + " of vprism\n.SH DESCRIPTION\n" + topic_part(topic) +
             ".SH SEE ALSO\n.BR vprism (1)\n";
  const CommandEntry* const entry = command_named(command);
  if (entry == nullptr) {
    std::vector<std::string> known;
    for (const CommandEntry& row : command_table()) known.emplace_back(row.name);
    for (const Topic& topic : topic_table()) known.emplace_back(topic.name);
    throw Error(Status::usage, unknown_name("command", command, known));
  }
  const std::unique_ptr<Task> task = entry->make();
  return header("vprism-" + command) + ".SH NAME\nvprism\\-" + command + " \\- " + roff(entry->summary) +
         "\n.SH SYNOPSIS\n.B vprism " + command + "\n\\fI" + roff(entry->inputs) +
         "\\fR [\\fIoptions\\fR]\n.SH EXAMPLE\n.EX\n" + roff(entry->example) + "\n.EE\n.PP\n" +
         roff(entry->example_says) + "\n" + options_part(task->options()) + status_part() +
         ".SH SEE ALSO\n.BR vprism (1)\n";
}

std::string topic_list() {
  std::string out;
  for (const Topic& topic : topic_table()) out += std::string(topic.name) + "\n";
  return out;
}

std::string command_list() {
  std::string out;
  for (const CommandEntry& entry : command_table()) out += std::string(entry.name) + "\n";
  return out;
}

std::string version_text() {
  const std::string revision = source_revision();
  return std::string("vprism ") + version() + (revision.empty() ? "" : ", revision " + revision) +
         "\nwith " VPRISM_LIBRARIES "\nGPL-3.0-or-later\n";
}

}  // namespace vprism
