// detrend.cpp: removes the least-squares constant or line of the whole record, found in a pass of its own.
//
// With u = n - (N-1)/2 the regressors 1 and u are orthogonal: mean = sum(x)/N, slope = sum(u x)/sum(u^2),
// sum(u^2) = N (N^2 - 1) / 12. Sums are taken per block about the block's own centre and joined in order.
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
    interval_s_ = passing.axis.interval_s;
    channels_ = passing.channels;
    if (sums_.size() != channels_.size()) sums_.assign(channels_.size(), {});
  }

  void survey(const Block& block) override {
    for (std::size_t c = 0; c < block.channels(); ++c) {
      double sum = 0, moment = 0;
      const auto x = block.samples(c);
      const double centre = (static_cast<double>(x.size()) - 1) / 2;
      for (std::size_t n = 0; n < x.size(); ++n) {
        sum += x[n];
        moment += (static_cast<double>(n) - centre) * x[n];
      }
      sums_[c].sum += sum;
      sums_[c].moment += moment + (static_cast<double>(block.first()) + centre - (count_ - 1) / 2) * sum;
    }
  }

  void push(Block& block, const Sink& next) override {
    for (std::size_t c = 0; c < block.channels(); ++c) {
      const double mean = sums_[c].sum / count_;
      const double slope = slope_of(c);
      const auto x = block.samples(c);
      const double start = static_cast<double>(block.first()) - (count_ - 1) / 2;
      for (std::size_t n = 0; n < x.size(); ++n) x[n] -= mean + slope * (start + static_cast<double>(n));
    }
    next(block);
  }

  StageReport report() const override {
    StageReport report{"detrend", {{"trend", degree_ == 0 ? "constant" : "linear"}}, {}};
    for (std::size_t c = 0; c < channels_.size(); ++c) {
      const std::string& unit = channels_[c].unit.text();
      std::string did = "mean " + format_quantity(sums_[c].sum / count_, unit);
      if (degree_ == 1) did += ", slope " + format_number(slope_of(c) / interval_s_) + " " + unit + "/s";
      report.effects.emplace_back(channels_[c].name, did + " removed");
    }
    return report;
  }

 private:
  struct Sums {
    double sum = 0, moment = 0;
  };
  double slope_of(std::size_t c) const {
    return degree_ == 0 || count_ < 2 ? 0 : sums_[c].moment / (count_ * (count_ * count_ - 1) / 12);
  }

  int degree_;
  double count_ = 0, interval_s_ = 1;
  std::vector<Channel> channels_;
  std::vector<Sums> sums_;
};

}  // namespace

std::unique_ptr<Stage> make_detrend_stage(int degree) { return std::make_unique<Detrend>(degree); }

}  // namespace vprism
