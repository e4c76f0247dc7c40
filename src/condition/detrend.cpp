// detrend.cpp: removes the least-squares constant or line of the whole record, found in a pass of its own.
//
// With u = n - (N-1)/2 the sums of 1, u, u^2, x and u x over the samples that are there give mean and slope
// by the normal equations; without gaps sum(u) is 0 and sum(u^2) is N (N^2 - 1) / 12. Sums are taken per
// block about the block's own centre and joined in order.
#include <algorithm>
#include <cmath>
#include <utility>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"

namespace vprism {

namespace {

class Detrend : public Stage {
 public:
  explicit Detrend(int degree) : degree_(degree) {}
  bool surveys() const override { return true; }

  void start(Recording& passing) override {
    count_ = static_cast<double>(passing.samples);
    interval_s_ = passing.axis.interval;
    channels_ = passing.channels;
    const std::size_t columns = channels_.size() * (passing.complex ? 2 : 1);
    if (sums_.size() != columns) sums_.assign(columns, {});
  }

  void survey(const Block& block) override {
    for (std::size_t c = 0; c < block.columns(); ++c) {
      const auto x = block.samples(c);
      const double centre = (static_cast<double>(x.size()) - 1) / 2;
      Sums b;
      if (!block.gaps()) {
        for (std::size_t n = 0; n < x.size(); ++n) {
          b.x += x[n];
          b.ux += (static_cast<double>(n) - centre) * x[n];
        }
        b.n = static_cast<double>(x.size());
        b.uu = b.n * (b.n * b.n - 1) / 12;
      } else {
        for (std::size_t n = 0; n < x.size(); ++n) {
          if (std::isnan(x[n])) continue;
          const double u = static_cast<double>(n) - centre;
          b.n += 1, b.u += u, b.uu += u * u, b.x += x[n], b.ux += u * x[n];
        }
      }
      const double shift = static_cast<double>(block.first()) + centre - (count_ - 1) / 2;
      Sums& all = sums_[c];
      all.n += b.n;
      all.u += b.u + shift * b.n;
      all.uu += b.uu + 2 * shift * b.u + shift * shift * b.n;
      all.x += b.x;
      all.ux += b.ux + shift * b.x;
    }
  }

  void push(Block& block, const Sink& next) override {
    for (std::size_t c = 0; c < block.columns(); ++c) {
      const auto [level, slope] = line_of(c);
      const auto x = block.samples(c);
      const double start = static_cast<double>(block.first()) - (count_ - 1) / 2;
      for (std::size_t n = 0; n < x.size(); ++n) x[n] -= level + slope * (start + static_cast<double>(n));
    }
    next(block);
  }

  StageReport report() const override {
    StageReport report{"detrend", {{"trend", degree_ == 0 ? "constant" : "linear"}}, {}};
    for (std::size_t c = 0; c < channels_.size(); ++c) {
      const std::string& unit = channels_[c].unit.text();
      std::string did = "mean " + format_quantity(sums_[c].x / std::max(sums_[c].n, 1.0), unit);
      if (degree_ == 1)
        did += ", slope " + format_number(line_of(c).second / interval_s_) + " " + unit + "/s";
      report.effects.emplace_back(channels_[c].name, did + " removed");
    }
    return report;
  }

 private:
  struct Sums {
    double n = 0, u = 0, uu = 0, x = 0, ux = 0;
  };
  /// Level at the middle of the record, and slope per sample.
  std::pair<double, double> line_of(std::size_t c) const {
    const Sums& s = sums_[c];
    if (s.n == 0) return {0, 0};
    const double determinant = s.n * s.uu - s.u * s.u;
    if (degree_ == 0 || s.n < 2 || !(determinant > 0)) return {s.x / s.n, 0};
    return {(s.uu * s.x - s.u * s.ux) / determinant, (s.n * s.ux - s.u * s.x) / determinant};
  }

  int degree_;
  double count_ = 0, interval_s_ = 1;
  std::vector<Channel> channels_;
  std::vector<Sums> sums_;
};

}  // namespace

std::unique_ptr<Stage> make_detrend_stage(int degree) { return std::make_unique<Detrend>(degree); }

}  // namespace vprism
