// spectrum.h: averaged spectra by overlapped, windowed segments: how a record is cut, and what comes out.
#pragma once

#include <complex>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "transform/spectra/scale.h"
#include "transform/windows/window.h"

namespace vprism {

/// How segments become one spectrum.
enum class Average { mean, amplitude, exponential, median, peak_hold, min_hold };

struct AverageEntry {
  Average average;
  const char* name;
  const char* what;
};
const std::vector<AverageEntry>& average_table();
Average parse_average(std::string_view text);

struct SpectrumSettings {
  Window window;
  std::optional<double> resolution_hz;  ///< RBW asked for; sets the segment. Not together with `segment`.
  std::optional<std::size_t> segment;   ///< Samples per segment, any length.
  double overlap = 0.5;                 ///< Share of a segment that the next one repeats, 0 to 0.95.
  Average average = Average::mean;
  double exponential_segments = 8;  ///< Averages::exponential: the newest segment counts one over this.
  std::size_t pad = 1;              ///< Bins are this many times closer by zeros behind each segment.
  /// Part of the band that is looked at, in Hz from the centre; a padded transform may leave out the rest.
  std::optional<std::pair<double, double>> band;
  std::size_t tapers = 0;     ///< Multitaper: this many in place of the window.
  double half_bandwidth = 4;  ///< Of the tapers, in bins.
};

/// How a record of `samples` at `rate_hz` is cut. Without resolution or segment: the whole record up to
/// 49,151 samples, beyond that an eighth of it, at least 32,768 and at most 131,072, in steps of half a
/// segment or a little less, so that the last one ends with the record (but for a sample for each). Throws
/// Error(analysis) when the record is too short, saying how long it must be.
struct SpectrumPlan {
  std::size_t segment = 0, hop = 0;
  std::int64_t averages = 0;
  double rate_hz = 0;
  double bin_hz = 0;  ///< rate / segment, or what padding with zeros makes of it
  double rbw_hz = 0;  ///< ENBW * rate / segment
  double segment_s() const { return static_cast<double>(segment) / rate_hz; }
};
SpectrumPlan plan_spectrum(const SpectrumSettings& settings, std::int64_t samples, double rate_hz);

/// Averaged spectrum of one channel. Bin k lies at frequency_hz(k); for a whole one-sided spectrum k *
/// bin_hz, k = 0 .. segment / 2. Two-sided ones, of complex channels, rise from below their centre to above
/// it.
struct Spectrum {
  SpectrumPlan plan;
  Window window;
  Average average = Average::mean;
  std::size_t tapers = 0;
  double centre_hz = 0;   ///< What the channel was shifted down by; bins count from there.
  double start_bins = 0;  ///< Place of bin 0, in bins from the centre.
  bool two_sided = false;
  std::size_t zoomed = 1;     ///< Factor by which the rate was lowered before.
  std::size_t transform = 0;  ///< Points of it; the segment, or more where that was padded with zeros.
  std::vector<double>
      power;  ///< Mean square per bin: |X|^2 / sum(w)^2, times 2 where mirror images fold onto it.
  std::vector<std::complex<double>> first;  ///< Transform of the first segment, divided by sum(w).
  /// The same average over each of some equal stretches of the record, in order; empty where it is too short.
  std::vector<std::vector<double>> stretches;
  double enbw_bins = 1;
  double mean = 0;  ///< Of all samples, without a window: what bin 0 shows holds the lobes of low tones too.
  double variance = 0;  ///< Mean square of all samples about their mean; 0: not known.
  /// Independent segments that the average is worth for noise; below `plan.averages` when segments overlap.
  double noise_averages = 1;

  std::size_t bins() const { return power.size(); }
  double hz_at(double bins) const { return centre_hz + (start_bins + bins) * plan.bin_hz; }
  double frequency_hz(std::size_t bin) const { return hz_at(static_cast<double>(bin)); }
  double bins_at(double hz) const { return (hz - centre_hz) / plan.bin_hz - start_bins; }
  /// Whether lines near the ends meet their mirror images, and bin 0 is DC.
  bool mirrored() const { return !two_sided && start_bins == 0; }
  /// How many bins of a two-sided spectrum fold onto one between the ends.
  double fold() const { return two_sided ? 1 : 2; }
  /// Whether bin k has a mirror image that was folded onto it.
  bool doubled(std::size_t bin) const {
    return !two_sided && (start_bins != 0 || (bin != 0 && 2 * bin != transform));
  }
  /// Square of peak over RMS of a line in bin k.
  double crest(std::size_t bin) const { return doubled(bin) ? 2 : 1; }
  double level(std::size_t bin, Scale scale) const {
    return level_of(power[bin], scale, crest(bin), plan.rbw_hz, plan.segment_s());
  }
  /// Mean square that a bin stands for when bins are added up: windows tell each line several times.
  double share(std::size_t bin) const { return power[bin] / enbw_bins; }
  /// The same without the bins that padding put between: where lines are fitted.
  Spectrum unpadded() const;
  /// The bins within `low_hz` .. `high_hz` alone.
  Spectrum cropped(double low_hz, double high_hz) const;
  /// First and past-the-last bin within `low` .. `high`, in Hz; open ends where not given.
  std::pair<std::size_t, std::size_t> bins_within(std::optional<double> low,
                                                  std::optional<double> high) const;
  /// RMS of what stands within a window's main lobe around a frequency; `half_width_bins` from
  /// window_half_width_bins.
  double rms_around(double hz, double half_width_bins) const;
  /// Root of the sum of the density over all bins: the RMS of the windowed record, DC included.
  double rms_total() const;
};

}  // namespace vprism
