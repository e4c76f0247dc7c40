// sweeps.cpp: see sweeps.h.
#include "identify/verdict/sweeps.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <vector>

#include "base/fft.h"
#include "transform/windows/window.h"

namespace vprism {

namespace {

/// Where most of a segment's power lies.
struct SweptPlace {
  double time_s = 0, hz = 0;
  double power = 0, inside = 0;  ///< Of the segment about its mean, and of the line in it.
};

/// Hann windows, half overlapping. The line reaches from its summit down to a fiftieth on both sides.
std::vector<SweptPlace> places_of(std::span<const double> x, double rate_hz, std::size_t length) {
  const RealFft fft(length);
  FftArray<double> in(length);
  FftArray<std::complex<double>> bins(fft.bins());
  const std::vector<double> window = centred_hann(length);
  std::vector<double> power(fft.bins());
  std::vector<SweptPlace> out;
  for (std::size_t at = 0; at + length <= x.size(); at += length / 2) {
    double mean = 0;
    for (std::size_t n = 0; n < length; ++n) mean += x[at + n];
    mean /= static_cast<double>(length);
    for (std::size_t n = 0; n < length; ++n) in.data()[n] = window[n] * (x[at + n] - mean);
    fft.run(in, bins);
    SweptPlace place;
    for (std::size_t k = 0; k < power.size(); ++k)
      power[k] = std::norm(bins.data()[k]), place.power += power[k];
    const auto top = static_cast<std::size_t>(std::max_element(power.begin(), power.end()) - power.begin());
    std::size_t low = top, high = top;
    while (low > 0 && power[low - 1] > 0.02 * power[top]) --low;
    while (high + 1 < power.size() && power[high + 1] > 0.02 * power[top]) ++high;
    double moment = 0;
    for (std::size_t k = low; k <= high; ++k)
      place.inside += power[k], moment += power[k] * static_cast<double>(k);
    if (place.inside > 0) place.hz = moment / place.inside * rate_hz / static_cast<double>(length);
    place.time_s = (static_cast<double>(at) + static_cast<double>(length) / 2) / rate_hz;
    out.push_back(place);
  }
  return out;
}

/// y = at + slope (t - middle).
struct LawLine {
  double at = 0, slope = 0, middle = 0, at_std = 0, slope_std = 0;
  double explained = 0, scatter = 0;
  double value(double t) const { return at + slope * (t - middle); }
  double std_at(double t) const { return std::hypot(at_std, slope_std * (t - middle)); }
};

LawLine straight_line(const std::vector<double>& t, const std::vector<double>& y) {
  LawLine out;
  const auto n = static_cast<double>(t.size());
  for (std::size_t i = 0; i < t.size(); ++i) out.middle += t[i] / n, out.at += y[i] / n;
  double tt = 0, ty = 0, yy = 0;
  for (std::size_t i = 0; i < t.size(); ++i) {
    const double a = t[i] - out.middle, b = y[i] - out.at;
    tt += a * a, ty += a * b, yy += b * b;
  }
  if (!(tt > 0 && yy > 0) || n < 3) return out;
  out.slope = ty / tt;
  out.explained = ty * ty / (tt * yy);
  out.scatter = std::sqrt(std::max(0.0, yy - out.slope * ty) / (n - 2));
  out.at_std = out.scatter / std::sqrt(n), out.slope_std = out.scatter / std::sqrt(tt);
  return out;
}

/// Whether neighbours are off to the same side, where chance would have them off to either (Durbin and Watson
/// 1950): the law is another one then.
bool bends(const LawLine& line, const std::vector<double>& t, const std::vector<double>& y) {
  double steps = 0, squares = 0, before = 0;
  for (std::size_t i = 0; i < t.size(); ++i) {
    const double off = y[i] - line.value(t[i]);
    squares += off * off;
    if (i > 0) steps += (off - before) * (off - before);
    before = off;
  }
  return steps < 0.7 * squares;
}

/// How far a Hann window's energy is spread about its middle: the variance of cos^4 over half a period.
double window_std_s(std::size_t length, double rate_hz) {
  const double pi2 = std::numbers::pi * std::numbers::pi;
  return std::sqrt(1.0 / 12 - 5 / (8 * pi2)) * static_cast<double>(length) / rate_hz;
}

/// From the places of one length of segments; `scatter` gets what they scatter by, in hertz.
std::optional<Sweep> sweep_through(const std::vector<SweptPlace>& places, double rate_hz, std::size_t length,
                                   double duration_s, double& scatter) {
  constexpr double least_power = 0.05, least_share = 0.5, least_explained = 0.98;
  double strongest = 0;
  for (const SweptPlace& p : places) strongest = std::max(strongest, p.power);
  const auto is_there = [&](const SweptPlace& p) { return p.power > least_power * strongest; };
  const auto first = std::find_if(places.begin(), places.end(), is_there);
  const auto last = std::find_if(places.rbegin(), places.rend(), is_there);
  if (first == places.end()) return {};
  std::vector<double> t, hz, octaves;
  std::size_t there = 0;
  double inside = 0, all = 0;
  for (auto p = places.begin(); p != places.end(); ++p) {
    all += p->power;
    if (p < first || p >= last.base()) continue;
    ++there;
    if (!is_there(*p) || p->inside < least_share * p->power || !(p->hz > 0)) continue;
    inside += p->inside;
    t.push_back(p->time_s), hz.push_back(p->hz), octaves.push_back(std::log2(p->hz));
  }
  if (t.size() < 8 || 10 * t.size() < 9 * there) return {};
  const LawLine linear = straight_line(t, hz), curved = straight_line(t, octaves);
  Sweep out;
  double middle_hz = 0;
  for (const double f : hz) middle_hz += f / static_cast<double>(hz.size());
  out.exponential = curved.explained > linear.explained;
  const LawLine& line = out.exponential ? curved : linear;
  scatter = out.exponential ? line.scatter * std::numbers::ln2 * middle_hz : line.scatter;
  if (line.explained < least_explained) return {};
  if (scatter > 0.2 * rate_hz / static_cast<double>(length) && bends(line, t, out.exponential ? octaves : hz))
    return {};
  // A segment's middle of power is the mean of the course over its window: for exponentials a little high.
  const double bent =
      out.exponential ? std::pow(line.slope * std::numbers::ln2 * window_std_s(length, rate_hz), 2) / 2 : 0;
  // Beyond the middles of the first and last segments where they reach the record's ends.
  const double half = static_cast<double>(length) / 2 / rate_hz;
  out.from_s = first == places.begin() ? 0 : first->time_s - half / 2;
  out.to_s = last == places.rbegin() ? duration_s : last->time_s + half / 2;
  const auto at = [&](double s) {
    return out.exponential ? std::exp2(line.value(s)) * (1 - bent) : line.value(s);
  };
  const auto std_at = [&](double s, bool end) {
    const double slope =
        out.exponential ? std::abs(line.slope) * std::numbers::ln2 * at(s) : std::abs(line.slope);
    const double known = out.exponential ? line.std_at(s) * std::numbers::ln2 * at(s) : line.std_at(s);
    // What neighbouring segments err by is alike: it is no scatter that many of them average away.
    const double alike = 0.3 * (out.exponential ? line.scatter * std::numbers::ln2 * at(s) : line.scatter);
    return std::hypot(std::hypot(known, alike), 0.1 / duration_s, end ? 0 : slope * half / std::sqrt(3.0));
  };
  out.from_hz = std::clamp(at(out.from_s), 0.0, rate_hz / 2),
  out.to_hz = std::clamp(at(out.to_s), 0.0, rate_hz / 2);
  out.from_std_hz = std_at(out.from_s, first == places.begin());
  out.to_std_hz = std_at(out.to_s, last == places.rbegin());
  const double finest =
      0.25 / duration_s / duration_s / (out.exponential ? std::numbers::ln2 * middle_hz : 1);
  out.rate = line.slope, out.rate_std = std::hypot(1.5 * line.slope_std, finest);
  out.level_rms = all > 0 ? std::sqrt(inside / all) : 0;  // Share; the caller knows the record.
  const double course = std::abs(out.to_hz - out.from_hz);
  if (course < 12 / duration_s || course < 8 * scatter) return {};
  return out;
}

}  // namespace

std::optional<Sweep> find_sweep(std::span<const double> x, double rate_hz) {
  constexpr std::size_t least_samples = 512, least_length = 32;
  if (x.size() < least_samples) return {};
  const double duration_s = static_cast<double>(x.size()) / rate_hz;
  std::optional<Sweep> best;
  double least = 0;
  for (const std::size_t parts : {8u, 12u, 24u, 48u, 96u, 192u}) {
    const std::size_t length = x.size() / parts / 2 * 2;
    if (length < least_length) break;
    double scatter = 0;
    auto found = sweep_through(places_of(x, rate_hz, length), rate_hz, length, duration_s, scatter);
    if (found && (!best || scatter < least)) best = found, least = scatter;
  }
  if (!best) return {};
  double mean = 0, square = 0;
  for (const double v : x) mean += v / static_cast<double>(x.size());
  for (const double v : x) square += (v - mean) * (v - mean) / static_cast<double>(x.size());
  best->level_rms *= std::sqrt(square);
  return best;
}

}  // namespace vprism
