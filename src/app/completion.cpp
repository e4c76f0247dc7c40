// completion.cpp: see completion.h.
#include "app/completion.h"

#include <algorithm>
#include <filesystem>
#include <utility>

#include "app/help.h"
#include "base/text.h"
#include "condition/chain.h"
#include "formats/format.h"
#include "frame/command.h"
#include "frame/toml_file.h"
#include "transform/windows/window.h"

namespace vprism {

namespace {

/// A word, and what it is about.
using Offer = std::pair<std::string, std::string>;
using Offers = std::vector<Offer>;

Offers commands(bool only_for_recordings) {
  Offers out;
  for (const CommandEntry& entry : command_table())
    if (!only_for_recordings || *entry.inputs != '\0') out.emplace_back(entry.name, entry.summary);
  return out;
}

/// The values of an option that has a choice: "png|svg|none".
Offers choices(const Option& option) {
  Offers out;
  if (option.value.find('|') == std::string::npos) return out;
  for (const std::string& word : split(option.value, '|'))
    if (!word.empty() && word.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789-") == std::string::npos)
      out.emplace_back(word, "");
  return out;
}

/// What the shell passes on as it was typed: without the quotation mark that is still open, or blanks behind
/// backslashes.
std::string unquoted(const std::string& word) {
  std::string out;
  for (std::size_t i = 0; i < word.size(); ++i) {
    if (word[i] == '\'' || word[i] == '"') continue;
    if (word[i] == '\\' && i + 1 < word.size()) ++i;
    out += word[i];
  }
  return out;
}

Offers channels_in(const std::vector<std::string>& files) {
  Offers out;
  for (const std::string& file : files) {
    std::error_code code;
    if (!std::filesystem::is_regular_file(file, code)) continue;
    try {
      const std::unique_ptr<SampleSource> source = open_recording(file, {});
      for (const Channel& channel : source->recording().channels)
        if (std::none_of(out.begin(), out.end(), [&](const Offer& o) { return o.first == channel.name; }))
          out.emplace_back(channel.name, channel.unit.text());
    } catch (const std::exception&) {
      continue;  // A completion is no place for errors.
    }
  }
  return out;
}

Offers suspects_in(const std::vector<std::string>& files) {
  Offers out;
  for (const std::string& file : files) {
    if (file.size() < 5 || file.compare(file.size() - 5, 5, ".toml") != 0) continue;
    try {
      const toml::table table = read_toml_file(file);
      if (const toml::array* const all = table["suspect"].as_array())
        for (const toml::node& one : *all)
          if (const toml::table* const suspect = one.as_table())
            if (const auto name = (*suspect)["name"].value<std::string>()) out.emplace_back(*name, file);
    } catch (const std::exception&) {
      continue;
    }
  }
  return out;
}

/// Offers for what stands behind the last of the `parting` characters.
Offers behind(const std::string& typed, const std::string& parting, const Offers& offers,
              const std::string& glue) {
  const std::size_t at = typed.find_last_of(parting);
  std::string head = at == std::string::npos ? "" : typed.substr(0, at + 1) + glue;
  Offers out;
  for (const auto& [word, about] : offers) out.emplace_back(head + word, about);
  return out;
}

/// By what the help says that stands behind the option: "CHANNEL", "WINDOW,...", "'STEP | STEP'".
Offers values_of(const Option& option, const std::string& typed, const std::vector<std::string>& words) {
  const auto says = [&](const char* word) { return option.value.find(word) != std::string::npos; };
  Offers all;
  if (says("WINDOW")) {
    for (const WindowEntry& entry : window_table())
      all.emplace_back(Window{entry.kind, entry.parameter}.name(), entry.what);
    return behind(typed, ",", all, "");
  }
  if (says("STEP | STEP") || says("CHAIN")) {
    for (const StageEntry& entry : stage_table()) all.emplace_back(entry.name, entry.what);
    return behind(typed, "|", all, " ");
  }
  if (option.value == "CHANNEL" || says("GLOB")) return channels_in(words);
  if (says("'CHANNEL: ")) {
    if (typed.find(':') != std::string::npos) return {};
    for (auto& [name, unit] : channels_in(words)) all.emplace_back(name + ":", unit);
    return all;
  }
  if (says("SUSPECT")) return behind(typed, ",", suspects_in(words), "");
  return choices(option);
}

/// Those that begin as what was typed.
std::string lines_of(const Offers& offers, const std::string& typed) {
  std::string out;
  for (const auto& [word, about] : offers)
    if (starts_with(word, typed)) out += clean_text(word) + "\t" + clean_text(about, 100) + "\n";
  return out;
}

}  // namespace

std::string completions(const std::vector<std::string>& words) {
  const std::string typed = unquoted(words.empty() ? "" : words.back());
  if (words.size() < 2) {
    Offers first = commands(false);
    for (const char* word : {"help", "settings"}) first.emplace_back(word, "");
    for (const char* word : {"--help", "--version", "--manual", "--completion", "--schema"})
      first.emplace_back(word, "");
    return lines_of(first, typed);
  }
  std::string command = words.front();
  if (command == "help" || command == "--help" || command == "--manual") {
    Offers about = commands(false);
    for (const Topic& topic : topic_table()) about.emplace_back(topic.name, topic.title);
    return lines_of(about, typed);
  }
  if (command == "--completion") return lines_of({{"bash", ""}, {"zsh", ""}, {"fish", ""}}, typed);
  if (command == "settings") return lines_of(commands(false), typed);
  std::vector<std::string> before;
  for (std::size_t i = 1; i + 1 < words.size(); ++i) before.push_back(unquoted(words[i]));
  std::vector<OptionGroup> groups;
  std::vector<std::unique_ptr<Task>> tasks;  // What options are bound to.
  const auto take = [&](const std::string& name) {
    const CommandEntry* const entry = command_named(name);
    if (entry == nullptr) return;
    tasks.push_back(entry->make());
    for (OptionGroup& group : tasks.back()->options()) groups.push_back(std::move(group));
  };
  take(command);
  if (command == "batch") {
    const auto run = std::find_if(before.begin(), before.end(),
                                  [](const std::string& w) { return command_named(w) != nullptr; });
    if (run == before.end() && !starts_with(typed, "-")) return lines_of(commands(true), typed);
    if (run != before.end()) take(*run);
  }
  if (!before.empty() && starts_with(before.back(), "--"))
    for (const OptionGroup& group : groups)
      for (const Option& option : group.options)
        if ("--" + option.name == before.back() && !option.value.empty())
          return lines_of(values_of(option, typed, before), typed);
  if (!starts_with(typed, "-")) return "";
  Offers options;
  for (const OptionGroup& group : groups)
    for (const Option& option : group.options)
      if (std::none_of(options.begin(), options.end(),
                       [&](const Offer& o) { return o.first == "--" + option.name; }))
        options.emplace_back("--" + option.name, option.help);
  options.emplace_back("--help", "show the options");
  return lines_of(options, typed);
}

std::string completion_script(const std::string& shell) {
  if (shell == "bash")
    return R"(# Completion for vprism in bash, made by `vprism --completion bash`.
_vprism() {
  local line word offers=()
  while IFS= read -r line; do
    word=${line%%$'\t'*}
    [[ $word == *[!a-zA-Z0-9_./:,+=@%-]* && ${COMP_WORDS[COMP_CWORD]} != [\'\"]* ]] && word=\'${word//\'/\'\\\'\'}\'
    offers+=("$word")
  done < <("${COMP_WORDS[0]}" --complete "${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null)
  COMPREPLY=("${offers[@]}")
}
complete -o default -F _vprism vprism
)";
  if (shell == "zsh")
    return R"(#compdef vprism
# Completion for vprism in zsh, made by `vprism --completion zsh`.
_vprism() {
  local -a lines offers shown
  local line
  lines=("${(@f)$("${words[1]}" --complete "${(@)words[2,CURRENT]}" 2>/dev/null)}")
  for line in $lines; do
    [[ -n $line ]] || continue
    offers+=("${line%%$'\t'*}")
    shown+=("${line/$'\t'/  -- }")
  done
  if (( $#offers )); then
    compadd -U -d shown -a offers
  else
    _files
  fi
}
_vprism "$@"
)";
  if (shell == "fish")
    return R"(# Completion for vprism in fish, made by `vprism --completion fish`.
function __vprism_offers
  set -l words (commandline -opc) (commandline -ct)
  $words[1] --complete $words[2..-1] 2>/dev/null
end
complete -c vprism -k -a '(__vprism_offers)'
)";
  throw Error(Status::usage, unknown_name("shell", shell, {"bash", "zsh", "fish"}));
}

}  // namespace vprism
