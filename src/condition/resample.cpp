// resample.cpp: another rate by any ratio, with one filter per phase.
//
// Output k lies at t = k fs / rate, in input samples; y[k] = sum_m x[floor(t) + m] h(m - frac(t)), h a Kaiser
// windowed ideal low pass that is flat over 90% of the narrower of both bands and 105 dB down from its end
// on. Ratios L / M with L up to 2,048 have one set of taps for each of the L phases; of others 2,048 sets are
// kept and neighbours are interpolated (error below (pi / 2048)^2 / 8, -130 dB). Each set adds up to 1.
// Reductions by four and more are decimated by a whole factor first.
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>

#include "base/dot.h"
#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"
#include "condition/decimator.h"
#include "condition/fir.h"
#include "condition/reflected_ends.h"

namespace vprism {

namespace {

/// Taps for every phase, shared by the columns.
struct PhaseBank {
  std::int64_t up = 1, down = 1;  ///< L and M; up 0: no such ratio.
  double step = 1;                ///< Input samples for each output sample.
  std::size_t half = 0, phases = 1;
  std::vector<double> taps;  ///< phases (one more without a ratio) sets of 2 half.
  std::size_t skip = 0;      ///< So that each set begins a line of the cache.
  const double* set(std::size_t phase) const { return taps.data() + skip + phase * 2 * half; }
};

/// M / L nearest to `step` with L up to 640, if it is as good as equal over `count` outputs.
bool find_ratio(double step, double count, PhaseBank& bank) {
  double rest = step;
  std::int64_t p0 = 0, q0 = 1, p1 = 1, q1 = 0;
  for (int i = 0; i < 40; ++i) {
    const double whole = std::floor(rest);
    const auto a = static_cast<std::int64_t>(whole);
    const std::int64_t p = a * p1 + p0, q = a * q1 + q0;
    if (q > 640) return false;
    p0 = p1, q0 = q1, p1 = p, q1 = q;
    if (std::abs(static_cast<double>(p) / static_cast<double>(q) - step) * count < 1e-6) {
      bank.up = q, bank.down = p;
      return true;
    }
    if (rest == whole) return false;
    rest = 1 / (rest - whole);
  }
  return false;
}

PhaseBank make_bank(double step, double count) {
  PhaseBank bank;
  bank.step = step;
  const bool ratio = find_ratio(step, count, bank);
  if (!ratio) bank.up = 0;
  const double narrow = std::min(1.0, 1 / step);
  constexpr double attenuation_db = 105;
  const double width = 0.05 * narrow, cutoff = 0.475 * narrow, beta = kaiser_beta(attenuation_db);
  bank.half = (kaiser_taps(attenuation_db, width) / 2 + 1 + 7) / 8 * 8;
  bank.phases = static_cast<std::size_t>(ratio ? static_cast<double>(bank.up) : std::ceil(640 * narrow));
  const std::size_t sets = ratio ? bank.phases : bank.phases + 1;
  bank.taps.resize(sets * 2 * bank.half + 8);
  while (reinterpret_cast<std::uintptr_t>(bank.taps.data() + bank.skip) % 64 != 0) ++bank.skip;
  for (std::size_t phase = 0; phase < sets; ++phase) {
    const double shift = static_cast<double>(phase) / static_cast<double>(bank.phases);
    double* const h = bank.taps.data() + bank.skip + phase * 2 * bank.half;
    double sum = 0;
    for (std::size_t i = 0; i < 2 * bank.half; ++i) {
      const double m = static_cast<double>(i) - static_cast<double>(bank.half - 1) - shift;
      const double u = m / static_cast<double>(bank.half), x = 2 * std::numbers::pi * cutoff * m;
      h[i] = std::abs(u) >= 1 ? 0 : (x == 0 ? 1 : std::sin(x) / x) * kaiser_window(beta, u);
      sum += h[i];
    }
    for (std::size_t i = 0; i < 2 * bank.half; ++i) h[i] /= sum;
  }
  return bank;
}

class PhaseFilter : public ReflectedWorker {
 public:
  PhaseFilter(const std::shared_ptr<const PhaseBank>& bank, std::int64_t outputs)
      : ReflectedWorker(bank->half + 1), bank_(bank), outputs_(outputs) {}

 protected:
  void run(bool, std::vector<double>& out) override {
    const PhaseBank& b = *bank_;
    // line_[0] is sample `first_` of the record; the lead makes that negative at the beginning.
    const auto reach = static_cast<std::int64_t>(b.half);
    const auto room = static_cast<std::int64_t>(line_.size());
    out.reserve(out.size() + static_cast<std::size_t>(static_cast<double>(room) / b.step) + 2);
    // Sums are made four at a time: of four outputs, or, between phases, two each of two outputs.
    const double *taps[4], *x[4];
    double places[4], sums[4];
    std::size_t queued = 0;
    const std::int64_t whole_step = b.up > 0 ? b.down / b.up : 0, phase_step = b.up > 0 ? b.down % b.up : 0;
    const auto hand_out = [&] {
      if (queued == 0) return;
      for (std::size_t i = queued; i < 4; ++i) taps[i] = taps[0], x[i] = x[0];
      (b.up > 0 ? four_dots_of : two_by_two_dots_of)(taps, x, 2 * b.half, sums);
      if (b.up > 0)
        out.insert(out.end(), sums, sums + queued);
      else
        for (std::size_t i = 0; i < queued; i += 2)
          out.push_back(sums[i] + places[i] * (sums[i + 1] - sums[i]));
      queued = 0;
    };
    for (; next_ < outputs_; ++next_) {
      double place = 0;
      if (b.up == 0) {
        const double t = static_cast<double>(next_) * b.step;
        whole_ = static_cast<std::int64_t>(t);
        place = (t - static_cast<double>(whole_)) * static_cast<double>(b.phases);
        phase_ = std::min(static_cast<std::int64_t>(place), static_cast<std::int64_t>(b.phases) - 1);
        place -= static_cast<double>(phase_);
      }
      const std::int64_t from = whole_ - (reach - 1) - first_;
      if (from + 2 * reach > room) break;
      taps[queued] = b.set(static_cast<std::size_t>(phase_));
      x[queued] = line_.data() + from;
      if (b.up == 0) {
        places[queued] = place;
        taps[queued + 1] = taps[queued] + 2 * b.half;
        x[queued + 1] = x[queued];
        ++queued;
      } else {
        whole_ += whole_step;
        phase_ += phase_step;
        if (phase_ >= b.up) phase_ -= b.up, ++whole_;
      }
      if (++queued == 4) hand_out();
    }
    hand_out();
    const std::int64_t drop =
        std::min<std::int64_t>(whole_ - reach - first_, static_cast<std::int64_t>(line_.size()));
    if (drop > 0) line_.erase(line_.begin(), line_.begin() + drop), first_ += drop;
  }

 private:
  std::shared_ptr<const PhaseBank> bank_;
  std::int64_t outputs_, next_ = 0, whole_ = 0, phase_ = 0;
  std::int64_t first_ = -static_cast<std::int64_t>(bank_->half + 1);
};

class Resample : public ColumnStage {
 public:
  explicit Resample(StepWords& words) : rate_hz_(parse_positive(words.value(), Dimension::frequency)) {}

  void start(Recording& passing) override {
    require_even_time(passing, "resample");
    Axis& axis = passing.axis;
    const double old_hz = axis.rate_hz(), ratio = old_hz / rate_hz_;
    const double expected = static_cast<double>(passing.samples) / ratio;
    if (expected > 1e12)
      throw Error(Status::analysis,
                  passing.file + ": resample: " + format_number(expected) + " samples would come out");
    first_ = ratio >= 4 ? static_cast<std::size_t>(ratio / 2) : 1;
    // Rounding must not add a sample.
    samples_ = static_cast<std::int64_t>(std::ceil(expected * (1 - 1e-12)));
    if (expected < 1)
      throw Error(Status::analysis, passing.file + ": resample: the record is shorter than one sample at " +
                                        format_quantity(rate_hz_, "Hz"));
    const double step = ratio / static_cast<double>(first_);
    if (!bank_ || bank_->step != step)
      bank_ = std::make_shared<const PhaseBank>(make_bank(step, static_cast<double>(samples_)));
    axis.interval = 1 / rate_hz_;
    passing.samples = samples_;
    report_ = {
        "resample",
        {{"rate", format_quantity(rate_hz_, "Hz", 9)}},
        {{"from", format_quantity(old_hz, "Hz", 9)},
         {"by", bank_->up > 0 && first_ == 1 ? std::to_string(bank_->up) + " / " + std::to_string(bank_->down)
                                             : format_number(1 / ratio, 9)},
         {"samples", std::to_string(samples_)},
         {"flat to", format_quantity(0.45 * std::min(old_hz, rate_hz_), "Hz")}}};
    start_columns(passing);
  }
  StageReport report() const override { return report_; }

 protected:
  std::unique_ptr<ColumnWorker> make_worker() override {
    auto phases = std::make_unique<PhaseFilter>(bank_, samples_);
    if (first_ == 1) return phases;
    std::vector<std::unique_ptr<ColumnWorker>> both;
    both.push_back(make_decimator(first_));
    both.push_back(std::move(phases));
    return std::make_unique<WorkerSeries>(std::move(both));
  }

 private:
  double rate_hz_;
  std::size_t first_ = 1;
  std::int64_t samples_ = 0;
  std::shared_ptr<const PhaseBank> bank_;
  StageReport report_;
};

}  // namespace

std::unique_ptr<Stage> make_resample_stage(StepWords& words) { return std::make_unique<Resample>(words); }

}  // namespace vprism
