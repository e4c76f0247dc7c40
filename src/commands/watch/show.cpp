// show.cpp: what `watch` prints while it runs.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "base/text.h"
#include "commands/watch/watch.h"
#include "frame/console.h"
#include "frame/process.h"

namespace vprism {

void StreamWatch::late(double silent_s) {
  if (settings_.output.quiet) return;
  std::fprintf(stderr, "warning: nothing has come for %s; still waiting [stream-late]\n",
               format_quantity(silent_s, "s", 2).c_str());
  std::fflush(stderr);
}

void StreamWatch::say_start() {
  const double rate = state_.recording.axis.rate_hz();
  const SpectrumPlan plan = plan_spectrum(cut_, std::int64_t{1} << 40, rate);
  const double every_s = static_cast<double>(every_) / rate, memory_s = static_cast<double>(memory_) / rate;
  if (settings_.output.json) {
    line({{"event", "start"},
          {"segment", plan.segment},
          {"rbw_hz", number(plan.rbw_hz)},
          {"every_s", number(every_s)},
          {"memory_s", number(memory_s)},
          {"longest_delay_s", number(every_s + memory_s)}});
    return;
  }
  if (settings_.output.quiet) return;
  say(fmt::format(
      "{}: segments of {}, RBW {}; a look every {} over the newest {}: what fills that is seen {} later at "
      "most, "
      "what is shorter is weighed by its share\n",
      clean_text(state_.recording.file), format_quantity(static_cast<double>(plan.segment) / rate, "s", 3),
      format_quantity(plan.rbw_hz, "Hz", 3), format_quantity(every_s, "s", 3),
      format_quantity(memory_s, "s", 3), format_quantity(every_s + memory_s, "s", 3)));
}

void StreamWatch::note(const Json& event, bool alarm, const std::string& text) {
  if (alarm) ++state_.alarms;
  if (alarm && alarm_records_) alarm_records_->alarm();
  state_.events.push_back(event);
  if (state_.events.size() > 1000) state_.events.erase(state_.events.begin());
  if (settings_.output.json)
    line(event);
  else
    say_line(text);
}

std::string StreamWatch::table() const {
  TextTable table({{"channel", TextTable::Align::left},
                   {"RMS"},
                   {"least"},
                   {"greatest"},
                   {"strongest lines (Hz: level)", TextTable::Align::left}});
  for (std::size_t c = 0; c < state_.now.size(); ++c) {
    const ChannelNow& n = state_.now[c];
    const std::string unit = state_.recording.channels[c].unit.label();
    std::string lines;
    for (std::size_t i = 0; i < std::min<std::size_t>(3, n.peaks.size()); ++i)
      lines += (i > 0 ? "  " : "") + format_number(n.peaks[i].frequency_hz, 6) + ": " +
               format_number(n.peaks[i].rms, 4);
    table.add({clean_text(state_.recording.channels[c].name, 30), format_quantity(n.rms, unit, 4),
               format_quantity(n.least, unit, 3), format_quantity(n.greatest, unit, 3), lines});
  }
  return table.text();
}

void StreamWatch::show() {
  if (settings_.output.json) {
    Json channels = Json::array();
    for (std::size_t c = 0; c < state_.now.size(); ++c) {
      Json peaks = peaks_json(state_.now[c]);
      channels.push_back({{"channel", state_.recording.channels[c].name},
                          {"unit", state_.recording.channels[c].unit.label()},
                          {"rms", number(state_.now[c].rms)},
                          {"min", number(state_.now[c].least)},
                          {"max", number(state_.now[c].greatest)},
                          {"peaks", std::move(peaks)}});
    }
    line({{"event", "levels"}, {"time_s", number(state_.until_s)}, {"channels", std::move(channels)}});
    return;
  }
  if (view_.wants_look()) draw();
}

void StreamWatch::draw() {
  WatchLook look{state_, fmt::format("{} at {}, {}\n{}", clean_text(state_.recording.file, 60),
                                     format_quantity(state_.until_s, "s", 6), alarms_text(), table())};
  const Block block = rolling_->block();
  const double interval = state_.recording.axis.interval,
               begin = state_.until_s - static_cast<double>(block.size()) * interval;
  Curve trace;
  const auto samples = block.samples(view_.channel(block.channels()));
  for (std::size_t n = 0; n < samples.size(); ++n)
    trace.x.push_back(begin + static_cast<double>(n) * interval), trace.y.push_back(samples[n]);
  look.trace = thinned(std::move(trace), 800, false);
  for (const Guard& guard : guards_) {
    if (guard.scale != Scale::rms) continue;
    Curve limit;
    limit.name = "limit", limit.colour = 1;
    for (const auto& [hz, level] : guard.limit.line.points) limit.x.push_back(hz), limit.y.push_back(level);
    look.limits.emplace_back(guard.channel, std::move(limit));
  }
  view_.show(look);
}

void StreamWatch::keys() {
  switch (view_.keys()) {
    case LiveView::Wish::end:
      over_ = true;
      break;
    case LiveView::Wish::save:
      if (settings_.output.writes_files() && !state_.now.empty()) {
        write_files(false);
        say_line("saved to " + settings_.output.folder + " at " + format_quantity(state_.until_s, "s", 6));
      }
      break;
    case LiveView::Wish::redraw:
      if (!state_.now.empty()) draw();
      break;
    case LiveView::Wish::none:
      break;
  }
}

void StreamWatch::say_end() {
  if (!settings_.output.quiet)
    for (const Caution& caution : cautions()) std::fprintf(stderr, "%s\n", caution_line(caution).c_str());
  if (settings_.output.json) {
    Json cautions = Json::array();
    for (const Caution& c : this->cautions()) cautions.push_back({{"code", c.code}, {"text", c.text}});
    line({{"event", "end"},
          {"time_s", number(state_.until_s)},
          {"samples", state_.samples},
          {"looks", state_.looks},
          {"alarms", state_.alarms},
          {"cautions", std::move(cautions)}});
    return;
  }
  erase_table();
  std::string text = fmt::format("{}: {} samples, until {}, {}\n", clean_text(state_.recording.file),
                                 state_.samples, format_quantity(state_.until_s, "s", 6), alarms_text());
  if (state_.looks == 0)
    text += "  " + too_short() + "\n";
  else
    text += table();
  say(text);
}

}  // namespace vprism
