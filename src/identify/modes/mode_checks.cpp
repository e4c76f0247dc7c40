// mode_checks.cpp: see mode_checks.h.
#include "identify/modes/mode_checks.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/fft.h"
#include "base/linear/linear.h"
#include "base/percentile.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
using std::numbers::pi;

std::size_t top_of(const CurveStretch& s) {
  std::size_t top = 0;
  for (std::size_t k = 1; k < s.ratio.size(); ++k)
    if (std::norm(s.ratio[k]) > std::norm(s.ratio[top])) top = k;
  return top;
}

/// Where the square passes `level` between bins k and k + 1, the reciprocal running straight: exact for a
/// parabola in 1 / |H|^2, which a lone resonance is near its top.
double crossing(const CurveStretch& s, std::size_t k, double level) {
  const double a = 1 / std::norm(s.ratio[k]), b = 1 / std::norm(s.ratio[k + 1]), at = 1 / level;
  return s.frequency_hz[k] + (s.frequency_hz[k + 1] - s.frequency_hz[k]) * (at - a) / (b - a);
}

struct CurveTop {
  double hz, square;
};
/// Parabola through 1 / |H|^2 around the highest bin.
std::optional<CurveTop> summit(const CurveStretch& s) {
  const std::size_t top = top_of(s);
  if (top == 0 || top + 1 >= s.ratio.size()) return std::nullopt;
  const double a = 1 / std::norm(s.ratio[top - 1]), b = 1 / std::norm(s.ratio[top]),
               c = 1 / std::norm(s.ratio[top + 1]);
  const double bend = a - 2 * b + c;
  const double shift = bend > 0 ? 0.5 * (a - c) / bend : 0;
  const double step = s.frequency_hz[top + 1] - s.frequency_hz[top];
  return CurveTop{s.frequency_hz[top] + shift * step, 1 / std::max(b - 0.25 * (a - c) * shift, 1e-300)};
}

/// Circle through points by algebraic least squares, moments about their mean (Kasa 1976).
bool circle_through(const std::vector<Complex>& points, Complex& centre, double& radius) {
  Complex mean = 0;
  for (const Complex& p : points) mean += p / static_cast<double>(points.size());
  Eigen::Matrix3d m = Eigen::Matrix3d::Zero();
  Eigen::Vector3d v = Eigen::Vector3d::Zero();
  for (const Complex& q : points) {
    const Complex p = q - mean;
    const Eigen::Vector3d row(p.real(), p.imag(), 1);
    m += row * row.transpose();
    v += row * std::norm(p);
  }
  const Vector x = PivotedQr(m).solve(v);
  centre = Complex(x(0), x(1)) / 2.0;
  const double square = x(2) + std::norm(centre);
  centre += mean;
  radius = std::sqrt(std::max(0.0, square));
  return square > 0 && std::isfinite(square);
}

std::optional<CircleReading> circle_of(const CurveStretch& s, const ModeReading& about, int order) {
  std::vector<double> f;
  std::vector<Complex> y;
  // The half turn on either side of the top, and some more: 1.5 half-power widths each way, five bins at
  // least.
  const double bin = s.frequency_hz.size() > 1 ? s.frequency_hz[1] - s.frequency_hz[0] : 0;
  const double reach = std::max(1.5 * about.damping * about.frequency_hz, 2.5 * bin);
  for (std::size_t k = 0; k < s.frequency_hz.size(); ++k) {
    if (std::abs(s.frequency_hz[k] - about.frequency_hz) > reach || s.frequency_hz[k] <= 0) continue;
    f.push_back(s.frequency_hz[k]);
    y.push_back(s.ratio[k] * std::pow(Complex(0, 2 * pi * s.frequency_hz[k]), 1 - order));
  }
  if (f.size() < 5) return std::nullopt;
  CircleReading out;
  if (!circle_through(y, out.centre, out.radius)) return std::nullopt;
  std::vector<double> angle;
  double squares = 0;
  for (std::size_t i = 0; i < y.size(); ++i) {
    const Complex from = y[i] - out.centre;
    squares += std::pow(std::abs(from) - out.radius, 2);
    angle.push_back(std::arg(from) +
                    (i == 0 ? 0 : 2 * pi * std::round((angle.back() - std::arg(from)) / (2 * pi))));
  }
  out.out_of_round = std::sqrt(squares / static_cast<double>(y.size())) / out.radius;
  // The half angle from the resonance has the tangent (f0^2 - f^2) / (2 d f0 f), whatever the circle's turn
  // and offset: a straight line of tan((angle - angle_0) / 2) over f0 / f - f / f0. The angle at the
  // resonance is that for which the line is straightest; found by bisecting on the fastest turn.
  double f0 = about.frequency_hz;
  std::size_t fastest = 1;
  for (std::size_t i = 1; i < angle.size(); ++i)
    if (std::abs(angle[i] - angle[i - 1]) > std::abs(angle[fastest] - angle[fastest - 1])) fastest = i;
  // Turn per hertz at the middles of the steps; the top of a parabola through the fastest three.
  if (fastest >= 2 && fastest + 1 < angle.size()) {
    const double a = std::abs(angle[fastest - 1] - angle[fastest - 2]),
                 b = std::abs(angle[fastest] - angle[fastest - 1]),
                 c = std::abs(angle[fastest + 1] - angle[fastest]);
    const double u = 1 / a - 2 / b + 1 / c;  // 1 / turn is a parabola in f near the top
    const double shift = u > 0 ? std::clamp(0.5 * (1 / a - 1 / c) / u, -1.0, 1.0) : 0;
    f0 = (f[fastest] + f[fastest - 1]) / 2 + shift * bin;
  }
  // The angle there, straight between the points beside it in tangent of half the turn.
  const auto above = std::upper_bound(f.begin(), f.end(), f0) - f.begin();
  if (above == 0 || above == static_cast<std::ptrdiff_t>(f.size())) return std::nullopt;
  const auto i = static_cast<std::size_t>(above);
  const double part = (f0 - f[i - 1]) / (f[i] - f[i - 1]);
  double middle = angle[i - 1] + part * (angle[i] - angle[i - 1]);
  const double sense = angle.back() < angle.front() ? 1 : -1;
  std::vector<double> dampings;
  const auto gather = [&] {
    dampings.clear();
    for (std::size_t a = 0; a < f.size(); ++a)
      for (std::size_t b = 0; b < f.size(); ++b) {
        if (f[a] <= f0 || f[b] >= f0) continue;
        const double ta = sense * (middle - angle[a]) / 2, tb = sense * (angle[b] - middle) / 2;
        if (ta < 0.15 || tb < 0.15 || ta > 1.3 || tb > 1.3) continue;
        dampings.push_back(((f[a] * f[a] - f0 * f0) / f[a] + (f0 * f0 - f[b] * f[b]) / f[b]) /
                           (2 * f0 * (std::tan(ta) + std::tan(tb))));
      }
  };
  gather();
  if (dampings.empty()) return std::nullopt;
  // Least squares over all points: angle = middle + 2 atan((f0 / f - f / f0) / (2 d)).
  double damping = percentile_of(dampings, 0.5);
  if (!(damping > 0)) return std::nullopt;
  for (int pass = 0; pass < 20; ++pass) {
    Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
    Eigen::Vector3d gradient = Eigen::Vector3d::Zero();
    for (std::size_t k = 0; k < f.size(); ++k) {
      const double u = (f0 / f[k] - f[k] / f0) / (2 * damping), slope = 2 * sense / (1 + u * u);
      const Eigen::Vector3d row(1, slope * (1 / f[k] + f[k] / (f0 * f0)) / (2 * damping), -slope * u);
      normal += row * row.transpose();
      gradient += row * (angle[k] - middle - 2 * sense * std::atan(u));
    }
    const Vector step = PivotedQr(normal).solve(gradient);
    middle += step(0);
    f0 += std::clamp(step(1), -reach / 2, reach / 2);
    damping *= std::exp(std::clamp(step(2), -0.7, 0.7));
    if (!(f0 > f.front() && f0 < f.back()) || !std::isfinite(damping)) return std::nullopt;
    if (std::abs(step(2)) < 1e-12) break;
  }
  gather();
  double spread = 0;
  for (const double d : dampings)
    spread += (d - damping) * (d - damping) / static_cast<double>(dampings.size());
  out.mode = {f0, damping};
  out.damping_spread = std::sqrt(spread);
  return out;
}

}  // namespace

std::optional<ModeReading> read_peak(const CurveStretch& s) {
  const auto top = summit(s);
  if (!top) return std::nullopt;
  return ModeReading{top->hz, 0};
}

std::optional<ModeReading> read_half_power(const CurveStretch& s) {
  const auto top = summit(s);
  if (!top) return std::nullopt;
  const double half = top->square / 2;
  std::size_t left = top_of(s), right = left;
  while (left > 0 && std::norm(s.ratio[left]) > half) --left;
  while (right + 1 < s.ratio.size() && std::norm(s.ratio[right]) > half) ++right;
  if (std::norm(s.ratio[left]) > half || std::norm(s.ratio[right]) > half) return std::nullopt;
  const double low = crossing(s, left, half), high = crossing(s, right - 1, half);
  return ModeReading{top->hz, (high * high - low * low) / (4 * top->hz * top->hz)};
}

std::optional<CircleReading> read_circle(const CurveStretch& s, const ModeReading& about, int order) {
  if (order >= 0) return circle_of(s, about, order);
  std::optional<CircleReading> best;
  for (const int one : {0, 1, 2}) {
    auto circle = circle_of(s, about, one);
    if (circle && (!best || circle->out_of_round < best->out_of_round)) best = std::move(circle);
  }
  return best;
}

std::optional<DecayReading> read_decay(const std::vector<double>& response, double rate_hz,
                                       const ModeReading& about, double room_hz, double added_decay_per_s) {
  const std::size_t size = response.size();
  if (size < 32 || !(about.frequency_hz > 0) || about.frequency_hz >= rate_hz / 2) return std::nullopt;
  // Wide enough to keep the decay, narrow enough to keep the next mode out: exp(-(room / 2 s)^2) there is
  // 1e-3 of the amplitude at 5.3 s.
  const double width = about.damping * about.frequency_hz;  // half of the half-power width
  const double sigma = std::min(room_hz / 3.7, std::max(12 * width, 6 * rate_hz / static_cast<double>(size)));
  if (!(sigma > 2.5 * width)) return std::nullopt;
  FftArray<double> in(size);
  FftArray<Complex> half(size / 2 + 1), whole(size), out(size);
  std::copy(response.begin(), response.end(), in.data());
  RealFft(size).run(in, half);
  const double bin = rate_hz / static_cast<double>(size);
  std::fill(whole.data(), whole.data() + size, Complex{});
  for (std::size_t k = 1; 2 * k < size; ++k) {
    const double u = (static_cast<double>(k) * bin - about.frequency_hz) / sigma;
    whole.data()[k] = half.data()[k] * 2.0 * std::exp(-u * u / 2) / static_cast<double>(size);
  }
  ComplexFft(size).back(whole, out);
  std::vector<double> envelope(size);
  for (std::size_t n = 0; n < size; ++n) envelope[n] = std::abs(out.data()[n]);
  // The filter spreads the start over 1 / (2 pi sigma); after four of that the decay is bare.
  const auto first = static_cast<std::size_t>(4 * rate_hz / (2 * pi * sigma)) + 1;
  if (first + 16 >= size / 2) return std::nullopt;
  // Down to five times what the last part shows, or to where the level has fallen by 60 dB.
  std::vector<double> tail(envelope.begin() + static_cast<std::ptrdiff_t>(size - size / 5),
                           envelope.begin() + static_cast<std::ptrdiff_t>(size - size / 20));
  const double least = std::max(5 * median_in(tail), 1e-3 * envelope[first]);
  std::size_t last = first;
  while (last < size - size / 5 && envelope[last] > least) ++last;
  const double periods = static_cast<double>(last - first) / rate_hz * about.frequency_hz;
  if (periods < 4 || last - first < 16) return std::nullopt;
  DecayReading reading;
  reading.from_s = static_cast<double>(first) / rate_hz, reading.to_s = static_cast<double>(last) / rate_hz;
  // Straight lines through logarithm and phase.
  double s = 0, st = 0, stt = 0, sl = 0, stl = 0, sp = 0, stp = 0, phase = std::arg(out.data()[first]);
  for (std::size_t n = first; n < last; ++n) {
    const double t = static_cast<double>(n) / rate_hz;
    phase += std::remainder(std::arg(out.data()[n]) - phase, 2 * pi);
    const double w = envelope[n] * envelope[n], l = std::log(envelope[n]);
    s += w, st += w * t, stt += w * t * t, sl += w * l, stl += w * t * l, sp += w * phase,
        stp += w * t * phase;
  }
  const double det = s * stt - st * st;
  const double rate = -(s * stl - st * sl) / det - added_decay_per_s, turn = (s * stp - st * sp) / det;
  const auto reading_of = [](double decay, double turning) {
    const double w = std::hypot(decay, turning);
    return ModeReading{w / (2 * pi), decay / w};
  };
  reading.envelope = reading_of(rate, turn);
  // Crests of the filtered wave by parabolas.
  struct Crest {
    double at, height;
  };
  std::vector<Crest> crests;
  for (std::size_t n = std::max<std::size_t>(first, 1); n + 1 < last; ++n) {
    const double a = out.data()[n - 1].real(), b = out.data()[n].real(), c = out.data()[n + 1].real();
    if (!(b > a && b >= c) || b <= 0) continue;
    const double bend = a - 2 * b + c, shift = bend < 0 ? 0.5 * (a - c) / bend : 0;
    crests.push_back({(static_cast<double>(n) + shift) / rate_hz, b - 0.25 * (a - c) * shift});
  }
  if (crests.size() >= 3) {
    const auto n = static_cast<double>(crests.size() - 1);
    const double time = crests.back().at - crests.front().at;
    const double decay = std::log(crests.front().height / crests.back().height) / time - added_decay_per_s;
    reading.decrement = reading_of(decay, 2 * pi * n / time);
  }
  const std::size_t until = std::min(size - size / 5, last + (last - first) / 2),
                    step = std::max<std::size_t>(1, until / 400);
  for (std::size_t n = 0; n < until; n += step)
    reading.time_s.push_back(static_cast<double>(n) / rate_hz), reading.level.push_back(envelope[n]);
  return reading;
}

}  // namespace vprism
