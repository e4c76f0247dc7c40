// resample.cpp: another rate by any ratio, with one filter per phase.
//
// The record passes a Kaiser windowed ideal low pass that is flat over 90% of the narrower of both bands and
// 112 dB down from its end on; run by transforms, which at less than half the new rate give two samples for
// each. What comes out fills no more than half its band, so that a few taps tell it between its samples:
// y[k] = sum_m x[floor(t) + m] h(m - frac(t)) at t = k step. Steps of M / L have one set of taps for each of
// L phases; for others there are 64, and the three next to the place are put through a parabola (error
// (pi / (2 * 64))^3 / 16, -121 dB). Each set adds up to 1. Reductions by four and more are decimated by a
// whole factor first.
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>
#include <numeric>

#include "base/error.h"
#include "base/machine/clones.h"
#include "base/machine/lanes.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"
#include "condition/filters/fir.h"
#include "condition/filters/reflected_ends.h"
#include "condition/steps/decimator.h"

namespace vprism {

namespace {

constexpr double attenuation_db = 112;
/// Taps of a phase: from a quarter of the rate to three quarters the response has fallen that far.
constexpr std::size_t phase_reach = 8, phase_taps = 2 * phase_reach;

/// Taps at a phase, in lines of the cache; between phases h(d) = at + d (slope + d bend), d in phases.
struct alignas(64) Taps {
  double at[phase_taps];
};
struct alignas(64) Parabola {
  double at[phase_taps], slope[phase_taps], bend[phase_taps];
};

/// Taps for every phase, shared by the columns.
struct PhaseBank {
  std::int64_t up = 1, down = 1;  ///< L and M; up 0: no such ratio.
  double step = 1;                ///< Input samples for each output sample.
  std::vector<Taps> sets;
  std::vector<Parabola> between;  ///< Of phase 0 to the last, one beyond the whole step.
};

/// M / L nearest to `step` with L up to 256, if it is as good as equal over `count` outputs.
bool find_ratio(double step, double count, PhaseBank& bank) {
  double rest = step;
  std::int64_t p0 = 0, q0 = 1, p1 = 1, q1 = 0;
  for (int i = 0; i < 40; ++i) {
    const double whole = std::floor(rest);
    const auto a = static_cast<std::int64_t>(whole);
    const std::int64_t p = a * p1 + p0, q = a * q1 + q0;
    if (q > 256) return false;
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

Taps taps_at(double shift) {
  const double beta = kaiser_beta(attenuation_db);
  Taps h{};
  double sum = 0;
  for (std::size_t i = 0; i < phase_taps; ++i) {
    const double m = static_cast<double>(i) - static_cast<double>(phase_reach - 1) - shift;
    const double u = m / static_cast<double>(phase_reach), x = std::numbers::pi * m;
    h.at[i] = std::abs(u) >= 1 ? 0 : (x == 0 ? 1 : std::sin(x) / x) * kaiser_window(beta, u);
    sum += h.at[i];
  }
  for (double& tap : h.at) tap /= sum;
  return h;
}

PhaseBank make_bank(double step, double count) {
  PhaseBank bank;
  bank.step = step;
  if (find_ratio(step, count, bank)) {
    for (std::int64_t phase = 0; phase < bank.up; ++phase)
      bank.sets.push_back(taps_at(static_cast<double>(phase) / static_cast<double>(bank.up)));
    return bank;
  }
  bank.up = 0;
  constexpr int phases = 64;
  for (int phase = 0; phase <= phases; ++phase) {
    const Taps less = taps_at((phase - 1.0) / phases), h = taps_at(phase * 1.0 / phases),
               more = taps_at((phase + 1.0) / phases);
    Parabola p{};
    for (std::size_t i = 0; i < phase_taps; ++i) {
      p.at[i] = h.at[i];
      p.slope[i] = (more.at[i] - less.at[i]) / 2;
      p.bend[i] = (more.at[i] + less.at[i] - 2 * h.at[i]) / 2;
    }
    bank.between.push_back(p);
  }
  return bank;
}

/// Where the next output lies: between samples `whole` and whole + 1 of the record, at phase / L.
struct GridPlace {
  std::int64_t output = 0, whole = 0, phase = 0;
};

/// `count` outputs, the first at `place`, which is moved on; x[0] is sample `first` of the record.
VPRISM_WIDE void sum_at_phases(const PhaseBank& bank, const double* x, std::int64_t first, std::size_t count,
                               GridPlace& place, double* out) {
  const std::int64_t whole_step = bank.down / bank.up, phase_step = bank.down % bank.up, up = bank.up;
  std::int64_t whole = place.whole - first - static_cast<std::int64_t>(phase_reach - 1), phase = place.phase;
  for (std::size_t i = 0; i < count; ++i) {
    const double *const from = x + whole, *const taps = bank.sets[static_cast<std::size_t>(phase)].at;
    Eight a, b, g, h;
    load(from, a), load(from + 8, b);
    load(taps, g), load(taps + 8, h);
    out[i] = total(a * g + b * h);
    phase += phase_step;
    const bool over = phase >= up;
    phase -= over ? up : 0;
    whole += whole_step + (over ? 1 : 0);
  }
  place.output += static_cast<std::int64_t>(count);
  place.whole = whole + first + static_cast<std::int64_t>(phase_reach - 1);
  place.phase = phase;
}

/// The same between phases.
VPRISM_WIDE void sum_between_phases(const PhaseBank& bank, const double* x, std::int64_t first,
                                    std::size_t count, GridPlace& place, double* out) {
  const auto phases = static_cast<double>(bank.between.size() - 1);
  for (std::size_t i = 0; i < count; ++i) {
    const double t = static_cast<double>(place.output + static_cast<std::int64_t>(i)) * bank.step;
    const auto whole = static_cast<std::int64_t>(t);
    const double in_phases = (t - static_cast<double>(whole)) * phases;
    const auto phase = static_cast<std::int64_t>(in_phases + 0.5);
    const double d = in_phases - static_cast<double>(phase);
    const double* const from = x + (whole - first - static_cast<std::int64_t>(phase_reach - 1));
    const Parabola& taps = bank.between[static_cast<std::size_t>(phase)];
    Eight a, b, h, slope, bend, sum;
    load(from, a), load(taps.at, h), load(taps.slope, slope), load(taps.bend, bend);
    sum = a * (h + d * (slope + d * bend));
    load(from + 8, b), load(taps.at + 8, h), load(taps.slope + 8, slope), load(taps.bend + 8, bend);
    out[i] = total(sum + b * (h + d * (slope + d * bend)));
  }
  place.output += static_cast<std::int64_t>(count);
  place.whole = static_cast<std::int64_t>(static_cast<double>(place.output) * bank.step);
}

class PhaseFilter : public ReflectedWorker {
 public:
  PhaseFilter(const std::shared_ptr<const PhaseBank>& bank, std::int64_t outputs)
      : ReflectedWorker(phase_reach + 1), bank_(bank), outputs_(outputs) {}

 protected:
  void run(bool, std::vector<double>& out) override {
    // line_[0] is sample `first_` of the record; the lead makes that negative at the beginning.
    const auto room = static_cast<std::int64_t>(line_.size());
    // The last whole that the line reaches on from, and how many outputs lie before its end.
    const std::int64_t last = first_ + room - 1 - static_cast<std::int64_t>(phase_reach);
    std::int64_t end = place_.output;
    if (last >= place_.whole) {
      end = bank_->up > 0 ? ((last + 1) * bank_->up + bank_->down - 1) / bank_->down
                          : static_cast<std::int64_t>(std::ceil(static_cast<double>(last + 1) / bank_->step));
      end = std::min(end, outputs_);
      // Rounding of the product and of the quotient need not agree.
      while (bank_->up == 0 && end > place_.output &&
             static_cast<double>(end - 1) * bank_->step >= static_cast<double>(last + 1))
        --end;
    }
    if (end > place_.output) {
      const std::size_t before = out.size(), count = static_cast<std::size_t>(end - place_.output);
      out.resize(before + count);
      (bank_->up > 0 ? sum_at_phases : sum_between_phases)(*bank_, line_.data(), first_, count, place_,
                                                           out.data() + before);
    }
    const std::int64_t drop =
        std::min<std::int64_t>(place_.whole - static_cast<std::int64_t>(phase_reach) - first_, room);
    if (drop > 0) line_.erase(line_.begin(), line_.begin() + drop), first_ += drop;
  }

 private:
  std::shared_ptr<const PhaseBank> bank_;
  std::int64_t outputs_;
  GridPlace place_;
  std::int64_t first_ = -static_cast<std::int64_t>(phase_reach + 1);
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
    // From here on in samples of what the low pass gives.
    const double left = ratio / static_cast<double>(first_);
    doubled_ = left < 2;
    const double step = left * (doubled_ ? 2 : 1), narrow = std::min(1.0, 1 / left) / (doubled_ ? 2 : 1);
    if (!bank_ || bank_->step != step) {
      bank_ = std::make_shared<const PhaseBank>(make_bank(step, static_cast<double>(samples_)));
      lowpass_ = lowpass_taps(0.475 * narrow, kaiser_taps(attenuation_db, 0.05 * narrow), attenuation_db);
    }
    axis.interval = 1 / rate_hz_;
    passing.samples = samples_;
    report_ = {"resample",
               {{"rate", format_quantity(rate_hz_, "Hz", 9)}},
               {{"from", format_quantity(old_hz, "Hz", 9)},
                {"by", ratio_text(1 / ratio)},
                {"samples", std::to_string(samples_)},
                {"flat to", format_quantity(0.45 * std::min(old_hz, rate_hz_), "Hz")}}};
    start_columns(passing);
  }
  StageReport report() const override { return report_; }

 protected:
  std::unique_ptr<ColumnWorker> make_worker() override {
    std::vector<std::unique_ptr<ColumnWorker>> workers;
    if (first_ > 1) workers.push_back(make_decimator(first_));
    workers.push_back(doubled_ ? make_doubling_fir(lowpass_) : make_centred_fir(lowpass_));
    workers.push_back(std::make_unique<PhaseFilter>(bank_, samples_));
    return std::make_unique<WorkerSeries>(std::move(workers));
  }

 private:
  /// Output samples for each input sample.
  std::string ratio_text(double samples) const {
    if (bank_->up == 0) return format_number(samples, 9);
    const std::int64_t up = bank_->up * (doubled_ ? 2 : 1),
                       down = bank_->down * static_cast<std::int64_t>(first_);
    const std::int64_t common = std::gcd(up, down);
    return std::to_string(up / common) + " / " + std::to_string(down / common);
  }

  double rate_hz_;
  std::size_t first_ = 1;
  bool doubled_ = false;
  std::vector<double> lowpass_;
  std::int64_t samples_ = 0;
  std::shared_ptr<const PhaseBank> bank_;
  StageReport report_;
};

}  // namespace

std::unique_ptr<Stage> make_resample_stage(StepWords& words) { return std::make_unique<Resample>(words); }

}  // namespace vprism
