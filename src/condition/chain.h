// chain.h: the conditioning steps as text, and the table of stages they are made from.
#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "condition/stage.h"
#include "condition/step_words.h"
#include "signal/calibration.h"

namespace vprism {

using Chain = std::vector<std::unique_ptr<Stage>>;

/// One row per stage: help texts, error suggestions, docs and tests are made from this table.
struct StageEntry {
  const char* name;
  const char* values;  ///< "T1..T2"
  const char* what;
  const char* example;                ///< A whole step, for error messages.
  std::vector<std::string> keywords;  ///< Words that are no units: "order", "zero-phase".
  std::unique_ptr<Stage> (*make)(StepWords& words);
};
const std::vector<StageEntry>& stage_table();

/// "detrend linear | gate 0.2s..1.5s" -> stages in that order. Throws Error(usage), naming the step.
Chain parse_chain(std::string_view text);

// The stages, one file each.
std::unique_ptr<Stage> make_calibrate_stage(std::vector<CalibrationRule> rules);
std::unique_ptr<Stage> make_unit_stage(std::vector<UnitRule> rules);
std::unique_ptr<Stage> make_linear_map_stage(std::string name, double factor, double offset);

/// What the program puts in before the first step that needs evenly spaced samples where they are not: regrid
/// with its own choices, fit for a band up to `band_hz` (0: none was asked for).
std::unique_ptr<Stage> make_automatic_grid(double band_hz);
/// regrid at this rate, on a grid that has a place at `through_s`.
std::unique_ptr<Stage> make_grid_through(double rate_hz, double through_s);

// Those of the table.
std::unique_ptr<Stage> make_gate_stage(Range times);
std::unique_ptr<Stage> make_detrend_stage(StepWords& words);
std::unique_ptr<Stage> make_despike_stage(StepWords& words);
std::unique_ptr<Stage> make_lowpass_stage(StepWords& words);
std::unique_ptr<Stage> make_highpass_stage(StepWords& words);
std::unique_ptr<Stage> make_bandpass_stage(StepWords& words);
std::unique_ptr<Stage> make_bandstop_stage(StepWords& words);
std::unique_ptr<Stage> make_notch_stage(StepWords& words);
std::unique_ptr<Stage> make_decimate_stage(StepWords& words);
std::unique_ptr<Stage> make_resample_stage(StepWords& words);
std::unique_ptr<Stage> make_regrid_stage(StepWords& words);
std::unique_ptr<Stage> make_integrate_stage(StepWords& words);
std::unique_ptr<Stage> make_differentiate_stage(StepWords& words);
std::unique_ptr<Stage> make_weight_stage(StepWords& words);
std::unique_ptr<Stage> make_fade_stage(StepWords& words);
std::unique_ptr<Stage> make_mean_stage(StepWords& words);
std::unique_ptr<Stage> make_rms_stage(StepWords& words);
std::unique_ptr<Stage> make_envelope_stage(StepWords& words);
std::unique_ptr<Stage> make_delay_stage(StepWords& words);

}  // namespace vprism
