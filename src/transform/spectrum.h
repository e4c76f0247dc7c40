// spectrum.h: averaged one-sided spectra by overlapped, windowed segments.
#pragma once

#include <complex>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/unit.h"
#include "signal/block.h"
#include "transform/window.h"

namespace vprism {

/// What a spectrum's numbers mean. Amplitudes are in the channel's unit, powers in its square, densities in
/// its square per Hz.
enum class Scale { peak, rms, power, psd };

struct ScaleEntry {
  Scale scale;
  const char* name;
  const char* what;
  bool amplitude;  ///< dB is 20 log10; otherwise 10 log10.
};
const std::vector<ScaleEntry>& scale_table();
const ScaleEntry& scale_entry(Scale scale);
Scale parse_scale(std::string_view text);
/// Unit of a level: "V", "V\u00B2", "V\u00B2/Hz", "(m/s\u00B2)\u00B2/Hz".
std::string scale_unit(const Unit& unit, Scale scale);

struct SpectrumSettings {
  Window window;
  std::optional<double> resolution_hz;  ///< RBW asked for; sets the segment. Not together with `segment`.
  std::optional<std::size_t> segment;   ///< Samples per segment, any length.
  double overlap = 0.5;                 ///< Share of a segment that the next one repeats, 0 to 0.95.
};

/// How a record of `samples` at `rate_hz` is cut. Without resolution or segment: the whole record up to
/// 32,768 samples, beyond that an eighth of it, at least 32,768 and at most 131,072. Throws Error(analysis)
/// when the record is too short, saying how long it must be.
struct SpectrumPlan {
  std::size_t segment = 0, hop = 0;
  std::int64_t averages = 0;
  double rate_hz = 0;
  double bin_hz = 0;  ///< rate / segment
  double rbw_hz = 0;  ///< ENBW * rate / segment
};
SpectrumPlan plan_spectrum(const SpectrumSettings& settings, std::int64_t samples, double rate_hz);

/// Averaged spectrum of one channel. Bin k lies at k * bin_hz, k = 0 .. segment / 2.
struct Spectrum {
  SpectrumPlan plan;
  Window window;
  std::vector<double>
      power;  ///< Mean square per bin: |X|^2 / sum(w)^2, times 2 but at DC and (even segment) Nyquist.
  std::vector<std::complex<double>> first;  ///< Transform of the first segment, divided by sum(w).
  double enbw_bins = 1;
  double mean = 0;  ///< Of all samples, without a window: what bin 0 shows holds the lobes of low tones too.
  /// Independent segments that the average is worth for noise; below `plan.averages` when segments overlap.
  double noise_averages = 1;

  std::size_t bins() const { return power.size(); }
  double frequency_hz(std::size_t bin) const { return static_cast<double>(bin) * plan.bin_hz; }
  /// Whether bin k has a mirror image that was folded onto it.
  bool doubled(std::size_t bin) const { return bin != 0 && 2 * bin != plan.segment; }
  /// Level of bin k: peak is sqrt(2 power) where the bin is doubled and sqrt(power) where it is not; rms is
  /// sqrt(power); psd is power / rbw.
  double level(std::size_t bin, Scale scale) const;
  /// RMS of what stands within a window's main lobe around a frequency; `half_width_bins` from
  /// window_half_width_bins.
  double rms_around(double hz, double half_width_bins) const;
  /// Root of the sum of the density over all bins: the RMS of the windowed record, DC included.
  double rms_total() const;
};

/// Pushed blocks of all channels, asked once. Memory: some segments, whatever the length of the record.
class SpectrumEstimator {
 public:
  SpectrumEstimator(std::size_t channels, const SpectrumPlan& plan, const Window& window);
  ~SpectrumEstimator();
  void add(const Block& block);
  /// One spectrum per channel. Throws Error(analysis) if not one segment has come.
  std::vector<Spectrum> result() const;

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

}  // namespace vprism
