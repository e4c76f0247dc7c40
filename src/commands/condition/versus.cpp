// versus.cpp: see commands/condition/versus.h.
#include "commands/condition/versus.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"

namespace vprism {

std::optional<ChainSettling> chain_settling(const std::string& chain, double rate_hz) {
  // A step in the middle of a record long enough for what rings at a thousandth of the rate.
  constexpr std::size_t count = std::size_t{1} << 16, at = count / 2;
  Recording recording;
  recording.file = "step";
  recording.channels = {{"step", Unit::parse("1")}};
  recording.axis.interval = 1 / rate_hz;
  std::vector<double> step(count, 0.0), y;
  std::fill(step.begin() + at, step.end(), 1.0);
  double interval = 1 / rate_hz, start = 0;
  try {
    Road road(std::make_unique<MemorySource>(recording, std::vector<std::vector<double>>{step}),
              parse_chain(chain));
    road.resolve();
    road.run([&](Block& block) { y.insert(y.end(), block.samples(0).begin(), block.samples(0).end()); });
    interval = road.recording().axis.interval, start = road.recording().axis.start;
  } catch (const Error&) {
    return {};
  }
  if (y.size() < 16) return {};
  const double first = y.front(), last = y.back(), height = last - first;
  const auto off = [&](double v, double from) { return std::abs(v - from) > 0.01 * std::abs(height); };
  if (!(std::abs(height) > 1e-6) || off(y[y.size() - y.size() / 16], last)) return {};
  ChainSettling out;
  const double step_s = static_cast<double>(at) / rate_hz;
  const auto time = [&](double n) { return start + n * interval - step_s; };
  double most = last;
  std::size_t begun = y.size();
  for (std::size_t n = 0; n < y.size(); ++n) {
    if (begun == y.size() && off(y[n], first)) begun = n;
    if (off(y[n], last)) out.settled_s = time(static_cast<double>(n + 1));
    if ((y[n] - most) * height > 0) most = y[n];
  }
  out.settled_s = std::max(0.0, out.settled_s);
  out.before_s = std::max(0.0, -time(static_cast<double>(begun)));
  out.overshoot = (most - last) / height;
  for (std::size_t n = 1; n < y.size(); ++n)
    if ((y[n] - (first + height / 2)) * height >= 0) {
      const double share = y[n] != y[n - 1] ? (first + height / 2 - y[n - 1]) / (y[n] - y[n - 1]) : 0;
      // A step lies between two samples, half an interval before the first that it has reached.
      out.delay_s = time(static_cast<double>(n - 1) + share) + 0.5 / rate_hz;
      break;
    }
  return out;
}

ChainTrial judge_chain(const std::string& chain, ConditionResult result) {
  ChainTrial out{chain, std::move(result), {}, {}, {}, {}};
  const auto& response = out.result.response;
  if (!response.empty()) {
    double top = 0;
    for (const auto& [hz, gain] : response) top = std::max(top, gain);
    const auto within = [&](std::size_t i) { return response[i].second > top * std::sqrt(0.5); };
    std::size_t last = 0;
    bool any = false;
    for (std::size_t i = 0; i < response.size(); ++i)
      if (within(i)) last = i, any = true;
    if (any && last + 1 < response.size()) {
      const auto [low_hz, above] = response[last];
      const auto [high_hz, below] = response[last + 1];
      const double half = top * std::sqrt(0.5),
                   share = above > below && below > 0 ? std::log(above / half) / std::log(above / below) : 0;
      out.corner_hz = low_hz * std::pow(high_hz / low_hz, share);
    }
    double low = 1e300, high = 0;
    for (std::size_t i = 0; i <= last && any; ++i) {
      const auto& [hz, gain] = response[i];
      if (!within(i) || (out.corner_hz && hz > *out.corner_hz / 2)) continue;
      low = std::min(low, gain), high = std::max(high, gain);
    }
    if (high > 0) out.ripple_db = 20 * std::log10(high / low);
    out.settling = chain_settling(chain, out.result.before.facts.recording.axis.rate_hz());
  }
  if (out.result.spectrum_after)
    for (const ChannelSpectrum& c : out.result.spectrum_after->channels) {
      double sum = 0;
      for (const double power : c.floor) sum += power / c.spectrum.enbw_bins;
      out.noise.push_back(std::sqrt(sum));
    }
  return out;
}

std::string trials_text(const std::vector<ChainTrial>& trials) {
  std::string out;
  const InspectResult& first = trials.front().result.before;
  for (std::size_t c = 0; c < first.columns.size(); ++c) {
    const std::string unit = first.columns[c].unit.label();
    std::vector<TextTable::Column> columns = {{"chain", TextTable::Align::left}, {"std"}, {"noise"}};
    const auto& lines =
        c < trials.front().result.lines.size() ? trials.front().result.lines[c] : std::vector<ChangedLine>();
    for (const ChangedLine& line : lines) columns.push_back({format_quantity(line.frequency_hz, "Hz", 5)});
    TextTable table(columns);
    std::vector<std::string> before = {"before", format_quantity(first.statistics[c].std, unit, 4), ""};
    for (const ChangedLine& line : lines) before.push_back(format_quantity(line.before, unit, 4));
    table.add(before);
    for (const ChainTrial& t : trials) {
      const std::string after = t.result.after.columns[c].unit.label();
      std::vector<std::string> row = {
          clean_text(t.chain, 60), format_quantity(t.result.after.statistics[c].std, after, 4),
          c < t.noise.size() && t.noise[c] > 0 ? format_quantity(t.noise[c], after, 3) : ""};
      for (std::size_t i = 0; i < lines.size(); ++i) {
        const auto& own = c < t.result.lines.size() ? t.result.lines[c] : std::vector<ChangedLine>();
        if (i >= own.size() || after != unit)
          row.push_back("");
        else if (own[i].after == 0)
          row.push_back("above the band");
        else
          row.push_back((own[i].found_after ? "" : "< ") +
                        fmt::format("{:+.2f} dB", decibels(own[i].after, true, own[i].before)));
      }
      table.add(row);
    }
    out += "\n" + first.columns[c].name +
           ", chains side by side: RMS about the mean, RMS of the noise between the lines, change of each "
           "line\n" +
           table.text();
  }
  TextTable filters({{"chain", TextTable::Align::left},
                     {"-3 dB at"},
                     {"ripple below"},
                     {"delay of a step"},
                     {"settled (1%) after"},
                     {"seen before"},
                     {"overshoot"}});
  bool any = false;
  for (const ChainTrial& t : trials) {
    if (t.result.response.empty()) continue;
    any = true;
    const auto s = [](double v) { return format_quantity(v, "s", 4); };
    filters.add({clean_text(t.chain, 60), t.corner_hz ? format_quantity(*t.corner_hz, "Hz", 4) : "",
                 t.ripple_db ? fmt::format("{:.3f} dB", *t.ripple_db) : "",
                 t.settling ? s(t.settling->delay_s) : "", t.settling ? s(t.settling->settled_s) : "",
                 t.settling ? s(t.settling->before_s) : "",
                 t.settling ? format_number(100 * t.settling->overshoot, 3) + "%" : ""});
  }
  if (any) out += "\n" + filters.text();
  return out;
}

Json trials_json(const std::vector<ChainTrial>& trials) {
  Json out = Json::array();
  for (const ChainTrial& t : trials) {
    const auto maybe = [](const std::optional<double>& v) { return v ? number(*v) : Json(nullptr); };
    Json channels = Json::array();
    for (std::size_t c = 0; c < t.result.after.columns.size(); ++c) {
      Json lines = Json::array();
      if (c < t.result.lines.size())
        for (const ChangedLine& line : t.result.lines[c])
          lines.push_back({{"frequency_hz", number(line.frequency_hz)},
                           {"before_rms", number(line.before)},
                           {"after_rms", number(line.after)},
                           {"change_db", number(decibels(line.after, true, line.before))}});
      channels.push_back({{"channel", t.result.after.columns[c].name},
                          {"unit", t.result.after.columns[c].unit.label()},
                          {"std", number(t.result.after.statistics[c].std)},
                          {"noise_rms", c < t.noise.size() ? number(t.noise[c]) : Json(nullptr)},
                          {"lines", std::move(lines)}});
    }
    Json one{{"chain", t.chain},
             {"corner_hz", maybe(t.corner_hz)},
             {"ripple_db", maybe(t.ripple_db)},
             {"channels", std::move(channels)}};
    if (t.settling)
      one["step"] = {{"delay_s", number(t.settling->delay_s)},
                     {"settled_s", number(t.settling->settled_s)},
                     {"seen_before_s", number(t.settling->before_s)},
                     {"overshoot", number(t.settling->overshoot)}};
    out.push_back(std::move(one));
  }
  return out;
}

std::string trials_csv(const std::vector<ChainTrial>& trials) {
  std::string out = "chain,channel,unit,std,noise rms,line (Hz),before rms,after rms,change (dB)\n";
  for (const ChainTrial& t : trials)
    for (std::size_t c = 0; c < t.result.after.columns.size(); ++c) {
      const std::string head = csv_cell(t.chain) + "," + csv_cell(t.result.after.columns[c].name) + "," +
                               csv_cell(t.result.after.columns[c].unit.label()) +
                               fmt::format(",{:.9g},{:.9g}", t.result.after.statistics[c].std,
                                           c < t.noise.size() ? t.noise[c] : 0);
      const auto& lines = c < t.result.lines.size() ? t.result.lines[c] : std::vector<ChangedLine>();
      if (lines.empty()) out += head + ",,,,\n";
      for (const ChangedLine& line : lines)
        out += head + fmt::format(",{:.10g},{:.9g},{:.9g},{:.4f}\n", line.frequency_hz, line.before,
                                  line.after, decibels(line.after, true, line.before));
    }
  return out;
}

Figure trials_figure(const std::vector<ChainTrial>& trials, const AnalysisSettings& analysis) {
  Figure figure;
  const ConditionResult& first = trials.front().result;
  figure.title = first.before.facts.recording.stem() + ": chains side by side";
  figure.caption = "grey: before";
  constexpr std::size_t most_panels = 3;
  for (std::size_t c = 0; c < std::min(most_panels, first.before.columns.size()); ++c) {
    if (!first.spectrum_before) break;
    Panel panel = level_panel(*first.spectrum_before, c, analysis);
    panel.title = "spectrum of " + first.before.columns[c].name;
    panel.marks.clear();
    panel.listing.clear();
    for (Curve& curve : panel.curves) curve.colour = neutral_colour, curve.name = "before";
    int colour = 0;
    for (const ChainTrial& t : trials) {
      if (!t.result.spectrum_after || t.result.after.columns[c].unit != first.before.columns[c].unit)
        continue;
      for (Curve& curve : level_panel(*t.result.spectrum_after, c, analysis).curves) {
        Curve one = curve;
        one.high.clear();
        one.colour = colour, one.name = clean_text(t.chain, 40);
        panel.curves.push_back(std::move(one));
      }
      ++colour;
    }
    if (panel.y.low) panel.y.low = *panel.y.low * 1e-2;
    figure.panels.push_back(std::move(panel));
  }
  Panel gains;
  gains.title = "gain";
  gains.y = {"Gain", "dB", false, {}, {}};
  double most = -400;
  int colour = 0;
  for (const ChainTrial& t : trials) {
    Curve curve;
    for (const auto& [hz, gain] : t.result.response) {
      curve.x.push_back(hz), curve.y.push_back(decibels(gain, true));
      most = std::max(most, curve.y.back());
    }
    curve.colour = colour++, curve.name = clean_text(t.chain, 40);
    if (curve.x.empty()) continue;
    gains.x = {"Frequency", "Hz", true, curve.x.front(), curve.x.back()};
    gains.curves.push_back(std::move(curve));
  }
  if (!figure.panels.empty() && figure.panels.back().x.quantity == "Frequency")
    gains.x = figure.panels.back().x;
  gains.y.low = most - 100, gains.y.high = most + 5;
  if (!gains.curves.empty()) figure.panels.push_back(std::move(gains));
  return figure;
}

}  // namespace vprism
