// settings_file.h: options that hold without being typed: vprism.toml in the working folder or above, then
// the user's own in $XDG_CONFIG_HOME/vprism.
//
//     [all]                       for every command that has the option
//     threads = 2
//     [spectrum]                  for one command
//     window = "flat-top"
//     [file."drive*.csv"]         for inputs of that name
//     calibrate = ["phase U: probe 10", "current: sensitivity 100 mV/A"]
//
// What is typed goes before what a file says; of the files the nearest; within it inputs before the command
// before all.
#pragma once

#include <string>
#include <vector>

#include "frame/options.h"

namespace vprism {

struct SavedSetting {
  std::string option;
  std::vector<std::string> values;  ///< One; several of an option that may be repeated; none of a switch.
  std::string where;                ///< "/home/a/vprism.toml:3"
};

/// Files that are there, the nearest first.
std::vector<std::string> settings_files();

/// What holds for the commands (a batch has two) on these inputs, each option once. Throws Error(usage) with
/// file and line for what can't be understood.
std::vector<SavedSetting> saved_settings(const std::vector<std::string>& commands,
                                         const std::vector<std::string>& inputs);

/// Sets those of the options that are not among the given ones; the settings as the document lists them:
/// option and where it came from.
Json apply_saved(const std::vector<SavedSetting>& saved, const std::vector<OptionGroup>& groups,
                 const GivenOptions& given);

/// Writes what was typed to vprism.toml in the working folder as the command's section. Throws Error(output)
/// where there is such a section already, or the file can't be written.
void save_settings(const std::string& command, const GivenOptions& given);

/// "vprism settings [COMMAND]": files, and what they say.
std::string settings_text(const std::string& command);

}  // namespace vprism
