// manual.h: man pages and shell completion, made from the same tables as the help.
#pragma once

#include <string>

namespace vprism {

/// A man page (roff): of the program, of one command, or of a topic. Throws Error(usage) for another word.
std::string manual_page(const std::string& command);

/// Names of all commands, one a line.
std::string command_list();

/// Names of all topics, one a line.
std::string topic_list();

/// "vprism 0.1.0, revision 1a2b3c4d5e6f" and the libraries it was built with.
std::string version_text();

}  // namespace vprism
