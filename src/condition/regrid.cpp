// regrid.cpp: uneven samples onto an even grid, with an estimate of what the interpolation adds.
//
// `linear` draws lines, `cubic`, `quintic` and `septic` Lagrange's polynomial through two, three and four
// samples on either side; without a word the one that foretells left-out samples best. Where it leaves the
// range of the four samples around by more than a quarter, at a jump that a solver resolved with a very short
// step, the line is used. Where steps are much shorter than the grid's, single points of it would catch their
// detail by chance: means of the interpolation over eighths of a step are filtered and decimated instead.
//
// The error is estimated twice. By order: the difference to the polynomial with one more sample on either
// side, sample by sample; this can be handed on in place of the result (`doubt`), so that its spectrum tells
// which lines the interpolation may have made. By leaving out: each sample is predicted from its neighbours
// (weighted with the time it stands for); their spacing being double, that error is 2 to the number of points
// times too large. The greater of the two RMS figures is the floor that is shown.
#include <algorithm>
#include <cmath>
#include <limits>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"
#include "condition/decimator.h"
#include "condition/fir.h"
#include "condition/grid_choice.h"
#include "condition/interpolation.h"

namespace vprism {

namespace {

/// Parts of a step of the grid over which means are taken.
constexpr int fine_grid_parts = 8;
/// A pause longer than so many usual steps is missing, not interpolated.
constexpr double longest_grid_bridge = 8;

class Regrid : public Stage {
 public:
  explicit Regrid(StepWords& words) {
    if (const auto rate = words.next()) asked_hz_ = parse_positive(*rate, Dimension::frequency);
    std::vector<std::string> names;
    for (const InterpolationKind& kind : interpolation_kinds) names.emplace_back(kind.name);
    if (const auto name = words.one_of(names))
      for (const InterpolationKind& kind : interpolation_kinds)
        if (*name == kind.name) asked_points_ = kind.points;
  }
  /// Put in by the program.
  explicit Regrid(double band_hz) : automatic_(true), band_hz_(band_hz) {}

  bool surveys() const override { return !even_; }
  bool survey_reshapes() const override { return !even_ && !asked_hz_; }

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
    rate_hz_ = asked_hz_.value_or(choice_.rate_hz(mean_hz_, band_hz_));
    // Four times is more than chance or a change of speed would give.
    const auto better = choice_.better_as_even();
    stamps_stray_ = automatic_ && choice_.usual_step_s() == 0 && better && *better > 4;
    if (stamps_stray_) rate_hz_ = choice_.even_rate_hz();
    points_ = asked_points_ > 0 ? asked_points_ : choice_.points();
    parts_ = !stamps_stray_ && choice_.finer_than(rate_hz_) ? fine_grid_parts : 1;
    this_ = LocalPolynomial(points_), more_ = LocalPolynomial(points_ + 2);
    const double count =
        stamps_stray_ ? static_cast<double>(given_) : std::floor(span * rate_hz_ * (1 + 1e-12) + 1e-9) + 1;
    if (count > 1e12 || count < 2)
      throw Error(Status::analysis,
                  passing.file + ": regrid: " + format_number(count) + " samples would come out");
    count_ = static_cast<std::int64_t>(count);
    fine_count_ = (count_ - 1) * parts_ + 1;
    axis.stamped = false;
    axis.jitter = 0;
    axis.interval = 1 / rate_hz_;
    axis.source = stamps_stray_ ? "line through the stamps" : "regrid";
    std::erase_if(passing.cautions, [](const Caution& caution) { return caution.code == "axis-uneven"; });
    passing.samples = count_;
    outlet_.start(passing);
    start_workers();
    t_.clear();
    x_.assign(columns_, {});
    next_ = 0, left_ = 0, set_for_ = no_step;
    begun_ = false;
  }

  void survey(const Block& block) override { choice_.add(block); }

  void push(Block& block, const Sink& next) override {
    if (even_) {
      next(block);
      return;
    }
    if (!block.stamped())
      throw Error(Status::analysis, "regrid: the samples have lost their times before it");
    if (!begun_) begun_ = true, dropped_ = 0, by_line_ = 0, bridged_ = 0, tallies_.assign(columns_, {});
    if (block.gaps()) outlet_.set_gaps();
    if (stamps_stray_) {
      for (std::size_t c = 0; c < columns_; ++c) {
        const auto x = block.samples(c);
        std::vector<double>& to = outlet_.column(c);
        doubt_ ? to.insert(to.end(), x.size(), 0.0) : to.insert(to.end(), x.begin(), x.end());
      }
      outlet_.flush(next);
      return;
    }
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
    hand_on(false);
    outlet_.flush(next);
  }

  void finish(const Sink& next) override {
    if (even_ || stamps_stray_) return;
    run(true);
    hand_on(true);
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
    if (stamps_stray_) {
      report.values = {{"rate", format_quantity(rate_hz_, "Hz", 9)}};
      report.effects.emplace_back("stamps left out", "the samples are taken as even");
      report.cautions.push_back(
          {"stamps-suspect", Severity::serious, "",
           "the stamps are uneven, but samples taken as even foretell each other " +
               format_number(*choice_.better_as_even(), 2) +
               " times as well: they are taken as even, at the rate that the stamps have on the whole, " +
               format_quantity(rate_hz_, "Hz", 9),
           "if the stamps are right, say so with --chain regrid; if the rate is known, give --axis none and "
           "--rate"});
      return report;
    }
    report.values = {{"rate", format_quantity(rate_hz_, "Hz", 9)}, {"by", interpolation_name(points_)}};
    if (automatic_) report.values.emplace_back("put in", "by the program, since the steps are uneven");
    if (!asked_hz_) report.values.emplace_back("rate chosen from", choice_.reason());
    report.effects.emplace_back("samples", std::to_string(given_) + " uneven ones, " +
                                               format_quantity(mean_hz_, "Hz") + " on average, to " +
                                               std::to_string(count_));
    if (parts_ > 1)
      report.effects.emplace_back("finer steps",
                                  "their detail is averaged, filtered and decimated; flat to " +
                                      format_quantity(0.45 * rate_hz_, "Hz"));
    if (dropped_ > 0)
      report.effects.emplace_back("left out",
                                  std::to_string(dropped_) + " samples not later than the one before");
    if (by_line_ > 0)
      report.effects.emplace_back("by a line at jumps", std::to_string(by_line_) + " samples");
    if (bridged_ > 0)
      report.effects.emplace_back("missing", std::to_string(bridged_) + " samples in pauses of more than " +
                                                 format_number(longest_grid_bridge) + " usual steps");
    double worst_db = -400;
    for (std::size_t c = 0; c < channels_.size() && c < tallies_.size(); ++c) {
      const double floor = tallies_[c].floor(points_), signal = tallies_[c].alternating();
      const double db = signal > 0 && floor > 0 ? 20 * std::log10(floor / signal) : -400;
      worst_db = std::max(worst_db, db);
      const std::string text = format_quantity(floor, channels_[c].unit.text(), 3) + " RMS, " +
                               format_number(std::max(db, -400.0), 3) + " dB re the signal";
      report.effects.emplace_back(channels_[c].name, "interpolation adds about " + text);
      if (db > -60)
        report.cautions.push_back(
            {"regrid-floor", db > -30 ? Severity::warning : Severity::note, channels_[c].name,
             "the interpolation adds about " + text + ", mostly at multiples of the signal's own frequencies",
             db > -30 && points_ == 2 ? "use --chain 'regrid cubic'"
                                      : "export with shorter steps" + steps_for(db)});
    }
    if (automatic_ && !tallies_.empty()) report.cautions.push_back(put_in(worst_db));
    return report;
  }

 private:
  struct Tally {
    double by_order = 0, left_out = 0, square = 0, sum = 0, outputs = 0, predicted = 0;
    double floor(int points) const {
      const double order = outputs > 0 ? std::sqrt(by_order / outputs) : 0;
      const double out = predicted > 0 ? std::sqrt(left_out / predicted) / std::exp2(points) : 0;
      return std::max(order, out);
    }
    double alternating() const {
      return outputs > 0 ? std::sqrt(std::max(0.0, square / outputs - sum / outputs * (sum / outputs))) : 0;
    }
  };

  /// What steps would do for -100 dB: the error goes with the power of the step that there are points.
  std::string steps_for(double db) const {
    if (!(db > -100)) return "";
    const double factor = std::pow(10.0, -(100 + db) / (20.0 * points_));
    return ", about " + format_number(factor, 2) + " times as long, for -100 dB";
  }

  Caution put_in(double worst_db) const {
    std::string text = "the steps are uneven: put on a grid of " + format_quantity(rate_hz_, "Hz", 6) +
                       " (from " + choice_.reason() + ", " + interpolation_name(points_) + ")";
    if (worst_db > -400)
      text += "; interpolation adds up to " + format_number(worst_db, 3) + " dB re the signal" +
              (worst_db > -100 ? ", steps" + steps_for(worst_db).substr(1) : "");
    return {"regridded", Severity::note, "", text,
            "choose another grid with --chain 'regrid RATE'; if only the stamps are bad, give --axis none "
            "and --rate"};
  }

  void start_workers() {
    workers_.clear(), fine_.assign(parts_ > 1 ? columns_ : 0, {});
    for (std::size_t c = 0; c < fine_.size(); ++c) {
      std::vector<std::unique_ptr<ColumnWorker>> series;
      // A mean over a part droops by (w h)^2 / 24.
      series.push_back(make_centred_fir({-1.0 / 24, 1 + 1.0 / 12, -1.0 / 24}));
      series.push_back(make_decimator(static_cast<std::size_t>(parts_)));
      workers_.push_back(std::make_unique<WorkerSeries>(std::move(series)));
    }
  }

  /// From the parts of steps to steps.
  void hand_on(bool ended) {
    for (std::size_t c = 0; c < fine_.size(); ++c) {
      workers_[c]->add(fine_[c], outlet_.column(c));
      if (ended) workers_[c]->finish(outlet_.column(c));
      fine_[c].clear();
    }
  }

  void run(bool ended) {
    const std::size_t points = t_.size();
    if (points < 2) return;
    const auto ahead = static_cast<std::size_t>(points_ / 2 + 1);
    const double step = 1 / (rate_hz_ * parts_);
    for (; next_ < fine_count_; ++next_) {
      const double t = first_s_ + static_cast<double>(next_) * step;
      const double end = parts_ > 1 ? std::min(t + step / 2, t_.back()) : t;
      while (left_ + 2 < points && t_[left_ + 1] <= (parts_ > 1 ? t - step / 2 : t))
        leave_out(left_ + 1), ++left_;
      // Some points to the right are waited for, unless the record has ended.
      if (!ended && (left_ + ahead >= points || t_[points - ahead] <= end + step)) break;
      if (parts_ > 1 && next_ > 0 && next_ + 1 < fine_count_)
        average(t - step / 2, t + step / 2);
      else
        interpolate(t);
    }
    if (left_ > 65536) {
      const auto drop = static_cast<std::ptrdiff_t>(left_ - 6);
      t_.erase(t_.begin(), t_.begin() + drop);
      for (auto& x : x_) x.erase(x.begin(), x.begin() + drop);
      left_ = 6, set_for_ = no_step;
    }
  }

  std::vector<double>& out(std::size_t c) { return parts_ > 1 ? fine_[c] : outlet_.column(c); }

  /// Value and error of column c at the time that the polynomials are set to.
  struct Valued {
    double value = 0, error = 0;
  };
  void set(std::size_t left) {
    if (set_for_ == left) return;
    set_for_ = left;
    this_.set(t_, left), more_.set(t_, left);
  }
  Valued valued(std::size_t c, std::size_t left, double t) {
    const double* const x = x_[c].data();
    const double share = (t - t_[left]) / (t_[left + 1] - t_[left]);
    // At a sample itself the neighbours, which may be missing, have no say.
    const double line = share == 0 ? x[left] : x[left] + share * (x[left + 1] - x[left]);
    if (t_.size() < 4) return {line, 0};
    const std::size_t inner = std::min(left > 0 ? left - 1 : 0, t_.size() - 4);
    const double by_this = this_.value(x), by_more = more_.value(x);
    const auto [low, high] = std::minmax_element(x + inner, x + inner + 4);
    // Near a crest the range may be narrow, but then two polynomials agree.
    const bool agree =
        points_ > 2 && more_.count() > this_.count() && std::abs(by_this - by_more) <= 0.1 * (*high - *low);
    const auto wild = [&](double y) { return std::isnan(y) || !(agree || is_plausible(y, x + inner, 4)); };
    const bool by_line = points_ == 2 || wild(by_this);
    by_line_ += by_line && points_ > 2 && !std::isnan(line) ? 1 : 0;
    const double y = by_line ? line : by_this;
    return {y, y - (wild(by_more) ? line : by_more)};
  }

  void interpolate(double t) {
    std::size_t left = left_;
    while (left + 2 < t_.size() && t_[left + 1] <= t) ++left;
    if (bridges(left, t)) return;
    set(left);
    this_.at(t), more_.at(t);
    for (std::size_t c = 0; c < columns_; ++c) put(c, valued(c, left, t));
  }

  /// Means over a part: four points of Gauss and Legendre on each piece between two samples, which are exact
  /// for the polynomials.
  void average(double from, double to) {
    static constexpr double at[] = {-0.8611363115940526, -0.3399810435848563, 0.3399810435848563,
                                    0.8611363115940526};
    static constexpr double weight[] = {0.3478548451374538, 0.6521451548625461, 0.6521451548625461,
                                        0.3478548451374538};
    means_.assign(columns_, {});
    for (std::size_t left = left_;; ++left) {
      const bool last = left + 2 >= t_.size() || t_[left + 1] >= to;
      const double a = std::max(from, t_[left]), b = last ? to : t_[left + 1];
      if (b > a) {
        set(left);
        for (int k = 0; k < 4; ++k) {
          const double t = (a + b) / 2 + at[k] * (b - a) / 2, share = weight[k] / 2 * (b - a) / (to - from);
          this_.at(t), more_.at(t);
          for (std::size_t c = 0; c < columns_; ++c) {
            const Valued v = valued(c, left, t);
            means_[c].value += share * v.value, means_[c].error += share * v.error;
          }
        }
      }
      if (last) break;
    }
    for (std::size_t c = 0; c < columns_; ++c) put(c, means_[c]);
  }

  /// Within a pause nothing is known.
  bool bridges(std::size_t left, double t) {
    const double usual = choice_.usual_step_s();
    if (!(usual > 0) || !(t_[left + 1] - t_[left] > longest_grid_bridge * usual)) return false;
    if (t - t_[left] <= 0.01 * usual || t_[left + 1] - t <= 0.01 * usual) return false;
    outlet_.set_gaps();
    ++bridged_;
    for (std::size_t c = 0; c < columns_; ++c)
      out(c).push_back(doubt_ ? 0 : std::numeric_limits<double>::quiet_NaN());
    return true;
  }

  void put(std::size_t c, Valued v) {
    out(c).push_back(doubt_ ? v.error : v.value);
    if (std::isnan(v.value)) return;
    Tally& tally = tallies_[c];
    tally.by_order += v.error * v.error, tally.square += v.value * v.value, tally.sum += v.value;
    tally.outputs += 1;
  }

  /// How far sample i lies from what its neighbours make it.
  void leave_out(std::size_t i) {
    LeftOut way(points_);
    if (!way.set(t_, i)) return;
    const double span = t_[i + 1] - t_[i - 1];  // Short steps at a jump stand for little time.
    for (std::size_t c = 0; c < columns_; ++c) {
      const double off = way.error(x_[c].data());
      if (std::isnan(off)) continue;
      tallies_[c].left_out += off * off * span, tallies_[c].predicted += span;
    }
  }

  static constexpr std::size_t no_step = static_cast<std::size_t>(-1);
  std::optional<double> asked_hz_;
  /// Uneven stamps of samples that are even.
  bool stamps_stray_ = false;
  bool automatic_ = false, even_ = false, doubt_ = false, begun_ = false;
  double band_hz_ = 0;
  int asked_points_ = 0, points_ = 4, parts_ = 1;
  GridChoice choice_;
  LocalPolynomial this_{4}, more_{6};
  std::vector<Channel> channels_;
  std::size_t columns_ = 0, left_ = 0, set_for_ = no_step;
  double first_s_ = 0, mean_hz_ = 1, rate_hz_ = 1;
  std::int64_t given_ = 0, count_ = 0, fine_count_ = 0, next_ = 0, dropped_ = 0, by_line_ = 0, bridged_ = 0;
  std::vector<double> t_;
  std::vector<std::vector<double>> x_, fine_;
  std::vector<Valued> means_;
  std::vector<std::unique_ptr<ColumnWorker>> workers_;
  std::vector<Tally> tallies_;
  Outlet outlet_;
};

}  // namespace

std::unique_ptr<Stage> make_regrid_stage(StepWords& words) { return std::make_unique<Regrid>(words); }

std::unique_ptr<Stage> make_automatic_grid(double band_hz) { return std::make_unique<Regrid>(band_hz); }

}  // namespace vprism
