// manual.h: man pages and shell completion, made from the same tables as the help.
#pragma once

#include <string>

namespace vprism {

/// A man page (roff): of the program, or of one command. Throws Error(usage) for an unknown command.
std::string manual_page(const std::string& command);

/// Completion of commands, options and the values of those that have a choice, for "bash" or "zsh". Throws
/// Error(usage).
std::string completion_script(const std::string& shell);

/// Names of all commands, one a line.
std::string command_list();

/// "vprism 0.1.0" and the libraries it was built with.
std::string version_text();

}  // namespace vprism
