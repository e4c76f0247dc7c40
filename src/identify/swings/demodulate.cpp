// demodulate.cpp: see modulation.h. Amplitude, frequency and phase of what was shifted down to 0 Hz.
#include <cmath>
#include <numbers>
#include <optional>

#include "base/percentile.h"
#include "identify/swings/modulation.h"

namespace vprism {

namespace {

using std::numbers::pi;

/// The steady turn of a carrier whose amplitude changes sign, in radians per sample, and its phase at the
/// first; nothing where there is a carrier, or none.
struct SignedCarrier {
  double turn = 0, phase = 0;
};
std::optional<SignedCarrier> signed_carrier(std::span<const double> re, std::span<const double> im) {
  const std::size_t count = re.size();
  if (count < 64) return {};
  std::vector<std::complex<double>> squares;
  double power = 0;
  for (std::size_t n = 0; n < count; ++n) {
    const std::complex<double> z(re[n], im[n]);
    squares.push_back(z * z), power += std::norm(z);
  }
  // Products over growing distances, each turned back by what is known: squares of the amplitude have no
  // sign.
  double turn = 0;
  for (std::size_t lag = 1; lag <= count / 2; lag *= 2) {
    std::complex<double> sum = 0;
    for (std::size_t n = 0; n + lag < count; ++n) sum += squares[n + lag] * std::conj(squares[n]);
    turn += std::arg(sum * std::polar(1.0, -turn * static_cast<double>(lag))) / static_cast<double>(lag);
  }
  std::complex<double> doubled = 0, plain = 0;
  for (std::size_t n = 0; n < count; ++n) {
    const double at = static_cast<double>(n);
    doubled += squares[n] * std::polar(1.0, -turn * at);
    plain += std::complex<double>(re[n], im[n]) * std::polar(1.0, -turn * at / 2);
  }
  const double n = static_cast<double>(count);
  if (std::abs(doubled) < 0.9 * power || std::norm(plain / n) > 0.05 * power / n) return {};
  return SignedCarrier{turn / 2, std::arg(doubled) / 2};
}

}  // namespace

Demodulated demodulate(std::span<const double> re, std::span<const double> im, double rate_hz,
                       double shift_hz, double scale) {
  Demodulated out;
  out.rate_hz = rate_hz, out.shift_hz = shift_hz;
  const std::size_t count = re.size();
  std::vector<double> turns(count, 0.0);
  if (const auto carrier = signed_carrier(re, im)) {
    out.suppressed = true;
    double square = 0, off = 0;
    std::vector<std::complex<double>> still;
    for (std::size_t n = 0; n < count; ++n) {
      still.push_back(std::complex<double>(re[n], im[n]) *
                      std::polar(1.0, -carrier->turn * static_cast<double>(n) - carrier->phase));
      out.amplitude.push_back(scale * still[n].real());
      square += std::norm(still[n]) / static_cast<double>(count);
    }
    const double steady = shift_hz + rate_hz * carrier->turn / (2 * pi);
    std::vector<double> away;
    for (const auto& z : still) {
      if (z.real() * z.real() > 0.05 * square) off = std::atan(z.imag() / z.real());
      away.push_back(off);
    }
    for (std::size_t n = 0; n < count; ++n) {
      const std::size_t before = n > 0 ? n - 1 : 0, after = std::min(n + 1, count - 1);
      out.frequency.push_back(steady +
                              rate_hz * (away[after] - away[before]) /
                                  (2 * pi * static_cast<double>(std::max<std::size_t>(1, after - before))));
      out.phase.push_back(carrier->turn * static_cast<double>(n) + carrier->phase + away[n]);
    }
    return out;
  }
  double phase = count > 0 ? std::atan2(im[0], re[0]) : 0;
  for (std::size_t n = 0; n < count; ++n) {
    out.amplitude.push_back(scale * std::hypot(re[n], im[n]));
    if (n > 0) {
      const std::complex<double> step =
          std::complex<double>(re[n], im[n]) * std::complex<double>(re[n - 1], -im[n - 1]);
      turns[n] = std::arg(step) / (2 * pi);
      phase += 2 * pi * turns[n];
    }
    out.phase.push_back(phase);
  }
  for (std::size_t n = 0; n < count; ++n) {
    const double before = n > 0 ? turns[n] : (count > 1 ? turns[1] : 0),
                 after = n + 1 < count ? turns[n + 1] : before;
    out.frequency.push_back(shift_hz + rate_hz * (before + after) / 2);
  }
  return out;
}

void trim(Demodulated& series, std::size_t count) {
  if (series.amplitude.size() < 2 * count + 1) return;
  for (std::vector<double>* column : {&series.amplitude, &series.frequency, &series.phase}) {
    column->resize(column->size() - count);
    column->erase(column->begin(), column->begin() + static_cast<std::ptrdiff_t>(count));
  }
  series.start_s += static_cast<double>(count) / series.rate_hz;
}

std::size_t ringing_at_ends(const Demodulated& series) {
  const std::vector<double>& f = series.frequency;
  const std::size_t most = f.size() / 16;
  if (most < 2) return 0;
  const auto bend = [&](std::size_t n) { return std::abs(f[n - 1] - 2 * f[n] + f[n + 1]); };
  std::vector<double> usual;
  for (std::size_t n = most; n + most < f.size(); ++n) usual.push_back(bend(n));
  const double least = 8 * median_in(usual);
  std::size_t rings = 0;
  for (std::size_t n = 1; n <= most; ++n)
    if (bend(n) > least || bend(f.size() - 1 - n) > least) rings = n + 1;
  return rings;
}

}  // namespace vprism
