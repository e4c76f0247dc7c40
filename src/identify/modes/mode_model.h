// mode_model.h: curves as sums over poles and what lies outside the band, linear parts solved for
// (mode_fit.h).
#pragma once

#include <complex>
#include <vector>

#include "base/linear/linear.h"
#include "identify/modes/mode_fit.h"

namespace vprism {

constexpr int outside_terms = 5;  ///< Powers of i w for what lies outside the band.

/// Two rows for each bin of a curve that counts.
struct CurveRows {
  std::vector<std::size_t> bins;
  Vector weight;  ///< One over the standard error, for both rows of a bin.
  Vector data;
};

/// The model of mode_fit.cpp over the bins `low` .. `high` - 1; `data` must outlive it.
class ModeModel {
 public:
  ModeModel(const ModeData& data, std::size_t low, std::size_t high);

  struct State {
    std::vector<Vector> linear;  ///< Of each curve: Re A, Im A of each mode, then what lies outside.
    double squares = 0;
    std::size_t rows = 0;
    Matrix normal;
    Vector gradient;
  };

  Matrix basis(const CurveRows& rows, const std::vector<std::complex<double>>& poles) const;

  /// Linear parts, what is left and, where asked for, the normal equations of the poles.
  State at(const std::vector<std::complex<double>>& poles, bool slopes) const;

  /// Standard errors of a curve's residues, the poles held.
  Vector linear_std(std::size_t o, const std::vector<std::complex<double>>& poles) const;

  std::vector<std::complex<double>> curve(const std::vector<std::complex<double>>& poles,
                                          const Vector& x) const;

  const std::vector<CurveRows>& rows() const { return curves_; }

 private:
  const ModeData& data_;
  std::vector<CurveRows> curves_;
  double centre_ = 1;
};

}  // namespace vprism
