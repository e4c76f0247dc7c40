// impulses.cpp: see impulses.h.
#include "identify/verdict/impulses.h"

#include <algorithm>
#include <cmath>

#include "identify/lines/peaks.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism {

namespace {

/// What a rate explains of the envelope's lines.
struct Explained {
  std::vector<std::size_t> orders;  ///< Multiples of it that are there, up to the twentieth.
  double beyond_chance = 0;         ///< Lines at its multiples, less those that chance would put there.
};

/// Lines lie at a multiple within their own and the fundamental's uncertainty and what a slip of a hundredth
/// of a period lets them wander; where that is no longer small beside the rate, lines say nothing of it.
Explained explained_by(const std::vector<Peak>& peaks, double hz, double bin_hz) {
  constexpr double most_order = 20, most_share = 0.2;
  Explained out;
  for (const Peak& p : peaks) {
    const double order = std::round(p.frequency_hz / hz),
                 slack = std::max(1.5 * bin_hz, 0.004 * p.frequency_hz);
    if (slack > most_share * hz && order > most_order) continue;
    const bool there = order >= 1 && std::abs(p.frequency_hz - order * hz) <= slack;
    out.beyond_chance += (there ? 1 : 0) - std::min(1.0, 2 * slack / hz);
    if (there && order <= most_order) out.orders.push_back(static_cast<std::size_t>(order));
  }
  std::sort(out.orders.begin(), out.orders.end());
  out.orders.erase(std::unique(out.orders.begin(), out.orders.end()), out.orders.end());
  return out;
}

}  // namespace

std::optional<ImpulseTrain> find_impulses(const BandSignal& band) {
  if (band.values.size() < 64) return {};
  std::vector<double> envelope;
  double mean = 0;
  for (const auto& v : band.values) {
    envelope.push_back(std::norm(v));
    mean += envelope.back() / static_cast<double>(band.values.size());
  }
  if (!(mean > 0)) return {};
  // What is over after a while is one event, however its level goes up and down meanwhile.
  constexpr std::size_t parts = 8;
  std::size_t there = 0;
  for (std::size_t p = 0; p < parts; ++p) {
    const std::size_t from = p * envelope.size() / parts, end = (p + 1) * envelope.size() / parts;
    double sum = 0;
    for (std::size_t m = from; m < end; ++m) sum += envelope[m] / static_cast<double>(end - from);
    if (sum > 0.15 * mean) ++there;
  }
  if (2 * there < parts) return {};
  for (double& v : envelope) v = v / mean - 1;
  SpectrumSettings settings;
  settings.window = parse_window("hann");
  settings.segment = envelope.size();
  const Spectrum spectrum = spectrum_of(envelope, 1 / band.step_s, settings);
  const SpectrumPlan& plan = spectrum.plan;
  PeakSettings search;
  search.most = 40;
  std::vector<Peak> peaks = find_peaks(spectrum, search).peaks;
  // Slow changes are none, and of a train the strongest lines lie far above those that chance makes.
  std::erase_if(peaks, [&](const Peak& p) { return p.frequency_hz < 6 * plan.bin_hz || p.rms < 0.05; });
  if (peaks.empty()) return {};
  std::optional<ImpulseTrain> best;
  double most = 0;
  for (std::size_t i = 0; i < std::min<std::size_t>(peaks.size(), 6); ++i)
    for (const int part : {1, 2, 3, 4, 5}) {
      const double hz = peaks[i].frequency_hz / part;
      Explained found = explained_by(peaks, hz, plan.bin_hz);
      const std::vector<std::size_t>& orders = found.orders;
      if (orders.size() < 2 || 2 * orders.size() < orders.back() || found.beyond_chance <= most) continue;
      most = found.beyond_chance;
      best = ImpulseTrain{hz, std::max(peaks[i].frequency_std_hz, 0.1 * plan.bin_hz) / part,
                          std::move(found.orders), 0};
    }
  if (!best) return {};
  // A slip that wanders by half a turn of an order within the record blurs it: so much of the rate is open.
  best->rate_std_hz =
      std::hypot(best->rate_std_hz, 0.5 * plan.bin_hz / static_cast<double>(best->orders.back()));
  for (const Peak& p : peaks)
    if (std::abs(p.frequency_hz - best->rate_hz) < 2 * plan.bin_hz)
      best->depth = std::max(best->depth, p.rms * std::sqrt(2.0));
  return best;
}

}  // namespace vprism
