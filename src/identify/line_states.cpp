// line_states.cpp: see line_states.h.
#include "identify/line_states.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <map>
#include <numbers>
#include <numeric>

#include "identify/line_windows.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
using Windows = LineWindows;
using Look = LineWindows::Look;
constexpr double tau = LineWindows::tau;
constexpr std::size_t none = static_cast<std::size_t>(-1);

/// The value that this share of them lies below.
double quantile_of(std::vector<double> values, double share) {
  const auto place = values.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(values.size()));
  std::nth_element(values.begin(), place, values.end());
  return *place;
}
double median_of(std::vector<double> values) { return quantile_of(std::move(values), 0.5); }
double quartile(std::vector<double> values) { return quantile_of(std::move(values), 0.25); }

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
void find_rate(LineStates& out) {
  const std::vector<double>& at = out.changes_s;
  if (at.size() < 8) return;
  double least = at.back();
  for (std::size_t i = 1; i < at.size(); ++i) least = std::min(least, at[i] - at[i - 1]);
  const double length = at.back() - at.front();
  if (!(least > 0)) return;
  double best = 0, found = 0;
  for (double hz = 0.3 / least; hz < 1.3 / least; hz += 0.2 / length) {
    Complex sum = 0;
    for (const double t : at) sum += std::polar(1.0, tau * hz * (t - at.front()));
    const double together = std::abs(sum) / static_cast<double>(at.size());
    if (together > best) best = together, found = hz;
  }
  if (best < 0.8) return;
  // A straight line through the times over their whole numbers.
  double sn = 0, st = 0, snn = 0, snt = 0, stt = 0;
  const auto n = static_cast<double>(at.size());
  for (const double t : at) {
    const double k = std::round((t - at.front()) * found);
    sn += k, st += t, snn += k * k, snt += k * t, stt += t * t;
  }
  const double det = n * snn - sn * sn;
  if (!(det > 0)) return;
  const double slope = (n * snt - sn * st) / det;
  const double left = std::max(0.0, stt - st * st / n - slope * (snt - sn * st / n));
  const double std = std::sqrt(left / (n - 2) / (det / n));
  if (slope > 0) out.rate_hz = 1 / slope, out.rate_std_hz = std / slope / slope;
}

class Finder {
 public:
  Finder(std::span<const double> x, double rate_hz, std::size_t length)
      : windows_(x, rate_hz, length), looks_(windows_.looks) {
    for (const Look& l : looks_) greatest_ = std::max(greatest_, l.moves);
  }

  std::optional<LineStates> run() {
    if (looks_.size() < 16) return {};
    std::vector<double> lefts, shares;
    for (const Look& l : looks_)
      if (!off(l)) lefts.push_back(l.left), shares.push_back(l.left / l.square);
    if (lefts.size() < 8 || quartile(shares) > 0.03) return {};
    // What is left is noise, as much in any state, and what the fit is off by.
    const double noise = 4 * quartile(lefts);
    for (std::size_t w = 0; w < looks_.size(); ++w)
      if (!off(looks_[w]) && looks_[w].left <= std::max(noise, 1e-3 * looks_[w].square)) good_.push_back(w);
    std::size_t still = good_.size();
    for (const Look& l : looks_) still += off(l) ? 1 : 0;
    // It rests for longer than a window most of the time, but not always.
    if (2 * still < looks_.size() || good_.size() < 12) return {};
    if (!by_frequency() || !by_amplitude()) return {};
    LineStates out;
    out.window_s = 2 * windows_.hop_s();
    std::map<double, int> frequencies;
    for (const LineState& s : states_) frequencies[s.frequency_hz] += s.amplitude > 0 ? 1 : 0;
    for (std::size_t w = 0; w < looks_.size(); ++w)
      if (off(looks_[w])) looks_[w].state = states_.size();
    const auto dark = static_cast<std::size_t>(
        std::count_if(looks_.begin(), looks_.end(), [&](const Look& l) { return off(l); }));
    list_changes(out);
    const std::size_t levels = states_.size() + (dark > 0 ? 1 : 0);
    if (frequencies.size() > 1)
      out.kind = LineStates::Kind::frequency;
    else if (levels > 1)
      out.kind = LineStates::Kind::amplitude;
    else if (!by_phase(out))
      return {};
    else
      out.kind = LineStates::Kind::phase;
    // A level that steps once or twice is judged elsewhere, but for a line that drops out and comes back.
    const auto dark_at = [&](std::size_t w) { return off(looks_[w]); };
    const bool drops =
        states_.size() == 1 && out.changes_s.size() == 2 && !dark_at(0) && !dark_at(looks_.size() - 1);
    if (out.kind == LineStates::Kind::amplitude && out.changes_s.size() < 3 && !drops) return {};
    // What jumps spoils the window it jumps in; what moves goes from state to state through whole ones. And
    // from one state to the other there is nothing between.
    if (out.changes_s.empty() || 5 * spoiled_ < 4 * out.changes_s.size() || !jumps_at_once(out)) return {};
    out.states = states_;
    if (dark > 0) out.states.push_back({frequencies.begin()->first, 0, 0, 0});
    std::vector<double> counts(out.states.size(), 0.0);
    double known = 0, left = 0, all = 0, square = 0, held = 0;
    for (const Look& l : looks_) {
      square += l.square;
      if (l.state == none) continue;
      counts[l.state] += 1, known += 1;
      if (!off(l)) left += l.left, all += l.square, held += 1;
    }
    const double looked = known;
    // Between the changes, where they are known; else by windows.
    if (out.kind != LineStates::Kind::phase && into_.size() == out.changes_s.size()) {
      std::fill(counts.begin(), counts.end(), 0.0);
      known = windows_.length_s();
      double from = 0;
      for (std::size_t i = 0; i <= into_.size(); ++i) {
        const double to = i < into_.size() ? out.changes_s[i] : known;
        counts[i == 0 ? first_ : into_[i - 1]] += to - from;
        from = to;
      }
    }
    for (std::size_t s = 0; s < counts.size(); ++s) out.states[s].share = counts[s] / known;
    out.left_rms = std::sqrt(left / std::max(1.0, held));
    out.explained = all > 0 ? 1 - left / all : 0;
    out.rms = std::sqrt(out.explained * square / static_cast<double>(looks_.size()));
    if (out.explained < 0.9 || 2 * looked < static_cast<double>(looks_.size())) return {};
    find_rate(out);
    return out;
  }

 private:
  /// Nothing, or a value that stands.
  bool jumps_at_once(const LineStates& out) const {
    std::vector<double> at, left;
    for (const Look& l : looks_)
      if (l.state != none && !off(l)) at.push_back(l.left);
    const double usual = std::max(median_of(at), 1e-4 * greatest_);
    std::size_t last = none, change = 0, seen = 0, clean = 0;
    for (std::size_t w = 0; w < looks_.size(); ++w) {
      if (looks_[w].state == none) continue;
      if (last != none && w > last + 1 && change < out.changes_s.size()) {
        const auto [squares, samples, holds] =
            windows_.left_between(last, off(looks_[last]), w, off(looks_[w]), out.changes_s[change]);
        if (holds) ++seen, ++change, clean += squares < 6 * usual * samples ? 1 : 0;
      }
      last = w;
    }
    return 10 * clean >= 7 * seen;
  }

  bool off(const Look& l) const { return l.moves < 0.004 * greatest_; }

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

  /// Between windows of two states, wherever they stand next to each other but for what is of neither.
  void list_changes(LineStates& out) {
    std::size_t last = none;
    for (std::size_t w = 0; w < looks_.size(); ++w) {
      if (looks_[w].state == none) continue;
      if (last == none) first_ = looks_[w].state;
      if (last != none && looks_[w].state != looks_[last].state) {
        spoiled_ += w > last + 1 ? 1 : 0;
        into_.push_back(looks_[w].state);
        out.changes_s.push_back(windows_.change_s(last, off(looks_[last]), w, off(looks_[w])));
      }
      last = w;
    }
  }

  /// One frequency and one level: phases that jump. False where they don't.
  bool by_phase(LineStates& out) {
    // The frequency from all runs of neighbouring windows.
    std::vector<double> turns;
    for (std::size_t w = 1; w < looks_.size(); ++w) {
      if (looks_[w].state == none || looks_[w - 1].state == none) continue;
      turns.push_back(
          wrapped(looks_[w].phase - looks_[w - 1].phase - tau * frequencies_[0] * windows_.hop_s()));
    }
    if (turns.size() < 8) return false;
    const double drift = median_of(turns);
    std::vector<double> scatter;
    for (const double t : turns) scatter.push_back(std::abs(wrapped(t - drift)));
    const double usual = std::max(1.5 * median_of(scatter), 1e-4);
    if (usual > 0.05) return false;
    const double hz = frequencies_[0] + drift / tau / windows_.hop_s();
    std::size_t last = none;
    for (std::size_t w = 0; w < looks_.size(); ++w) {
      if (looks_[w].state == none) continue;
      if (last != none) {
        const double gone = windows_.hop_s() * static_cast<double>(w - last);
        const double jump = wrapped(looks_[w].phase - looks_[last].phase - tau * hz * gone);
        if (w > last + 1 &&
            std::abs(jump) > std::max(0.35, 12 * usual * std::sqrt(static_cast<double>(w - last)))) {
          ++spoiled_;
          out.changes_s.push_back(windows_.change_s(last, false, w, false));
          out.jumps_deg.push_back(jump * 360 / tau);
        }
      }
      last = w;
    }
    if (out.changes_s.empty()) return false;
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
  static double wrapped(double angle) { return angle - tau * std::round(angle / tau); }

  Windows windows_;
  std::vector<Look>& looks_;
  double greatest_ = 0;
  std::size_t spoiled_ = 0, first_ = 0;
  std::vector<std::size_t> good_, place_, into_;
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
  for (std::size_t length = 32; 8 * length <= x.size(); length *= 2) {
    auto states = Finder(about, rate_hz, length).run();
    if (states && (!found || states->changes_s.size() >= found->changes_s.size())) found = std::move(states);
  }
  return found;
}

}  // namespace vprism
