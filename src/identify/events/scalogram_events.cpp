// scalogram_events.cpp: see scalogram_events.h.
#include "identify/events/scalogram_events.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace vprism {

namespace {

/// Width less the wavelet's own; no less than a quarter of that, below which nothing can be told.
double own_width(double seen, double wavelet) {
  return std::max(std::sqrt(std::max(0.0, seen * seen - wavelet * wavelet)), wavelet / 4);
}

/// |psi(u)| at u = 0, 1/8, ... 24 periods from its middle.
std::vector<double> envelope_of(const Wavelet& wavelet) {
  std::vector<double> out;
  constexpr double step = 1.0 / 256;
  for (int i = 0; i <= 192; ++i) {
    double re = 0, im = 0;
    for (double x = step / 2; x < 8; x += step) {
      const double angle = 2 * std::numbers::pi * x * i / 8, w = wavelet.at(x);
      re += w * std::cos(angle), im += w * std::sin(angle);
    }
    out.push_back(step * std::hypot(re, im));
  }
  return out;
}

/// At the record's ends a strong line meets its reflection, which stands off by up to twice its amplitude A:
/// a step, which reads 2 A |psi(u)| / (2 pi) u periods away, in every row. Where that is more than half of
/// what an event must be, columns are not trusted.
void leave_out_ends(const LevelMap& map, const Wavelet& wavelet, std::vector<RowNoise>& noise) {
  double strongest = 0;
  for (const RowNoise& row : noise) strongest = std::max(strongest, row.power);
  const std::vector<double> envelope = envelope_of(wavelet);
  const double amplitude = 1.5 * std::sqrt(2 * strongest);
  for (std::size_t r = 0; r < map.rows(); ++r) {
    if (!(noise[r].threshold > 0)) continue;
    std::size_t last = envelope.size();
    while (last > 0) {
      const double reads = 2 * amplitude * envelope[last - 1] / (2 * std::numbers::pi);
      if (reads * reads / 2 > noise[r].threshold / 2) break;
      --last;
    }
    const double away = static_cast<double>(last) / 8 / map.frequency_hz[r];
    const auto columns = static_cast<std::size_t>(std::ceil(away / map.step_s));
    noise[r].first = std::max(noise[r].first, std::min(columns, map.columns));
    noise[r].end = std::min(noise[r].end, map.columns > columns ? map.columns - columns : 0);
    noise[r].end = std::max(noise[r].first, noise[r].end);
  }
}

}  // namespace

std::vector<SeenEvent> seen_events(const WaveletEvents& found, const ScalogramPlan& plan) {
  std::vector<SeenEvent> out;
  for (const WaveletEvent& e : found.events)
    out.push_back(seen_event(e.seen, plan.figures.duration / e.seen.peak_hz));
  return out;
}

void take_fits(WaveletEvents& found, const std::vector<EventFit>& fits, double duration_s) {
  std::vector<WaveletEvent> kept;
  for (std::size_t i = 0; i < found.events.size(); ++i) {
    if (fits[i].merged) continue;
    WaveletEvent e = found.events[i];
    if (const auto& fit = e.fit = fits[i].fit) {
      e.seen.peak_s = fit->time_s, e.time_std_s = fit->time_std_s;
      e.start_s = std::max(0.0, fit->start_s()), e.end_s = std::min(duration_s, fit->end_s());
      e.amplitude = fit->amplitude, e.amplitude_std = fit->amplitude_std, e.top = 0;
      if (fit->shape == BurstShape::click) {
        e.hz_std = std::max(fit->hz_std, (e.high_hz - e.low_hz) / 2);
      } else {
        e.peak_hz = fit->hz, e.hz_std = fit->hz_std;
        e.low_hz = std::max(0.0, fit->hz - fit->half_hz()), e.high_hz = fit->hz + fit->half_hz();
      }
    }
    kept.push_back(std::move(e));
  }
  found.events = std::move(kept);
}

WaveletEvents find_wavelet_events(const Scalogram& s, const ScalogramPlan& plan, const Wavelet& wavelet) {
  const LevelMap& map = s.map;
  WaveletEvents out;
  std::vector<double> independent;
  for (const double hz : map.frequency_hz) independent.push_back(map.step_s * hz / plan.figures.duration);
  const auto smooth = static_cast<std::size_t>(std::lround(0.5 * std::log(2.0) / plan.step));
  std::vector<RowNoise> noise = row_noise(map, independent, s.inside, std::max<std::size_t>(1, smooth));
  leave_out_ends(map, wavelet, noise);
  for (std::size_t r = 0; r < map.rows(); ++r) {
    // Noise is told from at least ten independent looks.
    const double looks = static_cast<double>(noise[r].end - noise[r].first) * independent[r];
    if (looks >= 10) continue;
    noise[r].power = 0;
    ++out.rows_without;
  }
  for (const MapEvent& seen : without_wanderers(map, find_map_events(map, noise))) {
    WaveletEvent e;
    e.seen = seen;
    const double period = 1 / seen.peak_hz, wide_s = plan.figures.duration * period,
                 wide_hz = plan.figures.width * seen.peak_hz;
    // A bump is as long as its own row says; what wanders through the rows, as long as all of them.
    const bool wanders = seen.end_s - seen.start_s > 1.6 * (seen.row_end_s - seen.row_start_s) ||
                         seen.high_hz - seen.low_hz > 1.6 * (seen.column_high_hz - seen.column_low_hz);
    const double from_s = wanders ? seen.start_s : seen.row_start_s,
                 to_s = wanders ? seen.end_s : seen.row_end_s,
                 from_hz = wanders ? seen.low_hz : seen.column_low_hz,
                 to_hz = wanders ? seen.high_hz : seen.column_high_hz;
    const double lasts = own_width(to_s - from_s, wide_s), band = own_width(to_hz - from_hz, wide_hz);
    e.start_s = (from_s + to_s - lasts) / 2, e.end_s = (from_s + to_s + lasts) / 2;
    // Voices widen with frequency, so a bump is read strongest above its pitch, by its variance over
    // frequency divided by that frequency (bells of Gauss).
    const double sigma = band / (2 * std::sqrt(2 * std::log(2.0)));
    const double up = wanders ? 0 : std::min(sigma * sigma / seen.peak_hz, wide_hz / 4);
    e.peak_hz = seen.peak_hz - up;
    e.low_hz = std::max(0.0, (from_hz + to_hz - band) / 2 - up),
    e.high_hz = (from_hz + to_hz + band) / 2 - up;
    e.amplitude = std::sqrt(2 * seen.power);
    const double snr = std::sqrt(seen.over_noise());
    e.amplitude_std = e.amplitude / (snr * std::sqrt(2.0));
    // Of the top of a bell seen in noise of the wavelet's width, 0.42 of its width over the ratio of levels.
    e.time_std_s = 0.42 * wide_s / snr, e.hz_std = 0.42 * wide_hz / snr;
    if (!wanders && lasts > wide_s / 4)
      e.top = e.amplitude * std::max(1.0, std::hypot(lasts, wide_s) / lasts);
    const std::size_t row = map.row_at(seen.peak_hz);
    e.at_edge = map.column_at(seen.start_s + map.step_s / 2) <= noise[row].first ||
                map.column_at(seen.end_s - map.step_s / 2) + 1 >= noise[row].end;
    out.events.push_back(e);
  }
  // Beyond the cone by the same thresholds, for a word of warning alone.
  std::vector<RowNoise> all = noise;
  for (RowNoise& row : all) row.first = 0, row.end = map.columns;
  for (const MapEvent& e : find_map_events(map, all)) {
    const std::size_t row = map.row_at(e.peak_hz), column = map.column_at(e.peak_s);
    // At the very end it is the end itself that is seen.
    const double left = std::min(e.peak_s, plan.duration_s() - e.peak_s);
    if ((column < noise[row].first || column >= noise[row].end) &&
        left > plan.figures.duration / 2 / e.peak_hz)
      out.beyond.push_back(e);
  }
  return out;
}

}  // namespace vprism
