// despike.cpp: finds samples that stand out from their neighbours, repairs them, and keeps what may be a
// shock.
//
// With m the median of the `width` samples around x and MAD the median of their distances to m, x is out when
//     |x - m| > threshold * 1.4826 * max(MAD, floor)
// (Hampel, J. Am. Stat. Assoc. 69 (1974) 383-393; 1.4826 MAD is the standard deviation of Gaussian noise).
// The floor is the median |x - m| of a thousand samples around: the MAD of nine samples alone comes out so
// small, so often, that one sample of noise in a hundred would be called a spike. It is no less than an
// eighth of the smallest step of the channel, so that the last digit is no spike.
//
// Samples that are out and closer than half a width make one event. It is repaired, by a cubic through the
// two samples on either side (a line when it is over three samples long), unless
//   - another channel is out at the same time, or
//   - an oscillation follows: the median step between samples after it is a good deal greater than before:
// then it may be a shock, and is kept and told.
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"
#include "condition/steps/sliding_median.h"

namespace vprism {

namespace {

/// Samples from..to of one column that are out.
struct Outlying {
  std::int64_t from = 0, to = 0;
  double size = 0;  ///< Of the largest one, from its median.
};

double median_of(std::vector<double>& values) {
  if (values.empty()) return 0;
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

/// One column: its samples from `first` on, and what was found among them.
struct DespikeColumn {
  std::vector<double> line;
  std::int64_t first = 0;     ///< Number of line[0].
  std::int64_t searched = 0;  ///< Samples before this one have been looked at.
  double least_step = 0;
  std::vector<Outlying> found;
  std::vector<double> medians, sample;

  std::int64_t end() const { return first + static_cast<std::int64_t>(line.size()); }
  double at(std::int64_t n) const { return line[static_cast<std::size_t>(n - first)]; }
  double& at(std::int64_t n) { return line[static_cast<std::size_t>(n - first)]; }
};

class Despike : public Stage {
 public:
  explicit Despike(StepWords& words) {
    width_ = words.keyed_whole("width", 3, 1000001).value_or(9);
    if (width_ % 2 == 0) throw Error(Status::usage, "the width must be odd, to have a middle");
    if (const auto text = words.keyed("threshold")) threshold_ = plain_number(*text);
    if (!(threshold_ > 0)) throw Error(Status::usage, "the threshold must be above 0");
    mode_ = words.one_of({"report", "all"}).value_or("");
    half_ = width_ / 2;
    chunk_ = std::max(1024, 4 * width_);
    ahead_ = 8 * width_ + 64;
  }

  void start(Recording& passing) override {
    if (passing.axis.stamped) require_even_time(passing, "despike");
    channels_ = passing.channels;
    axis_ = passing.axis;
    samples_ = passing.samples;
    columns_.assign(channels_.size() * (passing.complex ? 2 : 1), {});
    decided_from_.assign(columns_.size(), INT64_MIN);
    handed_ = 0;
    outlet_.start(passing);
    begun_ = false;
  }

  void push(Block& block, const Sink& next) override {
    if (doubt_) {
      next(block);
      return;
    }
    if (!begun_) begin();
    if (block.gaps()) outlet_.set_gaps();
    for (std::size_t c = 0; c < columns_.size(); ++c) {
      const auto x = block.samples(c);
      columns_[c].line.insert(columns_[c].line.end(), x.begin(), x.end());
    }
    search(false);
    settle(false, next);
  }

  void finish(const Sink& next) override {
    if (!begun_) return;
    search(true);
    settle(true, next);
  }

  void doubt(bool on) override { doubt_ = on; }

  StageReport report() const override {
    StageReport report{
        "despike", {{"width", std::to_string(width_)}, {"threshold", format_number(threshold_)}}, {}};
    if (!mode_.empty()) report.values.emplace_back("mode", mode_);
    for (std::size_t c = 0; c < tallies_.size(); ++c) {
      const Tally& tally = tallies_[c];
      const std::string& name = channels_[c].name;
      std::string did = tally.repaired + tally.kept == 0 ? "no spikes" : "";
      if (tally.repaired > 0)
        did += std::to_string(tally.repaired) + (mode_ == "report" ? " found" : " repaired") + ", largest " +
               format_quantity(tally.largest, channels_[c].unit.text()) + " at " +
               time_text(tally.largest_at);
      if (tally.kept > 0)
        did += (did.empty() ? "" : "; ") + std::to_string(tally.kept) + " kept, first at " +
               time_text(tally.first_kept);
      report.effects.emplace_back(name, did);
      if (tally.kept > 0)
        report.cautions.push_back({"shock-kept", Severity::note, name,
                                   std::to_string(tally.kept) +
                                       (tally.kept == 1 ? " event that stands" : " events that stand") +
                                       " out like a spike may be a shock, the first at " +
                                       time_text(tally.first_kept) + " (" + tally.why_first + ")",
                                   "look at it; \"despike all\" repairs it as well"});
      const double share =
          static_cast<double>(tally.samples) / static_cast<double>(std::max<std::int64_t>(samples_, 1));
      if (share > 0.01)
        report.cautions.push_back({"despike-many", Severity::warning, name,
                                   format_number(100 * share, 2) +
                                       "% of the samples stand out like spikes: the "
                                       "signal itself has narrow peaks",
                                   "raise the threshold, or leave despike out"});
    }
    report.events = events_;
    return report;
  }

 private:
  struct Tally {
    std::int64_t repaired = 0, kept = 0, samples = 0, largest_at = 0, first_kept = -1;
    double largest = 0;
    std::string why_first;
  };

  void begin() {
    begun_ = true;
    tallies_.assign(channels_.size(), {});
    events_.clear();
  }
  double time_of(std::int64_t n) const { return axis_.start + static_cast<double>(n) * axis_.interval; }
  std::string time_text(std::int64_t n) const {
    return axis_.interval > 0 ? format_quantity(time_of(n), axis_.unit.text(), 7)
                              : "sample " + std::to_string(n);
  }

  void search(bool ended) {
    const auto work = [&](std::size_t c) {
      DespikeColumn& column = columns_[c];
      const std::int64_t left = column.end() - column.searched;
      const std::int64_t count = ended ? left : (left - half_) / chunk_ * chunk_;
      if (count <= 0) return;
      // Medians, most of the work, side by side; then chunk after chunk.
      column.medians.resize(static_cast<std::size_t>(count));
      const auto step = static_cast<std::size_t>(chunk_),
                 begin = static_cast<std::size_t>(column.searched - column.first);
      oneapi::tbb::parallel_for(
          std::size_t{0}, (column.medians.size() + step - 1) / step, [&](std::size_t k) {
            const std::span<double> all = column.medians;
            sliding_medians(column.line, begin + k * step, static_cast<std::size_t>(half_),
                            all.subspan(k * step, std::min(step, all.size() - k * step)));
          });
      for (std::size_t at = 0; at < column.medians.size(); at += step)
        search_chunk(
            column,
            std::span<const double>(column.medians).subspan(at, std::min(step, column.medians.size() - at)));
    };
    if (columns_.size() == 1)
      work(0);
    else
      oneapi::tbb::parallel_for(std::size_t{0}, columns_.size(), work);
  }

  void search_chunk(DespikeColumn& column, std::span<const double> medians) {
    const auto at = static_cast<std::size_t>(column.searched - column.first);
    const double* const x = column.line.data() + at;
    column.sample.clear();
    for (std::size_t n = 0; n < medians.size(); n += 4) {
      const double distance = std::abs(x[n] - medians[n]);
      if (!std::isnan(distance)) column.sample.push_back(distance);
      if (n > 0) {
        const double step = std::abs(x[n] - x[n - 1]);
        if (step > 0 && (column.least_step == 0 || step < column.least_step)) column.least_step = step;
      }
    }
    const double floor = std::max(1.4826 * median_of(column.sample), column.least_step / 8);
    for (std::size_t n = 0; n < medians.size(); ++n) {
      const double distance = std::abs(x[n] - medians[n]);
      if (!(distance > threshold_ * floor) || !(distance > 0)) continue;
      // MAD below this makes it an outlier: more than half of the window must be that close to the median.
      const double close = distance / (threshold_ * 1.4826);
      const std::size_t i = at + n, reach = static_cast<std::size_t>(half_);
      std::size_t near = 0, all = 0;
      for (std::size_t j = i > reach ? i - reach : 0; j < std::min(column.line.size(), i + reach + 1); ++j) {
        if (std::isnan(column.line[j])) continue;
        ++all;
        near += std::abs(column.line[j] - medians[n]) < close ? 1 : 0;
      }
      if (2 * near <= all) continue;
      // In an oscillation each sample is far from some of its neighbours: the usual step counts as well.
      column.sample.clear();
      for (std::size_t j = i > reach ? i - reach : 0; j + 1 < std::min(column.line.size(), i + reach + 1);
           ++j) {
        const double step = std::abs(column.line[j + 1] - column.line[j]);
        if (!std::isnan(step)) column.sample.push_back(step);
      }
      if (!(distance > threshold_ * median_of(column.sample))) continue;
      const std::int64_t number = column.searched + static_cast<std::int64_t>(n);
      if (!column.found.empty() && number - column.found.back().to <= half_)
        column.found.back().to = number;
      else
        column.found.push_back({number, number, 0});
      if (distance > std::abs(column.found.back().size)) column.found.back().size = x[n] - medians[n];
    }
    column.searched += static_cast<std::int64_t>(medians.size());
  }

  /// Decides on every event that is far enough behind, and hands on what is behind those that are open.
  void settle(bool ended, const Sink& next) {
    std::int64_t ready = INT64_MAX;
    for (const DespikeColumn& column : columns_)
      ready = std::min(ready, ended ? column.end() : column.searched - ahead_ - half_);
    // An event that might still grow holds back what follows.
    std::vector<std::pair<std::size_t, Outlying>> events;
    for (std::size_t c = 0; c < columns_.size(); ++c)
      for (const Outlying& one : columns_[c].found)
        if (one.to >= ready)
          ready = std::min(ready, one.from);
        else if (one.from >= decided_from_[c])
          events.emplace_back(c, one);
    std::erase_if(events, [&](const auto& event) { return event.second.to >= ready; });
    std::sort(events.begin(), events.end(), [](const auto& a, const auto& b) {
      return std::pair(a.second.from, a.first) < std::pair(b.second.from, b.first);
    });
    std::vector<std::string> reasons;
    for (const auto& [c, one] : events) reasons.push_back(reason_to_keep(c, one));
    for (std::size_t i = 0; i < events.size(); ++i) decide(events[i].first, events[i].second, reasons[i]);
    const std::int64_t past = ahead_ + 2 * half_ + 2;
    for (std::size_t c = 0; c < columns_.size(); ++c) {
      DespikeColumn& column = columns_[c];
      auto& out = outlet_.column(c);
      if (ready > handed_)
        out.insert(out.end(), column.line.begin() + (handed_ - column.first),
                   column.line.begin() + (ready - column.first));
      const std::int64_t drop = std::min(ready, column.searched) - past - column.first;
      // What was found stays as long as another channel's event may ask for it.
      std::erase_if(column.found, [&](const Outlying& one) { return one.to < ready - past; });
      if (drop > 65536) {
        column.line.erase(column.line.begin(), column.line.begin() + drop);
        column.first += drop;
      }
    }
    handed_ = std::max(handed_, ready);
    outlet_.flush(next);
  }

  std::string reason_to_keep(std::size_t c, const Outlying& one) const {
    const std::size_t own = c % channels_.size();
    for (std::size_t other = 0; other < columns_.size(); ++other) {
      if (other % channels_.size() == own) continue;
      for (const Outlying& theirs : columns_[other].found)
        if (theirs.from <= one.to + half_ && theirs.to >= one.from - half_)
          return "\"" + channels_[other % channels_.size()].name + "\" stands out as well";
    }
    if (one.to - one.from > 4 * width_)
      return "it lasts " + std::to_string(one.to - one.from + 1) + " samples";
    const DespikeColumn& column = columns_[c];
    const auto rings = [&](std::int64_t reach, double ratio) {
      const double before = median_step(column, one.from - reach, one.from - 1);
      const double after = median_step(column, one.to + 1, one.to + reach);
      return after > ratio * before && after > 0;
    };
    if (rings(3 * width_, 4.5) || rings(8 * width_, 3)) return "an oscillation follows";
    return "";
  }

  static double median_step(const DespikeColumn& column, std::int64_t from, std::int64_t to) {
    from = std::max(from, column.first), to = std::min(to, column.end() - 1);
    std::vector<double> steps;
    for (std::int64_t n = from; n < to; ++n) {
      const double step = std::abs(column.at(n + 1) - column.at(n));
      if (!std::isnan(step)) steps.push_back(step);
    }
    return steps.size() < 8 ? std::nan("") : median_of(steps);
  }

  void decide(std::size_t c, const Outlying& one, const std::string& reason) {
    const std::size_t channel = c % channels_.size();
    decided_from_[c] = one.to + 1;
    Tally& tally = tallies_[channel];
    tally.samples += one.to - one.from + 1;
    const bool keep = !reason.empty() && mode_ != "all";
    if (keep) {
      if (tally.kept++ == 0) tally.first_kept = one.from, tally.why_first = reason;
    } else {
      ++tally.repaired;
      if (std::abs(one.size) > std::abs(tally.largest)) tally.largest = one.size, tally.largest_at = one.from;
      if (mode_ != "report") repair(columns_[c], one);
    }
    if (events_.size() < 1000)
      events_.push_back({channels_[channel].name, time_of(one.from), one.size,
                         mode_ == "report" ? (keep ? "may be a shock: " + reason : "spike")
                         : keep            ? "kept: " + reason
                                           : "repaired"});
  }

  static void repair(DespikeColumn& column, const Outlying& one) {
    const auto there = [&](std::int64_t n) {
      return n >= column.first && n < column.end() && !std::isnan(column.at(n));
    };
    const std::int64_t a = one.from - 1, b = one.to + 1;
    const bool left = there(a), right = there(b);
    for (std::int64_t n = one.from; n <= one.to; ++n) {
      if (std::isnan(column.at(n))) continue;
      if (!left || !right) {
        if (left || right) column.at(n) = left ? column.at(a) : column.at(b);
        continue;
      }
      const auto t = static_cast<double>(n - a), span = static_cast<double>(b - a);
      if (one.to - one.from < 3 && there(a - 1) && there(b + 1)) {
        // Lagrange's cubic through a - 1, a, b, b + 1.
        const double p[4] = {-1, 0, span, span + 1};
        const double y[4] = {column.at(a - 1), column.at(a), column.at(b), column.at(b + 1)};
        double value = 0;
        for (int i = 0; i < 4; ++i) {
          double weight = y[i];
          for (int j = 0; j < 4; ++j)
            if (j != i) weight *= (t - p[j]) / (p[i] - p[j]);
          value += weight;
        }
        column.at(n) = value;
      } else {
        column.at(n) = column.at(a) + (column.at(b) - column.at(a)) * t / span;
      }
    }
  }

  int width_ = 9, half_ = 4;
  double threshold_ = 4;
  std::string mode_;
  std::int64_t chunk_ = 1024, ahead_ = 136, samples_ = 0, handed_ = 0;
  std::vector<Channel> channels_;
  Axis axis_;
  bool begun_ = false, doubt_ = false;
  std::vector<DespikeColumn> columns_;
  std::vector<std::int64_t> decided_from_;
  std::vector<Tally> tallies_;
  std::vector<StageEvent> events_;
  Outlet outlet_;
};

}  // namespace

std::unique_ptr<Stage> make_despike_stage(StepWords& words) { return std::make_unique<Despike>(words); }

}  // namespace vprism
