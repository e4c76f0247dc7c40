// case_values.cpp: see case_values.h.
#include "runner/case_values.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/text.h"
#include "runner/kept/kept_run.h"

namespace vprism {

std::string CaseValues::place(const toml::node& node) const {
  const auto& source = node.source();
  return fmt::format("{}:{}:{}", source.path ? *source.path : settings_.path, source.begin.line,
                     source.begin.column);
}

void CaseValues::take_variables(const toml::table& table) {
  const toml::node* node = table.get("variables");
  if (node == nullptr) return;
  if (node->as_table() == nullptr) {
    problem(*node, "variables must be a table: [variables]");
    return;
  }
  for (const auto& [key, value] : *node->as_table())
    if (const auto text = plain_text(value))
      variables_[std::string(key.str())] = *text;
    else
      problem(value, "a variable must be a text or a number");
}

void CaseValues::set_variables() {
  for (const auto& [name, value] : settings_.variables) variables_[name] = value;
}

std::optional<std::string> CaseValues::plain_text(const toml::node& node) {
  if (const auto text = node.value_exact<std::string>()) return text;
  if (const auto whole = node.value_exact<std::int64_t>()) return std::to_string(*whole);
  if (const auto real = node.value_exact<double>()) return fmt::format("{}", *real);
  if (const auto flag = node.value_exact<bool>()) return *flag ? "true" : "false";
  return std::nullopt;
}

/// With variables put in; steps named go to `after`.
std::string CaseValues::filled(const toml::node& node, const std::string& text,
                               std::vector<std::string>* after) {
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t open = text.find('{', at);
    const std::size_t close = open == std::string::npos ? open : text.find('}', open);
    if (close == std::string::npos) return out + text.substr(at);
    const std::string name = text.substr(open + 1, close - open - 1);
    out += text.substr(at, open - at);
    at = close + 1;
    if (const auto found = variables_.find(name); found != variables_.end()) {
      out += found->second;
    } else if (starts_with(name, "steps.")) {
      const std::string step = name.substr(6);
      if (after == nullptr)
        problem(node, "{" + name + "} can only stand in a file's name");
      else
        after->push_back(step);
      out += (std::filesystem::absolute(settings_.steps_folder) / folder_name(step)).string();
    } else {
      std::vector<std::string> known;
      for (const auto& [key, value] : variables_) known.push_back(key);
      problem(node, unknown_name("variable", name, known));
    }
  }
  return out;
}

std::vector<std::string> CaseValues::list_of(const toml::node& node, const std::string& key,
                                             std::vector<std::string>* after) {
  std::vector<std::string> out;
  const auto take = [&](const toml::node& one) {
    if (const auto text = plain_text(one))
      out.push_back(filled(one, *text, after));
    else
      problem(one, key + " must be a text, or a list of texts");
  };
  if (const toml::array* list = node.as_array())
    for (const toml::node& one : *list) take(one);
  else
    take(node);
  return out;
}

std::string CaseValues::text_of(const toml::table& table, const char* key) {
  const toml::node* node = table.get(key);
  if (node == nullptr) return "";
  const auto text = plain_text(*node);
  if (!text || node->is_boolean()) problem(*node, std::string(key) + " must be a text");
  return text ? filled(*node, *text) : "";
}

bool CaseValues::flag_of(const toml::table& table, const char* key, bool usual) {
  const toml::node* node = table.get(key);
  if (node == nullptr) return usual;
  const auto flag = node->value_exact<bool>();
  if (!flag) problem(*node, std::string(key) + " must be true or false");
  return flag.value_or(usual);
}

void CaseValues::count_of(const toml::table& table, const char* key, std::size_t& target,
                          std::int64_t least) {
  const toml::node* given = table.get(key);
  if (given == nullptr) return;
  const auto value = given->value_exact<std::int64_t>();
  if (!value || *value < least || *value > 1'000'000)
    problem(*given, fmt::format("{} must be a whole number from {}", key, least));
  else
    target = static_cast<std::size_t>(*value);
}

}  // namespace vprism
