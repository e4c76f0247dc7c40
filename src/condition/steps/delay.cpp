// delay.cpp: the step delay: whole samples and, for what is left, a sinc of 65 taps in Kaiser's window.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"
#include "condition/filters/fir.h"

namespace vprism {

namespace {

using std::numbers::pi;

/// Whole samples later (or earlier); what is not known is missing.
class ShiftWorker : public ColumnWorker {
 public:
  ShiftWorker(std::int64_t later, std::unique_ptr<ColumnWorker> part)
      : later_(later), drop_(std::max<std::int64_t>(0, -later)), part_(std::move(part)) {}
  void add(std::span<const double> in, std::vector<double>& out) override {
    begin();
    seen_ += static_cast<std::int64_t>(in.size());
    now_.clear();
    if (part_)
      part_->add(in, now_);
    else
      now_.assign(in.begin(), in.end());
    hand_on(out);
  }
  void finish(std::vector<double>& out) override {
    begin();
    now_.clear();
    if (part_) part_->finish(now_);
    hand_on(out);
    for (; made_ < seen_; ++made_) out.push_back(std::nan(""));
  }

 private:
  void begin() {
    if (begun_) return;
    begun_ = true;
    held_.assign(static_cast<std::size_t>(std::max<std::int64_t>(0, later_)), std::nan(""));
  }
  void hand_on(std::vector<double>& out) {
    for (const double x : now_) {
      if (drop_ > 0) {
        --drop_;
        continue;
      }
      held_.push_back(x);
    }
    // Never more than has come in, so that nothing has to be taken back.
    const auto ready = std::min<std::int64_t>(static_cast<std::int64_t>(held_.size()), seen_ - made_);
    out.insert(out.end(), held_.begin(), held_.begin() + ready);
    held_.erase(held_.begin(), held_.begin() + ready);
    made_ += ready;
  }
  std::int64_t later_, drop_, seen_ = 0, made_ = 0;
  bool begun_ = false;
  std::unique_ptr<ColumnWorker> part_;
  std::vector<double> now_, held_;
};

class Delayed : public ColumnStage {
 public:
  explicit Delayed(StepWords& words) : by_s_(parse_quantity(words.value(), Dimension::time)) {}
  void start(Recording& passing) override {
    require_even_time(passing, "delay");
    const double samples = by_s_ / passing.axis.interval;
    if (!(std::abs(samples) < static_cast<double>(passing.samples)))
      throw Error(Status::analysis, passing.file + ": delay: " + format_quantity(by_s_, "s") +
                                        " is longer than the record, " +
                                        format_quantity(passing.duration_s(), "s"));
    whole_ = std::llround(samples);
    part_ = samples - static_cast<double>(whole_);
    if (std::abs(part_) < 1e-6) part_ = 0;
    start_columns(passing);
  }
  std::optional<std::complex<double>> response(double hz) const override {
    return std::polar(1.0, -2 * pi * hz * by_s_);
  }
  StageReport report() const override {
    return {"delay",
            {{"by", format_quantity(by_s_, "s", 9)}},
            {{"missing", std::to_string(std::abs(whole_)) +
                             (whole_ < 0 ? " samples at the end" : " samples at the start")}}};
  }

 protected:
  std::unique_ptr<ColumnWorker> make_worker() override {
    std::unique_ptr<ColumnWorker> part;
    if (part_ != 0) {
      constexpr int half = 32;
      std::vector<double> taps;
      double sum = 0;
      for (int m = -half; m <= half; ++m) {
        const double u = m + part_;
        taps.push_back((u == 0 ? 1 : std::sin(pi * u) / (pi * u)) * kaiser_window(11, u / (half + 1)));
        sum += taps.back();
      }
      for (double& tap : taps) tap /= sum;
      part = make_centred_fir(std::move(taps));
    }
    return std::make_unique<ShiftWorker>(whole_, std::move(part));
  }

 private:
  double by_s_, part_ = 0;
  std::int64_t whole_ = 0;
};

}  // namespace

std::unique_ptr<Stage> make_delay_stage(StepWords& words) { return std::make_unique<Delayed>(words); }

}  // namespace vprism
