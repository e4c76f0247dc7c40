// decimate.cpp: every Nth sample, after a filter, as a mean, or as it stands.
//
// `filter` goes by the prime factors of N, the largest first, each with a centred filter without feedback.
// The band that is kept, 90% of half the new rate, is flat; what would fold into the new band is 112 dB down:
// a stage with output rate f stops from f - F on, F being half the final rate, so that only the last one is
// steep.
#include <algorithm>
#include <cmath>
#include <deque>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"
#include "condition/filters/fir.h"
#include "condition/steps/decimator.h"

namespace vprism {

std::unique_ptr<ColumnWorker> make_decimator(std::size_t factor) {
  std::vector<std::size_t> primes;
  for (std::size_t rest = factor, p = 2; rest > 1; ++p) {
    if (p * p > rest) p = rest;
    for (; rest % p == 0; rest /= p) primes.push_back(p);
  }
  std::reverse(primes.begin(), primes.end());
  std::vector<std::unique_ptr<ColumnWorker>> stages;
  double rate = 1;
  const double band = 0.5 / static_cast<double>(factor);
  for (const std::size_t p : primes) {
    const double out = rate / static_cast<double>(p), pass = 0.9 * band, stop = out - band;
    const std::size_t taps = kaiser_taps(112, (stop - pass) / rate);
    stages.push_back(make_centred_fir(lowpass_taps((stop + pass) / 2 / rate, taps, 112), p));
    rate = out;
  }
  return std::make_unique<WorkerSeries>(std::move(stages));
}

namespace {

class MeanOf : public ColumnWorker {
 public:
  explicit MeanOf(std::size_t factor) : factor_(factor) {}
  void add(std::span<const double> in, std::vector<double>& out) override {
    for (const double x : in) {
      sum_ += x;
      if (++held_ < factor_) continue;
      out.push_back(sum_ / static_cast<double>(factor_));
      sum_ = 0, held_ = 0;
    }
  }

 private:
  std::size_t factor_, held_ = 0;
  double sum_ = 0;
};

/// Sums for a variance.
struct Spread {
  double n = 0, mean = 0, m2 = 0;
  void add(double x) {
    if (std::isnan(x)) return;
    n += 1;
    const double d = x - mean;
    mean += d / n;
    m2 += d * (x - mean);
  }
  double variance() const { return n > 0 ? m2 / n : 0; }
};

/// What was kept, and how that differs from what a filter would have kept: sample by sample, since what folds
/// may well be alike to what is there.
struct Folding {
  Spread kept;
  double folded = 0, count = 0;
  void compare(double kept_sample, double filtered) {
    if (std::isnan(kept_sample) || std::isnan(filtered)) return;
    folded += (kept_sample - filtered) * (kept_sample - filtered), count += 1;
  }
};

class EveryNth : public ColumnWorker {
 public:
  EveryNth(std::size_t factor, std::shared_ptr<Folding> folding)
      : factor_(factor), folding_(std::move(folding)), filter_(make_decimator(factor)) {}
  void add(std::span<const double> in, std::vector<double>& out) override {
    for (; next_ < in.size(); next_ += factor_) {
      out.push_back(in[next_]);
      folding_->kept.add(in[next_]);
      waiting_.push_back(in[next_]);
    }
    next_ -= in.size();
    filtered_.clear();
    filter_->add(in, filtered_);
    compare();
  }
  void finish(std::vector<double>&) override {
    filtered_.clear();
    filter_->finish(filtered_);
    compare();
  }

 private:
  /// Both stand at the same times; the filter's come later.
  void compare() {
    for (const double x : filtered_) {
      if (waiting_.empty()) return;
      folding_->compare(waiting_.front(), x);
      waiting_.pop_front();
    }
  }

  std::deque<double> waiting_;
  std::size_t factor_, next_ = 0;
  std::shared_ptr<Folding> folding_;
  std::unique_ptr<ColumnWorker> filter_;
  std::vector<double> filtered_;
};

class Decimate : public ColumnStage {
 public:
  explicit Decimate(StepWords& words) {
    factor_ = parse_whole_number(words.value(), 2);
    if (factor_ > 1000000) throw Error(Status::usage, "at most 1000000");
    mode_ = words.one_of({"filter", "average", "keep"}).value_or("filter");
  }

  void start(Recording& passing) override {
    require_even_time(passing, "decimate");
    if (passing.samples < factor_)
      throw Error(Status::analysis, passing.file + ": decimate: the record has " +
                                        std::to_string(passing.samples) + " samples, fewer than the factor " +
                                        std::to_string(factor_));
    channels_ = passing.channels;
    Axis& axis = passing.axis;
    const auto factor = static_cast<double>(factor_);
    rate_hz_ = axis.rate_hz();
    if (mode_ == "average") {
      axis.start += (factor - 1) / 2 * axis.interval;
      passing.samples = passing.samples / factor_;
    } else {
      passing.samples = (passing.samples + factor_ - 1) / factor_;
    }
    axis.interval *= factor;
    foldings_next_.clear();
    start_columns(passing);
    new_rate_hz_ = axis.rate_hz();
    samples_ = passing.samples;
  }

  void push(Block& block, const Sink& next) override {
    if (!foldings_next_.empty()) foldings_ = std::move(foldings_next_), foldings_next_.clear();
    ColumnStage::push(block, next);
  }

  StageReport report() const override {
    StageReport report{
        "decimate",
        {{"factor", std::to_string(factor_)}, {"by", mode_}},
        {{"rate", format_quantity(rate_hz_, "Hz", 9) + " to " + format_quantity(new_rate_hz_, "Hz", 9)},
         {"samples kept", std::to_string(samples_)}}};
    if (mode_ == "filter")
      report.effects.emplace_back(
          "flat to", format_quantity(0.45 * new_rate_hz_, "Hz") + "; what folds back is 100 dB down");
    if (mode_ == "average") {
      const auto n = static_cast<double>(factor_);
      // Of N samples at half the new rate: sin(pi/2) / (N sin(pi / 2N)).
      const double droop = -20 * std::log10(1 / (n * std::sin(std::numbers::pi / (2 * n))));
      report.cautions.push_back({"average-droops", Severity::note, "",
                                 "a mean of " + std::to_string(factor_) + " takes " +
                                     format_number(droop, 3) + " dB at half the new rate, " +
                                     format_quantity(new_rate_hz_ / 2, "Hz") +
                                     ", and what lies above folds back, just above it no weaker",
                                 "use decimate " + std::to_string(factor_) + " filter where that matters"});
    }
    if (mode_ != "keep") return report;
    for (std::size_t c = 0; c < channels_.size() && c < foldings_.size(); ++c) {
      const double kept = foldings_[c]->kept.variance(),
                   folded = foldings_[c]->folded / std::max(1.0, foldings_[c]->count);
      if (!(folded > 1e-10 * kept) || kept == 0) continue;
      const std::string& unit = channels_[c].unit.text();
      report.cautions.push_back({"folded-back", folded > 1e-4 * kept ? Severity::warning : Severity::note,
                                 channels_[c].name,
                                 "decimate keep folds " + format_quantity(std::sqrt(folded), unit, 3) +
                                     " RMS, " + format_number(10 * std::log10(folded / kept), 3) +
                                     " dB of the alternating power, from above " +
                                     format_quantity(new_rate_hz_ / 2, "Hz") + " back into the band",
                                 "use decimate " + std::to_string(factor_) + " filter"});
    }
    return report;
  }

 protected:
  std::unique_ptr<ColumnWorker> make_worker() override {
    const auto factor = static_cast<std::size_t>(factor_);
    if (mode_ == "average") return std::make_unique<MeanOf>(factor);
    if (mode_ == "filter") return make_decimator(factor);
    foldings_next_.push_back(std::make_shared<Folding>());
    return std::make_unique<EveryNth>(factor, foldings_next_.back());
  }

 private:
  std::int64_t factor_ = 1, samples_ = 0;
  std::string mode_;
  double rate_hz_ = 1, new_rate_hz_ = 1;
  std::vector<Channel> channels_;
  std::vector<std::shared_ptr<Folding>> foldings_, foldings_next_;
};

}  // namespace

std::unique_ptr<Stage> make_decimate_stage(StepWords& words) { return std::make_unique<Decimate>(words); }

}  // namespace vprism
