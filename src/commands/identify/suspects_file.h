// suspects_file.h: the line-up as a TOML file (docs/formats.md).
#pragma once

#include <string>

#include "identify/findings/lineup.h"

namespace vprism {

/// A suspect whose speed a channel tells: its strongest steady line, over the pulses of one turn.
struct Tachometer {
  std::string suspect, channel;
  double pulses = 1;
};

struct SuspectsFile {
  LineUp lineup;
  std::vector<Tachometer> tachometers;
};

/// Throws Error(input) when the file can't be read, Error(usage) with line and key when it is wrong.
SuspectsFile read_suspects(const std::string& path);

}  // namespace vprism
