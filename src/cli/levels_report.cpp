// levels_report.cpp: levels over time as text, JSON, CSV and a figure.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "cli/levels.h"

namespace vprism {

namespace {

/// A level as it is shown: in the channel's unit, or in decibels.
struct ShownLevel {
  const LevelsResult& result;
  std::string unit_of(const Channel& channel) const {
    const std::string unit = channel.unit.text() == "1" ? "" : channel.unit.label();
    if (!result.reference) return unit;
    return "dB re " + format_number(*result.reference) + (unit.empty() ? "" : " " + unit);
  }
  double value(double level) const {
    return result.reference ? 20 * std::log10(level / *result.reference) : level;
  }
  std::string text(const Channel& channel, double level) const {
    if (std::isnan(level)) return "";
    if (!result.reference) return format_quantity(level, channel.unit.label(), 4);
    return level > 0 ? fmt::format("{:.2f} dB", value(level)) : std::string("none");
  }
};

std::string what_is_judged(const LevelsResult& result) {
  return result.time_constant_s
             ? "running level, time constant " + format_quantity(*result.time_constant_s, "s", 4)
             : "RMS of each " + format_quantity(result.every_s, "s", 4);
}

Json json_of(const LevelsResult& result, const ChannelLevels& c) {
  Json points = Json::array(), percentiles = Json::array(), exceedances = Json::array();
  for (std::size_t i = 0; i < c.points.size(); ++i) {
    const LevelPoint& p = c.points[i];
    points.push_back({{"time_s", number(result.time_of(i))},
                      {"rms", number(p.rms)},
                      {"mean", number(p.mean)},
                      {"min", number(p.low)},
                      {"max", number(p.high)},
                      {"peak", number(p.peak())},
                      {"peak_to_peak", number(p.peak_to_peak())},
                      {"crest", number(p.crest())},
                      {"kurtosis", number(p.kurtosis)}});
    if (result.time_constant_s) {
      points.back()["level"] = number(p.running);
      points.back()["level_max"] = number(p.running_high);
    }
  }
  for (const auto& [percent, level] : c.percentiles)
    percentiles.push_back({{"percent", number(percent)}, {"level", number(level)}});
  for (const Exceedance& e : c.exceedances) {
    Json runs = Json::array();
    std::size_t longest = 0;
    for (const Exceedance::Run& run : e.runs) {
      longest = std::max(longest, run.to - run.from);
      if (runs.size() < 1000)
        runs.push_back({{"from_s", number(result.time_of(run.from) - result.every_s / 2)},
                        {"to_s", number(result.time_of(run.to) - result.every_s / 2)},
                        {"max", number(run.highest)}});
    }
    exceedances.push_back({{"level", number(e.level)},
                           {"count", e.runs.size()},
                           {"total_s", number(static_cast<double>(e.above) * result.every_s)},
                           {"share", number(static_cast<double>(e.above) /
                                            static_cast<double>(std::max<std::size_t>(1, c.level.size())))},
                           {"longest_s", number(static_cast<double>(longest) * result.every_s)},
                           {"runs", std::move(runs)}});
  }
  return {{"channel", c.channel.name},
          {"unit", c.channel.unit.label()},
          {"every_s", number(result.every_s)},
          {"time_constant_s", result.time_constant_s ? number(*result.time_constant_s) : Json(nullptr)},
          {"rms_total", number(c.rms)},
          {"peak_total", number(c.peak)},
          {"percentiles", std::move(percentiles)},
          {"exceedances", std::move(exceedances)},
          {"levels", std::move(points)}};
}

std::string exceedance_text(const LevelsResult& result, const ChannelLevels& c, const Exceedance& e) {
  const ShownLevel shown{result};
  std::string out = fmt::format(
      "  over {}: {} {}, {} in all ({:.3g}% of the time)", shown.text(c.channel, e.level), e.runs.size(),
      e.runs.size() == 1 ? "time" : "times",
      format_quantity(static_cast<double>(e.above) * result.every_s, "s", 4),
      100 * static_cast<double>(e.above) / static_cast<double>(std::max<std::size_t>(1, c.level.size())));
  if (e.runs.empty()) return out + "\n";
  const auto& longest = *std::max_element(e.runs.begin(), e.runs.end(), [](const auto& a, const auto& b) {
    return a.to - a.from < b.to - b.from;
  });
  return out +
         fmt::format("; the first at {}, the longest {} from {} on\n",
                     format_quantity(result.time_of(e.runs.front().from) - result.every_s / 2, "s", 6),
                     format_quantity(static_cast<double>(longest.to - longest.from) * result.every_s, "s", 4),
                     format_quantity(result.time_of(longest.from) - result.every_s / 2, "s", 6));
}

}  // namespace

void report_levels(const LevelsResult& result, Telling& telling) {
  const Recording& r = result.facts.recording;
  const ShownLevel shown{result};
  telling.inputs.push_back(result.facts);
  telling.cautions.insert(telling.cautions.end(), r.cautions.begin(), r.cautions.end());
  telling.text += fmt::format("{}\n  {} stretches of {}; levels: {}\n", clean_text(r.file),
                              result.channels.front().points.size(), format_quantity(result.every_s, "s", 4),
                              what_is_judged(result));
  TextTable table(
      {{"channel", TextTable::Align::left}, {"RMS in all"}, {"peak"}, {"least"}, {"median"}, {"greatest"}});
  for (const ChannelLevels& c : result.channels)
    table.add({c.channel.name, shown.text(c.channel, c.rms), shown.text(c.channel, c.peak),
               shown.text(c.channel, exceeded_by(c.sorted, 100)),
               shown.text(c.channel, exceeded_by(c.sorted, 50)),
               shown.text(c.channel, exceeded_by(c.sorted, 0))});
  telling.text += "\n" + table.text();
  for (const ChannelLevels& c : result.channels) {
    telling.text += "\n" + c.channel.name + ", exceeded";
    for (const auto& [percent, level] : c.percentiles)
      telling.text +=
          fmt::format("{} {:g}% of the time: {}", percent == c.percentiles.front().first ? "" : ",", percent,
                      shown.text(c.channel, level));
    telling.text += "\n";
    for (const Exceedance& e : c.exceedances) telling.text += exceedance_text(result, c, e);
    telling.results.push_back(json_of(result, c));
  }
  telling.text += "\n";
}

std::string levels_csv(const LevelsResult& result) {
  const ShownLevel shown{result};
  std::string out = "time (s)";
  for (const ChannelLevels& c : result.channels) {
    const std::string unit = c.channel.unit.text();
    for (const char* what : {"rms", "mean", "min", "max"})
      out += "," + csv_cell(c.channel.name + " " + what + " (" + unit + ")");
    out += "," + csv_cell(c.channel.name + " kurtosis");
    if (result.time_constant_s) out += "," + csv_cell(c.channel.name + " level (" + unit + ")");
    if (result.reference) out += "," + csv_cell(c.channel.name + " level (" + shown.unit_of(c.channel) + ")");
  }
  out += "\n";
  for (std::size_t i = 0; i < result.channels.front().points.size(); ++i) {
    out += fmt::format("{:.12g}", result.time_of(i));
    for (const ChannelLevels& c : result.channels) {
      const LevelPoint& p = c.points[i];
      out += fmt::format(",{:.9g},{:.9g},{:.9g},{:.9g},{:.6g}", p.rms, p.mean, p.low, p.high, p.kurtosis);
      if (result.time_constant_s) out += fmt::format(",{:.9g}", p.running);
      if (result.reference) out += fmt::format(",{:.6g}", shown.value(c.level[i]));
    }
    out += "\n";
  }
  return out;
}

std::string distribution_csv(const LevelsResult& result) {
  std::string out = "channel,level,exceeded (% of the time),unit\n";
  for (const ChannelLevels& c : result.channels)
    for (int percent = 100; percent >= 0; --percent)
      out += fmt::format("{},{:.9g},{},{}\n", csv_cell(c.channel.name), exceeded_by(c.sorted, percent),
                         percent, csv_cell(c.channel.unit.text()));
  return out;
}

Figure levels_figure(const LevelsResult& result) {
  const Recording& r = result.facts.recording;
  const ShownLevel shown{result};
  Figure figure;
  figure.title = r.stem() + ": levels";
  figure.caption =
      what_is_judged(result) + (result.reference ? "" : "; shaded: from the lowest to the highest sample");
  for (const ChannelLevels& c : result.channels) {
    Panel over_time;
    over_time.title = c.channel.name;
    over_time.x = {"Time", "s", false, r.axis.start, r.axis.start + r.duration_s()};
    over_time.y = {result.reference             ? "Level"
                   : c.channel.quantity.empty() ? "Level"
                                                : c.channel.quantity,
                   shown.unit_of(c.channel)};
    Curve level, reach;
    reach.shade = true;
    for (std::size_t i = 0; i < c.level.size(); ++i) {
      level.x.push_back(result.time_of(i));
      level.y.push_back(shown.value(c.level[i]));
      reach.x.push_back(result.time_of(i)), reach.y.push_back(c.points[i].low),
          reach.high.push_back(c.points[i].high);
    }
    if (!result.reference) over_time.curves.push_back(std::move(reach));
    over_time.curves.push_back(thinned(std::move(level), 4000, false));
    for (const Exceedance& e : c.exceedances) {
      Curve line;
      line.colour = 1;
      line.x = {r.axis.start, r.axis.start + r.duration_s()};
      line.y = {shown.value(e.level), shown.value(e.level)};
      over_time.curves.push_back(std::move(line));
    }
    figure.panels.push_back(std::move(over_time));
    Panel often;
    often.title = c.channel.name + ": how much of the time a level is exceeded";
    often.x = {"Level", shown.unit_of(c.channel)};
    often.y = {"Exceeded", "% of the time", false, 0, 100};
    Curve curve;
    curve.colour = 2;
    for (int percent = 100; percent >= 0; --percent) {
      const double value = shown.value(exceeded_by(c.sorted, percent));
      if (!std::isfinite(value)) continue;
      curve.x.push_back(value), curve.y.push_back(percent);
    }
    often.curves.push_back(std::move(curve));
    figure.panels.push_back(std::move(often));
  }
  return figure;
}

}  // namespace vprism
