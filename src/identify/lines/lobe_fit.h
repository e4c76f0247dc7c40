// lobe_fit.h: least-squares fits of window lobes to the bins of a spectrum.
#pragma once

#include <complex>
#include <cstddef>
#include <vector>

#include "identify/noise/bin_noise.h"
#include "transform/spectra/spectrum.h"

namespace vprism {

/// One line: its place in bins and its half amplitude at the segment's centre, g = (A / 2) exp(i (p + pi f)).
struct Line {
  double bins = 0;
  std::complex<double> half;  ///< Complex fit; of the first segment after a power fit.
  double square = 0;          ///< |g|^2, averaged over segments.
  double bins_std = 0;
  double square_rel_std = 0;  ///< Relative standard uncertainty of `square`.
  /// What the fit leaves of the bins around over what the noise would, mean squares; where that is more than
  /// chance, the uncertainties above hold it.
  double misfit = 1;
};

/// Refines lines jointly. Works on one spectrum; the window's transform is prepared once.
class LobeFit {
 public:
  explicit LobeFit(const Spectrum& spectrum);
  double half_width_bins() const { return half_width_; }
  /// Power that a line of square 1 at distance d leaks into a bin; the greatest within half a bin around.
  double leakage(double d) const;
  /// Whether lines are fitted to the bins of one segment, phases and all; otherwise to averaged powers.
  bool complex_fit() const { return spectrum_.plan.averages == 1 && transform_.symmetric(); }
  double lobe(double d) const { return transform_(d); }
  /// First estimate of a line alone around a bin of `power` (of the spectrum, or of a remainder).
  Line start(std::size_t bin, const std::vector<double>& power) const;
  /// What DC and the lines leave of Spectrum::power; after a power fit never below zero.
  std::vector<double> remainder(const std::vector<Line>& lines) const;
  /// Y[0] as far as it is DC: after a complex fit what the lines leave of it, else the mean of the samples.
  double direct(const std::vector<Line>& lines) const;
  /// Refines all lines in place; `floor` is the noise power per bin as in Spectrum::power.
  void refine(std::vector<Line>& lines, const std::vector<double>& floor) const;

  /// Lines whose lobes touch, in order of frequency; `lines` must be.
  using Cluster = std::vector<std::size_t>;
  std::vector<Cluster> clusters_of(const std::vector<Line>& lines) const;

 private:
  std::vector<std::size_t> bins_around(const std::vector<Line>& lines, const Cluster& cluster) const;
  void refine_complex(std::vector<Line>& lines, const Cluster& cluster, double floor) const;
  void refine_power(std::vector<Line>& lines, const Cluster& cluster, double floor) const;
  void fit_first_segment(std::vector<Line>& lines) const;
  /// Y[k] = X[k] exp(i pi k): the transform about the segment's centre.
  std::complex<double> centred(std::size_t bin) const;
  /// What the mirror image at -f of a line at f adds at bin k; nothing where there are no mirror images.
  double image(double k, double f) const { return mirrored_ ? transform_(k + f) : 0; }
  double lowest_bins() const { return mirrored_ ? 0.05 : -0.5; }
  /// |Y[k]|^2 averaged, one-sided doubling taken off.
  double square(std::size_t bin) const { return spectrum_.power[bin] / spectrum_.crest(bin); }
  void prepare_leakage();

  const Spectrum& spectrum_;
  bool mirrored_;
  WindowTransform transform_;
  double half_width_;
  BinNoise noise_;
  std::vector<double> near_leakage_;  ///< By quarter bins.
  std::vector<double> far_leakage_;   ///< By octaves beyond.
};

}  // namespace vprism
