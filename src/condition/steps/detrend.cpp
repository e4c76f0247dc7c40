// detrend.cpp: removes the least-squares polynomial of the whole record, found in a pass of its own.
//
// Over the record, time runs from u = -1 to 1; the trend is sum c_k P_k(u) with Legendre's polynomials,
// nearly orthogonal on an even grid, so that the normal equations G c = b (G_jk = sum P_j P_k, b_k = sum P_k
// x over the samples that are there) are solved without loss up to degree 20. Stamped samples are placed at
// their own times. Sums are taken per tile of samples and joined in order.
#include <algorithm>
#include <cmath>

#include "base/dot.h"
#include "base/error.h"
#include "base/linear/linear.h"
#include "base/text.h"
#include "condition/chain.h"

namespace vprism {

namespace {

constexpr std::size_t tile = 1024;

class Detrend : public Stage {
 public:
  explicit Detrend(StepWords& words) {
    const std::string trend = words.value_of({"constant", "linear", "poly"}, "trend");
    degree_ = trend == "constant" ? 0 : trend == "linear" ? 1 : -1;
    if (degree_ < 0) {
      const long long degree = parse_whole_number(words.value(), 0);
      if (degree > 20)
        throw Error(Status::usage,
                    "a trend of degree " + std::to_string(degree) + " would follow the signal; at most 20");
      degree_ = static_cast<int>(degree);
    }
  }
  bool surveys() const override { return true; }

  void start(Recording& passing) override {
    count_ = static_cast<double>(passing.samples);
    const Axis& axis = passing.axis;
    stamped_ = axis.stamped;
    const double span = stamped_ ? count_ - 1 : count_;
    interval_ = axis.interval > 0 ? axis.interval : 1;
    // u = (t - middle) / half for stamps, (n - middle) / half for numbers.
    middle_ = stamped_ ? axis.start + span * interval_ / 2 : (count_ - 1) / 2;
    half_ = std::max(stamped_ ? span * interval_ / 2 : (count_ - 1) / 2, 1e-300);
    per_ = axis.interval > 0 ? "/" + axis.unit.text() : " per sample";
    channels_ = passing.channels;
    const std::size_t columns = channels_.size() * (passing.complex ? 2 : 1);
    if (sums_.size() != columns) sums_.assign(columns, Sums(degree_));
    basis_.resize(static_cast<std::size_t>(degree_ + 1) * tile);
  }

  void survey(const Block& block) override {
    const auto terms = static_cast<std::size_t>(degree_ + 1);
    std::vector<double> kept(terms * tile), x_kept(tile);
    for (std::size_t at = 0; at < block.size(); at += tile) {
      const std::size_t count = std::min(tile, block.size() - at);
      fill_basis(block, at, count);
      Matrix gram;
      if (!block.gaps()) gram = products(basis_, count);
      for (std::size_t c = 0; c < block.columns(); ++c) {
        const double* x = block.samples(c).data() + at;
        const std::vector<double>* basis = &basis_;
        std::size_t present = count;
        if (block.gaps()) {
          present = 0;
          for (std::size_t n = 0; n < count; ++n) {
            if (std::isnan(x[n])) continue;
            for (std::size_t k = 0; k < terms; ++k) kept[k * tile + present] = basis_[k * tile + n];
            x_kept[present++] = x[n];
          }
          x = x_kept.data();
          basis = &kept;
          gram = products(kept, present);
        }
        Sums& sums = sums_[c];
        sums.gram += gram;
        for (std::size_t k = 0; k < terms; ++k)
          sums.right[static_cast<Eigen::Index>(k)] += dot(basis->data() + k * tile, x, present);
        sums.solved = false;
      }
    }
  }

  void push(Block& block, const Sink& next) override {
    if (doubt_) {
      next(block);
      return;
    }
    for (std::size_t at = 0; at < block.size(); at += tile) {
      const std::size_t count = std::min(tile, block.size() - at);
      fill_basis(block, at, count);
      for (std::size_t c = 0; c < block.columns(); ++c) {
        const Vector& trend = trend_of(c);
        double* const x = block.samples(c).data() + at;
        for (int k = 0; k <= degree_; ++k) {
          const double factor = trend[k];
          const double* const p = basis_.data() + static_cast<std::size_t>(k) * tile;
          for (std::size_t n = 0; n < count; ++n) x[n] -= factor * p[n];
        }
      }
    }
    next(block);
  }

  void doubt(bool on) override { doubt_ = on; }

  StageReport report() const override {
    StageReport report{"detrend",
                       {{"trend", degree_ == 0   ? "constant"
                                  : degree_ == 1 ? "linear"
                                                 : "polynomial of degree " + std::to_string(degree_)}},
                       {}};
    for (std::size_t c = 0; c < channels_.size(); ++c) {
      const std::string& unit = channels_[c].unit.text();
      const Vector& trend = trend_of(c);
      // The mean of P_k over u is 0 but for k = 0.
      std::string did = "mean " + format_quantity(trend[0], unit);
      if (degree_ == 1)
        did += ", slope " + format_number(trend[1] / half_ / (stamped_ ? 1 : interval_)) + " " + unit + per_;
      if (degree_ > 1) {
        double square = 0;
        for (int k = 1; k <= degree_; ++k) square += trend[k] * trend[k] / (2 * k + 1);
        did += ", about which the trend is " + format_quantity(std::sqrt(square), unit) + " RMS,";
      }
      report.effects.emplace_back(channels_[c].name, did + " removed");
    }
    return report;
  }

 private:
  struct Sums {
    explicit Sums(int degree) : gram(Matrix::Zero(degree + 1, degree + 1)), right(Vector::Zero(degree + 1)) {}
    Matrix gram;
    Vector right;
    mutable Vector trend;
    mutable bool solved = false;
  };

  Matrix products(const std::vector<double>& basis, std::size_t count) const {
    Matrix gram(degree_ + 1, degree_ + 1);
    for (int j = 0; j <= degree_; ++j)
      for (int k = 0; k <= j; ++k)
        gram(j, k) = gram(k, j) = dot(basis.data() + static_cast<std::size_t>(j) * tile,
                                      basis.data() + static_cast<std::size_t>(k) * tile, count);
    return gram;
  }

  /// (k + 1) P_k+1 = (2 k + 1) u P_k - k P_k-1
  void fill_basis(const Block& block, std::size_t at, std::size_t count) {
    double* const one = basis_.data();
    std::fill_n(one, count, 1.0);
    if (degree_ == 0) return;
    double* const u = one + tile;
    const double first = static_cast<double>(block.first()) + static_cast<double>(at) - middle_;
    const double scale = 1 / half_;
    if (stamped_ && block.stamped())
      for (std::size_t n = 0; n < count; ++n) u[n] = (block.stamps()[at + n] - middle_) * scale;
    else
      for (std::size_t n = 0; n < count; ++n) u[n] = (first + static_cast<double>(n)) * scale;
    for (int k = 1; k < degree_; ++k) {
      const double* const p = one + static_cast<std::size_t>(k) * tile;
      const double* const before = one + static_cast<std::size_t>(k - 1) * tile;
      double* const next = one + static_cast<std::size_t>(k + 1) * tile;
      const double a = (2.0 * k + 1) / (k + 1), b = static_cast<double>(k) / (k + 1);
      for (std::size_t n = 0; n < count; ++n) next[n] = a * u[n] * p[n] - b * before[n];
    }
  }

  const Vector& trend_of(std::size_t c) const {
    const Sums& sums = sums_[c];
    if (sums.solved) return sums.trend;
    sums.solved = true;
    sums.trend = Vector::Zero(degree_ + 1);
    // With fewer samples than terms, as many terms as there are samples.
    const auto present = static_cast<Eigen::Index>(sums.gram(0, 0));
    const Eigen::Index terms = std::min<Eigen::Index>(degree_ + 1, present);
    if (terms > 0)
      sums.trend.head(terms) =
          solve_symmetric(Matrix(sums.gram.topLeftCorner(terms, terms)), Vector(sums.right.head(terms)));
    return sums.trend;
  }

  int degree_ = 0;
  double count_ = 0, interval_ = 1, middle_ = 0, half_ = 1;
  bool stamped_ = false, doubt_ = false;
  std::string per_;
  std::vector<Channel> channels_;
  std::vector<Sums> sums_;
  std::vector<double> basis_;
};

}  // namespace

std::unique_ptr<Stage> make_detrend_stage(StepWords& words) { return std::make_unique<Detrend>(words); }

}  // namespace vprism
