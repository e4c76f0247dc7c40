// view.cpp: see view.h.
#include "commands/watch/view.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "base/text.h"
#include "commands/shared/maps.h"
#include "frame/process.h"
#include "frame/terminal.h"

namespace vprism {

namespace {

double clock_s() {
  using namespace std::chrono;
  return duration<double>(steady_clock::now().time_since_epoch()).count();
}

}  // namespace

LiveView::LiveView(bool wanted) {
  if (!wanted || ::isatty(STDOUT_FILENO) == 0) return;
  on_ = true;
  // Standard input may be the stream.
  keys_ = ::isatty(STDIN_FILENO) != 0 ? STDIN_FILENO : ::open("/dev/tty", O_RDONLY | O_CLOEXEC);
  keys_opened_ = keys_ > STDIN_FILENO;
  if (keys_ < 0 || ::tcgetattr(keys_, &before_) != 0) {
    keys_ = -1;
    return;
  }
  termios raw = before_;
  raw.c_lflag &= ~static_cast<tcflag_t>(ICANON | ECHO);
  raw.c_cc[VMIN] = 0, raw.c_cc[VTIME] = 0;
  ::tcsetattr(keys_, TCSANOW, &raw);
}

LiveView::~LiveView() {
  if (keys_ >= 0) ::tcsetattr(keys_, TCSANOW, &before_);
  if (keys_opened_ && keys_ >= 0) ::close(keys_);
}

std::string LiveView::help() {
  return "space freeze  h hold  r reset hold  n next channel  + - zoom  < > move  ^ v level  s save  q end";
}

LiveView::Wish LiveView::keys() {
  if (!on_ || keys_ < 0) return Wish::none;
  Wish wish = Wish::none;
  char bytes[64];
  const ssize_t count = ::read(keys_, bytes, sizeof bytes);
  for (ssize_t i = 0; i < count; ++i) {
    const Wish one = press(bytes[i]);
    if (one != Wish::none && (wish == Wish::none || wish == Wish::redraw)) wish = one;
  }
  return wish;
}

LiveView::Wish LiveView::press(char key) {
  switch (key) {
    case 'q':
      return Wish::end;
    case 's':
      return Wish::save;
    case ' ':
      frozen_ = !frozen_;
      break;
    case 'h':
      holding_ = !holding_;
      highest_.clear();
      break;
    case 'r':
      highest_.clear();
      break;
    case 'n':
      ++channel_;
      break;
    case '+':
      zoom_ = std::max(zoom_ / 2, 1.0 / 1024);
      break;
    case '-':
      zoom_ = std::min(zoom_ * 2, 1.0);
      break;
    case '<':
      middle_ -= zoom_ / 4;
      break;
    case '>':
      middle_ += zoom_ / 4;
      break;
    case '^':
      raise_ *= 2;
      break;
    case 'v':
      raise_ /= 2;
      break;
    default:
      return Wish::none;
  }
  middle_ = std::clamp(middle_, zoom_ / 2, 1 - zoom_ / 2);
  return Wish::redraw;
}

bool LiveView::wants_look() { return on_ && !frozen_ && clock_s() - drawn_ >= 0.05; }

void LiveView::hold(const WatchLook& look) {
  if (!holding_) return;
  highest_.resize(look.state.now.size());
  for (std::size_t c = 0; c < look.state.now.size(); ++c) {
    const std::vector<double>& power = look.state.now[c].spectrum.power;
    if (highest_[c].size() != power.size()) highest_[c].assign(power.size(), 0.0);
    for (std::size_t k = 0; k < power.size(); ++k) highest_[c][k] = std::max(highest_[c][k], power[k]);
  }
}

Figure LiveView::figure(const WatchLook& look) {
  const WatchState& w = look.state;
  Figure figure;
  if (w.now.empty()) return figure;
  hold(look);
  const std::size_t c = channel(w.now.size());
  const std::string name = w.recording.channels[c].name, unit = w.recording.channels[c].unit.label();
  if (look.trace) {
    Panel trace;
    trace.title = name;
    trace.x = {"Time", "s"}, trace.y = {"Value", unit};
    trace.curves.push_back(*look.trace);
    figure.panels.push_back(std::move(trace));
  }
  const Spectrum& s = w.now[c].spectrum;
  if (s.power.empty()) return figure;
  const auto [first, end] = w.shown_bins(c);
  const double low = s.frequency_hz(first), span = s.frequency_hz(end - 1) - low;
  const double from = low + (middle_ - zoom_ / 2) * span, to = low + (middle_ + zoom_ / 2) * span;
  Panel levels;
  levels.x = {"Frequency", "Hz", false, from, to};
  levels.y = {"Level, RMS", unit, true};
  Curve now, high;
  now.name = "now", high.name = "highest", high.colour = neutral_colour;
  double top = 0, bottom = INFINITY;
  for (std::size_t k = std::max<std::size_t>(first, s.two_sided ? 0 : 1); k < end; ++k) {
    const double hz = s.frequency_hz(k), level = s.level(k, Scale::rms);
    if (hz < from || hz > to) continue;
    now.x.push_back(hz), now.y.push_back(level);
    top = std::max(top, level);
    if (level > 0) bottom = std::min(bottom, level);
    if (holding_ && c < highest_.size() && s.power[k] > 0) {
      high.x.push_back(hz), high.y.push_back(level * std::sqrt(highest_[c][k] / s.power[k]));
      top = std::max(top, high.y.back());
    }
  }
  if (!high.x.empty()) levels.curves.push_back(std::move(high));
  for (const auto& [channel, limit] : look.limits)
    if (channel == c) levels.curves.push_back(limit);
  for (const auto& curve : levels.curves)
    for (const double y : curve.y) top = std::max(top, y);
  levels.curves.push_back(std::move(now));
  if (top > 0) levels.y.high = 1.5 * top * raise_;
  if (bottom < top) levels.y.low = std::max(bottom, top * 1e-6) * raise_;
  for (std::size_t i = 0; i < w.now[c].peaks.size(); ++i)
    levels.marks.push_back({w.now[c].peaks[i].frequency_hz, w.now[c].peaks[i].rms, std::to_string(i + 1)});
  figure.panels.push_back(std::move(levels));
  if (w.maps[c].columns() > 1) {
    std::vector<double> hz;
    for (std::size_t k = first; k < end; ++k) hz.push_back(s.frequency_hz(k));
    MapLook how;
    how.x = {"Time", "s"};
    how.level_unit = decibels_of(w.recording.channels[c].unit);
    figure.panels.push_back(map_panel(w.maps[c].map(hz), how).panel);
  }
  return figure;
}

std::string LiveView::text(const WatchLook& look) {
  const std::size_t room = terminal_rows(),
                    used = static_cast<std::size_t>(std::count(look.head.begin(), look.head.end(), '\n')) + 2;
  const Figure shown = figure(look);
  std::string out = for_standard_output(look.head);
  // Each panel has five lines beside its rows.
  const std::size_t panels = std::max<std::size_t>(1, shown.panels.size());
  const std::size_t left = room > used ? (room - used) / panels : 0;
  if (left >= 9) out += terminal_figure(shown, left - 6);
  if (keys_ >= 0) out += for_standard_output((frozen_ ? "FROZEN  " : "") + help() + "\n");
  return out;
}

void LiveView::show(const WatchLook& look) {
  const std::string shown = text(look);
  erase();
  say(shown);
  lines_ = static_cast<std::size_t>(std::count(shown.begin(), shown.end(), '\n'));
  drawn_ = clock_s();
}

void LiveView::erase() {
  if (lines_ == 0) return;
  say(fmt::format("\x1b[{}A\x1b[J", lines_));
  lines_ = 0;
}

}  // namespace vprism
