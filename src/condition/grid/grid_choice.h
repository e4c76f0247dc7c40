// grid_choice.h: from the times and values of uneven samples, the even grid and the interpolation that suit
// them.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "base/interpolation.h"
#include "signal/block.h"

namespace vprism {

/// Pushed every block of a record once.
class GridChoice {
 public:
  void add(const Block& block);

  /// Rate of the grid: that of the usual step, where the others are multiples of it (samples left out); the
  /// mean where steps are much alike; where a solver chose them one that keeps nine in ten apart, though no
  /// more than four times as many samples. At least 2.56 times `band_hz`, as far as 64 times as many samples
  /// bear it.
  double rate_hz(double mean_hz, double band_hz = 0);
  /// In words, after `rate_hz`.
  const std::string& reason() const { return reason_; }
  /// The usual step of a grid of which places are empty; 0 for others.
  double usual_step_s() const { return usual_grid_; }
  /// Whether steps shorter than a quarter of the grid's hold detail that single points of it would miss.
  bool finer_than(double rate_hz) const;
  /// Points of the polynomial that foretells samples best: 2, 4, 6 or 8.
  int points() const;
  /// How much better the samples are foretold when they are taken as even: above 2 the stamps are suspect.
  /// Nothing where that is not known.
  std::optional<double> better_as_even() const;
  /// The rate of samples that are even, by a straight line through all their stamps.
  double even_rate_hz() const;

 private:
  struct Steps {
    double n = 0, at = 0, place = 0, sum_p = 0, sum_t = 0, sum_pp = 0, sum_pt = 0;
    std::size_t off = 0, absent = 0;
    void add(double step, double usual);
  };
  std::optional<double> usual_rate();
  void take_step(double step);
  void leave_out();

  std::vector<double> first_steps_, some_steps_;  ///< The latter every `each_`-th of all.
  std::size_t each_ = 1, steps_ = 0;
  double usual_ = 0, usual_grid_ = 0;
  Steps on_grid_;
  std::string reason_;
  std::vector<double> t_;
  std::vector<std::vector<double>> x_;
  double first_t_ = 0, sum_n_ = 0, sum_t_ = 0, sum_nn_ = 0, sum_nt_ = 0, stamps_ = 0;
  std::size_t looked_ = 5;
  std::int64_t done_ = 0;
  /// Sums over samples that all ways foretell, by way; the last as if samples were even.
  struct Sums {
    std::array<double, 5> square{};
    double weight = 0;
  };
  std::vector<Sums> sums_;
};

}  // namespace vprism
