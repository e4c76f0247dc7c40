// time_peaks.cpp: see time_peaks.h. Summits that still may lose ground on their right stand on a stack, each
// lower than the one below it; a higher one that comes takes them off, so that every sample costs the same
// few steps on average.
#include "identify/time_peaks.h"

#include <algorithm>
#include <cmath>

namespace vprism {

PeakFinder::PeakFinder(const TimePeakRules& rules, double sign, Take take)
    : rules_(rules), sign_(sign), take_(std::move(take)) {}

void PeakFinder::add(std::span<const double> samples) {
  for (const double x : samples) add_one(sign_ * x);
}

void PeakFinder::add_one(double x) {
  if (std::isnan(x)) {
    flush();
    ++at_;
    return;
  }
  if (!begun_) {
    begun_ = true, rising_ = false;
    lowest_ = x;
  } else if (x > last_) {
    rising_ = true;
    before_ = last_;
    top_at_ = at_;
    // The way up has its lowest point behind it.
    lowest_to_top_ = lowest_;
  } else if (x < last_) {
    if (rising_) top_out(x);
    rising_ = false;
    lowest_ = std::min(lowest_, x);
  }
  last_ = x;
  ++at_;
}

/// The last samples were a top: one, or several of the same height.
void PeakFinder::top_out(double after) {
  RoughPeak peak;
  peak.sample = (top_at_ + at_ - 1) / 2;
  peak.height = last_;
  double lowest = lowest_to_top_;
  while (!standing_.empty() && standing_.back().peak.height < peak.height) {
    const double left = standing_.back().left;
    close(lowest);
    lowest = std::min(lowest, left);
  }
  const bool steep = std::min(peak.height - before_, peak.height - after) >= rules_.threshold;
  // What rules leave out is ground all the same.
  peak.prominence = steep && (!rules_.min_height || peak.height >= *rules_.min_height) ? 0 : -1;
  standing_.push_back({peak, lowest});
  lowest_ = after;
}

/// The last summit's right side goes down to `lowest` before higher ground.
void PeakFinder::close(double lowest) {
  Summit summit = standing_.back();
  standing_.pop_back();
  if (summit.peak.prominence < 0) return;
  summit.peak.prominence = summit.peak.height - std::max(summit.left, lowest);
  if (summit.peak.prominence >= rules_.min_prominence && summit.peak.prominence > 0) take_(summit.peak);
}

void PeakFinder::flush() {
  double lowest = lowest_;
  while (!standing_.empty()) {
    const double left = standing_.back().left;
    close(lowest);
    lowest = std::min(lowest, left);
  }
  begun_ = false;
}

void PeakFinder::finish() { flush(); }

std::vector<RoughPeak> apart(std::vector<RoughPeak> peaks, double min_distance) {
  const auto earlier = [](const RoughPeak& a, const RoughPeak& b) { return a.sample < b.sample; };
  std::sort(peaks.begin(), peaks.end(), earlier);
  if (!(min_distance > 1)) return peaks;
  std::vector<std::size_t> by_height(peaks.size());
  for (std::size_t i = 0; i < peaks.size(); ++i) by_height[i] = i;
  std::stable_sort(by_height.begin(), by_height.end(),
                   [&](std::size_t a, std::size_t b) { return peaks[a].height > peaks[b].height; });
  std::vector<char> gone(peaks.size());
  const auto near = [&](std::size_t a, std::size_t b) {
    return static_cast<double>(std::abs(peaks[a].sample - peaks[b].sample)) < min_distance;
  };
  for (const std::size_t i : by_height) {
    if (gone[i]) continue;
    for (std::size_t k = i; k-- > 0 && near(k, i);) gone[k] = 1;
    for (std::size_t k = i + 1; k < peaks.size() && near(k, i); ++k) gone[k] = 1;
  }
  std::vector<RoughPeak> kept;
  for (std::size_t i = 0; i < peaks.size(); ++i)
    if (!gone[i]) kept.push_back(peaks[i]);
  return kept;
}

namespace {

constexpr std::size_t most_recent = std::size_t{1} << 17;
constexpr std::size_t most_fitted_whole = 100000;  ///< Peaks of a channel; of more only the tops are fitted.
constexpr double half_part = 0.5, foot_part = 0.75;  ///< Of the prominence, from the top down.

struct TopFit {
  double place = 0, place_std = 0, height = 0;
};

/// Powers of a polynomial that a top may need: odd ones make it lean, and cost the place much of its
/// certainty.
const std::vector<std::vector<int>>& top_models() {
  static const std::vector<std::vector<int>> models = {
      {0, 1, 2}, {0, 1, 2, 4}, {0, 1, 2, 3}, {0, 1, 2, 3, 4}};
  return models;
}

constexpr int most_terms = 9;

/// Solves a x = b for the upper left of a symmetric matrix that is not negative (Cholesky); false where it is
/// singular.
bool solve_small(const double (&a)[most_terms][most_terms], const double* b, int size, double* x) {
  double l[most_terms][most_terms];
  for (int i = 0; i < size; ++i)
    for (int j = 0; j <= i; ++j) {
      double sum = a[i][j];
      for (int k = 0; k < j; ++k) sum -= l[i][k] * l[j][k];
      if (i == j) {
        if (!(sum > 1e-14 * a[i][i])) return false;
        l[i][i] = std::sqrt(sum);
      } else {
        l[i][j] = sum / l[j][j];
      }
    }
  for (int i = 0; i < size; ++i) {
    x[i] = b[i];
    for (int k = 0; k < i; ++k) x[i] -= l[i][k] * x[k];
    x[i] /= l[i][i];
  }
  for (int i = size; i-- > 0;) {
    for (int k = i + 1; k < size; ++k) x[i] -= l[k][i] * x[k];
    x[i] /= l[i][i];
  }
  return true;
}

struct Polynomial {
  std::vector<int> powers;
  double c[most_terms] = {};
  double normal[most_terms][most_terms] = {};
  double left = 0;  ///< Sum of squares.
  /// Value (order 0) or derivative.
  double at(double u, int order) const {
    double power[5] = {1, u, u * u, u * u * u, u * u * u * u}, sum = 0;
    for (std::size_t k = 0; k < powers.size(); ++k) {
      const int p = powers[k];
      if (p < order) continue;
      const double factor = order == 0 ? 1 : order == 1 ? p : p * (p - 1);
      sum += factor * c[k] * power[p - order];
    }
    return sum;
  }
};

bool fitted(const std::vector<double>& u, const std::vector<double>& y, const std::vector<int>& powers,
            Polynomial& out) {
  out.powers = powers;
  const int size = static_cast<int>(powers.size());
  for (auto& row : out.normal) std::fill(std::begin(row), std::end(row), 0.0);
  double right[most_terms] = {};
  for (std::size_t i = 0; i < u.size(); ++i) {
    const double v = u[i], power[5] = {1, v, v * v, v * v * v, v * v * v * v};
    for (int a = 0; a < size; ++a) {
      const double row = power[powers[static_cast<std::size_t>(a)]];
      right[a] += row * y[i];
      for (int b = 0; b <= a; ++b) out.normal[a][b] += row * power[powers[static_cast<std::size_t>(b)]];
    }
  }
  if (!solve_small(out.normal, right, size, out.c)) return false;
  out.left = 0;
  for (std::size_t i = 0; i < u.size(); ++i) {
    const double off = y[i] - out.at(u[i], 0);
    out.left += off * off;
  }
  return true;
}

/// Samples of one peak, about its highest.
struct PeakSamples {
  std::int64_t middle = 0;
  double scale = 1, base = 0;  ///< Sample middle + u scale has the height base + y.
  double span = 0;             ///< Greatest of |y|.
  std::vector<double> u, y;

  /// `offset` of a sample from the middle one, in samples.
  template <typename Value, typename Offset>
  void gather(const Value& x, const Offset& offset, std::int64_t from, std::int64_t to) {
    // Long ones are averaged in steps.
    const std::int64_t step = std::max<std::int64_t>(1, (to - from + 1) / 96);
    scale = std::max(1.0, static_cast<double>(std::max(middle - from, to - middle)));
    base = x(middle);
    for (std::int64_t n = from; n + step - 1 <= to; n += step) {
      double sum = 0, place = 0;
      for (std::int64_t k = 0; k < step; ++k) sum += x(n + k), place += offset(n + k);
      u.push_back(place / static_cast<double>(step) / scale);
      y.push_back(sum / static_cast<double>(step) - base);
      span = std::max(span, std::abs(y.back()));
      if (std::isnan(y.back())) {
        u.clear(), y.clear();
        return;
      }
    }
  }
  /// Schwarz's criterion; what rounding leaves is nothing.
  double price(double left, std::size_t parameters) const {
    const auto count = static_cast<double>(u.size());
    return count * std::log(std::max(left / count, 1e-24 * span * span)) +
           static_cast<double>(parameters) * std::log(count);
  }
};

/// Of the polynomials that a top may need the one that the samples ask for; nothing where it has no top
/// within.
std::optional<TopFit> fit_top(const PeakSamples& s) {
  if (s.u.size() < 3) return {};
  std::optional<Polynomial> best;
  double least = std::numeric_limits<double>::infinity();
  for (const std::vector<int>& powers : top_models()) {
    if (best && s.u.size() < powers.size() + 2) continue;
    Polynomial tried;
    if (!fitted(s.u, s.y, powers, tried)) continue;
    const double price = s.price(tried.left, powers.size());
    if (price < least) least = price, best = std::move(tried);
  }
  if (!best) return {};
  // The highest of the fit on a grid, then Newton's steps.
  double top = 0, highest = -std::numeric_limits<double>::infinity();
  for (int i = 0; i <= 64; ++i) {
    const double at = s.u.front() + (s.u.back() - s.u.front()) * i / 64.0;
    if (best->at(at, 0) > highest) highest = best->at(at, 0), top = at;
  }
  for (int i = 0; i < 20; ++i) {
    const double bend = best->at(top, 2);
    if (!(bend < 0)) return {};
    const double move = -best->at(top, 1) / bend;
    top += std::clamp(move, -0.1, 0.1);
    if (std::abs(move) < 1e-12) break;
  }
  if (top <= s.u.front() - 1e-9 || top >= s.u.back() + 1e-9 || !std::isfinite(top)) return {};
  TopFit fit;
  fit.place = static_cast<double>(s.middle) + top * s.scale;
  fit.height = s.base + best->at(top, 0);
  const int size = static_cast<int>(best->powers.size());
  if (static_cast<int>(s.u.size()) > size) {
    double slope[most_terms] = {}, spread[most_terms] = {}, variance = 0;
    for (int k = 0; k < size; ++k) {
      const int p = best->powers[static_cast<std::size_t>(k)];
      slope[k] = p == 0 ? 0 : p * std::pow(top, p - 1);
    }
    if (solve_small(best->normal, slope, size, spread))
      for (int k = 0; k < size; ++k) variance += slope[k] * spread[k];
    const double bend = best->at(top, 2);
    variance *= best->left / static_cast<double>(static_cast<int>(s.u.size()) - size) / (bend * bend);
    fit.place_std = s.scale * std::sqrt(std::max(0.0, variance));
  }
  return fit;
}

/// y = c0 + c1 v^2 + c2 v^4 + ... with v = u - u0, and `odd` terms v^3, v^5: Gauss and Newton on all at once.
struct EvenFit {
  double centre = 0, left = std::numeric_limits<double>::infinity();
  int size = 0;  ///< Parameters, the centre being the last.
  double c[most_terms] = {};
  double normal[most_terms][most_terms] = {};
};

bool fitted_even(const PeakSamples& s, int evens, int odds, EvenFit& fit) {
  const int size = fit.size = evens + odds + 2;  // With c0 and the centre.
  std::fill(std::begin(fit.c), std::end(fit.c), 0.0);
  for (int round = 0; round < 30; ++round) {
    for (auto& row : fit.normal) std::fill(std::begin(row), std::end(row), 0.0);
    double right[most_terms] = {}, left = 0;
    for (std::size_t i = 0; i < s.u.size(); ++i) {
      const double v = s.u[i] - fit.centre, vv = v * v;
      double row[most_terms], model = 0, slope = 0, even = 1, below = 0;
      // Powers and their derivatives: 1, v^2, v^4, ...; v^3, v^5.
      for (int k = 0; k <= evens; ++k) {
        row[k] = even;
        model += fit.c[k] * even;
        slope += fit.c[k] * 2 * k * below;
        below = even * v, even *= vv;
      }
      for (int k = 0; k < odds; ++k) {
        const double power = k == 0 ? vv : vv * vv;
        row[evens + 1 + k] = power * v;
        model += fit.c[evens + 1 + k] * power * v;
        slope += fit.c[evens + 1 + k] * (2 * k + 3) * power;
      }
      row[size - 1] = -slope;
      const double off = s.y[i] - model;
      left += off * off;
      for (int a = 0; a < size; ++a) {
        right[a] += row[a] * off;
        for (int b = 0; b <= a; ++b) fit.normal[a][b] += row[a] * row[b];
      }
    }
    fit.left = left;
    double step[most_terms] = {};
    // The centre is not moved before there is a curve.
    if (!solve_small(fit.normal, right, round == 0 ? size - 1 : size, step)) return false;
    for (int k = 0; k < size - 1; ++k) fit.c[k] += step[k];
    if (round == 0) continue;
    const double move = std::clamp(step[size - 1], -0.25, 0.25);
    fit.centre += move;
    if (!(std::abs(fit.centre) <= 1)) return false;
    if (round > 1 && std::abs(move) < 1e-9) break;
  }
  return true;
}

/// The whole peak as a curve that is even about its middle, where no odd part is asked for.
std::optional<TopFit> fit_even(const PeakSamples& s) {
  if (s.u.size() < 5) return {};
  EvenFit best, tried;
  double least = std::numeric_limits<double>::infinity();
  int evens = 0;
  for (int m = 1; m <= 5 && s.u.size() >= static_cast<std::size_t>(m) + 4; ++m) {
    // From where the last one stood.
    tried.centre = evens > 0 ? best.centre : 0;
    if (!fitted_even(s, m, 0, tried)) continue;
    const double price = s.price(tried.left, static_cast<std::size_t>(m) + 2);
    if (price < least)
      least = price, best = tried, evens = m;
    else if (m > evens + 1)
      break;
  }
  if (evens == 0 || !(best.c[1] < 0)) return {};
  for (int odds = 1; odds <= 2 && s.u.size() >= static_cast<std::size_t>(evens + odds) + 4; ++odds) {
    tried.centre = best.centre;
    // Few samples ask for much by chance.
    if (fitted_even(s, evens, odds, tried) &&
        s.price(tried.left, static_cast<std::size_t>(evens + odds) + 2) < least - 6)
      return {};
  }
  TopFit fit;
  fit.place = static_cast<double>(s.middle) + best.centre * s.scale;
  fit.height = s.base + best.c[0];
  const double free = static_cast<double>(s.u.size()) - best.size;
  double unit[most_terms] = {}, column[most_terms] = {};
  unit[best.size - 1] = 1;
  if (free > 0.5 && solve_small(best.normal, unit, best.size, column))
    fit.place_std = s.scale * std::sqrt(std::max(0.0, best.left / free * column[best.size - 1]));
  return fit;
}

}  // namespace

PeakShaper::PeakShaper(std::vector<RoughPeak> peaks, double sign, double interval)
    : peaks_(std::move(peaks)),
      shaped_(peaks_.size()),
      sign_(sign),
      interval_(interval),
      recent_(peaks_.empty() ? 1 : most_recent),
      recent_stamps_(interval > 0 ? recent_.size() : 0) {}

void PeakShaper::add(std::span<const double> samples, std::span<const double> stamps) {
  if (next_ == peaks_.size() && open_.empty()) return;
  for (std::size_t n = 0; n < samples.size(); ++n) add_one(sign_ * samples[n], interval_ > 0 ? stamps[n] : 0);
}

/// Where the samples last rose through `level`; NaN where all since the record's start lie above.
double PeakShaper::last_rise(double level) const {
  const auto above = std::lower_bound(lows_.begin(), lows_.end(), level,
                                      [](const Low& low, double l) { return low.value < l; });
  if (above == lows_.begin()) return std::nan("");
  const Low& low = *(above - 1);
  return static_cast<double>(low.at) +
         (low.next > low.value ? (level - low.value) / (low.next - low.value) : 0.5);
}

void PeakShaper::add_one(double x, double stamp) {
  if (std::isnan(x)) {
    for (Open& open : open_) {
      shape(open, static_cast<double>(at_ - 1));
      close(open, std::isnan(open.right_half));
    }
    open_.clear(), lows_.clear();
    highest_level_ = -std::numeric_limits<double>::infinity();
    ++at_;
    return;
  }
  recent_[static_cast<std::size_t>(at_) % most_recent] = x;
  if (interval_ > 0) recent_stamps_[static_cast<std::size_t>(at_) % most_recent] = stamp;
  if (!lows_.empty() && lows_.back().at == at_ - 1) lows_.back().next = x;
  while (!lows_.empty() && lows_.back().value >= x) lows_.pop_back();
  // A rise of millions of samples keeps only its upper part.
  if (lows_.size() > (std::size_t{1} << 20)) lows_.erase(lows_.begin(), lows_.begin() + (1 << 19));
  lows_.push_back({at_, x, x});
  if (next_ < peaks_.size() && peaks_[next_].sample == at_) {
    const RoughPeak& peak = peaks_[next_];
    Open open;
    open.peak = next_++;
    open.half = peak.height - half_part * peak.prominence;
    open.foot = peak.height - foot_part * peak.prominence;
    open.left_half = last_rise(open.half);
    open.left_foot = last_rise(open.foot);
    open.right_half = std::nan("");
    highest_level_ = open_.empty() ? open.half : std::max(highest_level_, open.half);
    open_.push_back(open);
  }
  if (!open_.empty() && x < highest_level_) {
    const auto crossing = [&](double level) {
      return static_cast<double>(at_ - 1) +
             (last_ > x ? std::clamp((last_ - level) / (last_ - x), 0.0, 1.0) : 0);
    };
    highest_level_ = -std::numeric_limits<double>::infinity();
    std::size_t kept = 0;
    for (Open& open : open_) {
      if (std::isnan(open.right_half) && x < open.half) open.right_half = crossing(open.half);
      if (x < open.foot) {
        shape(open, crossing(open.foot));
        close(open, false);
        continue;
      }
      highest_level_ = std::max(highest_level_, std::isnan(open.right_half) ? open.half : open.foot);
      open_[kept++] = open;
    }
    open_.resize(kept);
  }
  last_ = x;
  ++at_;
}

/// Position and height, once the peak has come down to its foot.
void PeakShaper::shape(const Open& open, double right_foot) {
  const RoughPeak& rough = peaks_[open.peak];
  TimePeak& out = shaped_[open.peak];
  out.sample = static_cast<double>(rough.sample), out.height = rough.height,
  out.prominence = rough.prominence;
  const std::int64_t oldest = std::max<std::int64_t>(0, at_ - static_cast<std::int64_t>(most_recent) + 1);
  const auto value = [&](std::int64_t n) { return recent_[static_cast<std::size_t>(n) % most_recent]; };
  const auto stamp = [&](std::int64_t n) {
    return recent_stamps_[static_cast<std::size_t>(n) % most_recent];
  };
  const auto offset = [&](std::int64_t n) {
    return interval_ > 0 ? (stamp(n) - stamp(rough.sample)) / interval_
                         : static_cast<double>(n - rough.sample);
  };
  if (interval_ > 0) out.stamp = stamp(rough.sample);
  const auto take = [&](double left, double right) {
    PeakSamples samples;
    samples.middle = rough.sample;
    std::int64_t from = std::isnan(left)
                            ? oldest
                            : std::max<std::int64_t>(oldest, static_cast<std::int64_t>(std::ceil(left)));
    std::int64_t to = static_cast<std::int64_t>(std::floor(right));
    if (to - from < 2) from = rough.sample - 1, to = rough.sample + 1;
    if (from < oldest || to > at_) return samples;
    samples.gather(value, offset, from, to);
    return samples;
  };
  // A prominence may reach far below the peak's own foot, where other peaks stand: no more than is like a
  // bell.
  const double right_half = std::isnan(open.right_half) ? right_foot : open.right_half;
  const double beside = 0.3 * (right_half - open.left_half);
  const double left =
      std::isnan(open.left_half) ? open.left_foot : std::max(open.left_half - beside, open.left_foot);
  const double right = std::isnan(beside) ? right_foot : std::min(right_half + beside, right_foot);
  // A fit that leaves the top it was made for is none.
  const auto holds = [&](const std::optional<TopFit>& fit) {
    return fit && std::abs(fit->height - rough.height) < 0.25 * rough.prominence;
  };
  std::optional<TopFit> fit;
  if (peaks_.size() <= most_fitted_whole) fit = fit_even(take(left, right));
  if (!holds(fit)) fit = fit_top(take(open.left_half, right_half));
  if (!holds(fit))
    fit = fit_top(take(static_cast<double>(rough.sample) - 2, static_cast<double>(rough.sample) + 2));
  if (!holds(fit)) return;
  out.sample = fit->place, out.sample_std = fit->place_std;
  if (interval_ > 0) out.stamp += (fit->place - static_cast<double>(rough.sample)) * interval_;
  out.prominence += fit->height - rough.height;
  out.height = fit->height;
}

void PeakShaper::close(Open& open, bool cut) {
  TimePeak& out = shaped_[open.peak];
  if (std::isnan(open.right_half)) open.right_half = static_cast<double>(at_ - 1);
  out.cut = cut || std::isnan(open.left_half);
  out.width = open.right_half - (std::isnan(open.left_half) ? 0 : open.left_half);
}

std::vector<TimePeak> PeakShaper::finish() {
  for (Open& open : open_) {
    shape(open, static_cast<double>(at_ - 1));
    close(open, std::isnan(open.right_half));
  }
  open_.clear();
  for (TimePeak& peak : shaped_) peak.height *= sign_;
  return std::move(shaped_);
}

void ProminenceSurvey::add(std::span<const double> samples) {
  constexpr std::size_t most = 65536;
  for (const double x : samples) {
    if (at_ >= 2 && at_ % stride_ == 0) {
      const double bend = two_before_ - 2 * one_before_ + x;
      if (!std::isnan(bend)) differences_.push_back(std::abs(bend));
      if (differences_.size() >= most) {
        for (std::size_t i = 0; i < most / 2; ++i) differences_[i] = differences_[2 * i];
        differences_.resize(most / 2);
        stride_ *= 2;
      }
    }
    two_before_ = one_before_, one_before_ = x;
    ++at_;
  }
}

void ProminenceSurvey::take(const RoughPeak& peak) {
  if (!(peak.prominence > 0)) return;
  const int octave = static_cast<int>(std::floor(per_octave * std::log2(peak.prominence)));
  const auto place = std::lower_bound(counts_.begin(), counts_.end(), octave,
                                      [](const auto& entry, int o) { return entry.first < o; });
  if (place != counts_.end() && place->first == octave)
    ++place->second;
  else
    counts_.insert(place, {octave, 1});
}

ProminenceSurvey::Choice ProminenceSurvey::choice() const {
  Choice out;
  std::vector<double> sorted = differences_;
  if (!sorted.empty()) {
    const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
    std::nth_element(sorted.begin(), middle, sorted.end());
    // Second differences of white noise have sqrt(6) times its deviation, and a median of 0.6745 times that.
    out.noise_std = *middle / 0.6745 / std::sqrt(6.0);
  }
  const auto value = [](int octave) { return std::exp2((octave + 0.5) / per_octave); };
  // Noise alone reaches from its highest to its lowest of so many samples.
  const double noise =
      2.2 * out.noise_std * std::sqrt(2 * std::log(std::max<double>(3, static_cast<double>(at_))));
  double squares = 0, cubes = 0;
  for (const auto& [octave, count] : counts_)
    if (value(octave) > noise) {
      squares += static_cast<double>(count) * std::pow(value(octave), 2);
      cubes += static_cast<double>(count) * std::pow(value(octave), 3);
    }
  out.min_prominence = std::numeric_limits<double>::infinity();
  if (!(squares > 0)) return out;
  // What most of the height lies in; lesser ones are parted from it by the widest gap below.
  const double main = cubes / squares;
  double best = 1.25, low = 0;
  const double least = std::max(noise, 0.2 * main);
  double previous = least;
  for (const auto& [octave, count] : counts_) {
    const double here = value(octave);
    if (here <= least) continue;
    if (previous < 0.8 * main && here / previous > best)
      best = here / previous, low = std::sqrt(here * previous);
    previous = here;
  }
  out.min_prominence = low > 0 ? low : least;
  return out;
}

std::optional<PeakRhythm> rhythm_of(std::span<const double> times_s) {
  if (times_s.size() < 3) return {};
  PeakRhythm out;
  std::vector<double> all;
  for (std::size_t i = 1; i < times_s.size(); ++i) all.push_back(times_s[i] - times_s[i - 1]);
  std::vector<double> sorted = all;
  std::sort(sorted.begin(), sorted.end());
  out.median_s = (sorted[(sorted.size() - 1) / 2] + sorted[sorted.size() / 2]) / 2;
  // An interval is of the usual kind, or holds more than one, or is a part of one.
  std::vector<double> usual, at;
  double scatter = 0, before = std::nan("");
  std::int64_t neighbours = 0;
  for (std::size_t i = 0; i < all.size(); ++i) {
    const double ratio = all[i] / out.median_s, whole = std::round(ratio);
    if (whole >= 2 && std::abs(ratio - whole) < 0.25 * std::sqrt(whole)) {
      out.missed += static_cast<std::int64_t>(whole) - 1;
      out.long_after.push_back(i);
      before = std::nan("");
      continue;
    }
    if (ratio < 0.75 && i + 1 < all.size() && std::abs((all[i] + all[i + 1]) / out.median_s - 1) < 0.25) {
      ++out.extra;
      out.short_after.push_back(i);
      ++i;
      before = std::nan("");
      continue;
    }
    if (!std::isnan(before)) scatter += std::pow(all[i] - before, 2), ++neighbours;
    before = all[i];
    usual.push_back(all[i]);
    at.push_back(times_s[i] + all[i] / 2);
  }
  if (usual.empty()) return {};
  out.intervals = static_cast<std::int64_t>(usual.size());
  const auto n = static_cast<double>(usual.size());
  for (const double v : usual) out.mean_s += v / n;
  for (const double v : usual) out.std_s += (v - out.mean_s) * (v - out.mean_s);
  out.std_s = usual.size() > 1 ? std::sqrt(out.std_s / (n - 1)) : 0;
  out.neighbour_scatter_s = neighbours > 0 ? std::sqrt(scatter / static_cast<double>(neighbours)) : 0;
  out.rate_hz = out.mean_s > 0 ? 1 / out.mean_s : 0;
  // A line through the rates over time.
  double mid = 0, level = 0, spread = 0, along = 0;
  for (std::size_t i = 0; i < usual.size(); ++i) mid += at[i] / n, level += 1 / usual[i] / n;
  for (std::size_t i = 0; i < usual.size(); ++i)
    spread += (at[i] - mid) * (at[i] - mid), along += (at[i] - mid) * (1 / usual[i] - level);
  if (usual.size() > 2 && spread > 0) {
    out.trend_hz_per_s = along / spread;
    double left = 0;
    for (std::size_t i = 0; i < usual.size(); ++i)
      left += std::pow(1 / usual[i] - level - out.trend_hz_per_s * (at[i] - mid), 2);
    out.trend_std = std::sqrt(left / (n - 2) / spread);
  }
  return out;
}

PeakPairing pair_peaks(std::span<const double> first_s, std::span<const double> second_s, double reach_s) {
  PeakPairing out;
  std::vector<double> delays;
  std::size_t taken = 0;
  for (const double t : first_s) {
    const auto next = std::lower_bound(second_s.begin(), second_s.end(), t);
    double nearest = std::numeric_limits<double>::infinity();
    for (const auto& candidate : {next, next == second_s.begin() ? next : next - 1})
      if (candidate != second_s.end() && std::abs(*candidate - t) < std::abs(nearest))
        nearest = *candidate - t;
    if (std::abs(nearest) > reach_s) {
      ++out.alone_first;
      continue;
    }
    delays.push_back(nearest);
    ++taken;
  }
  out.pairs = static_cast<std::int64_t>(delays.size());
  out.alone_second = static_cast<std::int64_t>(second_s.size()) - static_cast<std::int64_t>(taken);
  for (const double d : delays) out.delay_mean_s += d / static_cast<double>(delays.size());
  for (const double d : delays) out.delay_std_s += (d - out.delay_mean_s) * (d - out.delay_mean_s);
  out.delay_std_s =
      delays.size() > 1 ? std::sqrt(out.delay_std_s / static_cast<double>(delays.size() - 1)) : 0;
  return out;
}

}  // namespace vprism
