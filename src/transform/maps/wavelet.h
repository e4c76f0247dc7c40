// wavelet.h: analytic wavelets, told by their transform over u = f / (frequency of the peak).
//
//   morse(g, b)   2 u^b exp((b/g) (1 - u^g))         Olhede & Walden 2002; Lilly & Olhede 2009
//   morlet(w0)    2 exp(-w0^2 (u - 1)^2 / 2), u > 0   Goupillaud, Grossmann & Morlet 1984
//   paul(m)       2 u^m exp(m (1 - u))                Torrence & Compo 1998; the Morse wavelet of g = 1, b =
//   m
//
// The peak is 2, so that the transform of A cos(2 pi f t) has the magnitude A at f.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace vprism {

enum class WaveletKind { morse, morlet, paul };

struct Wavelet {
  WaveletKind kind = WaveletKind::morse;
  double first = 3;    ///< g, w0, m.
  double second = 20;  ///< b.
  /// "morse(3,20)"
  std::string name() const;
  /// Transform at u.
  double at(double u) const;
};

struct WaveletEntry {
  WaveletKind kind;
  const char* name;
  std::size_t parameters;
  double first, second;  ///< Their defaults.
  const char* what;
};
const std::vector<WaveletEntry>& wavelet_table();
/// "morse", "morse(3,20)", "morlet(6)", "paul(4)". Throws Error(usage) with the nearest name.
Wavelet parse_wavelet(std::string_view text);

/// Figures of a wavelet, computed from its transform. Times are in periods of the peak.
struct WaveletFigures {
  double low = 0, high = 0;  ///< u beyond which the transform is below 1e-8 of its peak.
  double width = 0;          ///< Of the transform at half its height, in u.
  double spread = 0;         ///< Standard deviation of the energy over u.
  double duration = 0;       ///< Width of the envelope at half its height.
  double time_spread = 0;    ///< Standard deviation of the energy over time.
  double edge = 0;      ///< No more than 1% of the integral of |psi| lies farther out, half on each side.
  double reach = 0;     ///< The same with 2e-7.
  double integral = 0;  ///< Of transform(u) / u over u: what the inverse divides by.
};
WaveletFigures wavelet_figures(const Wavelet& wavelet);

}  // namespace vprism
