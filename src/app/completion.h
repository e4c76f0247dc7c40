// completion.h: what a shell may offer behind the words that stand on its line.
#pragma once

#include <string>
#include <vector>

namespace vprism {

/// Lines of a word each, a tab and what it is about behind it: what may stand in the place of the last of
/// `words`, those behind the program's name. Nothing where names of files may stand. Names of channels and of
/// suspects are looked up in the files that the words name; never an error.
std::string completions(const std::vector<std::string>& words);

/// The script that makes "bash", "zsh" or "fish" ask the program. Throws Error(usage).
std::string completion_script(const std::string& shell);

}  // namespace vprism
