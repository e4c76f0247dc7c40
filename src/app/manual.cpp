// manual.cpp: see manual.h.
#include "app/manual.h"

#include <algorithm>

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

std::string header(const std::string& name) {
  std::string upper = name;
  std::transform(upper.begin(), upper.end(), upper.begin(),
                 [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
  return ".TH " + upper + " 1 \"\" \"vprism " + version() + "\" \"Vast Prism\"\n";
}

std::string status_part() {
  return ".SH EXIT STATUS\n"
         "0 done; 1 done, and a limit or a check failed; 2 the command line or the case file is wrong; 3 an "
         "input "
         "can't be read; 4 the analysis can't be made from this data; 5 an output can't be written.\n";
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

/// The values of an option that has a choice: "png|svg|none".
std::vector<std::string> choices(const Option& option) {
  if (option.value.find('|') == std::string::npos) return {};
  std::vector<std::string> out;
  for (const std::string& word : split(option.value, '|')) {
    const bool plain =
        !word.empty() && word.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789-") == std::string::npos;
    if (plain) out.push_back(word);
  }
  return out;
}

std::string words_of(const std::vector<std::string>& words) {
  std::string out;
  for (const std::string& word : words) out += (out.empty() ? "" : " ") + word;
  return out;
}

std::string cases_of(std::string& commands) {
  std::string cases;
  for (const CommandEntry& entry : command_table()) {
    commands += (commands.empty() ? "" : " ") + std::string(entry.name);
    std::vector<std::string> options = {"--help"};
    std::string values;
    const std::unique_ptr<Task> task = entry.make();
    for (const OptionGroup& group : task->options())
      for (const Option& option : group.options) {
        options.push_back("--" + option.name);
        if (const auto list = choices(option); !list.empty())
          values += "        --" + option.name + ") words=\"" + words_of(list) + "\" ;;\n";
      }
    cases += "    " + std::string(entry.name) + ")\n      options=\"" + words_of(options) +
             "\"\n      case \"$before\" in\n" + values + "      esac ;;\n";
  }
  return cases;
}

std::string bash_script() {
  std::string commands;
  const std::string cases = cases_of(commands);
  return "# Completion for vprism in bash, made by `vprism --completion bash`.\n"
         "_vprism() {\n"
         "  local word=\"${COMP_WORDS[COMP_CWORD]}\" before=\"${COMP_WORDS[COMP_CWORD-1]}\" options=\"\" "
         "words=\"\"\n"
         "  COMPREPLY=()\n"
         "  if [ \"$COMP_CWORD\" -eq 1 ]; then\n"
         "    COMPREPLY=($(compgen -W \"" +
         commands +
         " --help --version\" -- \"$word\"))\n"
         "    return\n"
         "  fi\n"
         "  case \"${COMP_WORDS[1]}\" in\n" +
         cases +
         "  esac\n"
         "  if [ -n \"$words\" ]; then\n"
         "    COMPREPLY=($(compgen -W \"$words\" -- \"$word\"))\n"
         "  elif [[ \"$word\" == -* ]]; then\n"
         "    COMPREPLY=($(compgen -W \"$options\" -- \"$word\"))\n"
         "  fi\n"
         "}\n"
         "complete -o default -F _vprism vprism\n";
}

/// In single quotes for the shell, brackets and colons escaped for zsh's descriptions.
std::string zsh_text(const std::string& text) {
  std::string out;
  for (const char c : text) {
    if (c == '\'') {
      out += "'\\''";
      continue;
    }
    if (c == '[' || c == ']' || c == ':' || c == '\\') out += '\\';
    out += c;
  }
  return out;
}

std::string zsh_script() {
  std::string commands, cases;
  for (const CommandEntry& entry : command_table()) {
    commands += "    '" + std::string(entry.name) + ":" + zsh_text(entry.summary) + "'\n";
    cases += "    " + std::string(entry.name) + ")\n      _arguments -s \\\n";
    const std::unique_ptr<Task> task = entry.make();
    for (const OptionGroup& group : task->options())
      for (const Option& option : group.options) {
        std::string line = option.repeatable ? "'*--" : "'--";
        line += option.name + "[" + zsh_text(option.help) + "]";
        if (!option.value.empty()) {
          const auto list = choices(option);
          line += ":" + zsh_text(option.value) + ":";
          if (!list.empty())
            line += "(" + words_of(list) + ")";
          else if (option.value.find("FILE") != std::string::npos || option.value == "DIR")
            line += "_files";
        }
        cases += "        " + line + "' \\\n";
      }
    cases += "        '--help[show the options]' '*:input:_files' ;;\n";
  }
  return "#compdef vprism\n# Completion for vprism in zsh, made by `vprism --completion zsh`.\n_vprism() {\n "
         " local -a commands\n"
         "  commands=(\n" +
         commands +
         "  )\n  if (( CURRENT == 2 )); then\n    _describe command commands\n    return\n  fi\n"
         "  local command=\"$words[2]\"\n  shift words\n  (( CURRENT-- ))\n  case \"$command\" in\n" +
         cases + "  esac\n}\n_vprism \"$@\"\n";
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
  const CommandEntry* const entry = command_named(command);
  if (entry == nullptr) {
    std::vector<std::string> known;
    for (const CommandEntry& row : command_table()) known.emplace_back(row.name);
    throw Error(Status::usage, unknown_name("command", command, known));
  }
  const std::unique_ptr<Task> task = entry->make();
  return header("vprism-" + command) + ".SH NAME\nvprism\\-" + command + " \\- " + roff(entry->summary) +
         "\n.SH SYNOPSIS\n.B vprism " + command + "\n\\fI" + roff(entry->inputs) +
         "\\fR [\\fIoptions\\fR]\n.SH EXAMPLE\n.EX\n" + roff(entry->example) + "\n.EE\n.PP\n" +
         roff(entry->example_says) + "\n" + options_part(task->options()) + status_part() +
         ".SH SEE ALSO\n.BR vprism (1)\n";
}

std::string completion_script(const std::string& shell) {
  if (shell == "bash") return bash_script();
  if (shell == "zsh") return zsh_script();
  throw Error(Status::usage, unknown_name("shell", shell, {"bash", "zsh"}));
}

std::string command_list() {
  std::string out;
  for (const CommandEntry& entry : command_table()) out += std::string(entry.name) + "\n";
  return out;
}

std::string version_text() {
  return std::string("vprism ") + version() + "\nwith " VPRISM_LIBRARIES "\nGPL-3.0-or-later\n";
}

}  // namespace vprism
