// case_steps.cpp: steps among each other, and commands as steps.
#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "runner/case_file.h"
#include "runner/kept/kept_run.h"

namespace vprism {

namespace {

std::string toml_string(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    if (static_cast<unsigned char>(c) < 0x20)
      out += fmt::format("\\u{:04x}", static_cast<unsigned>(c));
    else
      out += c;
  }
  return out + '"';
}

}  // namespace

bool runs_others(const std::string& command) {
  return command == "case" || command == "batch" || command == "watch" || command == "demo" ||
         command == "report";
}

bool given_by_runner(const std::string& option) {
  static const std::vector<std::string> names = {"out",   "json",     "figure", "force", "threads",
                                                 "quiet", "progress", "report", "style"};
  return std::find(names.begin(), names.end(), option) != names.end();
}

void order_steps(std::vector<CaseStep>& steps, std::vector<std::string>& problems) {
  std::vector<std::string> names;
  for (const CaseStep& s : steps) names.push_back(s.name);
  for (CaseStep& s : steps) {
    for (std::string& name : s.after) {
      if (std::find(names.begin(), names.end(), folder_name(name)) == names.end())
        problems.push_back(s.where + ": " + unknown_name("step", name, names));
      name = folder_name(name);
    }
    std::sort(s.after.begin(), s.after.end());
    s.after.erase(std::unique(s.after.begin(), s.after.end()), s.after.end());
  }
  if (!problems.empty()) return;
  std::vector<CaseStep> sorted;
  std::vector<std::string> placed;
  while (!steps.empty()) {
    const auto next = std::find_if(steps.begin(), steps.end(), [&](const CaseStep& s) {
      return std::all_of(s.after.begin(), s.after.end(), [&](const std::string& name) {
        return std::find(placed.begin(), placed.end(), name) != placed.end();
      });
    });
    if (next == steps.end()) {
      problems.push_back(steps.front().where + ": step \"" + steps.front().name +
                         "\" waits for itself, by way of what it takes from others");
      return;
    }
    placed.push_back(next->name);
    sorted.push_back(std::move(*next));
    steps.erase(next);
  }
  steps = std::move(sorted);
}

std::string step_text(const std::string& command, const std::vector<std::string>& inputs,
                      const std::vector<std::pair<std::string, std::string>>& given) {
  std::string out = "[[steps]]\ncommand = " + toml_string(command) + "\n";
  const auto list = [](const std::vector<std::string>& values) {
    std::string text;
    for (const std::string& value : values) text += (text.empty() ? "[" : ", ") + toml_string(value);
    return text + "]";
  };
  if (!inputs.empty()) out += "inputs = " + list(inputs) + "\n";
  std::vector<std::string> listed;
  for (const auto& [name, value] : given) {
    if (given_by_runner(name) || std::find(listed.begin(), listed.end(), name) != listed.end()) continue;
    listed.push_back(name);
    std::vector<std::string> values;
    for (const auto& [other, text] : given)
      if (other == name) values.push_back(text);
    out += name + " = " +
           (value.empty()       ? "true"
            : values.size() > 1 ? list(values)
                                : toml_string(value)) +
           "\n";
  }
  return out;
}

}  // namespace vprism
