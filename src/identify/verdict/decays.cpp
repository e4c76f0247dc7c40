// decays.cpp: see decays.h.
#include "identify/verdict/decays.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/straight_line.h"
#include "identify/findings/explained.h"
#include "identify/lines/sine_fit.h"
#include "identify/lines/steady_lines.h"
#include "identify/lines/whole_lines.h"

namespace vprism {

namespace {

constexpr double whole_turn = 2 * std::numbers::pi;

/// The model at a sample, also before its start.
class DecayModel {
 public:
  DecayModel(const Exponential& e, double rate_hz)
      : e_(e),
        step_(std::complex<double>(-e.decay_per_s, whole_turn * e.frequency_hz) / rate_hz),
        rate_hz_(rate_hz) {}
  double operator()(std::size_t n) const {
    const double since = static_cast<double>(n) - e_.start_s * rate_hz_;
    const double phase = e_.phase_deg * std::numbers::pi / 180;
    return e_.amplitude * std::exp(step_.real() * since) * std::cos(step_.imag() * since + phase);
  }

 private:
  const Exponential& e_;
  std::complex<double> step_;
  double rate_hz_;
};

/// Moves the start, with amplitude and phase, to another sample.
void start_at(Exponential& e, double rate_hz, std::size_t n) {
  const double later = static_cast<double>(n) / rate_hz - e.start_s;
  const double grown = std::exp(-e.decay_per_s * later);
  e.amplitude_std = std::hypot(e.amplitude_std, e.amplitude * later * e.decay_std_per_s) * grown;
  e.amplitude *= grown;
  e.phase_deg = std::remainder(e.phase_deg + 360 * e.frequency_hz * later, 360);
  e.start_s = static_cast<double>(n) / rate_hz;
}

/// From which sample on the model explains most; it grows without end the other way.
std::size_t onset(std::span<const double> x, double rate_hz, const Exponential& e) {
  const auto at = static_cast<double>(std::lround(e.start_s * rate_hz));
  const double reach = rate_hz / e.decay_per_s;
  const auto low = static_cast<std::size_t>(std::max(0.0, at - 6 * reach));
  const auto high = static_cast<std::size_t>(std::min(static_cast<double>(x.size()), at + 2 * reach));
  return first_explained(x, low, high, DecayModel(e, rate_hz));
}

/// The straight line through `of` is taken off `y`; how far it goes from zero.
double take_line_off(const std::vector<double>& of, std::vector<double>& y) {
  const StraightLine line = straight_line(of);
  for (std::size_t i = 0; i < of.size(); ++i) y[i] -= line.at(i);
  return std::abs(line.mean) + std::abs(line.slope) * line.middle;
}

/// One fit from a start on; whether the samples bear the decay out.
bool fit_from(std::span<const double> x, double rate_hz, std::size_t first, double density, Exponential& e) {
  Exponential moved = e;
  start_at(moved, rate_hz, first);
  // No further than it can be seen.
  const double span = static_cast<double>(x.size() - first) / rate_hz;
  const auto count = static_cast<std::size_t>(std::min(span, 12 / e.decay_per_s) * rate_hz);
  if (count <= 64 || count >= (std::size_t{1} << 22)) return false;
  Sine s;
  s.frequency_hz = moved.frequency_hz, s.amplitude = moved.amplitude, s.phase_deg = moved.phase_deg;
  s.decay_per_s = moved.decay_per_s, s.decays = true, s.noise_variance = density * rate_hz / 2;
  // What was taken off for a level and a trend holds some of the decay, and the other way round: in turns.
  std::vector<double> y(x.begin() + static_cast<std::ptrdiff_t>(first),
                        x.begin() + static_cast<std::ptrdiff_t>(first + count));
  SineFit fit = fit_sines(y, rate_hz, {s}, 8, 1e-9);
  for (int round = 0; round < 3; ++round) {
    const double moves = take_line_off(fit.residual, y);
    if (!(moves > 1e-9 * s.amplitude)) break;
    fit = fit_sines(y, rate_hz, {s}, 8, 1e-9);
  }
  const Sine& found = fit.sines.front();
  // Elsewhere in the spectrum there may be more than the noise around it.
  if (!(std::abs(found.decay_per_s - e.decay_per_s) < 0.2 * e.decay_per_s) ||
      !(std::abs(found.amplitude - moved.amplitude) < 0.3 * moved.amplitude) ||
      !(std::abs(found.frequency_hz - e.frequency_hz) < e.decay_per_s / whole_turn))
    return false;
  const double seen = density_around(whole_spectrum(fit.residual, rate_hz), found.frequency_hz);
  const double scale = density > 0 && seen > 0 ? std::sqrt(seen / density) : 1;
  e.frequency_hz = found.frequency_hz, e.frequency_std_hz = scale * found.frequency_std_hz;
  e.decay_per_s = found.decay_per_s, e.decay_std_per_s = scale * found.decay_std_per_s;
  e.amplitude = found.amplitude, e.amplitude_std = scale * found.amplitude_std;
  e.phase_deg = found.phase_deg;
  e.start_s = static_cast<double>(first) / rate_hz;
  return true;
}

/// Samples in which a decay is looked at.
std::pair<std::size_t, std::size_t> span_of(const Exponential& e, double rate_hz, std::size_t samples) {
  const auto first = static_cast<std::size_t>(std::lround(e.start_s * rate_hz));
  return {first,
          static_cast<std::size_t>(std::min(static_cast<double>(samples),
                                            static_cast<double>(first) + 30 * rate_hz / e.decay_per_s))};
}

void put_back(const Exponential& e, double rate_hz, std::vector<double>& x) {
  const auto [first, end] = span_of(e, rate_hz, x.size());
  const DecayModel model(e, rate_hz);
  for (std::size_t n = first; n < end; ++n) x[n] += model(n);
}

}  // namespace

bool take_off(const Exponential& e, double rate_hz, std::vector<double>& x) {
  const auto [first, end] = span_of(e, rate_hz, x.size());
  const DecayModel model(e, rate_hz);
  double energy = 0, gain = 0;
  for (std::size_t n = first; n < end; ++n) {
    const double m = model(n);
    energy += m * m, gain += m * (2 * x[n] - m);
  }
  if (!(gain > 0.8 * energy)) return false;
  for (std::size_t n = first; n < end; ++n) x[n] -= model(n);
  return true;
}

double refine_decay(std::span<const double> x, double rate_hz, double density, Exponential& e) {
  const auto samples = static_cast<double>(x.size());
  if (e.decay_per_s > 0) {
    // First where the decay is surely there, then from where it begins.
    const double later = std::min(0.3 / e.decay_per_s, (samples / rate_hz - e.start_s) / 4);
    Exponential found = e;
    if (fit_from(x, rate_hz, static_cast<std::size_t>((e.start_s + later) * rate_hz), density, found)) {
      for (int round = 0; round < 2; ++round) {
        const std::size_t first = onset(x, rate_hz, found);
        if (first >= x.size() || !fit_from(x, rate_hz, first, density, found)) break;
      }
      e = found;
    }
  }
  const DecayModel model(e, rate_hz);
  double square = 0;
  for (auto n = static_cast<std::size_t>(std::lround(e.start_s * rate_hz)); n < x.size(); ++n)
    square += std::pow(model(n), 2);
  return std::sqrt(square / samples);
}

void refine_together(double rate_hz, std::vector<JudgedBand>& decays, std::vector<double>& less) {
  constexpr int rounds = 8;
  constexpr double still = 0.1;  // Uncertainties.
  if (decays.size() < 2) return;
  bool moved = true;
  for (int round = 0; round < rounds && moved; ++round) {
    moved = false;
    // Steady lines as they stand beside the decays known so far.
    std::vector<double> quiet = less;
    const std::vector<SteadyLine> lines = steady_lines(quiet, {});
    take_off(quiet, lines);
    for (std::size_t n = 0; n < less.size(); ++n) less[n] -= quiet[n];  // The lines alone.
    for (JudgedBand& band : decays) {
      const Exponential before = band.verdict.exponential;
      Exponential e = before;
      put_back(before, rate_hz, quiet);
      const double level = refine_decay(quiet, rate_hz, band.density, e);
      if (!take_off(e, rate_hz, quiet)) {
        take_off(before, rate_hz, quiet);
        continue;
      }
      band.verdict.exponential = e, band.level_rms = level;
      moved = moved || std::abs(e.frequency_hz - before.frequency_hz) > still * e.frequency_std_hz ||
              std::abs(e.decay_per_s - before.decay_per_s) > still * e.decay_std_per_s;
    }
    for (std::size_t n = 0; n < less.size(); ++n) less[n] += quiet[n];
  }
}

}  // namespace vprism
