// spectrogram.h: spectra of segments against time.
#pragma once

#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "signal/block.h"
#include "transform/maps/level_map.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// One channel's map. A segment stands at its middle; a column holds `group` segments one after the other,
/// each cell the greatest of their mean squares per bin (|X|^2 / sum(w)^2, doubled where folded).
struct Spectrogram {
  Spectrum grid;  ///< Plan, frequencies, window figures; its powers are the mean of all segments.
  LevelMap map;
  std::int64_t segments = 0;
  std::size_t group = 1;  ///< Segments in a column.
};

struct SpectrogramSettings {
  SpectrumSettings spectrum;
  std::size_t most_columns = 1200;                ///< Of the map.
  std::size_t most_cells = std::size_t{1} << 23;  ///< Bins share a row where there would be more.
  /// Every cell's energy is moved to where it belongs by the phase's derivatives (Auger & Flandrin 1995):
  /// rows are half a bin apart, and each tells the power of the lines within it.
  bool reassigned = false;
};

/// How much a record of so many samples is cut for a map, where nothing is asked for: segments of about four
/// times the root of the record, so that both axes have a like number of cells, and steps fine enough for 600
/// columns.
SpectrumSettings spectrogram_cut(SpectrumSettings asked, bool overlap_given, std::int64_t samples);

/// Pushed blocks, asked once. Memory: the map, whatever the length of the record.
class SpectrogramEstimator {
 public:
  /// Told every segment's mean squares per bin, in order: for those who want all of them.
  using RowSink = std::function<void(std::size_t channel, double time_s, std::span<const double> power)>;
  SpectrogramEstimator(const SpectrumPlan& plan, const SpectrogramSettings& settings, RowSink every = {});
  ~SpectrogramEstimator();
  SpectrogramEstimator(SpectrogramEstimator&&) noexcept;
  void add(const Block& block);
  /// One for each channel. Throws Error(analysis) if not one segment came.
  std::vector<Spectrogram> result();

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

}  // namespace vprism
