// line_watch.h: how lines behave from segment to segment, and between channels.
#pragma once

#include <complex>
#include <memory>
#include <optional>
#include <vector>

#include "signal/block.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// A place in the spectrum that is looked at in every segment and every channel.
struct Watch {
  double hz = 0;
  double reach_hz = 0;      ///< How far to each side a drifting line is followed.
  std::size_t channel = 0;  ///< In which it is followed.
  double width_hz = 0;      ///< Of a hump: powers and cross powers are means over bins within this width.
};

/// What a place showed.
struct WatchResult {
  Watch watch;
  std::int64_t segments = 0;
  double noise_averages = 1;  ///< Independent segments that they are worth.
  /// Channels that were looked at, ascending: all of a recording of few, else the watched one and the inputs.
  std::vector<std::size_t> columns;
  /// Those of them whose cross powers with all of them are kept.
  std::vector<std::size_t> rows;
  /// Per column: mean square, as Spectrum::power has it.
  std::vector<double> power;
  /// Per column: standard deviation of |X|^2 over its mean; 1 for noise, 0 for a steady sine without noise.
  std::vector<double> spread;
  /// Per column: |mean of X' conj X exp(-i 2 pi f hop)| / mean |X|^2 for neighbouring segments: 1 for a
  /// steady sine, what the overlap shares for noise.
  std::vector<double> steadiness;
  /// Mean of X_i conj X_j, row by row, a number for each column.
  std::vector<std::complex<double>> cross;
  /// The same of the bins below and above the middle of a hump's width; empty where it has none.
  std::vector<std::complex<double>> lower_cross, upper_cross;
  /// Of the watched channel: time of each segment's middle, and frequency of the highest point within reach.
  std::vector<double> time_s, frequency_hz;

  // Channels are named by their numbers in the recording; of one that was not looked at all is zero.
  double power_of(std::size_t channel) const { return value_of(power, channel); }
  double spread_of(std::size_t channel) const { return value_of(spread, channel); }
  double steadiness_of(std::size_t channel) const { return value_of(steadiness, channel); }
  std::complex<double> cross_of(std::size_t i, std::size_t j) const { return cross_within(cross, i, j); }
  /// |G_ij|^2 / (G_ii G_jj).
  double coherence(std::size_t i, std::size_t j) const;
  /// Of channel i less that of j.
  double phase_deg(std::size_t i, std::size_t j) const;
  /// How much the phase of channel i less that of j turns from the lower to the upper half of a hump's width,
  /// -180 to 180; nothing without a width. Against what drives it, a resonance turns it back by a good part
  /// of half a turn.
  std::optional<double> phase_turn_deg(std::size_t i, std::size_t j) const;
  /// Share of channel `y` that the channels `inputs` explain together by linear paths (multiple coherence).
  double explained(std::size_t y, const std::vector<std::size_t>& inputs) const;
  /// Coherence of y with x when what the channels `others` explain is taken off both (partial coherence).
  double partial(std::size_t y, std::size_t x, const std::vector<std::size_t>& others) const;
  /// What coherence noise alone exceeds with probability p: 1 - p^(1 / (n - inputs)).
  double chance_coherence(double p, std::size_t inputs = 1) const;

 private:
  double value_of(const std::vector<double>& values, std::size_t channel) const;
  std::complex<double> cross_within(const std::vector<std::complex<double>>& values, std::size_t i,
                                    std::size_t j) const;
};

/// The plan for watching: the spectrum's own, or shorter segments where those are fewer than sixteen.
SpectrumPlan plan_watch(const SpectrumPlan& spectrum, const SpectrumSettings& settings, std::int64_t samples);

/// Pushed blocks, asked once. Memory grows with watches and segments, not with the record: beyond 2048
/// segments tracks are kept of every second, fourth, ... one. Each watch looks into all channels of a
/// recording of up to 64; of one with more into its own and those of `inputs`. Cross powers are kept of the
/// same, or of all where there are up to 8.
class LineWatch {
 public:
  LineWatch(const SpectrumPlan& plan, const Window& window, std::vector<Watch> watches,
            std::vector<std::size_t> inputs = {});
  ~LineWatch();
  void add(const Block& block);
  /// Throws Error(analysis) if not one segment came.
  std::vector<WatchResult> result();

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

}  // namespace vprism
