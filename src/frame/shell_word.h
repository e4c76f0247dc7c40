// shell_word.h: names in command lines that are shown to be typed.
#pragma once

#include <string>

namespace vprism {

/// As a shell takes it: in single quotes, unless it has only letters, digits and what means nothing to one.
std::string shell_word(const std::string& text);

}  // namespace vprism
