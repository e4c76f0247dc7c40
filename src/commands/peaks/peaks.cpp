// peaks.cpp: the command `peaks`: what stands out in time, how regularly it comes, and in which channel
// first.
#include "commands/peaks/peaks.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/peaks/template.h"
#include "commands/shared/channel_values.h"
#include "commands/shared/each_input.h"

namespace vprism {

namespace {

class PeaksTask : public EachInputTask<PeaksResult> {
 public:
  PeaksTask() : EachInputTask("peaks") {}

  std::vector<OptionGroup> options() override {
    const auto level = [](const char* name, const char* help, std::optional<Quantity>& into) {
      return Option{name,
                    "VALUE",
                    help,
                    false,
                    [&into](const std::string& t) { into = parse_any_quantity(t); },
                    [&into] { return into ? Json(into->value) : Json(nullptr); }};
    };
    return {input_group(input_),
            {"Peaks",
             {level("min-prominence",
                    "least prominence: height above the higher of the lows on both sides (default: what "
                    "stands out of "
                    "noise and lesser peaks)",
                    min_prominence_),
              level("min-height", "least height; of minima, least depth below zero", min_height_),
              level("threshold", "least drop to the next sample on either side", threshold_),
              quantity_option("min-distance", "TIME", "least time between peaks; the higher one stays",
                              Dimension::time, min_distance_s_),
              quantity_option("min-width", "TIME", "least width at half prominence", Dimension::time,
                              min_width_s_),
              quantity_option("max-width", "TIME", "greatest width at half prominence", Dimension::time,
                              max_width_s_),
              switch_option("minima", "the lowest points instead of the highest", minima_),
              switch_option("both", "the lowest points as well", both_)}},
            {"By their shape",
             {text_option("template", "T1..T2|mean",
                          "peaks of this shape, by a matched filter: that of a stretch of the record, or the "
                          "mean of the peaks that are found without it",
                          template_),
              quantity_option("min-likeness", "P",
                              "least correlation with the shape (default: half of the median)",
                              Dimension::ratio, min_likeness_)}},
            output_group(output_)};
  }

 protected:
  void check_settings() const override {
    if (minima_ && both_) throw Error(Status::usage, "give --minima or --both, not both");
    if (min_width_s_ && max_width_s_ && *min_width_s_ > *max_width_s_)
      throw Error(Status::usage, "--min-width is greater than --max-width");
    if (!template_.empty() && both_)
      throw Error(Status::usage, "--template looks for one shape; give --minima or nothing, not --both");
    if (template_.empty() && min_likeness_)
      throw Error(Status::usage, "--min-likeness is the likeness to a shape; give --template too");
    if (min_likeness_ && !(*min_likeness_ > 0 && *min_likeness_ < 1))
      throw Error(Status::usage, "--min-likeness must lie between 0 and 100%");
    if (!template_.empty() && template_ != "mean") (void)template_range(template_);
  }

  PeaksResult measure(Input& input, const Progress& progress) override {
    input.road().resolve();
    const Recording r = input.road().recording();
    if (!(r.axis.interval > 0) || r.axis.domain != Axis::Domain::time) input.require_even_axis();
    if (r.complex)
      throw Error(Status::analysis, r.file + ": complex channels have no highest points; see modulation");
    PeaksResult result;
    for (const Channel& channel : r.channels)
      for (const double sign : {1.0, -1.0})
        if (both_ || (sign < 0) == minima_) result.channels.push_back(begun(r, channel, sign));
    std::vector<std::size_t> column;
    for (std::size_t c = 0; c < r.channels.size(); ++c)
      for (int k = 0; k < (both_ ? 2 : 1); ++k) column.push_back(c);
    if (!template_.empty()) {
      input.require_even_axis();
      take_templates(input, result, column, progress);
    }
    choose_prominences(input, result, column, progress);
    const std::vector<std::vector<RoughPeak>> rough = find(input, result, column, progress);
    shape(input, result, column, rough, progress);
    if (!template_.empty()) judge_matches(input, result, column, min_likeness_, progress);
    if (r.axis.stamped && template_.empty()) take_stamps(input, result, progress);
    result.facts = input.facts();
    for (ChannelPeaks& c : result.channels) finish(c, r, result.facts.recording.cautions);
    pair(result);
    return result;
  }

  void report(const PeaksResult& result, Delivery& delivery) override { report_peaks(result, delivery); }

  void write(PeaksResult& result, const std::string& base, Outputs& folder) override {
    folder.add(base + ".csv", peaks_csv(result), "every peak: time, height, prominence, width, interval");
    folder.add_figure(base, peaks_figure(result), "peaks on the trace, intervals over time, heights");
  }

 private:
  ChannelPeaks begun(const Recording& r, const Channel& channel, double sign) const {
    ChannelPeaks out;
    out.channel = channel, out.sign = sign;
    TimePeakRules& rules = out.rules;
    if (min_prominence_) rules.min_prominence = in_unit_of(channel, *min_prominence_, "--min-prominence");
    if (min_height_) rules.min_height = in_unit_of(channel, *min_height_, "--min-height");
    if (threshold_) rules.threshold = in_unit_of(channel, *threshold_, "--threshold");
    const double rate = 1 / r.axis.interval;
    if (min_distance_s_) rules.min_distance = *min_distance_s_ * rate;
    if (min_width_s_) rules.min_width = *min_width_s_ * rate;
    if (max_width_s_) rules.max_width = *max_width_s_ * rate;
    // Where anything else says what a peak is, that is enough.
    out.prominence_found = !min_prominence_ && !min_height_ && !threshold_;
    return out;
  }

  /// What stands out on each channel's own samples, then those stretches' mean, or the stretch asked for.
  void take_templates(Input& input, PeaksResult& result, const std::vector<std::size_t>& column,
                      const Progress& progress) const {
    if (template_ != "mean") {
      take_stretches(input, result, column, template_range(template_), progress);
      return;
    }
    PeaksResult first = result;
    choose_prominences(input, first, column, progress);
    shape(input, first, column, find(input, first, column, progress), progress);
    take_means(input, first, result, column, progress);
  }

  static void choose_prominences(Input& input, PeaksResult& result, const std::vector<std::size_t>& column,
                                 const Progress& progress) {
    if (std::none_of(result.channels.begin(), result.channels.end(),
                     [](const ChannelPeaks& c) { return c.prominence_found; }))
      return;
    std::vector<ProminenceSurvey> surveys(result.channels.size());
    std::vector<PeakFinder> finders;
    for (std::size_t i = 0; i < surveys.size(); ++i)
      finders.emplace_back(TimePeakRules{}, view_sign(result.channels[i]),
                           [&survey = surveys[i]](const RoughPeak& peak) { survey.take(peak); });
    each_view(input, result, column, progress, [&](std::size_t i, std::span<const double> x, auto) {
      surveys[i].add(x);
      finders[i].add(x);
    });
    for (std::size_t i = 0; i < surveys.size(); ++i) {
      finders[i].finish();
      const ProminenceSurvey::Choice choice = surveys[i].choice();
      result.channels[i].rules.min_prominence = choice.min_prominence;
      result.channels[i].noise_std = choice.noise_std, result.channels[i].step = choice.step;
    }
  }

  std::vector<std::vector<RoughPeak>> find(Input& input, PeaksResult& result,
                                           const std::vector<std::size_t>& column,
                                           const Progress& progress) const {
    std::vector<std::vector<RoughPeak>> found(result.channels.size());
    std::vector<PeakFinder> finders;
    for (std::size_t i = 0; i < found.size(); ++i)
      finders.emplace_back(
          result.channels[i].rules, view_sign(result.channels[i]), [&, i](const RoughPeak& peak) {
            if (found[i].size() >= most_peaks)
              throw Error(Status::analysis, "channel \"" + clean_text(result.channels[i].channel.name) +
                                                "\" has over " + std::to_string(most_peaks) +
                                                " peaks; give --min-prominence");
            found[i].push_back(peak);
          });
    result.outlines.emplace(input.road().recording().channels.size());
    each_view(
        input, result, column, progress,
        [&](std::size_t i, std::span<const double> x, auto) { finders[i].add(x); },
        [&](const Block& block) { result.outlines->add(block); });
    for (std::size_t i = 0; i < finders.size(); ++i) {
      finders[i].finish();
      found[i] = apart(std::move(found[i]), result.channels[i].rules.min_distance);
    }
    return found;
  }

  static void shape(Input& input, PeaksResult& result, const std::vector<std::size_t>& column,
                    const std::vector<std::vector<RoughPeak>>& rough, const Progress& progress) {
    std::vector<PeakShaper> shapers;
    const Axis axis = input.road().recording().axis;
    for (std::size_t i = 0; i < rough.size(); ++i)
      shapers.emplace_back(rough[i], view_sign(result.channels[i]), axis.stamped ? axis.interval : 0);
    std::vector<std::optional<MatchNoise>> noises(rough.size());
    for (std::size_t i = 0; i < rough.size(); ++i)
      if (const PeakTemplate& t = result.channels[i].shape; !t.empty()) {
        std::vector<std::int64_t> places;
        for (const RoughPeak& peak : rough[i]) places.push_back(peak.sample);
        noises[i].emplace(std::move(places), static_cast<std::int64_t>(t.shape.size()));
      }
    each_view(input, result, column, progress,
              [&](std::size_t i, std::span<const double> x, std::span<const double> stamps) {
                shapers[i].add(x, stamps);
                if (noises[i]) noises[i]->add(x);
              });
    for (std::size_t i = 0; i < shapers.size(); ++i) {
      if (noises[i]) result.channels[i].noise = noises[i]->found();
      const TimePeakRules& rules = result.channels[i].rules;
      for (const TimePeak& peak : shapers[i].finish()) {
        if (peak.width < rules.min_width || peak.width > rules.max_width) continue;
        result.channels[i].peaks.push_back(peak);
        result.channels[i].times_s.push_back(axis.stamped ? peak.stamp
                                                          : axis.start + peak.sample * axis.interval);
        result.channels[i].times_std_s.push_back(peak.sample_std * axis.interval);
        result.channels[i].widths_s.push_back(peak.width * axis.interval);
      }
    }
  }

  /// Widths by the stamps on both sides.
  static void take_stamps(Input& input, PeaksResult& result, const Progress& progress) {
    struct Asked {
      double sample;
      double* into;
    };
    std::vector<Asked> asked;
    std::vector<std::vector<std::pair<double, double>>> edges(result.channels.size());
    for (std::size_t i = 0; i < result.channels.size(); ++i) {
      ChannelPeaks& c = result.channels[i];
      edges[i].resize(c.peaks.size());
      for (std::size_t k = 0; k < c.peaks.size(); ++k) {
        const TimePeak& peak = c.peaks[k];
        asked.push_back({std::max(0.0, peak.sample - peak.width / 2), &edges[i][k].first});
        asked.push_back({peak.sample + peak.width / 2, &edges[i][k].second});
      }
    }
    std::sort(asked.begin(), asked.end(), [](const Asked& a, const Asked& b) { return a.sample < b.sample; });
    std::size_t next = 0;
    std::int64_t at = 0;
    double before = 0;
    input.road().run(
        [&](Block& block) {
          for (const double stamp : block.stamps()) {
            for (; next < asked.size() && asked[next].sample <= static_cast<double>(at); ++next) {
              const double part = static_cast<double>(at) - asked[next].sample;
              *asked[next].into = at == 0 ? stamp : stamp - part * (stamp - before);
            }
            before = stamp, ++at;
          }
        },
        progress);
    for (; next < asked.size(); ++next) *asked[next].into = before;
    for (std::size_t i = 0; i < result.channels.size(); ++i)
      for (std::size_t k = 0; k < edges[i].size(); ++k)
        result.channels[i].widths_s[k] = edges[i][k].second - edges[i][k].first;
  }

  static void finish(ChannelPeaks& c, const Recording& r, std::vector<Caution>& cautions) {
    c.rhythm = rhythm_of(c.times_s);
    const auto add = [&](const char* code, Severity severity, std::string text, std::string remedy) {
      cautions.push_back({code, severity, c.channel.name, std::move(text), std::move(remedy)});
    };
    const char* what = c.sign > 0 ? "peak" : "minimum";
    if (c.peaks.empty())
      add("no-peaks", Severity::warning,
          std::string("no ") + what + " stands out" +
              (c.prominence_found ? " of the noise" : " as asked for"),
          "give --min-prominence in the channel's unit");
    if (c.prominence_found && !c.peaks.empty() && c.step > 0) {
      const auto steps = std::count_if(c.peaks.begin(), c.peaks.end(),
                                       [&](const TimePeak& peak) { return peak.prominence < 1.5 * c.step; });
      if (2 * steps > static_cast<std::int64_t>(c.peaks.size()))
        add("peaks-one-step", Severity::warning,
            "its peaks are one step of the converter high, " +
                format_quantity(c.step, c.channel.unit.label(), 3) +
                ": pulses of two levels look so, and a quiet converter as well",
            "give --min-prominence if they are noise");
    }
    if (!c.rhythm || r.axis.interval <= 0) return;
    // Only what comes regularly can miss one.
    const PeakRhythm& rhythm = *c.rhythm;
    if (rhythm.std_s > 0.25 * rhythm.mean_s) return;
    if (rhythm.missed > 0)
      add("peaks-missed", Severity::warning,
          std::to_string(rhythm.missed) + (rhythm.missed == 1 ? " peak is" : " peaks are") +
              " missing by the intervals, the first after " +
              format_quantity(c.times_s[rhythm.long_after[0]], "s", 7) +
              "; intervals that hold them are left out of mean and scatter",
          "look at the record there; a lower --min-prominence may find them");
    if (rhythm.extra > 0)
      add("peaks-extra", Severity::warning,
          std::to_string(rhythm.extra) + (rhythm.extra == 1 ? " peak comes" : " peaks come") +
              " between two usual ones, the first after " +
              format_quantity(c.times_s[rhythm.short_after[0]], "s", 7),
          "a greater --min-prominence or --min-distance may leave them out");
  }

  /// The first channel's peaks with those of each other.
  static void pair(PeaksResult& result) {
    for (std::size_t i = 1; i < result.channels.size() && i <= 64; ++i) {
      const ChannelPeaks &a = result.channels[0], &b = result.channels[i];
      if (!a.rhythm || b.peaks.size() < 3 || a.channel.name == b.channel.name) continue;
      const PeakPairing pairing = pair_peaks(a.times_s, b.times_s, a.rhythm->median_s / 2);
      if (2 * pairing.pairs > static_cast<std::int64_t>(a.peaks.size())) result.pairs.push_back({i, pairing});
    }
  }

  static constexpr std::size_t most_peaks = 5000000;
  std::optional<Quantity> min_prominence_, min_height_, threshold_;
  std::optional<double> min_distance_s_, min_width_s_, max_width_s_, min_likeness_;
  std::string template_;
  bool minima_ = false, both_ = false;
};

}  // namespace

std::unique_ptr<Task> make_peaks_task() { return std::make_unique<PeaksTask>(); }

}  // namespace vprism
