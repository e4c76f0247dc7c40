// mode_places.cpp: see mode_places.h.
#include "field/mode_places.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/percentile.h"
#include "field/field_groups.h"
#include "identify/lines/peaks.h"
#include "identify/modes/record_modes.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;

Spectrum mean_spectrum(const FieldResult& r) {
  Spectrum s;
  s.window = r.plan.window;
  s.plan.segment = s.plan.hop = s.transform = r.plan.frames.size();
  s.plan.rate_hz = r.plan.rate_hz;
  s.plan.bin_hz = r.plan.bin_hz();
  s.enbw_bins = r.sums.enbw_bins;
  s.plan.rbw_hz = s.enbw_bins * s.plan.bin_hz;
  s.power = r.mean_power();
  s.power[0] = 0;
  s.first.assign(s.power.size(), 0.0);  // Points have phases of their own.
  s.noise_averages = static_cast<double>(std::clamp<std::size_t>(r.sums.points * r.variables.size(), 2, 64));
  s.plan.averages = static_cast<std::int64_t>(s.noise_averages);
  return s;
}

}  // namespace

std::vector<std::size_t> tops_of(const std::vector<double>& power, std::size_t most) {
  std::vector<double> sorted(power.begin() + 1, power.end());
  const double floor = percentile_in(sorted, 0.3);
  std::vector<std::size_t> out;
  for (std::size_t k = 2; k + 1 < power.size(); ++k) {
    if (!(power[k] > power[k - 1] && power[k] >= power[k + 1] && power[k] > 10 * floor)) continue;
    double left = power[k], right = power[k];
    for (std::size_t j = k; j-- > 1 && power[j] <= power[k];) left = std::min(left, power[j]);
    for (std::size_t j = k + 1; j < power.size() && power[j] <= power[k]; ++j)
      right = std::min(right, power[j]);
    if (power[k] > 4 * std::max(left, right)) out.push_back(k);
  }
  std::sort(out.begin(), out.end(), [&](std::size_t a, std::size_t b) { return power[a] > power[b]; });
  if (out.size() > most) out.resize(most);
  return out;
}

std::vector<ModePlace> decaying_places(const FieldResult& r, const FieldSettings& settings,
                                       std::size_t most) {
  ModeData data;
  RecordSpectra record;
  record.samples = r.plan.frames.size(), record.rate_hz = r.plan.rate_hz;
  for (std::size_t k = 0; k < r.plan.bins(); ++k) data.frequency_hz.push_back(r.frequency_hz(k));
  for (const auto& point : r.sums.kept)
    for (const auto& transform : point) {
      if (transform.empty()) continue;
      data.curves.push_back(transform);
      data.error.emplace_back(transform.size(), 1.0);
      record.values.push_back(transform);
    }
  if (data.curves.empty()) return {};
  ModeSearch search;
  search.most_order = 24;
  const double low = std::max(r.frequency_hz(2), settings.low_hz.value_or(0)),
               high = std::min(0.95 * r.plan.rate_hz / 2, settings.high_hz.value_or(r.plan.rate_hz));
  ModeFit fit = fit_modes(data, low, high, search);
  const auto height = [](const Mode& m) {
    double sum = 0;
    for (const Complex& v : m.residue) sum += std::norm(v);
    return sum / std::pow(m.damping * m.frequency_hz, 2);
  };
  std::vector<std::pair<double, ModePlace>> ranked;
  for (const RecordMode& mode : refine_on_record(record, fit.modes, low, high)) {
    const double hz = std::abs(mode.pole) / (2 * std::numbers::pi);
    double tall = 0;
    for (const Mode& near : fit.modes)
      if (std::abs(near.frequency_hz - hz) < std::max(near.damping * near.frequency_hz, 2 * r.plan.bin_hz()))
        tall = std::max(tall, height(near));
    ranked.push_back(
        {tall, {hz, mode.frequency_std_hz, -mode.pole.real() / std::abs(mode.pole), mode.damping_std}});
  }
  std::stable_sort(ranked.begin(), ranked.end(),
                   [](const auto& a, const auto& b) { return a.first > b.first; });
  if (ranked.size() > most) ranked.resize(most);
  std::vector<ModePlace> out;
  for (const auto& one : ranked) out.push_back(one.second);
  return out;
}

bool asked_for(const FieldSettings& settings, double hz) {
  return hz >= settings.low_hz.value_or(0) && (!settings.high_hz || hz <= *settings.high_hz);
}

std::vector<ModePlace> steady_places(const FieldResult& r, const FieldSettings& settings, std::size_t most) {
  const Spectrum spectrum = mean_spectrum(r);
  std::vector<ModePlace> out;
  for (const Peak& p : find_peaks(spectrum).peaks) {
    if (out.size() == most) break;
    // What the means that were taken off left of slow motion is no peak.
    if (p.frequency_hz < 2 * r.plan.bin_hz() || !(p.frequency_std_hz < r.plan.bin_hz() / 2)) continue;
    if (!asked_for(settings, p.frequency_hz)) continue;
    out.push_back({p.frequency_hz, p.frequency_std_hz});
  }
  if (!out.empty()) return out;
  for (const std::size_t k : tops_of(spectrum.power, spectrum.power.size())) {
    if (out.size() == most) break;
    if (!asked_for(settings, r.frequency_hz(k))) continue;
    const double a = std::log(spectrum.power[k - 1]), b = std::log(spectrum.power[k]),
                 c = std::log(spectrum.power[k + 1]);
    const double bend = a - 2 * b + c, shift = bend < 0 ? std::clamp(0.5 * (a - c) / bend, -0.5, 0.5) : 0;
    out.push_back({(static_cast<double>(k) + shift) * r.plan.bin_hz(), r.plan.bin_hz() / std::sqrt(12.0)});
  }
  return out;
}

}  // namespace vprism
