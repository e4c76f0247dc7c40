// options.cpp: see options.h.
#include "frame/options.h"

#include <algorithm>
#include <boost/program_options.hpp>

#include "base/error.h"
#include "base/text.h"
#include "base/text_width.h"

namespace vprism {

Option text_option(std::string name, std::string value, std::string help, std::string& target) {
  return {std::move(name),
          std::move(value),
          std::move(help),
          false,
          [&target](const std::string& text) { target = text; },
          [&target] { return Json(target); }};
}

Option switch_option(std::string name, std::string help, bool& target) {
  return {std::move(name),
          "",
          std::move(help),
          false,
          [&target](const std::string&) { target = true; },
          [&target] { return Json(target); }};
}

Option count_option(std::string name, std::string help, long long least, long long most,
                    std::size_t& target) {
  return {std::move(name),
          "N",
          std::move(help),
          false,
          [&target, least, most](const std::string& text) {
            const long long count = parse_whole_number(text, least);
            if (count > most)
              throw Error(Status::usage, "at most " + std::to_string(most) + " can be asked for");
            target = static_cast<std::size_t>(count);
          },
          [&target] { return Json(target); }};
}

Option quantity_option(std::string name, std::string value, std::string help, Dimension dimension,
                       std::optional<double>& target) {
  return {std::move(name),
          std::move(value),
          std::move(help),
          false,
          [&target, dimension](const std::string& text) { target = parse_positive(text, dimension); },
          [&target] { return target ? Json(*target) : Json(nullptr); }};
}

Option range_option(std::string name, std::string help, Dimension dimension, std::optional<Range>& target) {
  return {std::move(name),
          "FROM..TO",
          std::move(help),
          false,
          [&target, dimension](const std::string& text) { target = parse_range(text, dimension); },
          [&target] {
            if (!target) return Json(nullptr);
            return Json::array({target->low ? Json(*target->low) : Json(nullptr),
                                target->high ? Json(*target->high) : Json(nullptr)});
          }};
}

namespace {

/// "[N,...]": a value that may be left out, numbers only, so that a name behind it is an input.
bool may_stand_alone(const Option& option) { return starts_with(option.value, "[N,"); }

/// Such options with their value, or "all", behind an equals sign.
std::vector<std::string> with_all_values(std::vector<std::string> arguments,
                                         const std::vector<OptionGroup>& groups) {
  for (std::size_t i = 0; i < arguments.size(); ++i)
    for (const OptionGroup& group : groups)
      for (const Option& option : group.options) {
        if (!may_stand_alone(option) || arguments[i] != "--" + option.name) continue;
        const bool given = i + 1 < arguments.size() && !arguments[i + 1].empty() &&
                           arguments[i + 1].find_first_not_of("0123456789,.") == std::string::npos;
        arguments[i] += "=" + (given ? arguments[i + 1] : std::string("all"));
        if (given) arguments.erase(arguments.begin() + static_cast<std::ptrdiff_t>(i) + 1);
      }
  return arguments;
}

}  // namespace

std::vector<std::string> parse_command_line(const std::vector<std::string>& arguments,
                                            const std::vector<OptionGroup>& groups,
                                            GivenOptions* given_options) {
  namespace po = boost::program_options;
  po::options_description description;
  std::vector<const Option*> all;
  for (const OptionGroup& group : groups) {
    for (const Option& option : group.options) {
      all.push_back(&option);
      if (option.value.empty())
        description.add_options()(option.name.c_str(), "");
      else
        description.add_options()(option.name.c_str(), po::value<std::vector<std::string>>(), "");
    }
  }
  std::vector<std::string> names;
  for (const Option* option : all) names.push_back("--" + option->name);
  // Abbreviations are not guessed at, and one-letter options are written out before: what starts with '-' and
  // is no option is an input.
  namespace style = po::command_line_style;
  po::parsed_options parsed(&description);
  try {
    parsed = po::command_line_parser(with_all_values(arguments, groups))
                 .options(description)
                 .style(style::allow_long | style::long_allow_adjacent | style::long_allow_next)
                 .run();
  } catch (const po::unknown_option& error) {
    throw Error(Status::usage, unknown_name("option", error.get_option_name(), names));
  } catch (const po::error_with_option_name& error) {
    const std::string name = error.get_option_name();
    const auto found =
        std::find_if(all.begin(), all.end(), [&](const Option* o) { return "--" + o->name == name; });
    if (found != all.end() && (*found)->value.empty()) throw Error(Status::usage, name + " takes no value");
    throw Error(
        Status::usage,
        name + " needs a value" + (found == all.end() ? std::string() : ": " + name + " " + (*found)->value));
  }
  std::vector<std::string> inputs;
  std::vector<std::string> seen;
  for (const auto& given : parsed.options) {
    if (given.position_key >= 0 || given.string_key.empty()) {
      inputs.insert(inputs.end(), given.value.begin(), given.value.end());
      continue;
    }
    const auto found =
        std::find_if(all.begin(), all.end(), [&](const Option* o) { return o->name == given.string_key; });
    if (given.unregistered || found == all.end())
      throw Error(Status::usage, unknown_name("option", "--" + given.string_key, names));
    const Option& option = **found;
    if (!option.repeatable && std::find(seen.begin(), seen.end(), option.name) != seen.end())
      throw Error(Status::usage, "--" + option.name + " is given twice");
    seen.push_back(option.name);
    try {
      option.set(given.value.empty() ? "" : given.value.front());
      if (given_options)
        given_options->emplace_back(option.name, given.value.empty() ? "" : given.value.front());
    } catch (const Error& error) {
      throw Error(error.status(), "--" + option.name + ": " + error.what());
    }
  }
  return inputs;
}

void refuse_others(const std::vector<OptionGroup>& now, const std::vector<OptionGroup>& usual,
                   const std::vector<std::string>& allowed, const std::string& why) {
  std::string set;
  for (std::size_t g = 1; g + 1 < now.size(); ++g)
    for (std::size_t i = 0; i < now[g].options.size(); ++i) {
      const Option& option = now[g].options[i];
      if (std::find(allowed.begin(), allowed.end(), option.name) != allowed.end()) continue;
      if (option.show() != usual[g].options[i].show()) set += (set.empty() ? "--" : ", --") + option.name;
    }
  if (!set.empty()) throw Error(Status::usage, why + "; leave out " + set);
}

Json settings_json(const std::vector<OptionGroup>& groups) {
  Json out = Json::object();
  for (const OptionGroup& group : groups)
    for (const Option& option : group.options)
      if (option.show) out[option.name] = option.show();
  return out;
}

std::size_t help_width() { return text_width() > 0 ? std::clamp<std::size_t>(text_width(), 40, 140) : 100; }

std::string help_entry(const std::string& name, const std::string& text) {
  const std::size_t column = help_width() < 80 ? 20 : 32;
  std::string head = "  " + name, out;
  head += head.size() + 2 > column ? "\n" + std::string(column, ' ') : std::string(column - head.size(), ' ');
  for (const std::string& line : wrapped(text, help_width() - column)) {
    out += head + line + "\n";
    head = std::string(column, ' ');
  }
  return out;
}

std::string options_help(const std::vector<OptionGroup>& groups, bool all) {
  std::string out;
  for (const OptionGroup& group : groups) {
    if (group.shared && !all) continue;
    out += "\n" + group.title + ":\n";
    for (const Option& option : group.options)
      out += help_entry("--" + option.name + (option.value.empty() ? "" : " " + option.value), option.help);
  }
  for (const OptionGroup& group : groups) {
    if (!group.shared || all) continue;
    std::string names;
    for (const Option& option : group.options) names += (names.empty() ? "--" : " --") + option.name;
    out += "\n" + group.title + ", as with most commands (--help all says what they do):\n";
    for (const std::string& line : wrapped(names, help_width() - 2)) out += "  " + line + "\n";
  }
  return out;
}

}  // namespace vprism
