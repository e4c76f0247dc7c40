// record_band.h: one band of a whole record's bins, fitted with poles and what else there is
// (record_modes.h).
#pragma once

#include <complex>
#include <vector>

#include "base/linear/linear.h"
#include "identify/modes/record_spectra.h"

namespace vprism {

/// The bins of one stretch, and the channels that are fitted there.
class RecordBand {
 public:
  RecordBand(const RecordSpectra& record, std::vector<std::size_t> channels, std::size_t from, std::size_t to,
             std::vector<std::complex<double>> others, Eigen::Index terms);

  Eigen::Index rows() const { return static_cast<Eigen::Index>(bins_.size()); }
  Eigen::Index unknowns(std::size_t poles) const;
  void set_terms(Eigen::Index terms) { terms_ = terms; }
  /// What the likelihood must rise by for `more` unknowns of each of `sets` transfers in each channel: twice
  /// its logarithm, by BIC.
  double price(double more, double sets) const;
  double price_of_terms(double more) const;
  bool enough(std::size_t poles) const { return rows() > 2 * unknowns(poles + 1); }
  std::size_t channels() const { return channels_.size(); }

  struct State {
    double squares = 0;      ///< In standard errors, of all channels.
    double log_squares = 0;  ///< Sum of rows times the logarithm of each channel's squares.
    double all = 0;          ///< Squares of the data, as `squares`.
    ComplexMatrix normal;
    ComplexVector gradient;
    std::vector<ComplexVector> left;
  };

  State at(const std::vector<std::complex<double>>& poles, bool slopes) const;

  /// Poles to where the squares are least, in at most so many steps.
  State settle(std::vector<std::complex<double>>& poles, int steps = 30) const;

  /// Rows in standard errors of what a fit leaves, smoothed over the frequencies.
  void weigh(const State& state, std::size_t poles);

  /// How many neighbouring bins stand for one in what a fit leaves.
  double alike(const State& state) const;

 private:
  std::complex<double> s_of(Eigen::Index n) const;
  /// What a transfer is driven by: reference r, or, behind the last, what stands alone.
  std::complex<double> drive(Eigen::Index r, Eigen::Index n) const;
  /// Column of the first free pole under reference r.
  Eigen::Index first_of(Eigen::Index r, std::size_t poles) const;
  ComplexMatrix basis(const std::vector<std::complex<double>>& poles) const;

  const RecordSpectra* record_;
  std::vector<std::size_t> channels_, bins_;
  std::vector<std::complex<double>> others_;
  Eigen::Index terms_;
  double middle_ = 0, half_ = 1;
  std::vector<ComplexVector> data_;
  std::vector<Vector> weight_;
};

}  // namespace vprism
