// report.cpp: the margins as text, document, CSV and figure.
#include "commands/limits/limits.h"

namespace vprism {

std::string LimitsTask::text(const Recorded& r) const {
  std::string out = clean_text(r.facts.recording.file) + "\n";
  TextTable table({{"channel", TextTable::Align::left},
                   {"limit", TextTable::Align::left},
                   {"verdict", TextTable::Align::left},
                   {"worst at"},
                   {"level"},
                   {"limit there"},
                   {"margin"}});
  for (const HeldLine& h : r.held)
    if (!h.judged())
      table.add({h.channel.name, h.limit.line.name, h.word(), "-", "-", "-", "-"});
    else
      table.add({h.channel.name, h.limit.line.name, h.word(),
                 format_quantity(h.verdict.worst.frequency_hz, "Hz", 6),
                 format_quantity(h.verdict.worst.level, unit_of(h), 4),
                 format_quantity(h.verdict.worst.limit, unit_of(h), 4),
                 decibels(h.verdict.worst.margin_db, h.verdict.worst.margin_std_db, true)});
  out += table.text() + "\n";
  for (const HeldLine& h : r.held) {
    if (!h.dead.empty()) out += "  " + h.channel.name + " is not judged: " + h.dead + "\n";
    for (const LimitGap& gap : h.verdict.not_judged)
      out += "  " + h.channel.name + ", " + h.limit.line.name + ": not judged from " +
             format_quantity(gap.low_hz, "Hz", 5) + " to " + format_quantity(gap.high_hz, "Hz", 5) + ", " +
             gap.why + "\n";
  }
  for (const HeldLine& h : r.held) {
    if (!h.fails()) continue;
    out += "  " + h.channel.name + " exceeds " + h.limit.line.name + "\n";
    TextTable violations({{"from"}, {"to"}, {"worst at"}, {"level"}, {"limit"}, {"over by"}});
    std::vector<LimitViolation> listed = h.verdict.violations;
    std::stable_sort(listed.begin(), listed.end(),
                     [](const auto& a, const auto& b) { return a.margin_db < b.margin_db; });
    for (std::size_t i = 0; i < std::min<std::size_t>(20, listed.size()); ++i)
      violations.add({format_quantity(listed[i].low_hz, "Hz", 6), format_quantity(listed[i].high_hz, "Hz", 6),
                      format_quantity(listed[i].frequency_hz, "Hz", 6),
                      format_quantity(listed[i].level, unit_of(h), 4),
                      format_quantity(listed[i].limit, unit_of(h), 4),
                      decibels(-listed[i].margin_db, listed[i].margin_std_db, false)});
    out += violations.text("    ");
    if (listed.size() > 20) out += fmt::format("    and {} more, in the CSV\n", listed.size() - 20);
  }
  return out + "\n";
}

Json LimitsTask::violation_json(const LimitViolation& v) {
  return {{"low_hz", number(v.low_hz)},
          {"high_hz", number(v.high_hz)},
          {"frequency_hz", number(v.frequency_hz)},
          {"level", number(v.level)},
          {"limit", number(v.limit)},
          {"margin_db", number(v.margin_db)},
          {"margin_std_db", v.margin_std_db > 0 ? number(v.margin_std_db) : Json(nullptr)}};
}

Json LimitsTask::json(const HeldLine& h) const {
  Json violations = Json::array();
  for (const LimitViolation& v : h.verdict.violations) violations.push_back(violation_json(v));
  Json gaps = Json::array();
  for (const LimitGap& gap : h.verdict.not_judged)
    gaps.push_back({{"low_hz", number(gap.low_hz)}, {"high_hz", number(gap.high_hz)}, {"why", gap.why}});
  if (!h.dead.empty()) gaps.push_back({{"low_hz", nullptr}, {"high_hz", nullptr}, {"why", h.dead}});
  return {{"channel", h.channel.name},
          {"unit", h.channel.unit.label()},
          {"limit", h.limit.line.name},
          {"level_unit", unit_of(h)},
          {"scale", scale_entry(h.scale).name},
          {"detector", h.limit.peak_detector ? "peak" : "average"},
          {"compared", h.verdict.compared},
          {"verdict", h.fails()                                 ? "fail"
                      : h.in_full() || (partial_ && h.judged()) ? "pass"
                                                                : "not judged in full"},
          {"judged_in_full", h.in_full()},
          {"not_judged", gaps},
          {"margin_std_db", h.judged() && h.verdict.worst.margin_std_db > 0
                                ? number(h.verdict.worst.margin_std_db)
                                : Json(nullptr)},
          {"worst", h.judged() ? violation_json(h.verdict.worst) : Json(nullptr)},
          {"violations", violations}};
}

std::string LimitsTask::csv(const Recorded& r) const {
  std::string out = "channel,limit,what,from (Hz),to (Hz),worst at (Hz),level,limit there,unit,margin (dB)\n";
  for (const HeldLine& h : r.held) {
    const auto add = [&](const char* what, const LimitViolation& v) {
      out += fmt::format("{},{},{},{:.10g},{:.10g},{:.10g},{:.6g},{:.6g},{},{:.4f}\n",
                         csv_cell(h.channel.name), csv_cell(h.limit.line.name), what, v.low_hz, v.high_hz,
                         v.frequency_hz, v.level, v.limit, csv_cell(unit_of(h)), v.margin_db);
    };
    if (h.judged()) add("least margin", h.verdict.worst);
    for (const LimitGap& gap : h.verdict.not_judged)
      out += fmt::format("{},{},{},{:.10g},{:.10g},,,,,\n", csv_cell(h.channel.name),
                         csv_cell(h.limit.line.name), csv_cell("not judged: " + gap.why), gap.low_hz,
                         gap.high_hz);
    for (const LimitViolation& v : h.verdict.violations) add("violation", v);
  }
  return out;
}

Figure LimitsTask::figure(const Recorded& r) const {
  Figure figure;
  figure.title = r.facts.recording.stem() + ": limits";
  for (const HeldLine& h : r.held) {
    if (figure.caption.empty() && !h.plan.empty())
      figure.caption = h.plan + "; numbered: what exceeds the limit";
    Panel panel;
    panel.title = !h.judged() ? h.channel.name + ": " + h.limit.line.name + " not judged"
                              : fmt::format("{}: {} {} ({:+.1f} dB at {})", h.channel.name, h.limit.line.name,
                                            h.fails()     ? "EXCEEDED"
                                            : h.in_full() ? "kept"
                                                          : "kept where judged",
                                            h.verdict.worst.margin_db,
                                            format_quantity(h.verdict.worst.frequency_hz, "Hz", 4));
    const double low = h.limit.line.points.front().first, high = h.limit.line.points.back().first;
    const bool spread = low > 0 && high > 8 * low;
    panel.x = {"Frequency", "Hz", spread, low, high};
    panel.y = {scale_entry(h.scale).density ? "Density" : "Level", unit_of(h), true, {}, {}};
    Curve levels;
    levels.name = h.limit.peak_detector ? "highest of the segments" : "level";
    double least = 1e300, most = 0;
    for (std::size_t k = 0; k < h.levels.hz.size(); ++k)
      if (h.levels.hz[k] >= low && h.levels.hz[k] <= high && h.levels.level[k] > 0) {
        levels.x.push_back(h.levels.hz[k]);
        levels.y.push_back(h.levels.level[k]);
        most = std::max(most, h.levels.level[k]);
      }
    std::vector<double> sorted = levels.y;
    std::sort(sorted.begin(), sorted.end());
    if (!sorted.empty()) least = sorted[sorted.size() / 50];
    panel.curves.push_back(thinned(std::move(levels), 4000, spread));
    Curve line;
    line.name = h.limit.line.name;
    line.colour = 1;
    constexpr int steps = 600;
    for (int i = 0; i <= steps; ++i) {
      const double part = static_cast<double>(i) / steps;
      const double hz =
          std::clamp(spread ? low * std::pow(high / low, part) : low + part * (high - low), low, high);
      const double level = h.limit.line.at(hz).value_or(std::nan(""));
      line.x.push_back(hz);
      line.y.push_back(level);
      if (level > 0) most = std::max(most, level), least = std::min(least, level);
    }
    panel.curves.push_back(std::move(line));
    if (least < most) panel.y.low = least / 3;
    int index = 0;
    std::vector<LimitViolation> listed = h.verdict.violations;
    std::stable_sort(listed.begin(), listed.end(),
                     [](const auto& a, const auto& b) { return a.margin_db < b.margin_db; });
    for (const LimitViolation& v : listed)
      if (++index <= 12) panel.marks.push_back({v.frequency_hz, v.level, std::to_string(index)});
    figure.panels.push_back(std::move(panel));
  }
  return figure;
}

}  // namespace vprism
