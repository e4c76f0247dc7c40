// band_trains.cpp: see band_trains.h.
#include "identify/verdict/band_trains.h"

#include <algorithm>
#include <cmath>

namespace vprism {

bool exactly_periodic(const std::vector<Peak>& peaks, double rate_hz, double bin_hz) {
  struct Order {
    double hz, order, std_hz;
    bool near;
  };
  std::vector<Order> orders;
  for (const Peak& p : peaks) {
    const double order = std::round(p.frequency_hz / rate_hz);
    if (order >= 1 && !p.broad() && (p.of_comb || p.misfit < 3))
      orders.push_back({p.frequency_hz, order, std::max(p.frequency_std_hz, 1e-3 * bin_hz),
                        std::abs(p.frequency_hz - order * rate_hz) < 0.1 * rate_hz});
  }
  const auto near = static_cast<std::size_t>(
      std::count_if(orders.begin(), orders.end(), [](const Order& o) { return o.near; }));
  // The rate that most agree on, from each in turn. Of peaks that noise makes within a resonance some always
  // do: those among them that lie between multiples count against it.
  for (const Order& lead : orders) {
    if (!lead.near) continue;
    const double rate = lead.hz / lead.order;
    double low = lead.hz, high = lead.hz;
    std::size_t agree = 0;
    for (const Order& o : orders) {
      if (!o.near ||
          std::abs(o.hz - o.order * rate) >=
              std::min(4 * std::hypot(o.std_hz, lead.std_hz * o.order / lead.order) + 0.02 * bin_hz, bin_hz))
        continue;
      ++agree;
      low = std::min(low, o.hz), high = std::max(high, o.hz);
    }
    const auto among = static_cast<std::size_t>(std::count_if(
        orders.begin(), orders.end(), [&](const Order& o) { return o.hz >= low && o.hz <= high; }));
    if (agree >= 5 && 2 * agree > among && 2 * agree > near) return true;
  }
  return false;
}

double orders_square(const std::vector<Peak>& peaks, double rate_hz) {
  double square = 0;
  for (const Peak& p : peaks) {
    const double order = std::round(p.frequency_hz / rate_hz);
    if (order >= 1 && std::abs(p.frequency_hz - order * rate_hz) < 0.1 * rate_hz && !p.broad() &&
        (p.of_comb || p.misfit < 3))
      square += p.rms * p.rms;
  }
  return square;
}

void find_wide_trains(const BandSource& source, std::span<const double> x, double rate_hz, const Spectrum& s,
                      const std::vector<double>& floor, const std::vector<Peak>& peaks,
                      const ExactRates& exact, std::vector<JudgedBand>& bands) {
  for (const JudgedBand& band : bands)
    if (band.impulses) return;
  // Steady lines are no train, and a comb of them is one of another kind: exactly periodic, a family. What
  // lies elsewhere than they is heard beside them.
  const auto of_lines = [&](double low_hz, double high_hz) {
    double steady = 0;
    for (const Peak& p : peaks)
      if (!p.broad() && (p.of_comb || p.misfit < 3) && p.frequency_hz > low_hz && p.frequency_hz < high_hz)
        steady += p.rms * p.rms;
    return steady > source.mean_square(low_hz, high_hz);
  };
  JudgedBand best;
  // Short impulses are seen far from where they ring as well: where they hold most, there they ring.
  double most = 0;
  for (const auto& [low, high] : {std::pair{0.03, 0.06}, {0.06, 0.12}, {0.12, 0.24}, {0.24, 0.47}}) {
    JudgedBand band;
    band.low_hz = low * rate_hz, band.high_hz = high * rate_hz;
    if (of_lines(band.low_hz, band.high_hz)) continue;
    band.impulses = find_impulses(source.take(band.low_hz, band.high_hz, 0));
    if (!band.impulses || band.impulses->orders.size() < 3 || band.impulses->orders.front() != 1) continue;
    const double held = source.mean_square(band.low_hz, band.high_hz) * std::pow(band.impulses->depth, 2);
    if (held < most) continue;
    if (exactly_periodic(peaks, band.impulses->rate_hz, s.plan.bin_hz) ||
        exact.has(band.impulses->rate_hz, band.impulses->rate_std_hz))
      continue;
    best = std::move(band), most = held;
  }
  if (!best.impulses) return;
  best.verdict.kind = BandVerdict::Kind::noise;
  best.verdict.frequency_hz = (best.low_hz + best.high_hz) / 2;
  best.verdict.spread_hz = (best.high_hz - best.low_hz) / 4;
  const double all = source.mean_square(best.low_hz, best.high_hz);
  double noise = 0;
  const auto [from, end] = s.bins_within(best.low_hz, best.high_hz);
  for (std::size_t k = from; k < end; ++k) noise += floor[k] / s.enbw_bins;
  best.resonance = shape_of(x, rate_hz, s, best, peaks);
  best.level_rms = std::sqrt(std::max(all - noise, 0.0));
  if (best.resonance)
    best.level_rms = std::max(best.level_rms, std::min(best.resonance->rms, std::sqrt(all)));
  // Nothing rings: the noise itself comes and goes.
  best.noise_alone = best.level_rms * best.level_rms < 0.05 * all;
  if (best.noise_alone) best.level_rms = std::sqrt(all);
  bands.push_back(std::move(best));
}

void join_trains(std::vector<JudgedBand>& bands) {
  for (std::size_t i = 0; i < bands.size(); ++i) {
    if (!bands[i].impulses) continue;
    const double rate = bands[i].impulses->rate_hz;
    for (std::size_t j = bands.size(); j-- > 0;) {
      if (j == i) continue;
      const double hz = bands[j].verdict.frequency_hz, order = std::round(hz / rate);
      const double slip =
          std::max(0.02 * rate * std::sqrt(std::max(1.0, order)), bands[j].high_hz - bands[j].low_hz);
      const bool same = bands[j].impulses && std::abs(bands[j].impulses->rate_hz - rate) < 0.01 * rate;
      if (!same && (order < 1 || std::abs(hz - order * rate) > std::min(slip, 0.25 * rate))) continue;
      // Where they ring the band may have been judged by itself, as a line that wanders.
      const auto kind = bands[j].verdict.kind;
      const bool rings =
          bands[i].resonance &&
          std::abs(hz - bands[i].resonance->frequency_hz) < 2 * bands[i].resonance->width_hz() &&
          bands[j].verdict.amplitude_wander > 0.2 &&
          (kind == BandVerdict::Kind::wandering || kind == BandVerdict::Kind::unresolved);
      // What is stronger than all that rings is of its own.
      if (!rings && bands[j].level_rms > bands[i].level_rms) continue;
      bands[i].level_rms = rings ? std::max(bands[i].level_rms, bands[j].level_rms)
                                 : std::hypot(bands[i].level_rms, bands[j].level_rms);
      bands[i].members.insert(bands[i].members.end(), bands[j].members.begin(), bands[j].members.end());
      bands.erase(bands.begin() + static_cast<std::ptrdiff_t>(j));
      if (j < i) --i;
    }
  }
}

void peaks_of_trains(std::vector<JudgedBand>& bands, std::vector<Peak>& peaks) {
  for (JudgedBand& band : bands) {
    if (!band.impulses) continue;
    const double rate = band.impulses->rate_hz;
    double square = band.level_rms * band.level_rms;
    for (std::size_t i = 0; i < peaks.size(); ++i) {
      Peak& p = peaks[i];
      const double order = std::round(p.frequency_hz / rate);
      // A weak one may lie further off: the walk of a slip is no line. One that stands out well is of its
      // own.
      const bool weak = p.rms < 0.05 * band.level_rms && (p.broad() || p.signal_to_noise_db() < 16);
      const double reach =
          weak ? 0.2 * rate
               : std::min(0.02 * rate * std::sqrt(std::max(1.0, order)) + 3 * p.frequency_std_hz, 0.2 * rate);
      const bool multiple = order >= 1 && std::abs(p.frequency_hz - order * rate) < reach;
      const bool rings = band.resonance && std::abs(p.frequency_hz - band.resonance->frequency_hz) <
                                               5 * band.resonance->width_hz();
      // A line stronger than all that rings is a line of its own.
      if (p.of_band || p.of_comb || !(multiple || rings) || p.rms > band.level_rms) continue;
      p.of_band = true;
      band.members.push_back(i);
      if (!rings) square += p.rms * p.rms;
    }
    band.level_rms = std::sqrt(square);
  }
}

}  // namespace vprism
