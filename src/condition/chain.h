// chain.h: the conditioning steps as text, and the table of stages they are made from.
#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "base/quantity.h"
#include "condition/stage.h"
#include "signal/calibration.h"

namespace vprism {

using Chain = std::vector<std::unique_ptr<Stage>>;

/// One row per stage: help texts, error suggestions, docs and tests are made from this table.
struct StageEntry {
  const char* name;
  const char* values;  ///< "T1..T2"
  const char* what;
  std::unique_ptr<Stage> (*make)(const std::vector<std::string>& values);
};
const std::vector<StageEntry>& stage_table();

/// "detrend linear | gate 0.2s..1.5s" -> stages in that order. Throws Error(usage), naming the step.
Chain parse_chain(std::string_view text);

// The stages, one file each.
std::unique_ptr<Stage> make_calibrate_stage(std::vector<CalibrationRule> rules);
std::unique_ptr<Stage> make_unit_stage(std::vector<UnitRule> rules);
std::unique_ptr<Stage> make_linear_map_stage(std::string name, double factor, double offset);
std::unique_ptr<Stage> make_gate_stage(Range times);
std::unique_ptr<Stage> make_detrend_stage(int degree);

}  // namespace vprism
