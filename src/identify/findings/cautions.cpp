// cautions.cpp: what statistics warn of.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "identify/findings/finding.h"

namespace vprism {

std::vector<Caution> level_cautions(const Channel& channel, const Statistics& s, const Levels& levels,
                                    const Spikes& spikes, const Axis& axis) {
  std::vector<Caution> out;
  const auto shown = [&](double x) { return format_quantity(x, channel.unit.label()); };
  const auto when = [&](std::int64_t sample) {
    return axis.interval > 0 && !axis.stamped
               ? "at " + format_quantity(axis.start + static_cast<double>(sample) * axis.interval,
                                         axis.unit.text(), 7)
               : "at sample " + std::to_string(sample + 1);
  };
  if (s.samples > 1 && s.min == s.max) {
    out.push_back({"channel-dead", Severity::serious, channel.name, "every sample is " + shown(s.min),
                   "check the cable, the range and the channel's name"});
    return out;
  }
  // A rail: many samples at exactly the same extreme, in runs. (A logic signal rests at both rails all the
  // time.)
  const auto n = static_cast<double>(s.samples);
  const double share = static_cast<double>(std::max(s.at_min, s.at_max)) / n;
  // One long rest at an extreme is a plateau; one short one, or several, are a range that was too small.
  // A range that is too small is met on a slope; what is jumped to is what a link gives that has nothing.
  constexpr double slope = 1.2;
  const bool drops_low = s.jump_to_min > slope * s.std, drops_high = s.jump_to_max > slope * s.std;
  const bool rails =
      (s.rail_runs >= 2 || (s.rail_runs == 1 && s.longest_rail * 100 < s.samples)) && share < 0.3;
  if (rails && (drops_low || drops_high) && !(drops_low && drops_high)) {
    const double value = drops_low ? s.min : s.max;
    out.push_back(
        {"dropouts", Severity::warning, channel.name,
         fmt::format("{} samples, up to {} in a row, are exactly {}, which the signal jumps to, by {} in "
                     "the mean",
                     drops_low ? s.at_min : s.at_max, s.longest_rail, shown(value),
                     shown(drops_low ? s.jump_to_min : s.jump_to_max)),
         "if that stands for nothing measured, say so with --missing-value " + format_number(value, 9)});
  } else if (rails) {
    out.push_back({"clipping", Severity::serious, channel.name,
                   fmt::format("{} samples at exactly {} and {} at {}, up to {} in a row", s.at_max,
                               shown(s.max), s.at_min, shown(s.min), s.longest_rail),
                   "use a larger range; harmonics of this channel may be made by the clipping"});
  }
  // Lone samples, few of them: many would be the signal itself.
  if (spikes.count > 0 && spikes.count * 100 <= s.samples) {
    out.push_back({"spikes", Severity::warning, channel.name,
                   fmt::format("{} lone {} out from both neighbours, the largest by {} {}", spikes.count,
                               spikes.count == 1 ? "sample stands" : "samples stand", shown(spikes.height),
                               when(spikes.largest)),
                   "look at the time trace: they spread over the whole spectrum"});
  } else if (const double reach = s.std > 0 ? std::max(s.max - s.mean, s.mean - s.min) / s.std : 0;
             reach > 8) {
    out.push_back(
        {"outliers", Severity::note, channel.name,
         fmt::format("the farthest sample lies {:.1f} standard deviations from the mean (kurtosis {:.1f})",
                     reach, s.kurtosis),
         "look at the time trace: a disturbance, or a true shock"});
  }
  // Two values are a logic signal, a few the levels of a pulse; some more are a converter hardly used.
  // Few values that lie far apart beside the least distance of two are those of a shape that comes again.
  const double steps = levels.step > 0 ? (s.max - s.min) / levels.step : 0;
  if (s.samples >= 256 && levels.distinct > 8 && levels.distinct <= 64 &&
      steps < 4 * static_cast<double>(levels.distinct))
    out.push_back(
        {"coarse-quantisation", Severity::warning, channel.name,
         fmt::format("only {} different values, {} apart: {:.1f} bits of the converter are used",
                     levels.distinct, shown(levels.step), std::log2((s.max - s.min) / levels.step + 1)),
         "use a smaller range; the steps add noise and false harmonics"});
  if (s.zero_tail >= 16 && s.zero_tail * 50 >= s.samples && s.zero_tail < s.samples)
    out.push_back({"ends-in-zeros", Severity::warning, channel.name,
                   fmt::format("the last {} samples are exactly zero, {:.3g}% of the record", s.zero_tail,
                               100 * static_cast<double>(s.zero_tail) / n),
                   "the recording was padded or stopped early: gate to the part with signal"});
  if (s.std > 0 && std::abs(s.mean) > 20 * s.std)
    out.push_back({"large-offset", Severity::note, channel.name,
                   fmt::format("the mean {} is {:.0f} times the standard deviation", shown(s.mean),
                               std::abs(s.mean) / s.std),
                   "take it off with --chain 'detrend constant'"});
  return out;
}

std::optional<Caution> rest_caution(const Channel& channel, const Rests& r, const Statistics& s,
                                    const Axis& axis) {
  const std::int64_t outside = r.samples - r.resting;
  // Few values, or a signal that rests by nature, say nothing of a run.
  if (r.runs == 0 || 50 * r.alike > outside || 10 * r.resting > 3 * r.samples) return {};
  const bool at_end = r.from + r.longest == r.samples || r.from == 0;
  if (r.value == s.min || r.value == s.max || (r.runs == 1 && at_end && r.value == 0)) return {};
  const std::string where =
      axis.interval > 0 && !axis.stamped
          ? format_quantity(axis.start + static_cast<double>(r.from) * axis.interval, axis.unit.text(), 7) +
                " on"
          : "sample " + std::to_string(r.from + 1) + " on";
  return Caution{"stood-still", Severity::warning, channel.name,
                 fmt::format("{} samples from {} are exactly {}{}, though neighbours elsewhere differ",
                             r.longest, where, format_quantity(r.value, channel.unit.label()),
                             r.runs > 1 ? fmt::format(" (the longest of {} such stretches)", r.runs) : ""),
                 "the converter or the link may have stood still: gate to what is before or behind it"};
}

}  // namespace vprism
