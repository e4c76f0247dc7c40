// settings_file.cpp: see settings_file.h.
#include "app/settings_file.h"

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <fstream>

#include "base/text.h"
#include "frame/command.h"
#include "frame/toml_file.h"
#include "signal/recording.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

constexpr const char* file_name = "vprism.toml";

std::vector<std::string> options_of(const std::string& command) {
  std::vector<std::string> out;
  if (const CommandEntry* const entry = command_named(command))
    for (const OptionGroup& group : entry->make()->options())
      for (const Option& option : group.options) out.push_back(option.name);
  return out;
}

std::vector<std::string> commands() {
  std::vector<std::string> out;
  for (const CommandEntry& entry : command_table()) out.emplace_back(entry.name);
  return out;
}

std::string text_of(const std::string& path, const toml::node& node) {
  if (const auto text = node.value_exact<std::string>()) return *text;
  if (const auto whole = node.value_exact<std::int64_t>()) return std::to_string(*whole);
  if (const auto number = node.value_exact<double>()) return format_number(*number, 17);
  fail_at(path, node, "a text or a number is needed");
}

SavedSetting setting_of(const std::string& path, const std::string& option, const toml::node& node) {
  SavedSetting out{option, {}, path + ":" + std::to_string(node.source().begin.line)};
  if (const auto on = node.value_exact<bool>()) {
    if (!*on) out.option.clear();
    return out;
  }
  if (const toml::array* const list = node.as_array())
    for (const toml::node& each : *list) out.values.push_back(text_of(path, each));
  else
    out.values.push_back(text_of(path, node));
  return out;
}

/// A folder that came with recordings may hold such a file: what reaches beyond it is only done when typed.
bool must_be_typed(const std::string& option) {
  static const std::vector<std::string> names = {"out", "force", "allow-external"};
  return std::find(names.begin(), names.end(), option) != names.end();
}

/// Options of a section none of which is taken yet.
void take(const std::string& path, const toml::table& section, const std::vector<std::string>& known,
          std::vector<SavedSetting>& out) {
  for (const auto& [key, node] : section) {
    const std::string option(key.str());
    if (!known.empty() && std::find(known.begin(), known.end(), option) == known.end())
      fail_at(path, node, unknown_name("option", option, known));
    if (must_be_typed(option)) fail_at(path, node, option + " can't be given here; type it");
    if (std::any_of(out.begin(), out.end(), [&](const SavedSetting& s) { return s.option == option; }))
      continue;
    SavedSetting setting = setting_of(path, option, node);
    if (!setting.option.empty()) out.push_back(std::move(setting));
  }
}

const toml::table& section_of(const std::string& path, const toml::node& node) {
  if (!node.is_table())
    fail_at(path, node, "options stand in sections: [all], [COMMAND] or [file.\"PATTERN\"]");
  return *node.as_table();
}

void check_sections(const std::string& path, const toml::table& file) {
  std::vector<std::string> known = commands();
  known.insert(known.end(), {"all", "file"});
  std::vector<std::string> every;
  for (const std::string& command : commands())
    for (std::string& option : options_of(command)) every.push_back(std::move(option));
  for (const auto& [key, node] : file) {
    const std::string name(key.str());
    if (std::find(known.begin(), known.end(), name) == known.end())
      fail_at(path, node, unknown_name("section", name, known));
    const toml::table& section = section_of(path, node);
    std::vector<SavedSetting> ignored;
    if (name == "file")
      for (const auto& [pattern, inner] : section) take(path, section_of(path, inner), every, ignored);
    else
      take(path, section, name == "all" ? every : options_of(name), ignored);
  }
}

bool matches_any(std::string_view pattern, const std::vector<std::string>& inputs) {
  return std::any_of(inputs.begin(), inputs.end(), [&](const std::string& input) {
    return glob_matches(pattern, input) || glob_matches(pattern, fs::path(input).filename().string());
  });
}

std::string toml_text(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    if (static_cast<unsigned char>(c) >= 0x20) out += c;
  }
  return out + "\"";
}

}  // namespace

std::vector<std::string> settings_files() {
  std::vector<std::string> out;
  std::error_code code;
  for (fs::path folder = fs::current_path(code); !folder.empty(); folder = folder.parent_path()) {
    if (fs::is_regular_file(folder / file_name, code)) {
      out.push_back((folder / file_name).string());
      break;
    }
    if (folder == folder.parent_path()) break;
  }
  const char* const config = std::getenv("XDG_CONFIG_HOME");
  const char* const home = std::getenv("HOME");
  fs::path own;
  if (config != nullptr && *config == '/')
    own = config;
  else if (home != nullptr && *home == '/')
    own = fs::path(home) / ".config";
  if (!own.empty() && fs::is_regular_file(own / "vprism" / file_name, code))
    out.push_back((own / "vprism" / file_name).string());
  return out;
}

std::vector<SavedSetting> saved_settings(const std::vector<std::string>& for_commands,
                                         const std::vector<std::string>& inputs) {
  std::vector<SavedSetting> out;
  for (const std::string& path : settings_files()) {
    const toml::table file = read_toml_file(path);
    check_sections(path, file);
    if (const toml::table* const files = file["file"].as_table())
      for (const auto& [pattern, section] : *files)
        if (matches_any(pattern.str(), inputs)) take(path, section_of(path, section), {}, out);
    for (const std::string& command : for_commands)
      if (const toml::table* const section = file[command].as_table()) take(path, *section, {}, out);
    if (const toml::table* const all = file["all"].as_table()) take(path, *all, {}, out);
  }
  return out;
}

Json apply_saved(const std::vector<SavedSetting>& saved, const std::vector<OptionGroup>& groups,
                 const GivenOptions& given) {
  Json out = Json::object();
  for (const SavedSetting& setting : saved) {
    if (std::any_of(given.begin(), given.end(), [&](const auto& g) { return g.first == setting.option; }))
      continue;
    for (const OptionGroup& group : groups)
      for (const Option& option : group.options) {
        if (option.name != setting.option) continue;
        try {
          if (option.value.empty() != setting.values.empty())
            throw Error(Status::usage, option.value.empty() ? "is a switch: true or false" : "needs a value");
          if (setting.values.size() > 1 && !option.repeatable) throw Error(Status::usage, "takes one value");
          if (setting.values.empty()) option.set("");
          for (const std::string& value : setting.values) option.set(value);
        } catch (const Error& error) {
          throw Error(error.status(), setting.where + ": " + setting.option + ": " + error.what());
        }
        out[setting.option] = setting.where;
      }
  }
  return out;
}

void save_settings(const std::string& command, const GivenOptions& given) {
  std::error_code code;
  const fs::path path = fs::current_path(code) / file_name;
  if (fs::exists(path, code) && read_toml_file(path.string()).contains(command))
    throw Error(Status::output, path.string() + ": has a section [" + command + "] already; edit it");
  std::vector<std::pair<std::string, std::vector<std::string>>> options;
  for (const auto& typed : given) {
    if (must_be_typed(typed.first)) continue;
    auto known =
        std::find_if(options.begin(), options.end(), [&](const auto& o) { return o.first == typed.first; });
    if (known == options.end()) known = options.insert(options.end(), {typed.first, {}});
    known->second.push_back(typed.second);
  }
  std::string text = (fs::exists(path, code) ? "\n[" : "[") + command + "]\n";
  for (const auto& [name, values] : options) {
    text += name + " = ";
    if (values.size() == 1 && values[0].empty()) {
      text += "true\n";
      continue;
    }
    std::string list;
    for (const std::string& value : values) list += (list.empty() ? "" : ", ") + toml_text(value);
    text += values.size() == 1 ? list + "\n" : "[" + list + "]\n";
  }
  std::ofstream out(path, std::ios::app);
  out << text;
  out.flush();
  if (!out) throw Error(Status::output, path.string() + ": can't be written");
}

std::string settings_text(const std::string& command) {
  const std::vector<std::string> files = settings_files();
  if (files.empty())
    return "No settings file: " + std::string(file_name) +
           " in this folder or above, or in $XDG_CONFIG_HOME/vprism, would be read.\n";
  std::string out;
  for (const std::string& path : files) out += clean_text(path) + "\n";
  const std::vector<std::string> shown = command.empty() ? commands() : std::vector{command};
  for (const std::string& name : shown) {
    const std::vector<std::string> known = options_of(name);
    for (const SavedSetting& setting : saved_settings({name}, {})) {
      if (std::find(known.begin(), known.end(), setting.option) == known.end()) continue;
      std::string values;
      for (const std::string& value : setting.values) values += " '" + clean_text(value) + "'";
      out += "  " + name + " --" + setting.option + values + "  (" + clean_text(setting.where) + ")\n";
    }
  }
  for (const std::string& path : files) {
    const toml::table file = read_toml_file(path);
    if (const toml::table* const patterns = file["file"].as_table())
      for (const auto& [pattern, section] : *patterns) {
        out += "  for files " + clean_text(pattern.str()) + ":";
        for (const auto& [key, node] : *section.as_table()) out += " --" + clean_text(key.str());
        out += "  (" + clean_text(path) + ":" + std::to_string(section.source().begin.line) + ")\n";
      }
  }
  return out;
}

}  // namespace vprism
