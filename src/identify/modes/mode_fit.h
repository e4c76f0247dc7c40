// mode_fit.h: resonances from frequency responses: one rational function with common poles for all curves.
#pragma once

#include <complex>
#include <cstddef>
#include <string>
#include <vector>

namespace vprism {

/// What is fitted: curves over one grid of frequencies. Bins whose weight is 0 are left out.
struct ModeData {
  std::vector<double> frequency_hz;                       ///< Ascending.
  std::vector<std::vector<std::complex<double>>> curves;  ///< [curve][bin]
  /// Standard error of real and imaginary part, each: [curve][bin]. All the same: not known, and judged by
  /// what the fit leaves.
  std::vector<std::vector<double>> error;
  double shared = 1;  ///< Neighbouring bins that tell the same, see ResponseSet.
};

struct ModeSearch {
  std::size_t most_order = 40;  ///< Highest order of the polynomials that the chart tries.
  double most_damping = 0.35;
  double same_frequency = 0.01;  ///< Two orders agree on a pole within these: relative...
  double same_damping = 0.05;
};

/// One resonance: the pole pair s = 2 pi f (-d +- i sqrt(1 - d^2)).
struct Mode {
  double frequency_hz = 0, frequency_std_hz = 0;  ///< |s| / 2 pi: without damping.
  double damping = 0, damping_std = 0;            ///< Ratio to critical.
  /// Residue A in A / (i w - s) + conj, of each curve, in the curve's unit times radians per second.
  std::vector<std::complex<double>> residue;
  std::vector<double> residue_std;  ///< Of real and imaginary part.
  std::size_t orders = 0;           ///< Of those tried that found it.
  double q() const { return 1 / (2 * damping); }
  std::complex<double> pole() const;
};

/// A pole of one polynomial order, as the stabilisation chart shows it.
struct ChartPole {
  std::size_t order = 0;
  double frequency_hz = 0, damping = 0;
  enum class Kind { fresh, frequency, stable } kind = Kind::fresh;  ///< What agrees with the order before.
};

struct ModeFit {
  std::vector<Mode> modes;  ///< By frequency.
  std::vector<ChartPole> chart;
  /// Fitted curves at the data's frequencies, and the share of each curve's power that they leave.
  std::vector<std::vector<std::complex<double>>> fitted;
  std::vector<double> unexplained;
  /// Root of what is left over per degree of freedom, in stated errors; 1 when the errors are right.
  double misfit = 0;
};

/// Fits `data` between `low_hz` and `high_hz`. Poles from a stabilisation chart of least-squares complex
/// frequency fits (Guillaume et al. 1998; van der Auweraer et al. 2001), residues by linear least squares
/// with what lies outside the band as powers of i w, then poles and all together by Gauss-Newton on the pole
/// and residue form. Uncertainties from the fit's information, never below what the misfit asks for. Exact
/// where the curves are rational functions without noise.
ModeFit fit_modes(const ModeData& data, double low_hz, double high_hz, const ModeSearch& search = {});

/// The same without a search: from poles near the truth, such as peaks.
ModeFit refine_modes(const ModeData& data, double low_hz, double high_hz,
                     const std::vector<std::complex<double>>& poles);

/// Bins `low` .. `high` - 1 with neighbours taken together, each by its own error, so that at most about
/// `bins` are left: what is wide stands further out of the noise.
ModeData averaged(const ModeData& data, std::size_t low, std::size_t high, std::size_t bins);

/// Residues and fitted curves for poles that are known and stay as they are.
ModeFit modes_at(const ModeData& data, double low_hz, double high_hz,
                 const std::vector<std::complex<double>>& poles);

/// How near to one line in the complex plane the residues of a mode lie, 0 to 1: 1 for a standing shape
/// (modal phase collinearity, Pappa, Elliott & Schenk 1993).
double phase_collinearity(const std::vector<std::complex<double>>& shape);

/// Modal assurance criterion of two shapes, 0 to 1: |a^H b|^2 / (a^H a b^H b).
double assurance(const std::vector<std::complex<double>>& a, const std::vector<std::complex<double>>& b);

}  // namespace vprism
