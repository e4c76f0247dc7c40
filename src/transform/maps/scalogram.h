// scalogram.h: the continuous wavelet transform, streamed, as a map of levels.
#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "condition/column.h"
#include "signal/block.h"
#include "transform/maps/level_map.h"
#include "transform/maps/wavelet.h"

namespace vprism {

struct ScalogramSettings {
  Wavelet wavelet;
  std::size_t voices = 12;                ///< Per octave.
  std::optional<double> octaves;          ///< Down from the highest frequency.
  std::optional<double> low_hz, high_hz;  ///< Where not given, from the wavelet and the record.
  std::size_t most_columns = 2400;
  /// Moves what every voice reads to the frequency that its phase turns at (Daubechies, Lu & Wu 2011).
  bool squeezed = false;
};

/// Frequencies of the voices: the highest is as far below half the rate as the wavelet's half-height width
/// needs, the lowest has the record's ends within its middle half. Throws Error(analysis) where nothing is
/// left.
struct ScalogramPlan {
  WaveletFigures figures;
  std::vector<double> frequency_hz;  ///< Rising.
  double rate_hz = 0;
  std::int64_t samples = 0;
  double step = 0;  ///< Of the logarithm of frequency from voice to voice.
  /// Seconds from either end within which a voice feels it: more than 1% of |psi| then lies outside.
  double edge_s(double hz) const { return figures.edge / hz; }
  double duration_s() const { return static_cast<double>(samples) / rate_hz; }
};
ScalogramPlan plan_scalogram(const ScalogramSettings& settings, std::int64_t samples, double rate_hz);

/// One channel's map: mean squares, so that a sine of peak A reads A^2 / 2 in its voice.
struct Scalogram {
  LevelMap map;
  /// Columns inside the cone of influence, per row: [first, second).
  std::vector<std::pair<std::size_t, std::size_t>> inside;
};

/// Pushed blocks of a real recording without gaps, asked once. The transform is made in overlapping
/// stretches, low voices from decimated samples, so that memory is the map and some stretches, whatever the
/// record's length. The record is continued at its ends by odd reflection.
class ScalogramEstimator {
 public:
  ScalogramEstimator(const ScalogramPlan& plan, const ScalogramSettings& settings);
  ~ScalogramEstimator();
  ScalogramEstimator(ScalogramEstimator&&) noexcept;
  void add(const Block& block);
  std::vector<Scalogram> result();
  /// Transforms made so far, of one channel: points, whether real, how many. For the bench.
  struct Transforms {
    std::size_t points;
    bool real;
    std::int64_t count;
  };
  std::vector<Transforms> transforms() const;

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

/// The inverse over the voices within low .. high (single-integral reconstruction): a linear-phase filter
/// whose gain is the sum of those voices' transforms. As many samples come out as go in.
std::unique_ptr<ColumnWorker> make_band_extraction(const ScalogramPlan& plan,
                                                   const ScalogramSettings& settings, double low_hz,
                                                   double high_hz);
/// That filter's gain at a frequency.
double band_extraction_gain(const ScalogramPlan& plan, const ScalogramSettings& settings, double low_hz,
                            double high_hz, double hz);

}  // namespace vprism
