// running.cpp: the steps mean and rms: running values over the samples within half the span on either side,
// fewer at the record's ends, or those of the whole record.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"

namespace vprism {

namespace {

/// Mean, or root mean square, of the samples within `half` on either side; missing ones are passed over.
class RunningMean : public ColumnWorker {
 public:
  RunningMean(std::int64_t half, bool squares) : half_(half), squares_(squares) {}
  void add(std::span<const double> in, std::vector<double>& out) override {
    for (const double x : in) {
      take(x);
      if (taken_ > half_) hand_on(out);
    }
  }
  void finish(std::vector<double>& out) override {
    while (done_ < taken_) hand_on(out);
  }

 private:
  struct Sum {
    double value = 0;
    std::int64_t count = 0;
    void add(double x) {
      if (!std::isnan(x)) value += x, ++count;
    }
  };

  void take(double x) {
    newer_.push_back(squares_ ? x * x : x);
    sum_of_newer_.add(newer_.back());
    ++taken_;
  }
  /// The oldest sample goes. Nothing is ever taken off a sum: a small one would be lost behind a large one.
  void drop() {
    if (older_.empty()) {
      Sum sum;
      for (; !newer_.empty(); newer_.pop_back()) {
        sum.add(newer_.back());
        older_.push_back(sum);
      }
      sum_of_newer_ = {};
    }
    older_.pop_back();
  }
  /// The value at sample `done_`.
  void hand_on(std::vector<double>& out) {
    for (; first_ < done_ - half_; ++first_) drop();
    const Sum older = older_.empty() ? Sum{} : older_.back();
    const auto count = static_cast<double>(older.count + sum_of_newer_.count);
    const double mean = count > 0 ? (older.value + sum_of_newer_.value) / count : std::nan("");
    out.push_back(squares_ ? std::sqrt(mean) : mean);
    ++done_;
  }

  std::int64_t half_;
  bool squares_;
  std::vector<Sum>
      older_;  ///< Of each of the older samples and all after it up to the newer ones; last: the oldest.
  std::vector<double> newer_;
  Sum sum_of_newer_;
  std::int64_t first_ = 0, taken_ = 0, done_ = 0;
};

class Running : public ColumnStage {
 public:
  Running(std::string name, double span_s) : name_(std::move(name)), span_s_(span_s) {}
  void start(Recording& passing) override {
    require_even_time(passing, name_.c_str());
    if (name_ == "rms") require_real(passing, name_.c_str());
    half_ = std::llround((span_s_ / passing.axis.interval - 1) / 2);
    if (half_ < 1)
      throw Error(Status::analysis, passing.file + ": " + name_ + ": " + format_quantity(span_s_, "s") +
                                        " holds fewer than three samples of " +
                                        format_quantity(passing.axis.interval, "s"));
    interval_ = passing.axis.interval;
    start_columns(passing);
  }
  /// Of the mean; a root mean square has none.
  std::optional<std::complex<double>> response(double hz) const override {
    if (name_ == "rms") return std::nullopt;
    const double angle = std::numbers::pi * hz * interval_, count = static_cast<double>(2 * half_ + 1);
    return std::sin(angle) == 0 ? 1 : std::sin(count * angle) / (count * std::sin(angle));
  }
  StageReport report() const override {
    return {name_,
            {{"over", format_quantity(static_cast<double>(2 * half_ + 1) * interval_, "s", 6)}},
            {{"samples", std::to_string(2 * half_ + 1)}}};
  }

 protected:
  std::unique_ptr<ColumnWorker> make_worker() override {
    return std::make_unique<RunningMean>(half_, name_ == "rms");
  }

 private:
  std::string name_;
  double span_s_, interval_ = 0;
  std::int64_t half_ = 0;
};

/// The mean, or the root mean square, of the whole record at every sample.
class Whole : public Stage {
 public:
  explicit Whole(std::string name) : name_(std::move(name)) {}
  bool surveys() const override { return true; }
  void start(Recording& passing) override {
    if (name_ == "rms") require_real(passing, name_.c_str());
    if (sums_.empty()) sums_.resize(passing.complex ? 2 * passing.channels.size() : passing.channels.size());
  }
  void survey(const Block& block) override {
    for (std::size_t c = 0; c < block.columns(); ++c)
      for (const double x : block.samples(c)) sums_[c].add(name_ == "rms" ? x * x : x);
  }
  void push(Block& block, const Sink& next) override {
    for (std::size_t c = 0; c < block.columns(); ++c) {
      const double mean = sums_[c].mean();
      const auto room = block.room(c).first(block.size());
      std::fill(room.begin(), room.end(), name_ == "rms" ? std::sqrt(mean) : mean);
    }
    next(block);
  }
  StageReport report() const override { return {name_, {{"over", "the whole record"}}, {}}; }

 private:
  struct Sum {
    double mean_so_far = 0;
    std::int64_t count = 0;
    void add(double x) {
      if (!std::isnan(x)) mean_so_far += (x - mean_so_far) / static_cast<double>(++count);
    }
    double mean() const { return count > 0 ? mean_so_far : std::nan(""); }
  };
  std::string name_;
  std::vector<Sum> sums_;
};

std::unique_ptr<Stage> make_running(const char* name, StepWords& words) {
  const auto span = words.next();
  if (!span) return std::make_unique<Whole>(name);
  return std::make_unique<Running>(name, parse_positive(*span, Dimension::time));
}

}  // namespace

std::unique_ptr<Stage> make_mean_stage(StepWords& words) { return make_running("mean", words); }
std::unique_ptr<Stage> make_rms_stage(StepWords& words) { return make_running("rms", words); }

}  // namespace vprism
