// report.cpp: levels over time as text, JSON, CSV and a figure.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/levels/levels.h"

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
  return {{"channel", c.of},
          {"unit", c.channel.unit.label()},
          {"low_hz", c.band ? number(c.band->low_hz) : Json(nullptr)},
          {"high_hz", c.band ? number(c.band->high_hz) : Json(nullptr)},
          {"band", c.band ? Json(c.band->name) : Json(nullptr)},
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

void report_levels(const LevelsResult& result, Delivery& delivery) {
  const Recording& r = result.facts.recording;
  const ShownLevel shown{result};
  delivery.inputs.push_back(result.facts);
  delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
  if (r.duration_s() < 0.999 * result.every_s)
    delivery.cautions.push_back({"stretch-beyond-record", Severity::note, "",
                                 "one stretch of " + format_quantity(result.every_s, "s", 4) +
                                     " is longer than the record, " + format_quantity(r.duration_s(), "s", 4),
                                 "give a shorter --every"});
  const std::size_t stretches = result.channels.front().points.size();
  delivery.text += fmt::format("{}\n  {} {} of {}; levels: {}\n", clean_text(r.file), stretches,
                               stretches == 1 ? "stretch" : "stretches",
                               format_quantity(result.every_s, "s", 4), what_is_judged(result));
  TextTable table(
      {{"channel", TextTable::Align::left}, {"RMS in all"}, {"peak"}, {"least"}, {"median"}, {"greatest"}});
  for (const ChannelLevels& c : result.channels)
    table.add({c.channel.name, shown.text(c.channel, c.rms), shown.text(c.channel, c.peak),
               shown.text(c.channel, exceeded_by(c.sorted, 100)),
               shown.text(c.channel, exceeded_by(c.sorted, 50)),
               shown.text(c.channel, exceeded_by(c.sorted, 0))});
  delivery.text += "\n" + table.text();
  for (const ChannelLevels& c : result.channels) {
    // Of bands the table says enough.
    if (!c.band || !c.exceedances.empty())
      delivery.text += "\n" + c.channel.name + (c.band ? "" : ", exceeded");
    for (const auto& [percent, level] : c.percentiles)
      if (!c.band)
        delivery.text +=
            fmt::format("{} {:g}% of the time: {}", percent == c.percentiles.front().first ? "" : ",",
                        percent, shown.text(c.channel, level));
    if (!c.band || !c.exceedances.empty()) delivery.text += "\n";
    for (const Exceedance& e : c.exceedances) delivery.text += exceedance_text(result, c, e);
    delivery.results.push_back(json_of(result, c));
  }
  delivery.text += "\n";
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

namespace {

/// Few bands over time, and what half, 90% and 10% of the time exceeds over frequency.
void add_band_panels(const LevelsResult& result, const ChannelLevels& whole,
                     const std::vector<const ChannelLevels*>& bands, Figure& figure) {
  constexpr std::size_t most_curves = 6;
  const Recording& r = result.facts.recording;
  const ShownLevel shown{result};
  const char* quantity =
      result.reference || whole.channel.quantity.empty() ? "Level" : whole.channel.quantity.c_str();
  if (bands.size() <= most_curves) {
    Panel over_time;
    over_time.title = whole.channel.name + ": levels in bands";
    over_time.x = {"Time", "s", false, r.axis.start, r.axis.start + r.duration_s()};
    over_time.y = {quantity, shown.unit_of(whole.channel)};
    over_time.y.logarithmic = !result.reference;
    for (std::size_t b = 0; b < bands.size(); ++b) {
      Curve level;
      level.name = bands[b]->channel.name.substr(whole.channel.name.size() + 2);
      level.colour = static_cast<int>(b);
      for (std::size_t i = 0; i < bands[b]->level.size(); ++i)
        level.x.push_back(result.time_of(i)), level.y.push_back(shown.value(bands[b]->level[i]));
      over_time.curves.push_back(thinned(std::move(level), 4000, false));
    }
    figure.panels.push_back(std::move(over_time));
  }
  const bool octaves =
      std::none_of(bands.begin(), bands.end(), [](const ChannelLevels* c) { return c->band->name.empty(); });
  if (bands.size() > most_curves && octaves) {
    // Fractions of octaves: rows as high as each other.
    Panel map;
    map.title = whole.channel.name + ": levels in bands over time";
    map.x = {"Time", "s", false, r.axis.start, r.axis.start + r.duration_s()};
    map.y = {"Frequency", "Hz", true, bands.front()->band->low_hz, bands.back()->band->high_hz};
    ColourMap colours;
    constexpr std::size_t most_columns = 2000;
    const std::size_t points = bands.front()->level.size(), group = (points - 1) / most_columns + 1;
    colours.columns = (points + group - 1) / group, colours.rows = bands.size();
    colours.x_low = r.axis.start;
    colours.x_high = r.axis.start + static_cast<double>(colours.columns * group) * result.every_s;
    colours.y_low = *map.y.low, colours.y_high = *map.y.high;
    for (const ChannelLevels* c : bands)
      for (std::size_t i = 0; i < points; i += group)
        colours.values.push_back(static_cast<float>(shown.value(
            *std::max_element(c->level.begin() + static_cast<std::ptrdiff_t>(i),
                              c->level.begin() + static_cast<std::ptrdiff_t>(std::min(points, i + group))))));
    colours.quantity = quantity, colours.unit = shown.unit_of(whole.channel);
    colours.logarithmic = !result.reference;
    map.map = std::move(colours);
    figure.panels.push_back(std::move(map));
  }
  Panel over_frequency;
  over_frequency.title =
      whole.channel.name + ": level of each band, the median and where 80% of the time lies";
  over_frequency.x = {"Frequency", "Hz", true};
  over_frequency.y = {quantity, shown.unit_of(whole.channel)};
  over_frequency.y.logarithmic = !result.reference;
  Curve reach, median;
  reach.shade = true;
  for (const ChannelLevels* c : bands) {
    const double low = std::max(c->band->low_hz, 1e-3 * c->band->high_hz);
    for (const double hz : {low, c->band->high_hz}) {
      median.x.push_back(hz), median.y.push_back(shown.value(exceeded_by(c->sorted, 50)));
      reach.x.push_back(hz), reach.y.push_back(shown.value(exceeded_by(c->sorted, 90)));
      reach.high.push_back(shown.value(exceeded_by(c->sorted, 10)));
    }
  }
  over_frequency.curves.push_back(std::move(reach));
  over_frequency.curves.push_back(std::move(median));
  figure.panels.push_back(std::move(over_frequency));
}

}  // namespace

Figure levels_figure(const LevelsResult& result) {
  const Recording& r = result.facts.recording;
  const ShownLevel shown{result};
  Figure figure;
  figure.title = r.stem() + ": levels";
  figure.caption =
      what_is_judged(result) + (result.reference ? "" : "; shaded: from the lowest to the highest sample");
  for (const ChannelLevels& c : result.channels) {
    if (c.band) continue;
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
    std::vector<const ChannelLevels*> bands;
    for (const ChannelLevels& other : result.channels)
      if (other.band && other.of == c.of) bands.push_back(&other);
    if (!bands.empty()) add_band_panels(result, c, bands, figure);
  }
  return figure;
}

}  // namespace vprism
