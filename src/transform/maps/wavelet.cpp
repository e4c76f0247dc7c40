// wavelet.cpp: see wavelet.h.
#include "transform/maps/wavelet.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/fft.h"
#include "base/text.h"
#include "base/units/quantity.h"

namespace vprism {

const std::vector<WaveletEntry>& wavelet_table() {
  static const std::vector<WaveletEntry> table = {
      {WaveletKind::morse, "morse", 2, 3, 20,
       "generalised Morse: the first number sets the shape (3: most even), the second how many periods it "
       "lasts"},
      {WaveletKind::morlet, "morlet", 1, 6, 0, "a Gauss bell; the number is its pitch in radians, 5 to 60"},
      {WaveletKind::paul, "paul", 1, 4, 0, "short and steep: best in time, coarse in frequency"}};
  return table;
}

std::string Wavelet::name() const {
  for (const WaveletEntry& entry : wavelet_table())
    if (entry.kind == kind)
      return entry.parameters == 2
                 ? fmt::format("{}({},{})", entry.name, format_number(first), format_number(second))
                 : fmt::format("{}({})", entry.name, format_number(first));
  return "";
}

double Wavelet::at(double u) const {
  if (!(u > 0)) return 0;
  if (kind == WaveletKind::morlet) return 2 * std::exp(-first * first * (u - 1) * (u - 1) / 2);
  const double g = kind == WaveletKind::paul ? 1 : first, b = kind == WaveletKind::paul ? first : second;
  return 2 * std::exp(b * std::log(u) + b / g * (1 - std::pow(u, g)));
}

Wavelet parse_wavelet(std::string_view text) {
  const std::size_t open = text.find('(');
  const WaveletEntry& entry = entry_named("wavelet", trimmed(text.substr(0, open)), wavelet_table());
  Wavelet wavelet{entry.kind, entry.first, entry.second};
  if (open != std::string_view::npos) {
    if (text.back() != ')')
      throw Error(Status::usage, "\"" + clean_text(text) + "\" lacks its closing bracket");
    const auto numbers = split(text.substr(open + 1, text.size() - open - 2), ',');
    if (numbers.size() > entry.parameters)
      throw Error(Status::usage, std::string(entry.name) + " takes " + std::to_string(entry.parameters) +
                                     (entry.parameters == 1 ? " number" : " numbers"));
    wavelet.first = parse_any_quantity(numbers[0]).value;
    if (numbers.size() > 1) wavelet.second = parse_any_quantity(numbers[1]).value;
  }
  const auto within = [&](const char* what, double value, double least, double most) {
    if (!(value >= least && value <= most))
      throw Error(Status::usage,
                  fmt::format("{}: {} must lie in {:g}..{:g}", wavelet.name(), what, least, most));
  };
  if (wavelet.kind == WaveletKind::morse)
    within("the first number", wavelet.first, 0.5, 12), within("the second number", wavelet.second, 1, 2000);
  else if (wavelet.kind == WaveletKind::morlet)
    within("its number", wavelet.first, 5, 60);
  else
    within("its number", wavelet.first, 1, 200);
  return wavelet;
}

WaveletFigures wavelet_figures(const Wavelet& wavelet) {
  WaveletFigures out;
  const auto edge_of = [&](double level, bool upward) {
    double inner = 1, outer = upward ? 2 : 0;
    if (upward)
      while (wavelet.at(outer) > 2 * level) inner = outer, outer *= 2;
    for (int i = 0; i < 60; ++i) {
      const double middle = (inner + outer) / 2;
      (wavelet.at(middle) > 2 * level ? inner : outer) = middle;
    }
    return (inner + outer) / 2;
  };
  out.low = edge_of(1e-8, false), out.high = edge_of(1e-8, true);
  out.width = edge_of(0.5, true) - edge_of(0.5, false);
  // By the trapezoidal rule, in steps far finer than the shape.
  constexpr int steps = 20000;
  double energy = 0, first = 0, second = 0;
  const double du = (out.high - out.low) / steps;
  for (int i = 0; i <= steps; ++i) {
    const double u = out.low + i * du, p = wavelet.at(u);
    energy += p * p, first += u * p * p, second += u * u * p * p;
    if (u > 0) out.integral += p / u * du;
  }
  out.spread = std::sqrt(std::max(0.0, second / energy - first / energy * first / energy));
  // In time, by a transform of samples 1 / (16 high) periods apart over enough periods.
  const double span = std::max(64.0, 256 / out.width);
  std::size_t points = 1;
  while (static_cast<double>(points) < 16 * out.high * span) points *= 2;
  FftArray<std::complex<double>> in(points), wave(points);
  for (std::size_t k = 0; k < points; ++k)
    in.data()[k] = 2 * k < points ? wavelet.at(static_cast<double>(k) / span) : 0;
  ComplexFft(points).back(in, wave);
  const double dt = span / static_cast<double>(points);
  std::vector<double> envelope;
  for (std::size_t n = 0; n < points / 2; ++n) envelope.push_back(std::abs(wave.data()[n]));
  double all = 0, squares = 0, spread = 0;
  for (std::size_t n = 0; n < envelope.size(); ++n) {
    const double t = static_cast<double>(n) * dt;
    const double share = n == 0 ? 0.5 : 1;  // One side's half of the middle.
    all += share * envelope[n], squares += share * envelope[n] * envelope[n],
        spread += t * t * envelope[n] * envelope[n];
    if (n > 0 && out.duration == 0 && envelope[n] < envelope[0] / 2)
      out.duration = 2 * (t - dt * (envelope[0] / 2 - envelope[n]) / (envelope[n - 1] - envelope[n]));
  }
  out.time_spread = std::sqrt(spread / squares);
  // Share of the whole integral, both sides, that lies beyond a place on one side.
  double beyond = 0;
  for (std::size_t n = envelope.size(); n-- > 0;) {
    beyond += envelope[n] / (2 * all);
    const double t = static_cast<double>(n) * dt;
    if (out.reach == 0 && beyond > 1e-7) out.reach = t;
    if (out.edge == 0 && beyond > 0.005) out.edge = t;
  }
  return out;
}

}  // namespace vprism
