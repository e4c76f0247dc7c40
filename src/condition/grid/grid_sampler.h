// grid_sampler.h: samples at any times in, samples of an even grid out, with what the interpolation errs by.
#pragma once

#include <cmath>
#include <cstdint>
#include <memory>
#include <vector>

#include "base/interpolation.h"
#include "condition/column.h"

namespace vprism {

/// A pause longer than so many usual steps is missing, not interpolated.
inline constexpr double longest_grid_bridge = 8;

struct GridPlan {
  double first_s = 0, rate_hz = 1;
  std::int64_t count = 0;
  int points = 4;      ///< Of the polynomials.
  bool finer = false;  ///< Steps are far shorter than the grid's: means of eighths, filtered and decimated.
  double usual_step_s = 0;  ///< Where there is one, pauses of more than eight are missing.
  std::size_t columns = 0;
};

class GridSampler {
 public:
  /// Sums of one column.
  struct Tally {
    double by_order = 0, left_out = 0, square = 0, sum = 0, outputs = 0, predicted = 0;
    double floor(int points) const {
      const double order = outputs > 0 ? std::sqrt(by_order / outputs) : 0;
      const double out = predicted > 0 ? std::sqrt(left_out / predicted) / std::exp2(points) : 0;
      return std::max(order, out);
    }
    double alternating() const {
      return outputs > 0 ? std::sqrt(std::max(0.0, square / outputs - sum / outputs * (sum / outputs))) : 0;
    }
  };

  /// To be called before a pass; what the last one counted stays until the first block of the next.
  void start(const GridPlan& plan);
  /// The estimate of the error instead of the samples.
  void doubt(bool on) { doubt_ = on; }
  void add(const Block& block, Outlet& outlet);
  void finish(Outlet& outlet);

  const std::vector<Tally>& tallies() const { return tallies_; }
  std::int64_t dropped() const { return dropped_; }  ///< Not later than the one before.
  std::int64_t by_line() const { return by_line_; }  ///< Values at jumps.
  std::int64_t missing() const { return bridged_; }  ///< In pauses.

 private:
  struct Valued {
    double value = 0, error = 0;
  };
  void run(bool ended, Outlet& outlet);
  void hand_on(bool ended, Outlet& outlet);
  void set(std::size_t left);
  Valued valued(std::size_t c, std::size_t left, double t);
  void interpolate(double t, Outlet& outlet);
  void average(double from, double to, Outlet& outlet);
  bool bridges(std::size_t left, double t, Outlet& outlet);
  void put(std::size_t c, Valued v, Outlet& outlet);
  void leave_out(std::size_t i);
  std::vector<double>& out(std::size_t c, Outlet& outlet) {
    return plan_.finer ? fine_[c] : outlet.column(c);
  }

  static constexpr std::size_t no_step = static_cast<std::size_t>(-1);
  GridPlan plan_;
  bool doubt_ = false, begun_ = false;
  LocalPolynomial this_{4}, more_{6};
  std::size_t left_ = 0, set_for_ = no_step;
  std::int64_t fine_count_ = 0, next_ = 0, dropped_ = 0, by_line_ = 0, bridged_ = 0;
  std::vector<double> t_;
  std::vector<std::vector<double>> x_, fine_;
  std::vector<Valued> means_;
  std::vector<std::unique_ptr<ColumnWorker>> workers_;
  std::vector<Tally> tallies_;
};

}  // namespace vprism
