// options.h: options as data, so that the command line, case files, help texts and the result document share
// one declaration.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "base/units/quantity.h"
#include "render/document.h"

namespace vprism {

struct Option {
  std::string name;   ///< Without the dashes.
  std::string value;  ///< What stands behind it in help texts; "" for a switch.
  std::string help;
  bool repeatable = false;
  /// Puts the text into the settings it is bound to. Throws Error(usage) that says what is wrong, without the
  /// option's name.
  std::function<void(const std::string&)> set;
  /// The value as resolved, for the document's `settings`.
  std::function<Json()> show;
};

struct OptionGroup {
  std::string title;
  std::vector<Option> options;
  bool shared = false;  ///< With most commands: folded in the help of one.
};

// Makers for the usual kinds; each is bound to where the value lives.
Option text_option(std::string name, std::string value, std::string help, std::string& target);
Option switch_option(std::string name, std::string help, bool& target);
/// From `least` to `most`: more would never come to an end, or not be read by anyone.
Option count_option(std::string name, std::string help, long long least, long long most, std::size_t& target);
Option quantity_option(std::string name, std::string value, std::string help, Dimension dimension,
                       std::optional<double>& target);
Option range_option(std::string name, std::string help, Dimension dimension, std::optional<Range>& target);

/// Sets options from `--name value`, `--name=value` and switches (Boost.Program_options); returns what is
/// left as inputs. Throws Error(usage): an unknown option with the nearest known one, a value that is missing
/// or given twice, or what `set` says with the option's name before it.
/// `given`, if wanted, gets every option in the order given, with its value as written.
using GivenOptions = std::vector<std::pair<std::string, std::string>>;
std::vector<std::string> parse_command_line(const std::vector<std::string>& arguments,
                                            const std::vector<OptionGroup>& groups,
                                            GivenOptions* given_options = nullptr);

/// Throws Error(usage), beginning with `why`, when options other than those of the first and the last group
/// (input and output) and those `allowed` have values other than usual: where they would do nothing. `usual`
/// are the same groups of a command that nothing was set in.
void refuse_others(const std::vector<OptionGroup>& now, const std::vector<OptionGroup>& usual,
                   const std::vector<std::string>& allowed, const std::string& why);

/// Every option as resolved.
Json settings_json(const std::vector<OptionGroup>& groups);

/// A name and what stands behind it, folded at the help's width.
std::string help_entry(const std::string& name, const std::string& text);

/// The options as text, for --help: a command's own first; those of shared groups by name alone unless `all`.
std::string options_help(const std::vector<OptionGroup>& groups, bool all);
/// Columns of the terminal that help goes to, 100 where it is none.
std::size_t help_width();

}  // namespace vprism
