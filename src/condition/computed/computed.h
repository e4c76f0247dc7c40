// computed.h: channels computed from others, sample by sample: power (W) = "phase U" * current. Values are in
// SI while they are computed with, so that millivolts and volts may meet; units follow from the expression
// and are checked.
#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "condition/stage.h"

namespace vprism {

struct ComputeRule {
  std::string name;
  std::string unit;  ///< As stated; "" where it follows.
  std::string expression;
};

/// "NAME (UNIT) = EXPRESSION", the unit being optional. Throws Error(usage).
ComputeRule parse_compute_rule(std::string_view text);

/// Appends the rules' channels, whatever their order, and hands on those that `channels` names (names,
/// numbers or globs; empty: all). `start` throws Error(usage) for names that are not there, rules that need
/// each other, an expression that can't be read, and units that do not fit.
std::unique_ptr<Stage> make_compute_stage(std::vector<ComputeRule> rules, std::vector<std::string> channels);

}  // namespace vprism
