// line_stretches.cpp: see line_stretches.h.
#include "identify/courses/line_stretches.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/turned_sine.h"

namespace vprism {

namespace {

/// What of a stretch a sine explains; nothing of one that is too short for it.
void take_sine_off(std::span<double> x, double rate_hz, double hz) {
  constexpr std::size_t block = TurnedSine::block;
  const TurnedSine sine(LineWindows::tau * hz / rate_hz);
  std::array<double, block> c, s;
  double cc = 0, ss = 0, cs = 0, xc = 0, xs = 0;
  for (std::size_t at = 0; at < x.size(); at += block) {
    const std::size_t count = std::min(block, x.size() - at);
    sine.fill(static_cast<double>(at), count, c.data(), s.data());
    for (std::size_t n = 0; n < count; ++n) {
      cc += c[n] * c[n], ss += s[n] * s[n], cs += c[n] * s[n];
      xc += x[at + n] * c[n], xs += x[at + n] * s[n];
    }
  }
  const double det = cc * ss - cs * cs;
  if (!(det > 1e-6 * cc * ss)) return;
  const double a = (xc * ss - xs * cs) / det, b = (xs * cc - xc * cs) / det;
  for (std::size_t at = 0; at < x.size(); at += block)
    sine.add(static_cast<double>(at), -a, -b, std::min(block, x.size() - at), &x[at]);
}

}  // namespace

bool share_frequency(const LineWindows& windows, std::span<const LineWindows::Look> looks,
                     std::vector<LineStretch>& stretches, std::size_t state, double& hz, double& hz_std) {
  double sxx = 0, sxy = 0, syy = 0, freedom = -1;
  for (LineStretch& stretch : stretches) {
    if (stretch.state != state) continue;
    std::vector<double> at, phase;
    std::size_t last = 0;
    for (std::size_t w = 0; w < looks.size(); ++w) {
      if (windows.first(w) < stretch.from || windows.end(w) > stretch.to || looks[w].state != state) continue;
      const double turned = at.empty()
                                ? 0
                                : phase.back() + std::remainder(looks[w].phase - looks[last].phase -
                                                                    LineWindows::tau * hz * windows.hop_s() *
                                                                        static_cast<double>(w - last),
                                                                LineWindows::tau);
      at.push_back(windows.middle_s(w)), phase.push_back(turned);
      last = w;
    }
    if (at.size() < 2) continue;
    double t = 0, p = 0;
    for (std::size_t k = 0; k < at.size(); ++k) t += at[k], p += phase[k];
    t /= static_cast<double>(at.size()), p /= static_cast<double>(at.size());
    double xy = 0;
    for (std::size_t k = 0; k < at.size(); ++k) {
      stretch.sxx += (at[k] - t) * (at[k] - t);
      xy += (at[k] - t) * (phase[k] - p), syy += (phase[k] - p) * (phase[k] - p);
    }
    stretch.slope = xy / stretch.sxx;
    sxx += stretch.sxx, sxy += xy, freedom += static_cast<double>(at.size()) - 1;
  }
  if (!(sxx > 0)) return false;
  const double slope = sxy / sxx;
  // Windows that overlap by half say half of what their neighbour says.
  const double variance = 2 * std::max(1e-12, (syy - slope * sxy) / std::max(1.0, freedom));
  double disagree = 0, several = -1;
  for (const LineStretch& s : stretches)
    if (s.state == state && s.sxx > 0)
      disagree += (s.slope - slope) * (s.slope - slope) * s.sxx / variance, several += 1;
  const double scale = several > 0 ? std::max(1.0, disagree / several) : 1;
  for (LineStretch& s : stretches) {
    if (s.state != state) continue;
    // Of a long stretch its own is known as well.
    const bool own = s.sxx > 64 * windows.hop_s() * windows.hop_s();
    s.hz = hz + (own ? s.slope : slope) / LineWindows::tau;
  }
  hz += slope / LineWindows::tau, hz_std = std::sqrt(scale * variance / sxx) / LineWindows::tau;
  return true;
}

void part_by_short_rests(std::span<const double> x, std::span<const double> rest, double rate_hz,
                         double amplitude, double noise_rms, std::size_t off,
                         std::vector<LineStretch>& stretches) {
  constexpr std::size_t least = 6;
  std::vector<LineStretch> out;
  for (const LineStretch& s : stretches) {
    LineStretch left = s;
    // The line itself passes through zero: what stands out may be interrupted for half a period.
    const auto bridge = s.hz > 0 ? static_cast<std::size_t>(std::ceil(rate_hz / s.hz / 2)) : 0;
    for (std::size_t n = s.from; s.hz > 0 && n < s.to; ++n) {
      if (std::abs(rest[n]) <= 5 * noise_rms) continue;
      std::size_t end = n + 1;
      for (std::size_t k = end; k < std::min(s.to, end + bridge); ++k)
        if (std::abs(rest[k]) > 5 * noise_rms) end = k + 1;
      double square = 0;
      for (std::size_t k = n; k < end; ++k) square += x[k] * x[k];
      const auto count = static_cast<double>(end - n);
      if (end - n >= least && n > left.from && end < s.to &&
          square / count < std::max(0.02 * amplitude * amplitude, 4 * noise_rms * noise_rms)) {
        left.to = n;
        out.push_back(left);
        out.push_back({n, end, off, 0, 0, 0});
        left.from = end, left.to = s.to;
      }
      n = end;
    }
    out.push_back(left);
  }
  stretches = std::move(out);
}

void take_stretches_off(std::vector<double>& x, double rate_hz, const std::vector<LineStretch>& stretches,
                        double noise_rms, std::size_t reach) {
  // Where there is no line, its level becomes that of all else.
  double sum = 0, count = 0;
  const auto part_of = [&](const LineStretch& s) { return std::span(x).subspan(s.from, s.to - s.from); };
  for (const LineStretch& s : stretches) {
    if (!(s.hz > 0)) continue;
    take_sine_off(part_of(s), rate_hz, s.hz);
    for (const double v : part_of(s)) sum += v, count += 1;
  }
  for (const LineStretch& s : stretches) {
    if (s.hz > 0) continue;
    double mean = 0;
    for (const double v : part_of(s)) mean += v / static_cast<double>(s.to - s.from);
    for (double& v : part_of(s)) v += sum / std::max(count, 1.0) - mean;
  }
  // A jump is known to a sample or so, and what it passes through may take some.
  const auto stands_out = [&](std::size_t n) { return std::abs(x[n]) > 5 * noise_rms; };
  for (std::size_t i = 1; i < stretches.size(); ++i) {
    const std::size_t change = stretches[i].from;
    std::size_t low = change, high = change;
    while (low > 0 && change - low < reach && stands_out(low - 1)) --low;
    while (high < x.size() && high - change < reach && stands_out(high)) ++high;
    std::fill(x.begin() + static_cast<std::ptrdiff_t>(low), x.begin() + static_cast<std::ptrdiff_t>(high),
              0.0);
  }
}

}  // namespace vprism
