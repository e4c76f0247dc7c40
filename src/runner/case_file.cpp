// case_file.cpp: see case_file.h. All files are read first, those included before what includes them, then
// variables are put in their places, then tables are taken one by one; what is wrong is noted and reading
// goes on, so that all of it can be told at once.
#include "runner/case_file.h"

#include <algorithm>
#include <functional>
#include <map>
#include <sstream>

#include "base/text.h"
#include "commands/identify/suspects_file.h"
#include "formats/files/output_folder.h"
#include "frame/command.h"
#include "frame/toml_file.h"
#include "runner/case_values.h"
#include "runner/kept/kept_run.h"

namespace vprism {

namespace {

namespace fs = std::filesystem;

const std::vector<std::string>& top_keys() {
  static const std::vector<std::string> keys = {"title",     "question",    "concern",  "include",
                                                "variables", "recordings",  "suspects", "suspect",
                                                "steps",     "comparisons", "limits",   "report"};
  return keys;
}

class CaseBuilder : private CaseValues {
 public:
  explicit CaseBuilder(const CaseSettings& settings) : CaseValues(settings, out_.problems) {}

  CaseRead build() {
    out_.value.path = settings_.path;
    out_.value.folder = fs::path(settings_.path).parent_path();
    if (out_.value.folder.empty()) out_.value.folder = ".";
    load(settings_.path, 0);
    for (const toml::table& table : tables_) take_variables(table);
    set_variables();
    for (const toml::table& table : tables_) top(table);
    for (const toml::table& table : tables_) steps(table);
    if (out_.value.steps.empty() && out_.problems.empty())
      out_.problems.push_back(settings_.path + ": no steps; add [[steps]] with a command and a recording");
    order_steps(out_.value.steps, out_.problems);
    if (out_.value.title.empty()) out_.value.title = fs::path(settings_.path).stem().string();
    return std::move(out_);
  }

 private:
  // --- files ---
  void load(const std::string& path, int depth) {
    tables_waiting_.push_back(path);
    toml::table table = read_toml_file(path);
    if (const toml::node* include = table.get("include")) {
      std::vector<std::string> names = list_of(*include, "include");
      for (const std::string& name : names) {
        const fs::path other = fs::path(path).parent_path() / name;
        if (depth > 8 || std::find(tables_waiting_.begin(), tables_waiting_.end(), other.string()) !=
                             tables_waiting_.end())
          problem(*include, "\"" + name + "\" includes this file again");
        else
          try {
            load(other.string(), depth + 1);
          } catch (const Error& error) {
            problem(*include, error.what());
          }
      }
    }
    out_.value.texts.emplace_back(path, read_whole_file(path));
    tables_.push_back(std::move(table));
    tables_waiting_.pop_back();
  }

  // --- all but the steps ---
  void top(const toml::table& table) {
    for (const auto& [key, value] : table)
      if (std::find(top_keys().begin(), top_keys().end(), std::string(key.str())) == top_keys().end())
        problem(value, unknown_name("key", std::string(key.str()), top_keys()));
    if (table.contains("title")) out_.value.title = text_of(table, "title");
    if (table.contains("question")) out_.value.question = text_of(table, "question");
    if (const toml::node* node = table.get("concern")) out_.value.concern = list_of(*node, "concern");
    if (const toml::node* node = table.get("suspects")) {
      const auto names = list_of(*node, "suspects");
      if (names.size() != 1)
        problem(*node, "suspects must name one file; or list them here as [[suspect]]");
      else
        line_up(*node, names.front());
    }
    if (const toml::node* node = table.get("suspect")) {
      const std::string file = node->source().path ? *node->source().path : settings_.path;
      line_up(*node, fs::relative(fs::absolute(file), fs::absolute(out_.value.folder)).string());
      // In a file of their own, so that identify is not run again when something else of the case changes.
      std::ostringstream text;
      toml::table only;
      only.insert("suspect", *node->as_array());
      text << only << "\n";
      out_.value.line_up = text.str();
      suspects_ = (fs::absolute(settings_.steps_folder) / "suspects.toml").string();
    }
    if (const toml::node* node = table.get("report")) report(*node);
    if (const toml::node* node = table.get("recordings")) {
      const toml::table* all = node->as_table();
      if (all == nullptr) {
        problem(*node, "recordings must be tables: [recordings.NAME] with a file");
        return;
      }
      // In the order of the file, not of the names.
      std::vector<std::pair<std::string, const toml::node*>> entries;
      for (const auto& [key, value] : *all) entries.emplace_back(key.str(), &value);
      std::stable_sort(entries.begin(), entries.end(), [](const auto& a, const auto& b) {
        return a.second->source().begin.line < b.second->source().begin.line;
      });
      for (const auto& [name, value] : entries) recording(name, *value);
    }
  }

  void line_up(const toml::node& node, const std::string& file) {
    suspects_ = file;
    try {
      (void)read_suspects((out_.value.folder / file).string());
    } catch (const Error& error) {
      problem(node, error.what());
    }
  }

  void report(const toml::node& node) {
    const toml::table* table = node.as_table();
    if (table == nullptr) {
      problem(node, "report must be a table: [report]");
      return;
    }
    static const std::vector<std::string> keys = {"intro", "findings", "html",  "markdown",
                                                  "pdf",   "figures",  "points"};
    for (const auto& [key, value] : *table)
      if (std::find(keys.begin(), keys.end(), std::string(key.str())) == keys.end())
        problem(value, unknown_name("key of the report", std::string(key.str()), keys));
    Case::Report& r = out_.value.report;
    r.intro = text_of(*table, "intro");
    r.html = flag_of(*table, "html", true);
    r.markdown = flag_of(*table, "markdown", true);
    r.pdf = flag_of(*table, "pdf", true);
    count_of(*table, "findings", r.findings, 1);
    count_of(*table, "points", r.points, 100);
    if (const toml::node* figures = table->get("figures")) {
      const std::string kind = text_of(*table, "figures");
      if (kind != "png" && kind != "svg")
        problem(*figures, unknown_name("kind of figure for a report", kind, {"png", "svg"}));
      r.picture = kind == "svg" ? Picture::svg : Picture::png;
    }
  }

  void recording(const std::string& name, const toml::node& node) {
    const toml::table* table = node.as_table();
    if (table == nullptr) {
      problem(node, "recording \"" + name + "\" must be a table: [recordings." + name + "] with a file");
      return;
    }
    CaseRecording r;
    r.name = name;
    const std::unique_ptr<Task> task = command_named("inspect")->make();
    const auto groups = task->options();
    const OptionGroup& input = groups.front();
    const toml::node* file = table->get("file");
    if (file == nullptr) problem(node, "recording \"" + name + "\" has no file");
    std::vector<std::string> after;
    for (const auto& [key, value] : *table) {
      const std::string word(key.str());
      if (word == "file") {
        const auto names = list_of(value, "file", &after);
        if (names.size() == 1) r.file = names.front();
        if (names.size() == 1 && after.empty()) check_exists(value, r.file);
      } else if (word == "title") {
        r.title = text_of(*table, "title");
      } else if (auto given = option_value(input.options, word, value, {"file", "title"}, nullptr)) {
        for (std::string& text : *given) r.options.emplace_back(word, std::move(text));
      }
    }
    recording_after_[name] = after;
    std::erase_if(out_.value.recordings, [&](const CaseRecording& known) { return known.name == name; });
    out_.value.recordings.push_back(std::move(r));
  }

  void check_exists(const toml::node& node, const std::string& file) {
    std::error_code code;
    if (!fs::exists(out_.value.folder / file, code))
      problem(node, "\"" + file + "\" is not there; names are relative to the case's folder");
  }

  /// Values of one option, each tried on the option itself; nothing where something is wrong.
  std::optional<std::vector<std::string>> option_value(const std::vector<Option>& options,
                                                       const std::string& word, const toml::node& node,
                                                       const std::vector<std::string>& others,
                                                       std::vector<std::string>* after) {
    const auto found =
        std::find_if(options.begin(), options.end(), [&](const Option& o) { return o.name == word; });
    if (found == options.end() || given_by_runner(word)) {
      std::vector<std::string> known = others;
      for (const Option& option : options)
        if (!given_by_runner(option.name)) known.push_back(option.name);
      problem(node, found == options.end() ? unknown_name("key", word, known)
                                           : "\"" + word + "\" is given by the case itself; leave it out");
      return std::nullopt;
    }
    const Option& option = *found;
    std::vector<std::string> values = list_of(node, word, after);
    if (option.value.empty()) {
      if (!node.is_boolean()) {
        problem(node, "\"" + word + "\" is a switch: true or false");
        return std::nullopt;
      }
      if (values.front() == "false") return std::vector<std::string>();
      values = {""};
    } else if (node.is_boolean()) {
      problem(node, "\"" + word + "\" needs a value: " + option.value);
      return std::nullopt;
    } else if (!option.repeatable && values.size() > 1) {
      std::string joined;
      for (const std::string& value : values) joined += (joined.empty() ? "" : ",") + value;
      values = {joined};
    }
    for (const std::string& value : values) {
      try {
        option.set(value);
      } catch (const Error& error) {
        problem(node, word + ": " + error.what());
        return std::nullopt;
      }
    }
    return values;
  }

  // --- the steps ---
  /// In the order in which they stand in the file, whichever list they are in.
  void steps(const toml::table& table) {
    std::vector<std::pair<const toml::table*, const char*>> entries;
    for (const auto& [key, command] : {std::pair<const char*, const char*>{"steps", ""},
                                       {"comparisons", "compare"},
                                       {"limits", "limits"}}) {
      const toml::node* node = table.get(key);
      if (node == nullptr) continue;
      const toml::array* list = node->as_array();
      const bool tables =
          list != nullptr &&
          std::all_of(list->begin(), list->end(), [](const toml::node& one) { return one.is_table(); });
      if (!tables) {
        problem(*node, std::string(key) + " must be a list of tables: [[" + key + "]]");
        continue;
      }
      for (const toml::node& one : *list) entries.emplace_back(one.as_table(), command);
    }
    std::stable_sort(entries.begin(), entries.end(), [](const auto& a, const auto& b) {
      return a.first->source().begin.line < b.first->source().begin.line;
    });
    for (const auto& [entry, command] : entries) step(*entry, command);
  }

  void step(const toml::table& table, std::string command) {
    const toml::node* named = table.get("command");
    if (!command.empty() && named != nullptr)
      problem(*named, "a command is only named in [[steps]]; here it is " + command);
    if (command.empty()) command = text_of(table, "command");
    std::vector<std::string> commands;
    for (const CommandEntry& row : command_table())
      if (!runs_others(row.name)) commands.emplace_back(row.name);
    if (command.empty()) {
      problem(table, "a step without a command");
      return;
    }
    const CommandEntry* entry = command_named(command);
    if (entry == nullptr || runs_others(command)) {
      problem(named == nullptr ? static_cast<const toml::node&>(table) : *named,
              entry == nullptr ? unknown_name("command", command, commands)
                               : "\"" + command + "\" can't be a step of a case");
      return;
    }
    const std::unique_ptr<Task> task = entry->make();
    std::vector<Option> options;
    for (OptionGroup& group : task->options())
      for (Option& option : group.options) options.push_back(std::move(option));
    CaseStep s;
    s.command = command;
    s.where = place(table);
    static const std::vector<std::string> own = {"name",      "title",      "note",  "command",
                                                 "recording", "recordings", "inputs"};
    std::vector<std::pair<std::string, std::string>> given;
    s.title = text_of(table, "title");
    s.note = text_of(table, "note");
    for (const char* key : {"recording", "recordings"})
      if (const toml::node* node = table.get(key))
        for (const std::string& name : list_of(*node, key)) take_recording(*node, name, options, given, s);
    if (const toml::node* node = table.get("inputs"))
      for (const std::string& name : list_of(*node, "inputs", &s.after)) {
        s.inputs.push_back(name);
        if (command != "generate" && s.after.empty()) check_exists(*node, name);
      }
    if (s.inputs.empty() && *entry->inputs != '\0') problem(table, command + " needs a recording, or inputs");
    for (const auto& [key, node] : table) {
      const std::string word(key.str());
      if (std::find(own.begin(), own.end(), word) != own.end()) continue;
      const auto values = option_value(options, word, node, own, &s.after);
      if (!values) continue;
      const auto found =
          std::find_if(options.begin(), options.end(), [&](const Option& o) { return o.name == word; });
      if (!found->repeatable) std::erase_if(given, [&](const auto& pair) { return pair.first == word; });
      for (const std::string& value : *values) given.emplace_back(word, value);
    }
    const auto has = [&](const std::string& word) {
      return std::any_of(given.begin(), given.end(), [&](const auto& pair) { return pair.first == word; });
    };
    if (command == "identify" && !suspects_.empty() && !has("suspects"))
      given.emplace_back("suspects", suspects_);
    for (const auto& pair : given) {
      const std::string &word = pair.first, &value = pair.second;
      const auto found =
          std::find_if(options.begin(), options.end(), [&](const Option& o) { return o.name == word; });
      s.options.push_back("--" + word + (found->value.empty() ? "" : "=" + value));
      if (found->value.find("FILE") == std::string::npos) continue;
      // A name before '=' is the file's, not the option's.
      s.files.push_back(value);
      if (const toml::node* node = table.get(word); node != nullptr && s.after.empty())
        check_exists(*node, value);
    }
    std::string name = text_of(table, "name");
    if (name.empty()) {
      name = command;
      for (const std::string& r : s.recordings) name += "-" + r;
    }
    s.name = folder_name(name, names_);
    if (const toml::node* node = table.get("name"); node != nullptr && s.name != folder_name(name))
      problem(*node, "another step is named \"" + name + "\" already");
    if (s.title.empty() && table.get("name") != nullptr) s.title = name;
    names_.push_back(s.name);
    out_.value.steps.push_back(std::move(s));
  }

  void take_recording(const toml::node& node, const std::string& name, const std::vector<Option>& options,
                      std::vector<std::pair<std::string, std::string>>& given, CaseStep& s) {
    const auto& all = out_.value.recordings;
    const auto found =
        std::find_if(all.begin(), all.end(), [&](const CaseRecording& r) { return r.name == name; });
    if (found == all.end()) {
      std::vector<std::string> known;
      for (const CaseRecording& r : all) known.push_back(r.name);
      problem(node, unknown_name("recording", name, known));
      return;
    }
    s.recordings.push_back(name);
    s.inputs.push_back(found->file);
    for (const std::string& step : recording_after_[name]) s.after.push_back(step);
    for (const auto& pair_wanted : found->options) {
      const std::string &word = pair_wanted.first, &value = pair_wanted.second;
      const auto option =
          std::find_if(options.begin(), options.end(), [&](const Option& o) { return o.name == word; });
      if (option == options.end()) {
        problem(node, s.command + " has no option " + word + ", which recording \"" + name +
                          "\" needs; write it out with convert and look at that");
        continue;
      }
      const auto before = std::find_if(given.begin(), given.end(), [&](const auto& pair) {
        return pair.first == word && (!option->repeatable || pair.second == value);
      });
      if (before == given.end())
        given.emplace_back(word, value);
      else if (before->second != value)
        problem(node, "its recordings want different values of " + word + "; make them steps of their own");
    }
  }

  CaseRead out_;
  std::vector<toml::table> tables_;
  std::vector<std::string> tables_waiting_;
  std::map<std::string, std::vector<std::string>> recording_after_;
  std::string suspects_;
  std::vector<std::string> names_;
};

}  // namespace

CaseRead read_case(const CaseSettings& settings) { return CaseBuilder(settings).build(); }

}  // namespace vprism
