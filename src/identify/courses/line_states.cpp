// line_states.cpp: see line_states.h.
#include "identify/courses/line_states.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <numeric>

#include "base/percentile.h"
#include "identify/courses/line_stretches.h"
#include "identify/courses/regular_times.h"
#include "identify/lines/line_windows.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
using Look = LineWindows::Look;
constexpr std::size_t none = static_cast<std::size_t>(-1);

double wrapped(double angle) { return std::remainder(angle, LineWindows::tau); }

/// Values in bunches that lie farther apart than `gap`: for each its place; those in bunches of less than
/// `fewest` have none. Nothing where more than `most` bunches or a fifth of the values outside them.
struct Bunches {
  std::vector<double> middle, spread;
  std::vector<std::size_t> of;
};
std::optional<Bunches> bunches_of(const std::vector<double>& values, double gap, std::size_t fewest) {
  constexpr std::size_t most = 8;
  std::vector<std::size_t> order(values.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return values[a] < values[b]; });
  Bunches out;
  out.of.assign(values.size(), none);
  std::size_t outside = 0;
  for (std::size_t i = 0; i < order.size();) {
    std::size_t end = i + 1;
    while (end < order.size() && values[order[end]] - values[order[end - 1]] <= gap) ++end;
    if (end - i < fewest) {
      outside += end - i;
    } else {
      double sum = 0, squares = 0;
      for (std::size_t k = i; k < end; ++k) sum += values[order[k]];
      const double mean = sum / static_cast<double>(end - i);
      for (std::size_t k = i; k < end; ++k)
        squares += (values[order[k]] - mean) * (values[order[k]] - mean),
            out.of[order[k]] = out.middle.size();
      out.middle.push_back(mean);
      out.spread.push_back(std::sqrt(squares / static_cast<double>(end - i)));
    }
    i = end;
  }
  if (out.middle.empty() || out.middle.size() > most || 5 * outside > values.size()) return {};
  return out;
}

/// Bunches lie far from each other beside how wide they are.
bool well_apart(const Bunches& bunches, double least = 0) {
  for (std::size_t b = 1; b < bunches.middle.size(); ++b)
    if (bunches.middle[b] - bunches.middle[b - 1] < least ||
        bunches.middle[b] - bunches.middle[b - 1] < 6 * (bunches.spread[b] + bunches.spread[b - 1]))
      return false;
  return true;
}

/// Of whole changes: the longest time that all times between them are multiples of.
void find_rate(LineStates& out, double sample_s) {
  const std::vector<double>& at = out.changes_s;
  if (at.size() < 8) return;
  double least = at.back();
  for (std::size_t i = 1; i < at.size(); ++i) least = std::min(least, at[i] - at[i - 1]);
  const double length = at.back() - at.front();
  // A rate whose periods are some samples, and as many looks as are bounded.
  constexpr double most = 2e7;
  if (!(least > 8 * sample_s) || static_cast<double>(at.size()) * 5 * length / least > most) return;
  const auto together_at = [&](double hz) {
    Complex sum = 0;
    for (const double t : at) sum += std::polar(1.0, LineWindows::tau * hz * (t - at.front()));
    return std::abs(sum) / static_cast<double>(at.size());
  };
  double best = 0, found = 0;
  for (double hz = 0.3 / least; hz < 1.3 / least; hz += 0.2 / length)
    if (const double together = together_at(hz); together > best) best = together, found = hz;
  if (best < 0.8) return;
  // Two changes too close, one of them false, and a multiple of the rate has been found.
  for (int k = 16; k > 1; --k) {
    double there = 0, at_hz = 0;
    for (double off = -0.2; off <= 0.21; off += 0.1)
      if (const double together = together_at((found + off / length) / k); together > there)
        there = together, at_hz = (found + off / length) / k;
    if (there > 0.9 * best) {
      found = at_hz;
      break;
    }
  }
  if (const auto regular = fit_regular_times(at, found, sample_s))
    out.rate_hz = regular->rate_hz, out.rate_std_hz = regular->rate_std_hz;
}

/// Nothing beside the strongest window, or noise well below it of which a sine explains little.
bool is_off(const Look& l, double greatest) {
  return l.moves < 0.004 * greatest || (l.moves < 0.1 * greatest && l.left > 0.5 * l.moves);
}

/// The most that a window holds of which a sine explains most: a lone spike is no line.
double greatest_line(const std::vector<Look>& looks) {
  double of_lines = 0, of_all = 0;
  for (const Look& l : looks) {
    of_all = std::max(of_all, l.moves);
    if (l.left < 0.3 * l.moves) of_lines = std::max(of_lines, l.moves);
  }
  return of_lines > 0 ? of_lines : of_all;
}

class Finder {
 public:
  Finder(std::span<const double> x, double rate_hz, std::size_t length)
      : x_(x), rate_(rate_hz), length_(length), windows_(x, rate_hz, length) {}

  std::optional<LineStates> run() {
    if (windows_.count() < 16 || !may_be_one_line()) return {};
    for (std::size_t w = 0; w < windows_.count(); ++w) looks_.push_back(windows_.look(w));
    greatest_ = greatest_line(looks_);
    std::vector<double> lefts;
    for (const Look& l : looks_)
      if (!off(l)) lefts.push_back(l.left);
    if (lefts.size() < 8) return {};
    // What is left is noise, as much in any state, and what the fit is off by.
    const double noise = 4 * percentile_of(lefts, 0.25);
    for (std::size_t w = 0; w < looks_.size(); ++w)
      if (!off(looks_[w]) && looks_[w].left <= std::max(noise, 1e-3 * looks_[w].square)) good_.push_back(w);
    std::size_t dark = 0;
    for (const Look& l : looks_) dark += off(l) ? 1 : 0;
    // It rests for longer than a window most of the time, but not always.
    if (2 * (good_.size() + dark) < looks_.size() || good_.size() < 12) return {};
    if (!by_frequency() || !by_amplitude()) return {};
    for (Look& l : looks_)
      if (off(l)) l.state = states_.size();
    LineStates out;
    out.window_s = 2 * windows_.hop_s();
    list_changes();
    if (frequencies_.size() > 1)
      out.kind = LineStates::Kind::frequency;
    else if (states_.size() + (dark > 0 ? 1 : 0) > 1)
      out.kind = LineStates::Kind::amplitude;
    else if (out.kind = LineStates::Kind::phase; !by_phase(out))
      return {};
    // A level that steps once or twice is judged elsewhere, but for a line that begins or ends.
    const bool begins_or_ends = states_.size() == 1 && dark > 0;
    if (out.kind == LineStates::Kind::amplitude && changes_.size() < 3 && !begins_or_ends) return {};
    // What jumps spoils the window it jumps in; what moves goes from state to state through whole ones. And
    // from one state to the other there is nothing between.
    const bool few = begins_or_ends && changes_.size() < 3;
    if (changes_.empty() || (!few && 5 * spoiled_ < 4 * changes_.size()) || !jumps_at_once()) return {};
    double left = 0, all = 0;
    std::size_t looked = 0;
    for (const Look& l : looks_) {
      looked += l.state != none ? 1 : 0;
      if (l.state != none && !off(l)) left += l.left, all += l.square;
    }
    out.explained = all > 0 ? 1 - left / all : 0;
    if (out.explained < 0.9 || 2 * looked < looks_.size()) return {};
    if (dark > 0) states_.push_back({frequencies_.front(), 0, 0, 0});
    measure(out);
    find_rate(out, 1 / rate_);
    return out;
  }

 private:
  struct Change {
    std::size_t at, before, behind;  ///< The first sample behind it, and the windows to either side.
    std::size_t into;                ///< The state behind it.
  };

  /// A few windows tell whether one sine is all that most of them hold.
  bool may_be_one_line() {
    std::vector<Look> some;
    const std::size_t every = std::max<std::size_t>(1, windows_.count() / 24);
    for (std::size_t w = 0; w < windows_.count(); w += every) some.push_back(windows_.look(w));
    const double greatest = greatest_line(some);
    std::vector<double> shares;
    for (const Look& l : some)
      if (!is_off(l, greatest) && l.square > 0) shares.push_back(l.left / l.square);
    return shares.size() >= 4 && percentile_of(shares, 0.25) < 0.03;
  }

  LineWindows::Side side(std::size_t window) const { return {window, off(looks_[window]), looks_[window]}; }

  /// The states' frequencies and shares of the time, and the samples without the line.
  void measure(LineStates& out) {
    std::vector<LineStretch> stretches = {{0, x_.size(), first_, 0, 0, 0}};
    for (const Change& change : changes_) {
      stretches.back().to = change.at;
      if (stretches.back().from == stretches.back().to) stretches.pop_back();
      stretches.push_back({change.at, x_.size(), change.into, 0, 0, 0});
    }
    std::vector<double> lefts;
    for (const Look& l : looks_)
      if (l.state != none && !off(l)) lefts.push_back(l.left);
    const double noise_rms = std::sqrt(percentile_of(lefts, 0.5));
    const auto take_off = [&] {
      for (std::size_t s = 0; s < states_.size(); ++s) {
        if (states_[s].amplitude == 0) continue;
        for (LineStretch& stretch : stretches)
          if (stretch.state == s) stretch.hz = states_[s].frequency_hz, stretch.sxx = 0;
        share_frequency(windows_, looks_, stretches, s, states_[s].frequency_hz, states_[s].frequency_std_hz);
      }
      out.rest.assign(x_.begin(), x_.end());
      take_stretches_off(out.rest, rate_, stretches, noise_rms, length_);
    };
    take_off();
    if (states_.size() == 2 && states_[1].amplitude == 0) {
      part_by_short_rests(x_, out.rest, rate_, states_[0].amplitude, noise_rms, 1, stretches);
      take_off();
    }
    for (const LineStretch& stretch : stretches) {
      states_[stretch.state].share +=
          static_cast<double>(stretch.to - stretch.from) / static_cast<double>(x_.size());
      if (stretch.from > 0) out.changes_s.push_back(static_cast<double>(stretch.from) / rate_);
    }
    out.states = states_;
    out.on_at_first = states_[stretches.front().state].amplitude > 0;
    double square = 0;
    for (std::size_t n = 0; n < x_.size(); ++n) square += (x_[n] - out.rest[n]) * (x_[n] - out.rest[n]);
    out.rms = std::sqrt(square / static_cast<double>(x_.size()));
  }

  bool jumps_at_once() const {
    std::vector<double> lefts;
    for (const Look& l : looks_)
      if (l.state != none && !off(l)) lefts.push_back(l.left);
    const double usual = std::max(percentile_of(lefts, 0.5), 1e-4 * greatest_);
    std::size_t clean = 0;
    for (const Change& c : changes_)
      clean += windows_.left_between(side(c.before), side(c.behind), c.at) < 6 * usual ? 1 : 0;
    return 10 * clean >= 7 * changes_.size();
  }

  /// Nothing, or a value that stands.
  bool off(const Look& l) const { return is_off(l, greatest_); }

  bool by_frequency() {
    std::vector<double> hz;
    for (const std::size_t w : good_) hz.push_back(looks_[w].hz);
    const double bin = windows_.bin_hz();
    const auto bunches = bunches_of(hz, 0.12 * bin, std::max<std::size_t>(2, good_.size() / 50));
    if (!bunches) return false;
    // A line that moves gradually makes one long bunch.
    for (const double spread : bunches->spread)
      if (spread > 0.06 * bin) return false;
    if (!well_apart(*bunches)) return false;
    frequencies_ = bunches->middle;
    for (std::size_t i = 0; i < good_.size(); ++i) place_.push_back(bunches->of[i]);
    spread_ = bunches->spread;
    return true;
  }

  bool by_amplitude() {
    for (std::size_t f = 0; f < frequencies_.size(); ++f) {
      std::vector<double> levels;
      std::vector<std::size_t> which;
      for (std::size_t i = 0; i < good_.size(); ++i)
        if (place_[i] == f) levels.push_back(std::log(looks_[good_[i]].amplitude)), which.push_back(good_[i]);
      const auto bunches = bunches_of(levels, 0.03, std::max<std::size_t>(2, levels.size() / 40));
      if (!bunches || !well_apart(*bunches, 0.1)) return false;
      for (std::size_t b = 0; b < bunches->middle.size(); ++b) {
        if (bunches->spread[b] > 0.03) return false;
        const auto count = static_cast<double>(std::count(bunches->of.begin(), bunches->of.end(), b));
        states_.push_back({frequencies_[f], spread_[f] / std::sqrt(count), std::exp(bunches->middle[b]), 0});
      }
      for (std::size_t i = 0; i < which.size(); ++i)
        if (bunches->of[i] != none)
          looks_[which[i]].state = states_.size() - bunches->middle.size() + bunches->of[i];
    }
    return true;
  }

  void add_change(std::size_t before, std::size_t behind) {
    spoiled_ += behind > before + 1 ? 1 : 0;
    changes_.push_back({windows_.change(side(before), side(behind)), before, behind, looks_[behind].state});
  }

  /// Between windows of two states, wherever they stand next to each other but for what is of neither.
  void list_changes() {
    std::size_t last = none;
    for (std::size_t w = 0; w < looks_.size(); ++w) {
      if (looks_[w].state == none) continue;
      if (last == none) first_ = looks_[w].state;
      if (last != none && looks_[w].state != looks_[last].state) add_change(last, w);
      last = w;
    }
  }

  /// One frequency and one level: phases that jump. False where they don't.
  bool by_phase(LineStates& out) {
    // The frequency from all runs of neighbouring windows.
    std::vector<double> turns;
    for (std::size_t w = 1; w < looks_.size(); ++w) {
      if (looks_[w].state == none || looks_[w - 1].state == none) continue;
      turns.push_back(wrapped(looks_[w].phase - looks_[w - 1].phase -
                              LineWindows::tau * frequencies_[0] * windows_.hop_s()));
    }
    if (turns.size() < 8) return false;
    const double drift = percentile_of(turns, 0.5);
    std::vector<double> scatter;
    for (const double t : turns) scatter.push_back(std::abs(wrapped(t - drift)));
    const double usual = std::max(1.5 * percentile_of(scatter, 0.5), 1e-4);
    if (usual > 0.05) return false;
    const double hz = frequencies_[0] + drift / LineWindows::tau / windows_.hop_s();
    std::size_t last = none;
    for (std::size_t w = 0; w < looks_.size(); ++w) {
      if (looks_[w].state == none) continue;
      if (last != none) {
        const double gone = windows_.hop_s() * static_cast<double>(w - last);
        const double jump = wrapped(looks_[w].phase - looks_[last].phase - LineWindows::tau * hz * gone);
        if (w > last + 1 &&
            std::abs(jump) > std::max(0.35, 12 * usual * std::sqrt(static_cast<double>(w - last)))) {
          add_change(last, w);
          out.jumps_deg.push_back(jump * 360 / LineWindows::tau);
        }
      }
      last = w;
    }
    if (changes_.empty()) return false;
    states_[0].frequency_hz = hz;
    // All jumps multiples of a half, a quarter or an eighth of a turn.
    for (const std::size_t phases : {2u, 4u, 8u}) {
      double worst = 0;
      for (const double jump : out.jumps_deg) {
        const double steps = jump * static_cast<double>(phases) / 360;
        worst = std::max(worst, std::abs(steps - std::round(steps)));
      }
      if (out.jumps_deg.size() >= 4 && worst < 0.15) {
        out.phases = phases;
        break;
      }
    }
    // Many jumps of any size are no single line's.
    return out.phases > 0 || out.jumps_deg.size() <= 24;
  }

  std::span<const double> x_;
  double rate_;
  std::size_t length_;
  LineWindows windows_;
  std::vector<Look> looks_;
  double greatest_ = 0;
  std::size_t spoiled_ = 0, first_ = 0;
  std::vector<std::size_t> good_, place_;
  std::vector<Change> changes_;
  std::vector<double> frequencies_, spread_;
  std::vector<LineState> states_;
};

}  // namespace

std::optional<LineStates> find_line_states(std::span<const double> x, double rate_hz) {
  std::vector<double> about(x.begin(), x.end());
  const double mean = std::accumulate(about.begin(), about.end(), 0.0) /
                      static_cast<double>(std::max<std::size_t>(1, x.size()));
  for (double& v : about) v -= mean;
  // Short windows miss no change, long ones measure best.
  std::optional<LineStates> found;
  constexpr std::size_t longest = 16384;
  for (std::size_t length = 32; length <= longest && 8 * length <= x.size(); length *= 2) {
    auto states = Finder(about, rate_hz, length).run();
    if (states && (!found || states->changes_s.size() >= found->changes_s.size())) found = std::move(states);
  }
  if (found)
    for (double& v : found->rest) v += mean;
  return found;
}

}  // namespace vprism
