// regrid.cpp: uneven samples onto an even grid, with an estimate of what the interpolation adds.
//
// `linear` draws lines, `cubic` Lagrange's polynomial through the two samples on either side. Where that
// leaves the range of its four samples by more than a quarter, at a jump that a solver resolved with a very
// short step, the line is used.
//
// The error is estimated twice. By order: the difference to the polynomial with one more sample on either
// side (of `linear`: to the cubic), sample by sample; this can be handed on in place of the result (`doubt`),
// so that its spectrum tells which lines the interpolation may have made. By leaving out: each sample is
// predicted from its neighbours (weighted with the time it stands for); their spacing being double, that
// error is 2^4 (of `linear`: 2^2) times too large. The greater of the two RMS figures is the floor that is
// told.
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"

namespace vprism {

namespace {

/// Lagrange's weights at t of `count` points.
void weights(const double* at, int count, double t, double* out) {
  for (int i = 0; i < count; ++i) {
    out[i] = 1;
    for (int j = 0; j < count; ++j)
      if (j != i) out[i] *= (t - at[j]) / (at[i] - at[j]);
  }
}

double weighted(const double* w, const double* x, int count) {
  double sum = 0;
  for (int i = 0; i < count; ++i) sum += w[i] * x[i];
  return sum;
}

/// Whether a value lies within the range of the points around it, or a quarter of the range beside it.
bool plausible(double value, const double* x, int count) {
  const auto [low, high] = std::minmax_element(x, x + count);
  const double slack = (*high - *low) / 4;
  return value >= *low - slack && value <= *high + slack;
}

class Regrid : public Stage {
 public:
  explicit Regrid(StepWords& words) {
    if (const auto rate = words.next()) asked_hz_ = parse_positive(*rate, Dimension::frequency);
    cubic_ = words.one_of({"linear", "cubic"}).value_or("cubic") == "cubic";
  }

  bool surveys() const override { return !even_ && !asked_hz_; }
  bool survey_reshapes() const override { return surveys(); }

  void start(Recording& passing) override {
    Axis& axis = passing.axis;
    if (axis.domain != Axis::Domain::time)
      throw Error(Status::analysis, passing.file + ": regrid works along time, and the axis is \"" +
                                        axis.name + "\" in " + axis.unit.text() +
                                        "; say what it stands for with --axis-scale or --delay-line");
    even_ = !axis.stamped;
    if (even_) {
      if (asked_hz_)
        throw Error(Status::analysis, passing.file +
                                          ": regrid: the samples are evenly spaced already; use \"resample " +
                                          format_quantity(*asked_hz_, "Hz") + "\" for another rate");
      return;
    }
    channels_ = passing.channels;
    columns_ = channels_.size() * (passing.complex ? 2 : 1);
    given_ = passing.samples;
    first_s_ = axis.start;
    const double span = axis.interval * static_cast<double>(passing.samples - 1);
    mean_hz_ = axis.rate_hz();
    if (!asked_hz_ && suited_hz_ == 0) suited_hz_ = suited_rate();
    rate_hz_ = asked_hz_.value_or(suited_hz_);
    const double count = std::floor(span * rate_hz_ * (1 + 1e-12) + 1e-9) + 1;
    if (count > 1e12 || count < 2)
      throw Error(Status::analysis,
                  passing.file + ": regrid: " + format_number(count) + " samples would come out");
    count_ = static_cast<std::int64_t>(count);
    axis.stamped = false;
    axis.jitter = 0;
    axis.interval = 1 / rate_hz_;
    axis.source = "regrid";
    std::erase_if(passing.cautions, [](const Caution& caution) { return caution.code == "axis-uneven"; });
    passing.samples = count_;
    outlet_.start(passing);
    t_.clear();
    x_.assign(columns_, {});
    next_ = 0, left_ = 0;
    begun_ = false;
  }

  void survey(const Block& block) override {
    suited_hz_ = 0;
    for (const double t : block.stamps()) {
      if (seen_++ > 0 && t > last_ && steps_.size() < 1000000) steps_.push_back(t - last_);
      last_ = seen_ == 1 ? t : std::max(last_, t);
    }
  }

  void push(Block& block, const Sink& next) override {
    if (even_) {
      next(block);
      return;
    }
    if (!block.stamped())
      throw Error(Status::analysis, "regrid: the samples have lost their times before it");
    if (!begun_) begun_ = true, dropped_ = 0, by_line_ = 0, tallies_.assign(columns_, {});
    if (block.gaps()) outlet_.set_gaps();
    for (std::size_t n = 0; n < block.size(); ++n) {
      const double t = block.stamps()[n];
      if (!t_.empty() && !(t > t_.back())) {
        ++dropped_;
        continue;
      }
      t_.push_back(t);
      for (std::size_t c = 0; c < columns_; ++c) x_[c].push_back(block.samples(c)[n]);
    }
    run(false);
    outlet_.flush(next);
  }

  void finish(const Sink& next) override {
    if (even_) return;
    run(true);
    outlet_.flush(next);
  }

  bool has_doubt() const override { return !even_; }
  void doubt(bool on) override { doubt_ = on; }

  StageReport report() const override {
    StageReport report{"regrid", {}, {}};
    if (even_) {
      report.effects.emplace_back("nothing done", "the samples are evenly spaced already");
      return report;
    }
    report.values = {{"rate", format_quantity(rate_hz_, "Hz", 9)}, {"by", cubic_ ? "cubic" : "linear"}};
    if (!asked_hz_) report.values.emplace_back("rate chosen from", choice_);
    report.effects.emplace_back("samples", std::to_string(given_) + " uneven ones, " +
                                               format_quantity(mean_hz_, "Hz") + " on average, to " +
                                               std::to_string(count_));
    if (dropped_ > 0)
      report.effects.emplace_back("left out",
                                  std::to_string(dropped_) + " samples not later than the one before");
    if (by_line_ > 0)
      report.effects.emplace_back("by a line at jumps", std::to_string(by_line_) + " samples");
    for (std::size_t c = 0; c < channels_.size() && c < tallies_.size(); ++c) {
      const double floor = tallies_[c].floor(cubic_), signal = tallies_[c].alternating();
      const double db = signal > 0 && floor > 0 ? 20 * std::log10(floor / signal) : -400;
      const std::string text = format_quantity(floor, channels_[c].unit.text(), 3) + " RMS, " +
                               format_number(std::max(db, -400.0), 3) + " dB re the signal";
      report.effects.emplace_back(channels_[c].name, "interpolation adds about " + text);
      if (db > -60)
        report.cautions.push_back(
            {"regrid-floor", db > -30 ? Severity::warning : Severity::note, channels_[c].name,
             "the interpolation adds about " + text + ", mostly at multiples of the signal's own frequencies",
             db > -30 && !cubic_ ? "use regrid cubic" : "export with shorter steps"});
    }
    return report;
  }

 private:
  struct Tally {
    double by_order = 0, left_out = 0, square = 0, sum = 0, outputs = 0, predicted = 0;
    double floor(bool cubic) const {
      const double order = outputs > 0 ? std::sqrt(by_order / outputs) : 0;
      const double out = predicted > 0 ? std::sqrt(left_out / predicted) / (cubic ? 16 : 4) : 0;
      return std::max(order, out);
    }
    double alternating() const {
      return outputs > 0 ? std::sqrt(std::max(0.0, square / outputs - sum / outputs * (sum / outputs))) : 0;
    }
  };

  /// The rate of stamps that lie on a grid of which some places are empty: the mean over all of them, each
  /// counted as the number of places that it spans. Nothing where the steps are no multiples of the usual
  /// one.
  std::optional<double> usual_rate() {
    std::vector<double> sorted = steps_;
    const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
    std::nth_element(sorted.begin(), middle, sorted.end());
    const double usual = *middle;
    double n = 0, at = 0, place = 0, sum_p = 0, sum_t = 0, sum_pp = 0, sum_pt = 0;
    std::size_t off = 0, absent = 0;
    for (const double step : steps_) {
      const double places = std::round(step / usual);
      if (places < 1 || std::abs(step / usual - places) > 0.1) ++off;
      if (places > 1) absent += static_cast<std::size_t>(places) - 1;
      at += step, place += std::max(1.0, places), n += 1;
      sum_p += place, sum_t += at, sum_pp += place * place, sum_pt += place * at;
    }
    // Of a solver's steps the short ones may be many: no more than four times as many samples.
    if (static_cast<double>(off) > 0.02 * n || absent == 0 || static_cast<double>(absent) > 3 * n || n < 8)
      return {};
    choice_ =
        "the usual step; " + std::to_string(absent) + (absent == 1 ? " place is" : " places are") + " empty";
    return (sum_pp - sum_p * sum_p / n) / (sum_pt - sum_p * sum_t / n);
  }

  /// The mean rate where steps are all alike; where a solver chose them, one that keeps nine in ten apart,
  /// but no more than four times as many samples.
  double suited_rate() {
    if (steps_.empty()) return mean_hz_;
    if (const auto usual = usual_rate()) return *usual;
    std::vector<double> sorted = steps_;
    const auto tenth = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 10);
    std::nth_element(sorted.begin(), tenth, sorted.end());
    if (*tenth * mean_hz_ > 0.5) {
      choice_ = "the mean of the steps";
      return mean_hz_;
    }
    choice_ = "the shorter steps";
    return std::min(1 / *tenth, 4 * mean_hz_);
  }

  void run(bool ended) {
    const std::size_t points = t_.size();
    if (points < 2) return;
    for (; next_ < count_; ++next_) {
      const double t = first_s_ + static_cast<double>(next_) / rate_hz_;
      while (left_ + 2 < points && t_[left_ + 1] <= t) leave_out(left_ + 1), ++left_;
      // Three points to the right are waited for, unless the record has ended.
      if (!ended && left_ + 3 >= points) break;
      interpolate(t, points);
    }
    if (left_ > 65536) {
      const auto drop = static_cast<std::ptrdiff_t>(left_ - 4);
      t_.erase(t_.begin(), t_.begin() + drop);
      for (auto& x : x_) x.erase(x.begin(), x.begin() + drop);
      left_ = 4;
    }
  }

  /// `count` points around the step after `left_`, as far as there are any.
  std::size_t around(std::size_t points, int count) const {
    const auto half = static_cast<std::size_t>(count / 2 - 1);
    const std::size_t from = left_ > half ? left_ - half : 0;
    return std::min(from, points - static_cast<std::size_t>(count));
  }

  void interpolate(double t, std::size_t points) {
    const auto has = [&](int count) { return points >= static_cast<std::size_t>(count); };
    double w4[4], w6[6];
    const std::size_t from4 = has(4) ? around(points, 4) : 0, from6 = has(6) ? around(points, 6) : 0;
    if (has(4)) weights(&t_[from4], 4, t, w4);
    if (has(6)) weights(&t_[from6], 6, t, w6);
    const double share = (t - t_[left_]) / (t_[left_ + 1] - t_[left_]);
    for (std::size_t c = 0; c < columns_; ++c) {
      const double* const x = x_[c].data();
      // At a sample itself the neighbours, which may be missing, have no say.
      const double line = share == 0 ? x[left_] : x[left_] + share * (x[left_ + 1] - x[left_]);
      double third = has(4) ? weighted(w4, x + from4, 4) : line;
      const bool wild = has(4) && !plausible(third, x + from4, 4);
      if (wild || std::isnan(third)) third = line;
      double fifth = has(6) ? weighted(w6, x + from6, 6) : third;
      if (std::isnan(fifth) || !has(6) || !plausible(fifth, x + from6, 6)) fifth = line;
      const double y = cubic_ ? third : line, error = cubic_ ? third - fifth : line - third;
      by_line_ += wild && cubic_ ? 1 : 0;
      outlet_.column(c).push_back(doubt_ ? error : y);
      if (std::isnan(y)) continue;
      Tally& tally = tallies_[c];
      tally.by_order += error * error, tally.square += y * y, tally.sum += y, tally.outputs += 1;
    }
  }

  /// How far sample i lies from what its neighbours tell.
  void leave_out(std::size_t i) {
    const int count = cubic_ ? 4 : 2;
    const auto half = static_cast<std::size_t>(count / 2);
    if (i < half || i + half >= t_.size()) return;
    double at[4], w[4], x[4];
    const double span = t_[i + 1] - t_[i - 1];  // Short steps at a jump stand for little time.
    const auto place = [&](int k) {
      return i - half + static_cast<std::size_t>(k) + (k >= count / 2 ? 1 : 0);
    };
    for (int k = 0; k < count; ++k) at[k] = t_[place(k)];
    weights(at, count, t_[i], w);
    for (std::size_t c = 0; c < columns_; ++c) {
      for (int k = 0; k < count; ++k) x[k] = x_[c][place(k)];
      const double told = weighted(w, x, count);
      if (std::isnan(told) || std::isnan(x_[c][i]) || !plausible(told, x, count)) continue;
      const double off = told - x_[c][i];
      tallies_[c].left_out += off * off * span, tallies_[c].predicted += span;
    }
  }

  std::optional<double> asked_hz_;
  double suited_hz_ = 0;  ///< From the survey's steps; 0: to be found.
  bool cubic_ = true, even_ = false, doubt_ = false, begun_ = false;
  std::vector<Channel> channels_;
  std::size_t columns_ = 0, left_ = 0;
  double first_s_ = 0, mean_hz_ = 1, rate_hz_ = 1, last_ = 0;
  std::int64_t given_ = 0, count_ = 0, next_ = 0, seen_ = 0, dropped_ = 0, by_line_ = 0;
  std::string choice_;
  std::vector<double> steps_, t_;
  std::vector<std::vector<double>> x_;
  std::vector<Tally> tallies_;
  Outlet outlet_;
};

}  // namespace

std::unique_ptr<Stage> make_regrid_stage(StepWords& words) { return std::make_unique<Regrid>(words); }

}  // namespace vprism
