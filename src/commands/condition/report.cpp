// report.cpp: what a chain did, as text, JSON and CSV.
#include <fmt/format.h>

#include <cmath>

#include "base/text.h"
#include "commands/condition/condition.h"

namespace vprism {

namespace {

std::string settings_text(const std::vector<std::pair<std::string, std::string>>& pairs) {
  std::string out;
  for (const auto& [key, value] : pairs) out += (out.empty() ? "" : ", ") + key + " " + value;
  return out;
}

Json levels_json(const Statistics& s, const Axis& axis) {
  return {{"samples", s.samples},   {"rate_hz", axis.interval > 0 ? number(axis.rate_hz()) : Json(nullptr)},
          {"mean", number(s.mean)}, {"rms", number(s.rms)},
          {"std", number(s.std)},   {"min", number(s.min)},
          {"max", number(s.max)},   {"crest", number(s.crest)},
          {"missing", s.missing}};
}

}  // namespace

/// One line per step, and below it what it did.
std::string steps_text(const std::vector<StageReport>& chain) {
  std::string out;
  std::size_t number = 0;
  for (const StageReport& stage : chain) {
    out += "  " + std::to_string(++number) + "  " + stage.name +
           (stage.values.empty() ? "" : ": " + clean_text(settings_text(stage.values), 400)) + "\n";
    for (const auto& [key, value] : stage.effects)
      out += "       " + clean_text(key) + ": " + clean_text(value, 400) + "\n";
    constexpr std::size_t most = 8;
    for (std::size_t i = 0; i < stage.events.size() && i < most; ++i) {
      const StageEvent& e = stage.events[i];
      out += "       " + format_quantity(e.time_s, "s", 7) + "  " + clean_text(e.channel) + "  " +
             format_number(e.size, 4) + "  " + clean_text(e.what) + "\n";
    }
    if (stage.events.size() > most)
      out += "       and " + std::to_string(stage.events.size() - most) + " more, in the document\n";
  }
  return out;
}

TextTable levels_table(const ConditionResult& result) {
  TextTable table({{"channel", TextTable::Align::left},
                   {"", TextTable::Align::left},
                   {"unit", TextTable::Align::left},
                   {"samples"},
                   {"mean"},
                   {"RMS"},
                   {"std"},
                   {"min"},
                   {"max"},
                   {"crest"}});
  for (std::size_t c = 0; c < result.after.statistics.size(); ++c)
    for (const bool later : {false, true}) {
      const InspectResult& of = later ? result.after : result.before;
      const Statistics& s = of.statistics[c];
      const auto still = [&](double x) { return format_number(std::abs(x) < 1e-12 * s.rms ? 0 : x); };
      table.add({later ? "" : of.columns[c].name, later ? "after" : "before", of.columns[c].unit.label(),
                 std::to_string(s.samples), still(s.mean), format_number(s.rms), format_number(s.std),
                 format_number(s.min), format_number(s.max), format_number(s.crest, 4)});
    }
  return table;
}

TextTable lines_table(const std::vector<ChangedLine>& lines, const std::string& unit,
                      const std::string& unit_after) {
  TextTable table({{"frequency (Hz)"},
                   {"before (" + unit + " rms)"},
                   {unit == unit_after ? "after" : "after (" + unit_after + " rms)"},
                   {"change (dB)"},
                   {"filters (dB)"}});
  for (const ChangedLine& line : lines)
    table.add(
        {format_number(line.frequency_hz, 7), format_number(line.before, 4),
         line.after == 0 ? "above the band" : (line.found_after ? "" : "< ") + format_number(line.after, 4),
         line.after == 0 || unit != unit_after
             ? ""
             : fmt::format("{:.2f}", decibels(line.after, true, line.before)),
         line.gain ? fmt::format("{:.2f}", decibels(*line.gain, true)) : ""});
  return table;
}

Json condition_json(const ConditionResult& result) {
  Json out = Json::array();
  for (std::size_t c = 0; c < result.after.statistics.size(); ++c) {
    Json lines = Json::array();
    if (c < result.lines.size())
      for (const ChangedLine& line : result.lines[c])
        lines.push_back({{"frequency_hz", number(line.frequency_hz)},
                         {"before_rms", number(line.before)},
                         {"after_rms", number(line.after)},
                         {"found_after", line.found_after},
                         {"change_db", number(decibels(line.after, true, line.before))},
                         {"filters_db", line.gain ? number(decibels(*line.gain, true)) : Json(nullptr)}});
    out.push_back({{"channel", result.after.columns[c].name},
                   {"unit", result.after.columns[c].unit.label()},
                   {"unit_before", result.before.columns[c].unit.label()},
                   {"before", levels_json(result.before.statistics[c], result.before.facts.recording.axis)},
                   {"after", levels_json(result.after.statistics[c], result.after.facts.recording.axis)},
                   {"lines", std::move(lines)}});
  }
  return out;
}

std::string gain_csv(const ConditionResult& result) {
  std::string out = "frequency (Hz),gain (dB)\n";
  for (const auto& [hz, gain] : result.response)
    out += fmt::format("{:.10g},{:.6f}\n", hz, decibels(gain, true));
  return out;
}

}  // namespace vprism
