// filter_design.cpp: see filter_design.h.
//
// Prototypes, with poles p_k and H(0) = 1 (Chebyshev of even order: the ripple below 1):
//   Butterworth  p_k = exp(i pi (2 k + n + 1) / (2 n))
//   Chebyshev I  p_k = -sinh(m) sin(t_k) + i cosh(m) cos(t_k), t_k = pi (2 k + 1) / (2 n), m = asinh(1/e) /
//   n,
//                e^2 = 10^(ripple/10) - 1, then scaled to -3 dB at 1
//   Bessel       roots of the reverse Bessel polynomial sum (2n-j)! / (2^(n-j) j! (n-j)!) s^j, scaled
//   likewise
// With s = (1 - z^-1) / (1 + z^-1), a digital frequency of f cycles per sample lies at w = tan(pi f). Band
// edges w1, w2 turn the prototype's s into s / w2, w1 / s, (s^2 + w1 w2) / (s (w2 - w1)) or its inverse.
#include "condition/filters/filter_design.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;
using std::numbers::pi;

/// Roots of a polynomial with real coefficients, lowest first, by simultaneous Newton steps (Aberth 1973).
std::vector<Complex> roots(const std::vector<double>& coefficients) {
  const std::size_t n = coefficients.size() - 1;
  const double radius = std::pow(std::abs(coefficients[0] / coefficients[n]), 1.0 / static_cast<double>(n));
  std::vector<Complex> z(n);
  for (std::size_t k = 0; k < n; ++k)
    z[k] = std::polar(radius, 2 * pi * static_cast<double>(k) / static_cast<double>(n) + 0.4);
  for (int step = 0; step < 200; ++step) {
    double moved = 0;
    for (std::size_t k = 0; k < n; ++k) {
      Complex value = coefficients[n], slope = 0;
      for (std::size_t i = n; i-- > 0;) slope = slope * z[k] + value, value = value * z[k] + coefficients[i];
      Complex others = 0;
      for (std::size_t j = 0; j < n; ++j)
        if (j != k) others += 1.0 / (z[k] - z[j]);
      const Complex newton = value / slope, change = newton / (1.0 - newton * others);
      z[k] -= change;
      moved = std::max(moved, std::abs(change) / std::abs(z[k]));
    }
    if (moved < 1e-15) break;
  }
  return z;
}

Complex prototype(const std::vector<Complex>& poles, double top, Complex s) {
  Complex h = top;
  for (const Complex& p : poles) h *= -p / (s - p);
  return h;
}

/// The prototype's gain at 0.
double gain_at_zero(FilterKind kind, int order, double ripple_db) {
  return kind == FilterKind::chebyshev && order % 2 == 0 ? std::pow(10.0, -ripple_db / 20) : 1;
}

/// A pole or pair of poles with its two zeros, in the z plane.
struct Pair {
  Complex one, other;
  bool single = false;
};

/// Poles of real filters in conjugate pairs, and the real ones two by two.
std::vector<Pair> paired(const std::vector<Complex>& poles) {
  std::vector<Pair> out;
  std::vector<double> real;
  for (const Complex& p : poles) {
    if (std::abs(p.imag()) <= 1e-13 * std::abs(p))
      real.push_back(p.real());
    else if (p.imag() > 0)
      out.push_back({p, std::conj(p)});
  }
  std::sort(real.begin(), real.end());
  for (std::size_t i = 0; i + 1 < real.size(); i += 2) out.push_back({real[i], real[i + 1]});
  if (real.size() % 2 == 1) out.push_back({real.back(), 0, true});
  return out;
}

Complex gain_of(const Section& s, Complex z1) {
  return (s.b0 + (s.b1 + s.b2 * z1) * z1) / (1.0 + (s.a1 + s.a2 * z1) * z1);
}

}  // namespace

Complex response(const std::vector<Section>& sections, double cycles) {
  const Complex z1 = std::polar(1.0, -2 * pi * cycles);
  Complex h = 1;
  for (const Section& s : sections) h *= gain_of(s, z1);
  return h;
}

double largest_pole(const std::vector<Section>& sections) {
  double most = 0;
  for (const Section& s : sections) {
    const double square = s.a1 * s.a1 / 4 - s.a2;
    most = std::max(most, square < 0 ? std::sqrt(s.a2) : std::abs(s.a1) / 2 + std::sqrt(square));
  }
  return most;
}

std::vector<Complex> prototype_poles(FilterKind kind, int order, double ripple_db) {
  const auto n = static_cast<double>(order);
  std::vector<Complex> poles;
  double scale = 1;
  if (kind == FilterKind::bessel) {
    std::vector<double> c(static_cast<std::size_t>(order) + 1);
    for (int j = 0; j <= order; ++j)
      c[static_cast<std::size_t>(j)] = std::exp(std::lgamma(2 * n - j + 1) - (n - j) * std::log(2.0) -
                                                std::lgamma(j + 1.0) - std::lgamma(n - j + 1));
    poles = roots(c);
    // Where the gain is 1/sqrt 2, by bisection: it falls steadily.
    double low = 0, high = 100;
    for (int step = 0; step < 200; ++step) {
      const double middle = (low + high) / 2;
      (std::norm(prototype(poles, 1, {0, middle})) > 0.5 ? low : high) = middle;
    }
    scale = 1 / low;
  } else {
    const bool round = kind == FilterKind::butterworth;
    const double e = std::sqrt(std::pow(10.0, ripple_db / 10) - 1), m = std::asinh(1 / e) / n;
    for (int k = 0; k < order; ++k) {
      const double t = pi * (2 * k + 1) / (2 * n);
      poles.emplace_back(-(round ? 1 : std::sinh(m)) * std::sin(t), (round ? 1 : std::cosh(m)) * std::cos(t));
    }
    if (!round) scale = 1 / std::cosh(std::acosh(1 / e) / n);
  }
  for (Complex& p : poles) {
    p *= scale;
    if (std::abs(p.imag()) < 1e-12 * std::abs(p)) p = p.real();
  }
  return poles;
}

namespace {

/// A design's gain, given the poles of its prototype.
Complex ideal_gain(const FilterDesign& design, const std::vector<Complex>& poles, double cycles) {
  const auto& [kind, band, order, low, high, ripple_db] = design;
  const double w = std::tan(pi * cycles), w1 = std::tan(pi * low), w2 = std::tan(pi * high);
  const double far = 1e300;
  double to = 0;
  switch (band) {
    case FilterBand::lowpass:
      to = w / w2;
      break;
    case FilterBand::highpass:
      to = w == 0 ? -far : -w1 / w;
      break;
    case FilterBand::bandpass:
      to = w == 0 ? -far : (w * w - w1 * w2) / (w * (w2 - w1));
      break;
    case FilterBand::bandstop:
      to = w * w == w1 * w2 ? far : w * (w2 - w1) / (w1 * w2 - w * w);
      break;
  }
  return std::abs(to) > 1e100 ? 0 : prototype(poles, gain_at_zero(kind, order, ripple_db), {0, to});
}

}  // namespace

Complex FilterDesign::ideal(double cycles) const {
  return ideal_gain(*this, prototype_poles(kind, order, ripple_db), cycles);
}

std::vector<Section> FilterDesign::sections() const {
  const double w1 = std::tan(pi * low), w2 = std::tan(pi * high);
  const bool two_edges = band == FilterBand::bandpass || band == FilterBand::bandstop;
  std::vector<Complex> poles;  // In the analogue plane.
  const std::vector<Complex> lowpass_poles = prototype_poles(kind, order, ripple_db);
  for (const Complex& p : lowpass_poles) {
    if (!two_edges) {
      poles.push_back(band == FilterBand::lowpass ? p * w2 : w1 / p);
      continue;
    }
    // s^2 - b s + w1 w2 = 0.
    const Complex b = band == FilterBand::bandpass ? p * (w2 - w1) : (w2 - w1) / p;
    const Complex root = std::sqrt(b * b / 4.0 - w1 * w2);
    const Complex one = b / 2.0 + root, other = b / 2.0 - root;
    poles.push_back(one), poles.push_back(other);
  }
  for (Complex& p : poles) {
    p = (1.0 + p) / (1.0 - p);
    if (std::abs(p.imag()) < 1e-13) p = p.real();
  }
  // Where the prototype's 0 lies, every section gets the gain 1.
  const double centre = std::atan(std::sqrt(w1 * w2)) / pi;
  const double at = band == FilterBand::highpass ? 0.5 : band == FilterBand::bandpass ? centre : 0;
  const Complex z1 = std::polar(1.0, -2 * pi * at);

  std::vector<Section> out;
  for (const Pair& p : paired(poles)) {
    Section s;
    s.a1 = -(p.one + p.other).real();
    s.a2 = (p.one * p.other).real();
    switch (band) {
      case FilterBand::lowpass:
        s.b1 = p.single ? 1 : 2, s.b2 = p.single ? 0 : 1;
        break;
      case FilterBand::highpass:
        s.b1 = p.single ? -1 : -2, s.b2 = p.single ? 0 : 1;
        break;
      case FilterBand::bandpass:
        s.b1 = 0, s.b2 = -1;
        break;
      case FilterBand::bandstop:
        s.b1 = -2 * std::cos(2 * pi * centre), s.b2 = 1;
        break;
    }
    const double gain = std::abs(gain_of(s, z1));
    s.b0 /= gain, s.b1 /= gain, s.b2 /= gain;
    out.push_back(s);
  }
  // Those that ring least come first, so that no later one is overdriven.
  std::sort(out.begin(), out.end(), [](const Section& a, const Section& b) { return a.a2 < b.a2; });
  const double top = gain_at_zero(kind, order, ripple_db);
  out.front().b0 *= top, out.front().b1 *= top, out.front().b2 *= top;

  // What the rounded coefficients give, against what they should.
  double worst = 0;
  for (const double edge : {low, high})
    if (edge > 0)
      for (int k = -24; k <= 24; ++k) {
        const double f = edge * std::pow(2.0, k / 4.0);
        if (f < 0.4999)
          worst = std::max(
              worst, std::abs(std::abs(response(out, f)) - std::abs(ideal_gain(*this, lowpass_poles, f))));
      }
  if (!(worst < 1e-6) || !(largest_pole(out) < 1)) {
    const double edge = low > 0 ? low : high;
    throw Error(
        Status::analysis,
        "a filter of order " + std::to_string(order) + " at " + format_number(edge, 3) +
            " of the sampling rate is numerically unsound: in double precision its gain would be off by " +
            format_number(worst, 2) + "; " +
            (edge < 0.25 ? "decimate first, or take a lower order" : "take a lower order"));
  }
  return out;
}

Section notch_section(double centre, double width) {
  const double t = std::tan(pi * width), k = (1 - t) / (1 + t), c = std::cos(2 * pi * centre),
               g = (1 + k) / 2;
  return {g, -2 * g * c, g, -2 * g * c, k};
}

}  // namespace vprism
