// speed_course.cpp: see speed_course.h.
#include "identify/courses/speed_course.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/fft.h"
#include "base/percentile.h"
#include "identify/courses/slow_part.h"
#include "transform/windows/window.h"

namespace vprism {

namespace {

constexpr double whole_circle = 2 * std::numbers::pi;

/// What would be the median if there were no lines, in blocks of bins, between which it runs straight: from
/// the value that three tenths do not reach, which even crowded lines leave alone.
void floor_of(const std::vector<double>& power, std::vector<double>& floor) {
  constexpr std::size_t block = 48;
  constexpr double share_below = 0.3, median_to_it = 1.943;  // ln 0.5 / ln 0.7
  const std::size_t bins = power.size(), count = std::max<std::size_t>(1, bins / block);
  std::vector<double> below, part;
  for (std::size_t b = 0; b < count; ++b) {
    const std::size_t from = b * bins / count, to = (b + 1) * bins / count;
    part.assign(power.begin() + static_cast<std::ptrdiff_t>(from),
                power.begin() + static_cast<std::ptrdiff_t>(to));
    below.push_back(median_to_it * percentile_in(part, share_below));
  }
  const double width = static_cast<double>(bins) / static_cast<double>(count);
  for (std::size_t k = 0; k < bins; ++k) {
    const double place =
        std::clamp(static_cast<double>(k) / width - 0.5, 0.0, static_cast<double>(count - 1));
    const auto low = std::min(static_cast<std::size_t>(place), count - 1),
               high = std::min(low + 1, count - 1);
    const double share = place - static_cast<double>(low);
    floor[k] = (1 - share) * below[low] + share * below[high];
  }
}

/// What stands still: the median of a bin that stands out in most columns, 0 of others.
std::vector<float> steady_scores(const RaisedMap& map) {
  constexpr float stands_out = 1.4F;
  std::vector<float> out(map.bins), column(map.columns);
  for (std::size_t k = 0; k < map.bins; ++k) {
    for (std::size_t c = 0; c < map.columns; ++c) column[c] = map.score[c * map.bins + k];
    const float usual = median_in(column);
    out[k] = usual > stands_out ? usual : 0;
  }
  return out;
}

/// The path that stands highest over what stands still; `mean` gets its mean height.
std::vector<std::size_t> path_through(const RaisedMap& map, double& mean) {
  constexpr std::size_t reach = 3, lowest = 2;
  constexpr float cap = 9;
  const std::vector<float> steady = steady_scores(map);
  std::vector<float> best(map.bins, 0.0F), next(map.bins);
  std::vector<std::int8_t> from(map.bins * map.columns, 0);
  for (std::size_t c = 0; c < map.columns; ++c) {
    for (std::size_t k = lowest; k < map.bins; ++k) {
      std::size_t chosen = k;
      const std::size_t end = std::min(map.bins, k + reach + 1);
      for (std::size_t j = std::max(lowest, k - std::min(k, reach)); j < end; ++j)
        if (best[j] > best[chosen]) chosen = j;
      next[k] = best[chosen] + std::clamp(map.score[c * map.bins + k] - steady[k], 0.0F, cap);
      from[c * map.bins + k] =
          static_cast<std::int8_t>(static_cast<std::ptrdiff_t>(chosen) - static_cast<std::ptrdiff_t>(k));
    }
    best.swap(next);
  }
  std::vector<std::size_t> path(map.columns);
  auto k = static_cast<std::size_t>(
      std::max_element(best.begin() + static_cast<std::ptrdiff_t>(lowest), best.end()) - best.begin());
  mean = static_cast<double>(best[k]) / static_cast<double>(map.columns);
  for (std::size_t c = map.columns; c-- > 0;) {
    path[c] = k;
    k = static_cast<std::size_t>(static_cast<std::ptrdiff_t>(k) + from[c * map.bins + k]);
  }
  return path;
}

/// The centre of what stands above the floor within two bins.
double centre_near(const RaisedMap& map, std::size_t bin, std::size_t column) {
  double sum = 0, moment = 0;
  for (std::size_t k = bin - std::min<std::size_t>(bin, 2); k <= std::min(map.bins - 1, bin + 2); ++k) {
    const double power = std::expm1(map.at(k, column));
    sum += power, moment += power * static_cast<double>(k);
  }
  return sum > 0 ? moment / sum : static_cast<double>(bin);
}

/// Parabolas through so many neighbours on both sides each, seven points as a rule.
std::vector<double> smoothed_course(const std::vector<double>& y, std::ptrdiff_t reach = 3) {
  const auto n = static_cast<std::ptrdiff_t>(y.size());
  if (n < 2 * reach + 1) return y;
  double count = 0, squares = 0, fourths = 0;
  for (std::ptrdiff_t d = -reach; d <= reach; ++d) {
    const auto square = static_cast<double>(d * d);
    count += 1, squares += square, fourths += square * square;
  }
  std::vector<double> out(y.size());
  for (std::ptrdiff_t i = 0; i < n; ++i) {
    const std::ptrdiff_t centre = std::clamp(i, reach, n - 1 - reach);
    double y0 = 0, y1 = 0, y2 = 0;
    for (std::ptrdiff_t d = -reach; d <= reach; ++d) {
      const double v = y[static_cast<std::size_t>(centre + d)], t = static_cast<double>(d);
      y0 += v, y1 += v * t, y2 += v * t * t;
    }
    const double slope = y1 / squares,
                 bend = (count * y2 - squares * y0) / (count * fourths - squares * squares),
                 at = (y0 - squares * bend) / count;
    const auto t = static_cast<double>(i - centre);
    out[static_cast<std::size_t>(i)] = at + slope * t + bend * t * t;
  }
  return out;
}

/// A value at any sample from those at the middles of segments, a hop apart: parabolas beyond.
class ColumnCourse {
 public:
  ColumnCourse(std::size_t hop, const std::vector<double>& values)
      : values_(values), step_(static_cast<double>(hop)) {}
  double at(double sample) const {
    const double place = (sample + 0.5) / step_ - 1;
    const std::size_t last = values_.size() - 1;
    if (place <= 0) return beyond(-place, values_[0], values_[1], values_[2]);
    if (place >= static_cast<double>(last))
      return beyond(place - static_cast<double>(last), values_[last], values_[last - 1], values_[last - 2]);
    const auto i = static_cast<std::size_t>(place);
    return between_points(values_.data(), values_.size(), i, place - static_cast<double>(i));
  }

 private:
  static double beyond(double u, double end, double next, double third) {
    const double slope = 1.5 * end - 2 * next + 0.5 * third, bend = 0.5 * (end - 2 * next + third);
    return end + u * (slope + u * bend);
  }
  const std::vector<double>& values_;
  double step_;
};

/// What lines are ahead of the phase together, in segments. From one to the next each says by how much, to
/// whole turns of its own: the higher ones nearest to what the lower ones say, each by its level there.
std::vector<double> phase_ahead(const std::vector<std::vector<std::complex<double>>>& turned,
                                std::span<const CourseLine> lines) {
  std::vector<double> mean_square(lines.size(), 0.0), out(turned.front().size(), 0.0);
  for (std::size_t i = 0; i < lines.size(); ++i)
    for (const std::complex<double>& v : turned[i])
      mean_square[i] += std::norm(v) / static_cast<double>(turned[i].size());
  for (std::size_t c = 1; c < out.size(); ++c) {
    double mean = 0, weights = 0;
    for (std::size_t i = 0; i < lines.size(); ++i) {
      const std::complex<double> turn = turned[i][c] * std::conj(turned[i][c - 1]);
      if (!(mean_square[i] > 0)) continue;
      const double own_turn = whole_circle / lines[i].ratio;
      double by = std::arg(turn) / lines[i].ratio;
      if (weights > 0) by += std::round((mean - by) / own_turn) * own_turn;
      const double weight = lines[i].weight * std::abs(turn) / mean_square[i];
      if (weights + weight > 0) mean = (mean * weights + by * weight) / (weights + weight);
      weights += weight;
    }
    out[c] = out[c - 1] + mean;
  }
  return out;
}

/// How often it turns round, by more than a seventh of its range: one that swings does so again and again.
std::size_t turns_of(const std::vector<double>& hz, double range_hz) {
  std::size_t out = 0;
  double low = hz.front(), high = hz.front();
  int going = 0;
  for (const double f : hz) {
    low = std::min(low, f), high = std::max(high, f);
    if (going <= 0 && f > low + range_hz / 7)
      out += going < 0 ? 1 : 0, going = 1, high = f;
    else if (going >= 0 && f < high - range_hz / 7)
      out += going > 0 ? 1 : 0, going = -1, low = f;
  }
  return out;
}

}  // namespace

RaisedMap raised_map(std::span<const double> x, double rate_hz, std::size_t length) {
  RaisedMap map;
  map.length = length, map.hop = length / 2, map.rate_hz = rate_hz;
  map.columns = (x.size() - length) / map.hop + 1;
  const RealFft fft(length);
  map.bins = fft.bins();
  map.score.resize(map.bins * map.columns);
  FftArray<double> in(length);
  FftArray<std::complex<double>> out(fft.bins());
  const std::vector<double> window = centred_hann(length);
  std::vector<double> power(map.bins), floor(map.bins);
  for (std::size_t c = 0; c < map.columns; ++c) {
    double mean = 0;
    for (std::size_t n = 0; n < length; ++n) mean += x[c * map.hop + n] / static_cast<double>(length);
    for (std::size_t n = 0; n < length; ++n) in.data()[n] = window[n] * (x[c * map.hop + n] - mean);
    fft.run(in, out);
    for (std::size_t k = 0; k < map.bins; ++k) power[k] = std::norm(out.data()[k]);
    floor_of(power, floor);
    for (std::size_t k = 0; k < map.bins; ++k)
      map.score[c * map.bins + k] =
          floor[k] > 0 ? static_cast<float>(std::log1p(power[k] / floor[k])) : (power[k] > 0 ? 40.0F : 0.0F);
  }
  return map;
}

std::optional<SpeedCourse> find_speed_course(std::span<const double> x, double rate_hz) {
  constexpr std::size_t least_length = 64, least_columns = 15;
  constexpr double stands_out = 1.95, least_mean = 2.5;
  SpeedCourse out;
  std::vector<std::size_t> path;
  double highest = least_mean;
  // Short segments first: what moves stands out of noise (1.6) in those that are too short as well, but not
  // in those that are too long.
  constexpr double more_than_noise = 1.72;
  double seen_in_short = 0;
  std::size_t looked = 0;
  for (const std::size_t parts : {512u, 256u, 128u, 64u, 32u, 16u, 8u}) {
    const std::size_t length = x.size() / parts / 2 * 2;
    if (length < least_length) continue;
    if (looked == 2 && seen_in_short < more_than_noise) break;
    RaisedMap map = raised_map(x, rate_hz, length);
    double mean = 0;
    std::vector<std::size_t> found = path_through(map, mean);
    seen_in_short = std::max(seen_in_short, mean), ++looked;
    std::size_t raised = 0;
    for (std::size_t c = 0; c < map.columns; ++c) raised += map.at(found[c], c) > stands_out ? 1 : 0;
    if (map.columns < least_columns || 10 * raised < 9 * map.columns || !(mean >= highest)) continue;
    highest = mean, out.map = std::move(map), path = std::move(found);
  }
  if (path.empty()) return {};
  const RaisedMap& map = out.map;
  for (std::size_t c = 0; c < path.size(); ++c) out.hz.push_back(centre_near(map, path[c], c) * map.bin_hz());
  out.hz = smoothed_course(out.hz);
  const auto [low, high] = std::minmax_element(out.hz.begin(), out.hz.end());
  const double way = *high - *low, middle = 0.5 * (*high + *low),
               duration_s = static_cast<double>(x.size()) / rate_hz;
  constexpr std::size_t most_turns = 60;
  out.turns = turns_of(out.hz, way);
  if (!(way > 0.1 * middle) || way < 8 * map.bin_hz() || way < 12 / duration_s || out.turns > most_turns)
    return {};
  // Two in a row that stand out are no chance.
  const auto seen = [&](std::size_t c) {
    return map.at(path[c], c) > stands_out && map.at(path[c + 1], c + 1) > stands_out;
  };
  while (out.first_seen + 2 < path.size() && !seen(out.first_seen)) ++out.first_seen;
  out.last_seen = path.size() - 1;
  while (out.last_seen > out.first_seen + 1 && !seen(out.last_seen - 1)) --out.last_seen;
  out.lay_phase(x);
  return out;
}

void SpeedCourse::lay_phase(std::span<const double> x) {
  const ColumnCourse course(map.hop, hz);
  phase.resize(x.size());
  double sum = 0;
  for (std::size_t n = 0; n < x.size(); ++n) {
    phase[n] = sum;
    sum += whole_circle * course.at(static_cast<double>(n) + 0.5) / map.rate_hz;
  }
}

void SpeedCourse::centre_on(std::span<const double> x, double ratio) {
  std::vector<double> places(hz.size());
  for (std::size_t c = 0; c < hz.size(); ++c) {
    const auto middle = static_cast<std::size_t>(
        std::lround(std::min(ratio * hz[c] / map.bin_hz(), static_cast<double>(map.bins - 1))));
    std::size_t top = middle;
    for (std::size_t k = middle - std::min<std::size_t>(middle, 3); k <= std::min(map.bins - 1, middle + 3);
         ++k)
      if (map.at(k, c) > map.at(top, c)) top = k;
    places[c] = centre_near(map, top, c) * map.bin_hz() / ratio;
  }
  hz = smoothed_course(places);
  lay_phase(x);
}

void SpeedCourse::follow(std::span<const double> x, std::span<const CourseLine> lines, std::size_t length) {
  const std::size_t hop = length / 2, columns = (x.size() - 2 * hop) / hop + 1;
  std::vector<CourseLine> ordered(lines.begin(), lines.end());
  std::sort(ordered.begin(), ordered.end(),
            [](const CourseLine& a, const CourseLine& b) { return a.ratio < b.ratio; });
  std::vector<std::vector<std::complex<double>>> turned;
  for (const CourseLine& line : ordered) {
    turned.push_back(turned_down(x, phase, line.ratio, hop));
    turned.back().erase(turned.back().begin());  // Whole segments only.
    turned.back().resize(columns);
  }
  const std::vector<double> ahead = phase_ahead(turned, ordered);
  const std::vector<double> smooth = smoothed_course(ahead);
  const ColumnCourse correction(hop, smooth);
  for (std::size_t n = 0; n < x.size(); ++n) phase[n] += correction.at(static_cast<double>(n));
  // At its end the slope of a parabola through seven scatters by 0.7 of what one of them does; where the
  // course bends as no parabola does, they are off there by more than elsewhere.
  const auto scatter_hz = [&](std::size_t from, std::size_t to) {
    double squares = 0;
    for (std::size_t c = from; c < to; ++c) squares += std::pow(ahead[c] - smooth[c], 2);
    return std::sqrt(squares / static_cast<double>(to - from)) / whole_circle * map.rate_hz /
           static_cast<double>(hop);
  };
  const std::size_t last = ahead.size(), few = std::min<std::size_t>(last, 5);
  const auto measure = [&](std::size_t column, double& hz_there, double& std_hz) {
    const std::size_t middle = (column + 1) * map.hop, half = map.hop / 2;
    const double before = hz_there;
    const auto over = [&](std::size_t samples) {
      return (phase[middle + samples] - phase[middle - samples]) / whole_circle * map.rate_hz /
             static_cast<double>(2 * samples);
    };
    hz_there = over(half);
    // What segments of another length said, where the course has a kink, is something else; so is what
    // it says over twice the way where it bends. No line's place is known better than a fiftieth of a bin
    // while others pass it.
    const double bent = 0.5 * (hz_there - over(2 * half - 1)), passed = 0.02 * map.bin_hz();
    const std::size_t nearest = std::min(middle / hop, last - 1);
    const double scatter =
        std::max(scatter_hz(0, last), nearest < last / 2 ? scatter_hz(0, few) : scatter_hz(last - few, last));
    std_hz = std::hypot(scatter, before > 0 ? hz_there - before : 0, std::hypot(bent, passed));
    // Within the first bins its image below 0 Hz, and what stands at 0, are not apart from it.
    if (hz_there < 3 * map.bin_hz()) std_hz = std::hypot(std_hz, std::max(hz_there, map.bin_hz()));
    return map.time_s(column);
  };
  from_s = measure(first_seen, from_hz, from_std_hz);
  to_s = measure(last_seen, to_hz, to_std_hz);
  low_hz = std::min(from_hz, to_hz), high_hz = std::max(from_hz, to_hz);
  for (std::size_t c = first_seen + 1; c < last_seen; ++c) {
    const std::size_t middle = (c + 1) * map.hop, half = map.hop / 2;
    const double there = (phase[middle + half] - phase[middle - half]) / whole_circle * map.rate_hz /
                         static_cast<double>(2 * half);
    low_hz = std::min(low_hz, there), high_hz = std::max(high_hz, there);
  }
}

}  // namespace vprism
