// record_verdict.h: what a whole record holds: bands, what dies away, jumps, swings, comes and goes, each
// taken off before the rest is judged.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "identify/courses/gated_lines.h"
#include "identify/courses/line_states.h"
#include "identify/courses/noise_course.h"
#include "identify/courses/run_up.h"
#include "identify/courses/slow_course.h"
#include "identify/swings/frequency_swing.h"
#include "identify/verdict/band_search.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism {

/// What a record was found to hold.
struct RecordVerdict {
  std::vector<JudgedBand> bands;
  std::vector<Peak> peaks;           ///< What `members` of the bands number.
  std::vector<double> floor;         ///< Noise power per bin once what dies away or jumps has been taken off.
  std::vector<double> rest;          ///< The samples less what dies away or jumps; empty where nothing does.
  std::optional<LineStates> states;  ///< A line that jumps, its `rest` moved to the one above.
  std::vector<LineStates> gated;     ///< Lines that come and go together, in the same way.
  std::optional<LevelShift> shift;   ///< A step of the level, in the same way.
  /// Per sample, of a straight line that was taken off beside lines of few periods.
  std::optional<double> slope;
  std::vector<FrequencySwing> swings;  ///< Carriers whose frequency swings far, in the same way.
  std::vector<RunUp> run_ups;          ///< Lines that move and keep their ratios, in the same way.
  std::optional<NoiseCourse> noise;    ///< Noise that is louder at some times.
};

/// Bands of a record (band_search.h). What dies away is taken off and the spectrum of the rest searched
/// again, as long as something new turns up. So is a line that jumps between states, where steady, decaying,
/// stepping and moving lines leave more than 3% of the mean square, and there the orders of what runs up or
/// down, and carriers whose frequency swings;
/// first of all a straight line that holds nine tenths of the mean square. Where noise is louder at some
/// times, only what stands out of it with its level evened, too, is kept. `settings` are those of the
/// spectrum, `choose` leaves out peaks that were not asked for.
RecordVerdict judge_record(std::span<const double> samples, const Spectrum& spectrum,
                           const SpectrumSettings& settings, const PeakSettings& search,
                           std::vector<double> floor, std::vector<Peak> peaks,
                           const std::function<void(std::vector<Peak>&)>& choose);

}  // namespace vprism
