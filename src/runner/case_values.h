// case_values.h: values out of a case file: texts with variables put in, and what is wrong, noted with its
// place.
#pragma once

#include <toml++/toml.h>

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "runner/case_file.h"

namespace vprism {

class CaseValues {
 public:
  /// Notes go to `problems`: "file:line:column: what is wrong".
  CaseValues(const CaseSettings& settings, std::vector<std::string>& problems)
      : settings_(settings), problems_(problems) {}

  std::string place(const toml::node& node) const;
  void problem(const toml::node& node, const std::string& what) {
    problems_.push_back(place(node) + ": " + what);
  }

  /// `[variables]` of one file, over those of files before it.
  void take_variables(const toml::table& table);
  /// Those of the command line, over all in files.
  void set_variables();

  /// A list, or one value as a list of one. Names of steps that `{steps.NAME}` stands for go to `after`;
  /// where there is none, they can't stand there.
  std::vector<std::string> list_of(const toml::node& node, const std::string& key,
                                   std::vector<std::string>* after = nullptr);
  std::string text_of(const toml::table& table, const char* key);
  bool flag_of(const toml::table& table, const char* key, bool usual);
  void count_of(const toml::table& table, const char* key, std::size_t& target, std::int64_t least);

 protected:
  const CaseSettings& settings_;

 private:
  static std::optional<std::string> plain_text(const toml::node& node);
  std::string filled(const toml::node& node, const std::string& text,
                     std::vector<std::string>* after = nullptr);

  std::vector<std::string>& problems_;
  std::map<std::string, std::string> variables_;
};

}  // namespace vprism
