// running.cpp: the steps mean, rms, envelope and delay.
//
// Running values stand over the samples within half the span on either side, fewer at the record's ends. The
// envelope is |x + i H x|, H Hilbert's transform by h[m] = 2 / (pi m) for odd m in Kaiser's window. A delay
// is whole samples and, for what is left, a sinc of 65 taps in Kaiser's window.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"
#include "condition/fir.h"

namespace vprism {

namespace {

using std::numbers::pi;

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
  void take(double x) {
    held_.push_back(squares_ ? x * x : x);
    count(held_.back(), 1);
    ++taken_;
  }
  void count(double value, int sign) {
    if (std::isnan(value)) return;
    sum_ += sign * value, present_ += sign;
  }
  /// The value at sample `done_`: what lies before its reach goes.
  void hand_on(std::vector<double>& out) {
    while (first_ < done_ - half_) {
      count(held_[static_cast<std::size_t>(gone_)], -1);
      ++first_, ++gone_;
    }
    if (gone_ > 65536 && 2 * gone_ > static_cast<std::int64_t>(held_.size())) {
      held_.erase(held_.begin(), held_.begin() + gone_);
      gone_ = 0;
    }
    // Rounding would add up: now and then the sum is made anew.
    if (++steps_ % 8192 == 0) {
      sum_ = 0, present_ = 0;
      for (std::size_t i = static_cast<std::size_t>(gone_); i < held_.size(); ++i) count(held_[i], 1);
    }
    const double mean = present_ > 0 ? sum_ / static_cast<double>(present_) : std::nan("");
    out.push_back(squares_ ? std::sqrt(std::max(0.0, mean)) : mean);
    ++done_;
  }

  std::int64_t half_;
  bool squares_;
  std::vector<double> held_;
  std::int64_t first_ = 0, gone_ = 0, taken_ = 0, done_ = 0, steps_ = 0, present_ = 0;
  double sum_ = 0;
};

void refuse_complex(const Recording& passing, const std::string& name) {
  if (passing.complex)
    throw Error(Status::analysis,
                passing.file + ": " + name + ": complex channels have none; see modulation");
}

class Running : public ColumnStage {
 public:
  Running(std::string name, double span_s) : name_(std::move(name)), span_s_(span_s) {}
  void start(Recording& passing) override {
    require_even_time(passing, name_.c_str());
    if (name_ == "rms") refuse_complex(passing, name_);
    half_ = std::llround((span_s_ / passing.axis.interval - 1) / 2);
    if (half_ < 1)
      throw Error(Status::analysis, passing.file + ": " + name_ + ": " + format_quantity(span_s_, "s") +
                                        " holds fewer than three samples of " +
                                        format_quantity(passing.axis.interval, "s"));
    interval_ = passing.axis.interval;
    start_columns(passing);
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
    if (name_ == "rms") refuse_complex(passing, name_);
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

class EnvelopeWorker : public ColumnWorker {
 public:
  explicit EnvelopeWorker(std::vector<double> taps) : turned_(make_centred_fir(std::move(taps))) {}
  void add(std::span<const double> in, std::vector<double>& out) override {
    held_.insert(held_.end(), in.begin(), in.end());
    turned_->add(in, other_);
    hand_on(out);
  }
  void finish(std::vector<double>& out) override {
    turned_->finish(other_);
    hand_on(out);
  }

 private:
  void hand_on(std::vector<double>& out) {
    const std::size_t ready = std::min(held_.size(), other_.size());
    for (std::size_t n = 0; n < ready; ++n) out.push_back(std::hypot(held_[n], other_[n]));
    held_.erase(held_.begin(), held_.begin() + static_cast<std::ptrdiff_t>(ready));
    other_.erase(other_.begin(), other_.begin() + static_cast<std::ptrdiff_t>(ready));
  }
  std::unique_ptr<ColumnWorker> turned_;
  std::vector<double> held_, other_;
};

class Envelope : public ColumnStage {
 public:
  void start(Recording& passing) override {
    require_even_time(passing, "envelope");
    refuse_complex(passing, "envelope");
    half_ = static_cast<int>(std::min<std::int64_t>(511, passing.samples / 4));
    if (half_ < 7)
      throw Error(Status::analysis,
                  passing.file + ": envelope: " + std::to_string(passing.samples) + " samples are too few");
    rate_hz_ = passing.axis.rate_hz();
    start_columns(passing);
  }
  StageReport report() const override {
    // Kaiser's transition at 60 dB.
    const double width = (60 - 7.95) / 14.36 / (2 * half_) * rate_hz_;
    return {"envelope",
            {},
            {{"true from", format_quantity(width, "Hz", 3)},
             {"to", format_quantity(rate_hz_ / 2 - width, "Hz", 3)}}};
  }

 protected:
  std::unique_ptr<ColumnWorker> make_worker() override {
    const double beta = kaiser_beta(60);
    std::vector<double> taps(static_cast<std::size_t>(2 * half_ + 1));
    for (int m = -half_; m <= half_; ++m)
      if (m % 2 != 0)
        taps[static_cast<std::size_t>(m + half_)] =
            -2 / (pi * m) * kaiser_window(beta, static_cast<double>(m) / (half_ + 1));
    return std::make_unique<EnvelopeWorker>(std::move(taps));
  }

 private:
  int half_ = 0;
  double rate_hz_ = 1;
};

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

std::unique_ptr<Stage> make_mean_stage(StepWords& words) { return make_running("mean", words); }
std::unique_ptr<Stage> make_rms_stage(StepWords& words) { return make_running("rms", words); }
std::unique_ptr<Stage> make_envelope_stage(StepWords&) { return std::make_unique<Envelope>(); }
std::unique_ptr<Stage> make_delay_stage(StepWords& words) { return std::make_unique<Delayed>(words); }

}  // namespace vprism
