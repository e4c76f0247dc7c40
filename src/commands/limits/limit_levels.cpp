// limit_levels.cpp: see limit_levels.h.
#include "commands/limits/limit_levels.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

std::pair<Scale, double> limit_meaning(const AskedLimit& limit, const Unit& unit,
                                       const AnalysisSettings& analysis, const std::string& file) {
  if (limit.decibels || limit.unit.text() == "1") return {limit.scale.value_or(analysis.scale), 1};
  if (const auto root = unit_over_root_hertz(limit.unit))
    if (root->known() && unit.known() && root->converts_to(unit)) return {Scale::asd, root->convert(1, unit)};
  const Unit square = unit.times(unit), density = square.over(Unit::parse("Hz"));
  const std::vector<std::pair<Scale, Unit>> ways = {
      {limit.scale.value_or(scale_entry(analysis.scale).amplitude ? analysis.scale : Scale::rms), unit},
      {Scale::psd, density},
      {Scale::power, square}};
  for (const auto& [scale, way] : ways)
    if (limit.unit.known() && way.known() && limit.unit.converts_to(way))
      return {scale, limit.unit.convert(1, way)};
  if (limit.unit.text() == unit.text()) return {ways[0].first, 1};
  throw Error(Status::usage, file + ": the limit \"" + clean_text(limit.line.name) + "\" is in " +
                                 clean_text(limit.unit.text()) + ", which does not fit a channel in " +
                                 clean_text(unit.text()) + " (levels, squares and densities of it do)");
}

void limit_from_decibels(AskedLimit& limit, Scale scale, const AnalysisSettings& analysis) {
  if (!limit.decibels) return;
  const bool amplitude = scale_entry(scale).amplitude;
  const double reference = analysis.decibel_reference.value_or(1);
  for (auto& [hz, level] : limit.line.points) level = reference * std::pow(10, level / (amplitude ? 20 : 10));
}

LimitLevels limit_levels(const Spectrum& curve, const std::vector<Peak>& peaks, std::size_t low,
                         std::size_t high, Scale scale) {
  LimitLevels out;
  out.averages = curve.noise_averages;
  // Bins of a padded transform lie closer.
  const double finer = curve.plan.segment > 0
                           ? curve.plan.rate_hz / static_cast<double>(curve.plan.segment) / curve.plan.bin_hz
                           : 1;
  out.alike = bins_alike(curve.window) * std::max(1.0, finer);
  for (std::size_t k = low; k < high; ++k) {
    out.hz.push_back(curve.frequency_hz(k));
    out.level.push_back(curve.level(k, scale));
    out.std_db.push_back(std::nan(""));
  }
  const double half = (window_half_width_bins(curve.window) + 0.5) * std::max(1.0, finer);
  for (const Peak& p : peaks) {
    // A hump of noise has a density that scatters; what is short or moves has the level that was measured.
    if (p.broad() && scale_entry(scale).density) continue;
    const double std_db = p.rms > 0 ? 20 / std::numbers::ln10 * p.rms_std / p.rms : 0;
    const double at = curve.bins_at(p.frequency_hz);
    const double first = std::max(at - half, static_cast<double>(low)),
                 last = std::min(at + half, static_cast<double>(high) - 1);
    for (double k = std::ceil(first); k <= last; ++k) {
      double& known = out.std_db[static_cast<std::size_t>(k) - low];
      if (std::isnan(known) || std_db < known) known = std_db;
    }
    const std::size_t bin = finer > 1 ? static_cast<std::size_t>(std::lround(at)) : p.bin;
    if (bin < low || bin >= high) continue;
    const std::size_t top = bin - low;
    const double fitted = p.level(scale, curve.plan);
    if (p.broad() || fitted <= out.level[top]) continue;
    const bool inside = (top == 0 || p.frequency_hz > out.hz[top - 1]) &&
                        (top + 1 == out.hz.size() || p.frequency_hz < out.hz[top + 1]);
    if (inside) out.hz[top] = p.frequency_hz, out.level[top] = fitted, out.std_db[top] = std_db;
  }
  return out;
}

void lift_by_bursts(const Spectrum& highest, const Spectrum& usual, Scale scale, LimitLevels& levels) {
  const auto segments = static_cast<double>(std::max<std::int64_t>(2, highest.plan.averages));
  // What the greatest of so many segments of steady noise is over their median, once in a thousand spectra.
  const double most = std::log(segments * static_cast<double>(highest.bins()) / 1e-3) / std::numbers::ln2;
  for (std::size_t k = 1; k < std::min(highest.bins(), usual.bins()); ++k) {
    if (!(highest.power[k] > most * usual.power[k])) continue;
    const double level = highest.level(k, scale);
    const double low = highest.frequency_hz(k) - highest.plan.bin_hz / 2, high = low + highest.plan.bin_hz;
    for (auto at = std::lower_bound(levels.hz.begin(), levels.hz.end(), low);
         at != levels.hz.end() && *at < high; ++at) {
      double& there = levels.level[static_cast<std::size_t>(at - levels.hz.begin())];
      there = std::max(there, level);
    }
  }
}

}  // namespace vprism
