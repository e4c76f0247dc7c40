// filter_design.h: recursive filters as second-order sections, from analogue prototypes by the bilinear
// transform.
#pragma once

#include <complex>
#include <optional>
#include <string>
#include <vector>

namespace vprism {

/// (b0 + b1 z^-1 + b2 z^-2) / (1 + a1 z^-1 + a2 z^-2)
struct Section {
  double b0 = 1, b1 = 0, b2 = 0, a1 = 0, a2 = 0;
};

/// Gain at `cycles` per sample, 0 to 0.5.
std::complex<double> response(const std::vector<Section>& sections, double cycles);
/// Distance of the farthest pole from 0; below 1 when stable.
double largest_pole(const std::vector<Section>& sections);

enum class FilterKind { butterworth, chebyshev, bessel };
enum class FilterBand { lowpass, highpass, bandpass, bandstop };

/// Edges in cycles per sample. At an edge the gain is 3.0103 dB (1/sqrt 2) below the greatest.
struct FilterDesign {
  FilterKind kind = FilterKind::butterworth;
  FilterBand band = FilterBand::lowpass;
  int order = 4;             ///< Of the prototype: band filters have twice as many poles.
  double low = 0, high = 0;  ///< lowpass: `high` alone, highpass: `low` alone.
  double ripple_db = 0.5;    ///< Of the Chebyshev pass band.

  /// What the sections must give, from the analogue prototype with the frequency axis bent by the bilinear
  /// transform.
  std::complex<double> ideal(double cycles) const;
  /// Throws Error(analysis) when double precision would not give the response to 1e-6, with the reason.
  std::vector<Section> sections() const;
};

/// A notch at `centre`, `width` wide at -3.0103 dB, in cycles per sample; gain 1 at 0 and 0.5 (Regalia, Mitra
/// & Vaidyanathan, Proc. IEEE 76 (1988) 19-37).
Section notch_section(double centre, double width);

/// Poles of the low-pass prototype whose gain at 1 rad/s is 1/sqrt 2, all in the left half plane.
std::vector<std::complex<double>> prototype_poles(FilterKind kind, int order, double ripple_db);

}  // namespace vprism
