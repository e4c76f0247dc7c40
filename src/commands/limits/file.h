// file.h: limit lines from CSV (or any table over frequency) and TOML (docs/formats.md).
#pragma once

#include <string>
#include <vector>

#include "base/units/unit.h"
#include "identify/findings/limit_line.h"
#include "transform/spectra/scale.h"

namespace vprism {

struct AskedLimit {
  LimitLine line;
  std::string channels = "*";  ///< Name, number or glob.
  Unit unit;                   ///< Of the levels; dimensionless: the channel's own.
  bool decibels = false;       ///< Levels are in dB re 1 of the channel's unit (or --db).
  std::optional<Scale> scale;  ///< What the levels mean; from the unit where it is not said.
  bool peak_detector = false;  ///< Highest of the segments rather than their mean.
};

/// `course`: of lines that do not say theirs. Throws Error(input) or Error(usage).
std::vector<AskedLimit> read_limits(const std::string& path, LimitCourse course);
LimitCourse parse_course(const std::string& text);

}  // namespace vprism
