// limit_levels.cpp: see limit_levels.h.
#include "cli/limit_levels.h"

#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

std::pair<Scale, double> limit_meaning(const AskedLimit& limit, const Unit& unit,
                                       const AnalysisSettings& analysis, const std::string& file) {
  if (limit.decibels || limit.unit.text() == "1") return {limit.scale.value_or(analysis.scale), 1};
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

void limit_levels(const Spectrum& curve, const std::vector<Peak>& peaks, std::size_t low, std::size_t high,
                  Scale scale, std::vector<double>& hz, std::vector<double>& level) {
  for (std::size_t k = low; k < high; ++k) {
    hz.push_back(curve.frequency_hz(k));
    level.push_back(curve.level(k, scale));
  }
  for (const Peak& p : peaks) {
    if (p.broad() || p.bin < low || p.bin >= high) continue;
    const std::size_t at = p.bin - low;
    const double fitted = p.level(scale, curve.plan);
    if (fitted <= level[at]) continue;
    const bool inside =
        (at == 0 || p.frequency_hz > hz[at - 1]) && (at + 1 == hz.size() || p.frequency_hz < hz[at + 1]);
    if (inside) hz[at] = p.frequency_hz, level[at] = fitted;
  }
}

}  // namespace vprism
