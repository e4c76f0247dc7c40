// line_watch.h: how lines behave from segment to segment, and between channels.
#pragma once

#include <complex>
#include <memory>
#include <optional>
#include <vector>

#include "signal/block.h"
#include "transform/spectrum.h"

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
  /// Per channel: mean square, as Spectrum::power has it.
  std::vector<double> power;
  /// Per channel: standard deviation of |X|^2 over its mean; 1 for noise, 0 for a steady sine without noise.
  std::vector<double> spread;
  /// Per channel: |mean of X' conj X exp(-i 2 pi f hop)| / mean |X|^2 for neighbouring segments: 1 for a
  /// steady sine, what the overlap shares for noise.
  std::vector<double> steadiness;
  /// Mean of X_i conj X_j, row by row.
  std::vector<std::complex<double>> cross;
  /// The same of the bins below and above the middle of a hump's width; empty where it has none.
  std::vector<std::complex<double>> lower_cross, upper_cross;
  /// Of the watched channel: time of each segment's middle, and frequency of the highest point within reach.
  std::vector<double> time_s, frequency_hz;

  std::size_t channels() const { return power.size(); }
  std::complex<double> cross_of(std::size_t i, std::size_t j) const { return cross[i * channels() + j]; }
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
};

/// The plan for watching: the spectrum's own, or shorter segments where those are fewer than sixteen.
SpectrumPlan plan_watch(const SpectrumPlan& spectrum, const SpectrumSettings& settings, std::int64_t samples);

/// Pushed blocks, asked once. Memory grows with watches and segments, not with the record: beyond 2048
/// segments tracks are kept of every second, fourth, ... one.
class LineWatch {
 public:
  LineWatch(const SpectrumPlan& plan, const Window& window, std::vector<Watch> watches);
  ~LineWatch();
  void add(const Block& block);
  /// Throws Error(analysis) if not one segment came.
  std::vector<WatchResult> result();

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

}  // namespace vprism
