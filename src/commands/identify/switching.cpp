// switching.cpp: how a line that jumps between states is reported; see identify/courses/line_states.h.
#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "base/units/quantity.h"
#include "commands/identify/identify.h"

namespace vprism {

namespace {

std::string listed(const std::vector<std::string>& all) {
  std::string out;
  for (std::size_t i = 0; i < std::min<std::size_t>(all.size(), 6); ++i)
    out += (i == 0 ? "" : i + 1 == all.size() ? " and " : ", ") + all[i];
  return out + (all.size() > 6 ? ", ..." : "");
}

std::string times(std::size_t count) {
  return count == 1 ? "once" : count == 2 ? "twice" : std::to_string(count) + " times";
}

/// When a line that is off before or behind, or in between, is there.
std::string when_there(const LineStates& s, double start_s) {
  const auto at = [&](std::size_t i) { return format_quantity(start_s + s.changes_s[i], "s", 6); };
  if (s.changes_s.size() == 1)
    return (s.on_at_first ? "until " : "from ") + at(0) + (s.on_at_first ? "" : " on");
  if (s.changes_s.size() != 2) return {};
  return s.on_at_first ? "but from " + at(0) + " to " + at(1) : "from " + at(0) + " to " + at(1);
}

std::string text_of(const LineStates& s, const LineState& main, const std::string& unit,
                    const std::string& there) {
  const std::string at = format_uncertain(main.frequency_hz, main.frequency_std_hz, "Hz");
  const auto level = [&](double amplitude) { return format_quantity(amplitude / std::sqrt(2.0), unit, 4); };
  std::vector<std::string> each;
  if (s.kind == LineStates::Kind::frequency) {
    for (const LineState& state : s.states)
      if (state.amplitude > 0)
        each.push_back(format_uncertain(state.frequency_hz, state.frequency_std_hz, "Hz"));
    return fmt::format("a line that switches between {} {}, {} RMS over the record", listed(each),
                       times(s.changes_s.size()), format_quantity(s.rms, unit, 4));
  }
  if (s.kind == LineStates::Kind::amplitude) {
    double off = 0;
    for (const LineState& state : s.states)
      state.amplitude > 0 ? each.push_back(level(state.amplitude)) : void(off = state.share);
    if (each.size() == 1 && s.gate_hz > 0)
      return fmt::format("a tone at {}, {} RMS while it is there, gated at {}: there {:.3g}% of the time", at,
                         each[0], format_uncertain(s.gate_hz, s.gate_std_hz, "Hz"), 100 - 100 * off);
    if (each.size() == 1 && s.changes_s.size() < 3)
      return fmt::format("a tone at {}, {} RMS while it is there, {}", at, each[0], there);
    if (each.size() == 1)
      return fmt::format(
          "a line at {}, {} RMS while it is there, that drops out {} at least, for {:.2g}% of the time", at,
          each[0], times((s.changes_s.size() + 1) / 2), 100 * off);
    return fmt::format("a line at {} that switches between levels of {}{} RMS {}", at, listed(each),
                       off > 0 ? " and none" : "", times(s.changes_s.size()));
  }
  if (s.phases > 0)
    return fmt::format("a line at {}, {} RMS, whose phase switches {}, by multiples of {} degrees", at,
                       level(main.amplitude), times(s.changes_s.size()),
                       360.0 / static_cast<double>(s.phases));
  return fmt::format("a line at {}, {} RMS, whose phase jumps {}", at, level(main.amplitude),
                     times(s.changes_s.size()));
}

}  // namespace

Finding report_switching(const Recording& r, const ChannelSpectrum& c, const LineStates& states) {
  const LineState& main = *std::max_element(
      states.states.begin(), states.states.end(), [](const LineState& a, const LineState& b) {
        return a.amplitude * a.amplitude * a.share < b.amplitude * b.amplitude * b.share;
      });
  Finding f;
  const bool once = states.kind == LineStates::Kind::amplitude && states.states.size() == 2 &&
                    states.changes_s.size() < 3 && states.states[1].amplitude == 0;
  f.kind = once && (states.changes_s.size() == 1 || !states.on_at_first) ? "burst" : "switching";
  f.recording = r.file, f.channel = c.channel.name, f.unit = c.channel.unit.label();
  f.frequency_hz = main.frequency_hz, f.frequency_std_hz = main.frequency_std_hz;
  f.level_rms = states.rms;
  f.text = text_of(states, main, f.unit, when_there(states, r.axis.start));
  for (const LineState& s : states.states)
    if (states.kind != LineStates::Kind::phase)
      f.evidence.push_back(s.amplitude > 0
                               ? fmt::format("{}, {} RMS, {:.3g}% of the time",
                                             format_uncertain(s.frequency_hz, s.frequency_std_hz, "Hz"),
                                             format_quantity(s.amplitude / std::sqrt(2.0), f.unit, 4),
                                             100 * s.share)
                               : fmt::format("off {:.3g}% of the time", 100 * s.share));
  std::string when;
  for (std::size_t i = 0; i < std::min<std::size_t>(states.changes_s.size(), 5); ++i) {
    when += (i > 0 ? ", " : "") + format_quantity(r.axis.start + states.changes_s[i], "s", 6);
    if (i < states.jumps_deg.size()) when += fmt::format(" by {:.0f} degrees", states.jumps_deg[i]);
  }
  f.evidence.push_back("it changes at " + when + (states.changes_s.size() > 5 ? ", ..." : ""));
  if (states.rate_hz > 0)
    f.evidence.push_back("the times between changes are multiples of one: " +
                         format_uncertain(states.rate_hz, states.rate_std_hz, "Hz"));
  if (states.kind == LineStates::Kind::phase && states.phases == 0)
    f.evidence.push_back(
        "as where samples are lost or repeated: look at the counts and times of the recording");
  f.evidence.push_back(
      fmt::format("one sine explains {:.4g}% of the mean square in windows of {} between changes",
                  100 * states.explained, format_quantity(states.window_s, "s", 3)));
  f.numbers = {{"states", static_cast<double>(states.states.size())},
               {"changes", static_cast<double>(states.changes_s.size())},
               {"first_change_s", r.axis.start + states.changes_s.front()}};
  for (std::size_t k = 0; k < states.states.size(); ++k) {
    const LineState& s = states.states[k];
    const std::string key = fmt::format("state_{}_", k + 1);
    if (s.amplitude > 0)
      f.numbers.insert(f.numbers.end(), {{key + "hz", s.frequency_hz}, {key + "std_hz", s.frequency_std_hz}});
    f.numbers.insert(f.numbers.end(),
                     {{key + "level", s.amplitude / std::sqrt(2.0)}, {key + "share", s.share}});
  }
  if (f.kind == "burst") {
    const double end = r.axis.start + r.duration_s();
    f.numbers.emplace_back("start_s",
                           states.on_at_first ? r.axis.start : r.axis.start + states.changes_s.front());
    f.numbers.emplace_back("end_s", states.on_at_first || states.changes_s.size() == 2
                                        ? r.axis.start + states.changes_s.back()
                                        : end);
  }
  if (states.gate_hz > 0)
    f.numbers.insert(f.numbers.end(), {{"gate_hz", states.gate_hz}, {"gate_std_hz", states.gate_std_hz}});
  if (!states.jumps_deg.empty()) f.numbers.emplace_back("first_jump_deg", states.jumps_deg.front());
  if (states.rate_hz > 0)
    f.numbers.emplace_back("change_rate_hz", states.rate_hz),
        f.numbers.emplace_back("change_rate_std_hz", states.rate_std_hz);
  return f;
}

}  // namespace vprism
