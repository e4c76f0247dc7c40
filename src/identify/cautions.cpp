// cautions.cpp: what statistics and spectra warn of.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "identify/finding.h"

namespace vprism {

std::vector<Caution> level_cautions(const Channel& channel, const Statistics& s) {
  std::vector<Caution> out;
  const auto shown = [&](double x) { return format_quantity(x, channel.unit.label()); };
  if (s.samples > 1 && s.min == s.max) {
    out.push_back({"channel-dead", Severity::serious, channel.name, "every sample is " + shown(s.min),
                   "check the cable, the range and the channel's name"});
    return out;
  }
  // A rail: many samples at exactly the same extreme, in runs. (A logic signal rests at both rails all the
  // time.)
  const auto n = static_cast<double>(s.samples);
  const double share = static_cast<double>(std::max(s.at_min, s.at_max)) / n;
  if (s.longest_rail >= 4 && share < 0.3)
    out.push_back({"clipping", Severity::serious, channel.name,
                   fmt::format("{} samples at exactly {} and {} at {}, up to {} in a row", s.at_max,
                               shown(s.max), s.at_min, shown(s.min), s.longest_rail),
                   "use a larger range; harmonics of this channel may be made by the clipping"});
  const double reach = s.std > 0 ? std::max(s.max - s.mean, s.mean - s.min) / s.std : 0;
  if (reach > 8)
    out.push_back(
        {"spikes", Severity::warning, channel.name,
         fmt::format("the farthest sample lies {:.1f} standard deviations from the mean (kurtosis {:.1f})",
                     reach, s.kurtosis),
         "look at the time trace: a disturbance, or a true shock"});
  if (s.std > 0 && std::abs(s.mean) > 20 * s.std)
    out.push_back({"large-offset", Severity::note, channel.name,
                   fmt::format("the mean {} is {:.0f} times the standard deviation", shown(s.mean),
                               std::abs(s.mean) / s.std),
                   "take it off with --chain 'detrend constant'"});
  return out;
}

std::vector<Caution> spectrum_cautions(const Channel& channel, const Spectrum& spectrum,
                                       const std::vector<Peak>& peaks) {
  std::vector<Caution> out;
  std::vector<double> at;
  for (const Peak& p : peaks)
    if (!p.broad()) at.push_back(p.frequency_hz);
  std::sort(at.begin(), at.end());
  std::size_t close = 0;
  double first = 0;
  for (std::size_t i = 1; i < at.size(); ++i)
    if (at[i] - at[i - 1] < 2 * spectrum.plan.rbw_hz && close++ == 0) first = at[i - 1];
  if (close > 0)
    out.push_back(
        {"lines-close", Severity::note, channel.name,
         fmt::format(
             "{} of lines {} closer than two RBW ({}), the first at {}; their levels depend on each other",
             close == 1 ? "a pair" : std::to_string(close) + " pairs", close == 1 ? "lies" : "lie",
             format_quantity(spectrum.plan.rbw_hz, "Hz", 3), format_quantity(first, "Hz")),
         "record longer and ask for a finer --resolution"});
  return out;
}

}  // namespace vprism
