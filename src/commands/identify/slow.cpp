// slow.cpp: what changes over the record as a whole, as findings: trends, steps, louder noise.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/identify/identify.h"

namespace vprism {

std::optional<Finding> report_trend(const Recording& r, const Channel& channel, double per_s, double share,
                                    double rms, bool beside_lines) {
  // A slow walk has some slope in every record; one that was found beside lines of few periods is more.
  if (!(share > (beside_lines ? 0.01 : 0.05))) return {};
  Finding f;
  f.kind = "trend";
  f.recording = r.file, f.channel = channel.name, f.unit = channel.unit.label();
  f.level_rms = rms * std::sqrt(share);
  const double all = per_s * static_cast<double>(r.samples) * r.axis.interval;
  f.text = fmt::format(
      "a trend: a straight line {} by {} over the record, {:.3g}% of the mean square about the mean",
      all < 0 ? "falls" : "rises", format_quantity(std::abs(all), f.unit, 4), 100 * share);
  f.evidence.push_back(
      "below one period in the record a trend and a slow line look alike; take it off with condition "
      "detrend");
  f.numbers = {{"rise", all}, {"rise_per_s", per_s}};
  return f;
}

void leave_to_run_up(const RunUp& run, std::vector<Finding>& findings) {
  std::erase_if(findings, [&](const Finding& f) {
    return (f.kind == "resonance" || f.kind == "broadband" || f.kind == "intermittent") &&
           run.may_leave(f.frequency_hz, f.level_rms);
  });
}

Finding report_run_up(const Recording& r, const ChannelSpectrum& c, const RunUp& run) {
  Finding f;
  f.recording = r.file, f.channel = c.channel.name, f.unit = c.channel.unit.label();
  f.frequency_hz = (run.low_hz + run.high_hz) / 2;
  f.frequency_std_hz = (run.high_hz - run.low_hz) / std::sqrt(12.0);
  f.level_rms = run.rms;
  const bool alone = run.orders.size() == 1;
  std::string course = fmt::format(
      "from {} at {} to {} at {}", format_uncertain(run.from_hz, run.from_std_hz, "Hz"),
      format_quantity(r.axis.start + run.from_s, "s", 4), format_uncertain(run.to_hz, run.to_std_hz, "Hz"),
      format_quantity(r.axis.start + run.to_s, "s", 4));
  if (run.turns())
    course += fmt::format(", between {} and {}", format_quantity(run.low_hz, "Hz", 4),
                          format_quantity(run.high_hz, "Hz", 4));
  const std::string level = format_quantity(f.level_rms, f.unit, 4);
  f.numbers = {{"from_hz", run.from_hz},
               {"from_std_hz", run.from_std_hz},
               {"to_hz", run.to_hz},
               {"to_std_hz", run.to_std_hz},
               {"start_s", r.axis.start + run.from_s},
               {"end_s", r.axis.start + run.to_s},
               {"low_hz", run.low_hz},
               {"high_hz", run.high_hz}};
  if (alone) {
    f.kind = "sweep";
    f.text = fmt::format("a sweep {}, by no even law, {} RMS over the record", course, level);
    f.evidence = {"one line that moves is followed through the record by its phase"};
  } else {
    f.kind = "run-up";
    std::string orders;
    for (std::size_t i = 0; i < run.orders.size(); ++i) {
      const RunUpOrder& o = run.orders[i];
      const bool exact = std::round(2 * o.order) == 2 * o.order;
      orders += fmt::format("{}{} ({})",
                            i == 0                       ? ""
                            : i + 1 == run.orders.size() ? " and "
                                                         : ", ",
                            exact ? format_number(o.order, 4) : format_uncertain(o.order, o.order_std, ""),
                            format_uncertain(o.rms, o.rms_std, f.unit));
      const std::string name = "order_" + std::to_string(i + 1);
      f.numbers.emplace_back(name, o.order);
      f.numbers.emplace_back(name + "_std", o.order_std);
      f.numbers.emplace_back(name + "_rms", o.rms);
      f.numbers.emplace_back(name + "_rms_std", o.rms_std);
    }
    f.text = fmt::format("a run{} {}, with {} orders: {}; {} RMS in all",
                         run.turns()               ? " up and down"
                         : run.to_hz > run.from_hz ? "-up"
                                                   : "-down",
                         course, run.orders.size(), orders, level);
    f.evidence = {"these lines move through the band and keep their ratios; the lowest is called order 1",
                  "over the speed of the shaft, and where they cross resonances: orders"};
  }
  f.evidence.push_back(
      "in the band that it runs through, what has less than a fourteenth of its level is not listed: "
      "it may be left of it");
  return f;
}

Finding report_noise_course(const Recording& r, const Channel& channel, const NoiseCourse& course) {
  Finding f;
  f.kind = "intermittent";
  f.recording = r.file, f.channel = channel.name, f.unit = channel.unit.label();
  f.level_rms = course.excess_rms;
  // Neighbours that are louder are one stretch.
  std::vector<NoiseStretch> louder;
  const NoiseStretch* loudest = nullptr;
  for (std::size_t i = 0; i < course.stretches.size(); ++i) {
    const NoiseStretch& s = course.stretches[i];
    if (!s.louder) continue;
    if (loudest == nullptr || s.gain > loudest->gain) loudest = &s;
    if (!louder.empty() && louder.back().end == s.first)
      louder.back().end = s.end;
    else
      louder.push_back(s);
  }
  const double times = std::sqrt(loudest->gain), times_std = loudest->gain_std / (2 * times);
  const auto at = [&](std::size_t n) { return r.axis.start + static_cast<double>(n) * r.axis.interval; };
  const NoiseStretch& longest = *std::max_element(
      louder.begin(), louder.end(),
      [](const NoiseStretch& a, const NoiseStretch& b) { return a.end - a.first < b.end - b.first; });
  const std::string where = "from " + format_quantity(at(longest.first), "s", 4) + " to " +
                            format_quantity(at(longest.end), "s", 4);
  f.text = fmt::format(
      "noise at all frequencies that is up to {} times louder {}, {} RMS over the record",
      format_uncertain(times, times_std, ""),
      louder.size() == 1 ? where : fmt::format("in {} stretches, the longest {}", louder.size(), where),
      format_quantity(f.level_rms, f.unit, 4));
  f.evidence.push_back(
      "its density changes alike in all bands; lines and resonances are those that stand out of it with its "
      "level evened");
  f.numbers = {{"start_s", at(longest.first)},
               {"end_s", at(longest.end)},
               {"louder", times},
               {"louder_std", times_std},
               {"count", static_cast<double>(louder.size())}};
  return f;
}

std::optional<Finding> report_step(const Recording& r, const Channel& channel, const LevelShift& shift) {
  if (!(std::abs(shift.size) > 3 * shift.size_std)) return {};
  Finding f;
  f.kind = "step";
  f.recording = r.file, f.channel = channel.name, f.unit = channel.unit.label();
  const double share = static_cast<double>(shift.at) / static_cast<double>(r.samples),
               at = r.axis.start + static_cast<double>(shift.at) * r.axis.interval;
  f.level_rms = std::abs(shift.size) * std::sqrt(share * (1 - share));
  f.text = fmt::format("a step: the level {} by {} at {} and stays", shift.size > 0 ? "rises" : "falls",
                       format_uncertain(std::abs(shift.size), shift.size_std, f.unit),
                       format_quantity(at, "s", 6));
  f.evidence.push_back(
      "two levels explain 95% of what 48 means over the record do; lines are those beside it");
  f.numbers = {{"step", shift.size}, {"step_std", shift.size_std}, {"at_s", at}};
  return f;
}

bool slow_line(const Recording& r, std::size_t c, const Finding& trend, const IdentifyResult& result) {
  // Noise that rises towards 0 Hz has a slope in every record: what it holds below one period, and of so few
  // values that is a dozen times the mean now and then.
  constexpr double most_of_noise = 15, steep = 0.7;
  const NoiseShape& noise = result.noise[c];
  const double lowest_hz = 1 / r.duration_s();
  if (noise.slope > steep && trend.level_rms * trend.level_rms <
                                 most_of_noise * noise.density_at_1hz * std::pow(lowest_hz, 1 - noise.slope))
    return true;
  for (std::size_t i = 0; i < result.findings.size(); ++i)
    if (result.channels[i] == c && result.findings[i].kind != "event" &&
        result.findings[i].frequency_hz * r.duration_s() < 6 &&
        result.findings[i].level_rms > trend.level_rms)
      return true;
  return false;
}

}  // namespace vprism
