// field.h: a recording of many points, looked at as a whole: mean spectrum, level in time, maps, shapes.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "field/field_estimator.h"
#include "field/geometry.h"
#include "identify/modes/mode_fit.h"
#include "signal/points.h"

namespace vprism {

struct FieldSettings {
  std::optional<std::size_t> first_frame, last_frame;  ///< From 0, both ends used.
  std::size_t frame_step = 1;
  std::vector<std::size_t> leave_out;  ///< Frames that count as missing.
  std::vector<std::size_t> variables;  ///< Empty: all.
  std::optional<Region> region;
  std::size_t every = 1;                  ///< Every so manieth row and column of a grid, or point.
  std::optional<double> low_hz, high_hz;  ///< Peaks are looked for between these.
  double smooth_radius = 0;               ///< Amplitudes are means over the points within it; 0: as they are.
  std::optional<Window> window;  ///< Not given: rectangular where the record dies away, Hann otherwise.
  int derive = 0;
  std::vector<double> at_hz;  ///< Where shapes are told; empty: at the peaks.
  std::size_t most_peaks = 4;
  std::optional<std::size_t>
      phase_point;                   ///< Phases are told against it (an index); the strongest otherwise.
  std::vector<std::size_t> watched;  ///< Points whose spectra are kept.
  std::size_t group_bytes = std::size_t{96} << 20;  ///< Memory for one group of points.
  FieldEstimator::Keep keep;                        ///< Handed all transforms, in the last pass.
};

/// Motion of all points at one frequency. Amplitudes are peaks, of the whole (windowed) record.
struct FieldShape {
  double hz = 0, hz_std = 0;
  double damping = 0, damping_std = 0;                       ///< Of a free decay; 0: not told.
  std::vector<std::vector<std::complex<double>>> amplitude;  ///< [variable][point]; NaN where left out.
  double mean_level = 0;  ///< Root of the mean over points of the squared amplitudes, all variables together.
  double max_level = 0;   ///< Greatest amplitude of a point, all variables together.
  std::size_t max_point = 0;
  std::size_t phase_point = 0;  ///< Phases are told against it.
  double collinearity = 1;      ///< 1: all points move in step or against it (a standing shape).
  bool standing() const { return collinearity > 0.9; }
};

struct FieldResult {
  std::vector<Node> points;  ///< Those looked at.
  std::vector<Channel> variables;
  FieldPlan plan;
  FieldSums sums;
  bool decays = false;      ///< A ring-down.
  double left = 0;          ///< RMS of the last tenth of the frames over that of the first.
  double falls_to_1_s = 0;  ///< When it would have fallen to 1%.
  std::size_t before = 0;   ///< Frame at which the ring-down begins, those before left out; 0: at once.
  std::size_t behind = 0;   ///< Frame from which noise has it, left out with those after; 0: none.
  std::vector<std::size_t> ruined;              ///< Frames that stand out alone and are left out.
  std::vector<FieldShape> shapes;               ///< By frequency.
  std::vector<std::vector<double>> assurances;  ///< Modal assurance criterion of each with each.
  std::size_t phase_point = 0;                  ///< Where the strongest shape is greatest, or as asked for.
  std::vector<Caution> cautions;

  double frequency_hz(std::size_t bin) const { return static_cast<double>(bin) * plan.bin_hz(); }
  /// Whether a variable has the first one's unit.
  bool shares_unit(std::size_t variable) const;
  /// Mean and greatest powers of all variables that share the first one's unit.
  std::vector<double> mean_power() const;
  std::vector<double> max_power() const;
  /// Root of the sum of squares over variables of |amplitude|.
  static double size_at(const FieldShape& shape, std::size_t point);
};

/// Mean, greatest and collinearity from the amplitudes.
void finish_shape(FieldShape& shape);

/// Told how many points are done of how many, over all passes.
using FieldProgress = std::function<void(std::size_t done, std::size_t all)>;

/// Two passes over the source where peaks have to be found first, one otherwise; groups of points are read
/// while the last ones are worked on. Throws Error(usage) for choices that leave nothing, Error(analysis).
FieldResult analyse_field(PointSource& source, const FieldSettings& settings,
                          const FieldProgress& progress = {});

/// Places where a standing shape does not move: crossings of zero along lines between neighbours, for one
/// variable.
std::vector<Node> nodal_places(const std::vector<Node>& points, const FieldShape& shape,
                               std::size_t variable);

}  // namespace vprism
