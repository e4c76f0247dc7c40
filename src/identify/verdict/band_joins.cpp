// band_joins.cpp: see band_joins.h.
#include "identify/verdict/band_joins.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace vprism {

void join_flanks(std::vector<JudgedBand>& bands) {
  std::sort(bands.begin(), bands.end(),
            [](const JudgedBand& a, const JudgedBand& b) { return a.level_rms > b.level_rms; });
  for (std::size_t i = 0; i < bands.size(); ++i) {
    if (bands[i].verdict.kind != BandVerdict::Kind::noise) continue;
    const double width =
        bands[i].resonance ? bands[i].resonance->width_hz() : bands[i].high_hz - bands[i].low_hz;
    const double at = bands[i].resonance ? bands[i].resonance->frequency_hz : bands[i].verdict.frequency_hz;
    for (std::size_t j = bands.size(); j-- > i + 1;) {
      // Far out only what is as weak as a flank is there.
      const double reach = bands[j].level_rms < 0.2 * bands[i].level_rms ? 12 * width : 5 * width;
      if (std::abs(bands[j].verdict.frequency_hz - at) > std::max(reach, bands[i].high_hz - bands[i].low_hz))
        continue;
      JudgedBand& a = bands[i];
      const JudgedBand& b = bands[j];
      // One with a shape of its own that holds more than a flank there is another resonance.
      if (a.resonance && b.resonance) {
        const double off = 2 * (b.resonance->frequency_hz - at) / width,
                     flank = a.level_rms * a.level_rms * 2 / (std::numbers::pi * width) / (1 + off * off) *
                             std::min(b.high_hz - b.low_hz, 2 * b.resonance->width_hz());
        if (std::abs(off) > 2 && b.level_rms * b.level_rms > 4 * flank) continue;
      }
      a.level_rms = std::hypot(a.level_rms, b.level_rms);
      a.low_hz = std::min(a.low_hz, b.low_hz), a.high_hz = std::max(a.high_hz, b.high_hz);
      a.members.insert(a.members.end(), b.members.begin(), b.members.end());
      bands.erase(bands.begin() + static_cast<std::ptrdiff_t>(j));
    }
  }
}

namespace {

/// How much of a band's energy lies in a stretch, how much of the record that is, and the mean square in it
/// over the whole record, less what there is at other times.
struct Within {
  double energy = 0, time = 0, mean_square = 0;
  /// More than noise of one level would have there, by far.
  bool filled() const { return time > 0 && energy > time + 0.5 * (1 - time); }
};
Within within(const BandSource& source, double low_hz, double high_hz, double from_s, double to_s) {
  const BandSignal band = source.take(low_hz, high_hz, 0);
  double inside = 0, outside = 0, in = 0, out = 0;
  for (std::size_t m = 0; m < band.values.size(); ++m) {
    const bool there = band.time_s(m) >= from_s && band.time_s(m) <= to_s;
    (there ? inside : outside) += std::norm(band.values[m]);
    (there ? in : out) += 1;
  }
  if (!(inside + outside > 0) || !(out > 0)) return {};
  return {inside / (inside + outside), in / (in + out),
          std::max(0.0, inside - outside * in / out) / (in + out) / 2};
}

bool is_burst(const JudgedBand& band) {
  return band.verdict.kind == BandVerdict::Kind::burst && !band.impulses;
}

/// What lies between two frequencies; a filter's flanks are as wide as half of its band.
Within between(const BandSource& source, double low_hz, double high_hz, const BandVerdict& v) {
  const double quarter = (high_hz - low_hz) / 4;
  return within(source, low_hz + quarter, high_hz - quarter, v.from_s, v.to_s);
}

/// As far as what lies beside it is there at the same time.
void widen(const BandSource& source, double half_rate_hz, JudgedBand& band) {
  constexpr double step = 0.15, least = 1e-3;
  const double enough = least * band.level_rms * band.level_rms;
  const auto belongs = [&](double low_hz, double high_hz) {
    const Within there = between(source, low_hz, high_hz, band.verdict);
    return there.filled() && there.mean_square > enough;
  };
  while (belongs(band.low_hz * (1 - step), band.low_hz)) band.low_hz *= 1 - step;
  while (band.high_hz * (1 + step) < 0.95 * half_rate_hz && belongs(band.high_hz, band.high_hz * (1 + step)))
    band.high_hz *= 1 + step;
}

}  // namespace

void join_bursts(const BandSource& source, double rate_hz, std::vector<JudgedBand>& bands) {
  const auto joined = [&](const JudgedBand& a, const JudgedBand& b) {
    const BandVerdict &v = a.verdict, &w = b.verdict;
    const double from = std::max(v.from_s, w.from_s), to = std::min(v.to_s, w.to_s);
    if (to - from < 0.5 * std::min(v.to_s - v.from_s, w.to_s - w.from_s)) return false;
    const double low = std::min(a.high_hz, b.high_hz), high = std::max(a.low_hz, b.low_hz);
    return high - low < 2 * std::max(a.high_hz - a.low_hz, b.high_hz - b.low_hz) ||
           between(source, low, high, v).filled();
  };
  for (std::size_t i = 0; i < bands.size(); ++i) {
    if (!is_burst(bands[i])) continue;
    const double low = bands[i].low_hz, high = bands[i].high_hz;
    widen(source, rate_hz / 2, bands[i]);
    for (std::size_t j = i + 1; j < bands.size();) {
      JudgedBand& a = bands[i];
      const JudgedBand& b = bands[j];
      if (!is_burst(b) || !joined(a, b)) {
        ++j;
        continue;
      }
      a.verdict.from_s = std::min(a.verdict.from_s, b.verdict.from_s);
      a.verdict.to_s = std::max(a.verdict.to_s, b.verdict.to_s);
      a.low_hz = std::min(a.low_hz, b.low_hz), a.high_hz = std::max(a.high_hz, b.high_hz);
      a.members.insert(a.members.end(), b.members.begin(), b.members.end());
      bands.erase(bands.begin() + static_cast<std::ptrdiff_t>(j));
      j = i + 1;  // The wider one may reach others.
    }
    JudgedBand& band = bands[i];
    if (band.low_hz == low && band.high_hz == high) continue;
    // The middle of its power by pieces.
    constexpr int pieces = 24;
    double sum = 0, middle = 0, square = 0;
    for (int p = 0; p < pieces; ++p) {
      const double from = band.low_hz + (band.high_hz - band.low_hz) * p / pieces,
                   to = band.low_hz + (band.high_hz - band.low_hz) * (p + 1) / pieces,
                   power = source.mean_square(from, to), at = (from + to) / 2;
      sum += power, middle += power * at, square += power * at * at;
    }
    BandVerdict& v = band.verdict;
    if (sum > 0) {
      v.frequency_hz = middle / sum;
      v.spread_hz = std::sqrt(std::max(0.0, square / sum - v.frequency_hz * v.frequency_hz));
      v.frequency_std_hz = std::max(v.frequency_std_hz, v.spread_hz / 4);
    }
    band.level_rms = std::max(
        band.level_rms, std::sqrt(within(source, band.low_hz, band.high_hz, v.from_s, v.to_s).mean_square));
  }
}

void peaks_in_flanks(std::vector<JudgedBand>& bands, std::vector<Peak>& peaks) {
  for (JudgedBand& band : bands) {
    if (band.verdict.kind != BandVerdict::Kind::noise || band.impulses) continue;
    const double wide = band.resonance ? 3 * band.resonance->width_hz() : band.high_hz - band.low_hz;
    for (std::size_t i = 0; i < peaks.size(); ++i) {
      Peak& p = peaks[i];
      if (p.of_band || p.frequency_hz < band.low_hz - wide || p.frequency_hz > band.high_hz + wide ||
          p.rms > 0.35 * band.level_rms || p.signal_to_noise_db() > 18)
        continue;
      p.of_band = true;
      band.members.push_back(i);
    }
  }
}

}  // namespace vprism
