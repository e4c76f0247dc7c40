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

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"
#include "condition/grid/grid_choice.h"
#include "condition/grid/grid_sampler.h"

namespace vprism {

namespace {

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
  Regrid(double rate_hz, double through_s) : asked_hz_(rate_hz), through_s_(through_s) {}

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
    // What a logger takes at each change, or a solver where it needs to, lies
    // far from any even grid.
    stamps_stray_ = automatic_ && axis.jitter < 1 && choice_.usual_step_s() == 0 && better && *better > 4;
    if (stamps_stray_) rate_hz_ = choice_.even_rate_hz();
    points_ = asked_points_ > 0 ? asked_points_ : choice_.points();
    double beyond = 0;  // How far the first place of the grid lies behind the first sample.
    if (through_s_) {
      const double places = (first_s_ - *through_s_) * rate_hz_;
      beyond = (std::ceil(places - 1e-6) - places) / rate_hz_;
      first_s_ += beyond, axis.start = first_s_;
    }
    const double count = stamps_stray_ ? static_cast<double>(given_)
                                       : std::floor((span - beyond) * rate_hz_ * (1 + 1e-12) + 1e-9) + 1;
    if (count > 1e12 || count < 2)
      throw Error(Status::analysis,
                  passing.file + ": regrid: " + format_number(count) + " samples would come out");
    count_ = static_cast<std::int64_t>(count);
    axis.stamped = false;
    axis.jitter = 0;
    axis.interval = 1 / rate_hz_;
    axis.source = stamps_stray_ ? "line through the stamps" : "regrid";
    std::erase_if(passing.cautions, [](const Caution& caution) { return caution.code == "axis-uneven"; });
    passing.samples = count_;
    outlet_.start(passing);
    finer_ = !stamps_stray_ && choice_.finer_than(rate_hz_);
    sampler_.start({first_s_, rate_hz_, count_, points_, finer_, choice_.usual_step_s(), columns_});
  }

  void survey(const Block& block) override { choice_.add(block); }

  void push(Block& block, const Sink& next) override {
    if (even_) {
      next(block);
      return;
    }
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
    sampler_.add(block, outlet_);
    outlet_.flush(next);
  }

  void finish(const Sink& next) override {
    if (even_ || stamps_stray_) return;
    sampler_.finish(outlet_);
    outlet_.flush(next);
  }

  bool has_doubt() const override { return !even_; }
  void doubt(bool on) override {
    doubt_ = on;
    sampler_.doubt(on);
  }

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
    if (finer_)
      report.effects.emplace_back("finer steps",
                                  "their detail is averaged, filtered and decimated; flat to " +
                                      format_quantity(0.45 * rate_hz_, "Hz"));
    if (sampler_.dropped() > 0)
      report.effects.emplace_back(
          "left out", std::to_string(sampler_.dropped()) + " samples not later than the one before");
    if (sampler_.by_line() > 0)
      report.effects.emplace_back("by a line at jumps", std::to_string(sampler_.by_line()) + " samples");
    if (sampler_.missing() > 0)
      report.effects.emplace_back("missing", std::to_string(sampler_.missing()) +
                                                 " samples in pauses of more than " +
                                                 format_number(longest_grid_bridge) + " usual steps");
    double worst_db = -400;
    const std::vector<GridSampler::Tally>& tallies = sampler_.tallies();
    for (std::size_t c = 0; c < channels_.size() && c < tallies.size(); ++c) {
      const double floor = tallies[c].floor(points_), signal = tallies[c].alternating();
      const double db = signal > 0 && floor > 0 ? 20 * std::log10(floor / signal) : -400;
      worst_db = std::max(worst_db, db);
      const std::string text = format_quantity(floor, channels_[c].unit.text(), 3) + " RMS, " +
                               format_number(std::max(db, -400.0), 3) + " dB re the signal";
      report.effects.emplace_back(channels_[c].name, "interpolation adds about " + text);
      if (db > -60)
        report.cautions.push_back(
            {"regrid-floor", db > -30 ? Severity::warning : Severity::note, channels_[c].name,
             "the interpolation adds about " + text + ", mostly at multiples of the signal's own frequencies",
             automatic_ && db > -40 ? "fit the lines at the stamps with spectrum --method stamps, or export "
                                      "with shorter steps"
             : db > -30 && points_ == 2 ? "use --chain 'regrid cubic'"
                                        : "export with shorter steps" + steps_for(db)});
    }
    if (automatic_ && !tallies.empty()) report.cautions.push_back(put_in(worst_db));
    return report;
  }

 private:
  /// What steps would do for -100 dB: the error goes with the power of the step that there are points.
  std::string steps_for(double db) const {
    if (!(db > -100)) return "";
    const double factor = std::pow(10.0, -(100 + db) / (20.0 * points_));
    if (factor < 0.05) return "";  // Too far to say.
    return ", about " + format_number(factor, 2) + " times as long, for -100 dB";
  }

  Caution put_in(double worst_db) const {
    std::string text = "the steps are uneven: put on a grid of " + format_quantity(rate_hz_, "Hz", 6) +
                       " (from " + choice_.reason() + ", " + interpolation_name(points_) + ")";
    const std::string steps = steps_for(worst_db);
    if (worst_db > -400)
      text += "; interpolation adds up to " + format_number(worst_db, 3) + " dB re the signal" +
              (steps.empty() ? "" : ", steps" + steps.substr(1));
    return {"regridded", Severity::note, "", text,
            "choose another grid with --chain 'regrid RATE'; if only the stamps are bad, give --axis none "
            "and --rate"};
  }

  std::optional<double> asked_hz_, through_s_;
  /// Uneven stamps of samples that are even.
  bool stamps_stray_ = false;
  bool automatic_ = false, even_ = false, doubt_ = false, finer_ = false;
  double band_hz_ = 0;
  int asked_points_ = 0, points_ = 4;
  GridChoice choice_;
  GridSampler sampler_;
  std::vector<Channel> channels_;
  std::size_t columns_ = 0;
  double first_s_ = 0, mean_hz_ = 1, rate_hz_ = 1;
  std::int64_t given_ = 0, count_ = 0;
  Outlet outlet_;
};

}  // namespace

std::unique_ptr<Stage> make_regrid_stage(StepWords& words) { return std::make_unique<Regrid>(words); }

std::unique_ptr<Stage> make_automatic_grid(double band_hz) { return std::make_unique<Regrid>(band_hz); }

std::unique_ptr<Stage> make_grid_through(double rate_hz, double through_s) {
  return std::make_unique<Regrid>(rate_hz, through_s);
}

}  // namespace vprism
