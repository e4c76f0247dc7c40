// signature.h: two spectra of like things compared as a whole: where one has more, where they are alike.
#pragma once

#include <algorithm>
#include <cmath>
#include <optional>
#include <span>
#include <vector>

#include "transform/spectra/spectrum.h"

namespace vprism {

/// Mean square between two frequencies, parts of bins at the edges in proportion; and the standard deviation
/// that noise gives it, relative. Lines are known far better.
struct BandPower {
  double power = 0, rel_std = 0;
};
BandPower band_power(const Spectrum& spectrum, std::span<const double> floor, double low_hz, double high_hz);

/// One of the bands that both are divided into: twelfths of an octave, eight bins at least.
struct SignatureBand {
  double low_hz = 0, high_hz = 0;
  double a_power = 0, b_power = 0;  ///< Mean square.
  double delta_db = 0, delta_std_db = 0;
  /// By 3 dB or more, and by more than noise makes of it.
  bool differs() const { return std::abs(delta_db) >= std::max(3.0, 4 * delta_std_db); }
  bool alike() const { return std::abs(delta_db) <= std::max(1.0, 4 * delta_std_db); }
};

/// A run of bands that differ in one direction, or do not differ.
struct SignatureRun {
  double low_hz = 0, high_hz = 0;
  double delta_db =
      0;  ///< B over A of its whole power; of what is alike, the mean of its bands' differences, weighted.
};

/// What a spectrum is like, without its mean.
struct SpectralFigures {
  double centre_hz = 0;    ///< Centre of gravity: sum of f P over sum of P.
  double spread_hz = 0;    ///< Root of the mean square about it.
  double tonal_share = 0;  ///< What lines hold of the mean square, 0 to 1.
};

struct Signature {
  std::vector<SignatureBand> bands;
  std::vector<SignatureRun> more, less;  ///< B has more, less: what weighs most first.
  std::optional<double> throughout_db;   ///< B over A where all bands have the same: another gain.
  std::optional<SignatureRun> alike;     ///< The widest run, in octaves, of those that are.
  SpectralFigures a, b;
};

/// A spectrum, the noise in each of its bins, and its lines.
struct SignatureSide {
  const Spectrum& spectrum;
  std::span<const double> floor;
  std::vector<double> lines_hz, lines_rms;
};

/// Over what both cover. Bands differ where noise of both together makes less than a quarter of the
/// difference, and it is 3 dB or more; they are alike within 1 dB, or what noise makes at four times its
/// standard deviation if that is more. `ratio`: lines of B lie at so many times their frequency in A.
Signature compare_signatures(const SignatureSide& a, const SignatureSide& b, double ratio = 1);

}  // namespace vprism
