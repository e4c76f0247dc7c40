// help.h: what the program says about itself: help texts, topics, docs/commands.md.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/text.h"
#include "frame/command.h"

namespace vprism {

std::string program_help();
/// `all`: with the options that most commands have.
std::string command_help(const CommandEntry& entry, const std::vector<OptionGroup>& groups, bool all);

/// Commands by what one wants of them; each is in one group.
struct CommandGroup {
  const char* title;
  std::vector<const char*> commands;
};
const std::vector<CommandGroup>& command_groups();

/// A table of the program's own, for `--help TOPIC`: windows, chain, terms, formats.
struct Topic {
  const char* name;
  const char* title;
  TextTable (*table)();
};
const std::vector<Topic>& topic_table();
/// Throws Error(usage) with the nearest known topic.
std::string topic_help(const std::string& name);

}  // namespace vprism
