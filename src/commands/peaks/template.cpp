// template.cpp: see template.h.
#include "commands/peaks/template.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/percentile.h"
#include "base/text.h"
#include "condition/filters/fir.h"

namespace vprism {

namespace {

constexpr std::int64_t most_samples = 1 << 20;  ///< Of a shape.

[[noreturn]] void refuse(const ChannelPeaks& c, const std::string& why) {
  throw Error(Status::analysis, "--template: channel \"" + clean_text(c.channel.name) + "\": " + why);
}

}  // namespace

std::pair<double, double> template_range(const std::string& text) {
  Range range;
  try {
    range = parse_range(text, Dimension::time);
  } catch (const Error&) {
    // Said below.
  }
  if (!range.low || !range.high || !(*range.low < *range.high))
    throw Error(Status::usage, "--template: \"" + clean_text(text) +
                                   "\" is no stretch of time; write \"0.2s..0.3s\", or \"mean\"");
  return {*range.low, *range.high};
}

void each_view(Input& input, const PeaksResult& result, const std::vector<std::size_t>& column,
               const Progress& progress,
               const std::function<void(std::size_t, std::span<const double>, std::span<const double>)>& work,
               const std::function<void(const Block&)>& whole) {
  struct View {
    std::unique_ptr<ColumnWorker> filter;
    std::vector<double> out;
  };
  std::vector<View> views(result.channels.size());
  for (std::size_t i = 0; i < views.size(); ++i)
    if (!result.channels[i].shape.empty())
      views[i].filter = make_centred_fir(result.channels[i].shape.taps());
  input.road().run(
      [&](Block& block) {
        oneapi::tbb::parallel_for(std::size_t{0}, views.size(), [&](std::size_t i) {
          View& view = views[i];
          if (!view.filter) {
            work(i, block.samples(column[i]), block.stamped() ? block.stamps() : std::span<const double>());
            return;
          }
          view.out.clear();
          view.filter->add(block.samples(column[i]), view.out);
          work(i, view.out, {});
        });
        if (whole) whole(block);
      },
      progress);
  for (std::size_t i = 0; i < views.size(); ++i) {
    if (!views[i].filter) continue;
    views[i].out.clear();
    views[i].filter->finish(views[i].out);
    work(i, views[i].out, {});
  }
}

void take_stretches(Input& input, PeaksResult& result, const std::vector<std::size_t>& column,
                    std::pair<double, double> range, const Progress& progress) {
  const Recording& r = input.road().recording();
  const auto from =
                 static_cast<std::int64_t>(std::ceil((range.first - r.axis.start) / r.axis.interval - 1e-9)),
             to = static_cast<std::int64_t>(
                      std::floor((range.second - r.axis.start) / r.axis.interval + 1e-9)) +
                  1;
  if (from < 0 || to > r.samples || to - from < 5 || to - from > most_samples)
    throw Error(Status::analysis, r.file + ": --template: " +
                                      (to - from < 5 ? "that stretch holds fewer than 5 samples"
                                       : to - from > most_samples
                                           ? "that stretch holds over 1048576 samples"
                                           : "that stretch does not lie within the record, which goes from " +
                                                 format_quantity(r.axis.start, "s", 6) + " to " +
                                                 format_quantity(r.axis.start + r.duration_s(), "s", 6)));
  std::vector<std::vector<double>> stretches(result.channels.size());
  std::int64_t at = 0;
  input.road().run(
      [&](Block& block) {
        const auto count = static_cast<std::int64_t>(block.samples(0).size());
        const std::int64_t begin = std::clamp<std::int64_t>(from - at, 0, count),
                           end = std::clamp<std::int64_t>(to - at, 0, count);
        for (std::size_t i = 0; i < stretches.size(); ++i) {
          const auto x = block.samples(column[i]);
          stretches[i].insert(stretches[i].end(), x.begin() + begin, x.begin() + end);
        }
        at += count;
      },
      progress);
  for (std::size_t i = 0; i < stretches.size(); ++i) {
    ChannelPeaks& c = result.channels[i];
    c.shape = template_of(stretches[i], c.sign);
    if (c.shape.empty())
      refuse(c, std::string("that stretch has no ") + (c.sign > 0 ? "top" : "lowest point") +
                    " within it, or samples are missing there");
  }
}

void take_means(Input& input, const PeaksResult& first, PeaksResult& result,
                const std::vector<std::size_t>& column, const Progress& progress) {
  const Axis axis = input.road().recording().axis;
  std::vector<MeanShape> means;
  for (const ChannelPeaks& c : first.channels) {
    if (c.peaks.size() < 2) refuse(c, "fewer than two peaks stand out, so they have no mean; name a stretch");
    std::vector<double> places, widths;
    for (const TimePeak& peak : c.peaks) places.push_back(peak.sample), widths.push_back(peak.width);
    double reach = 2 * median_in(widths);
    if (c.rhythm) reach = std::min(reach, 0.45 * c.rhythm->median_s / axis.interval);
    means.emplace_back(std::move(places),
                       std::clamp<std::int64_t>(static_cast<std::int64_t>(reach), 3, most_samples / 2));
  }
  each_view(input, first, column, progress,
            [&](std::size_t i, std::span<const double> x, std::span<const double>) { means[i].add(x); });
  for (std::size_t i = 0; i < means.size(); ++i) {
    const std::vector<double> mean = means[i].mean();
    result.channels[i].shape = template_of(mean, result.channels[i].sign);
    if (result.channels[i].shape.empty()) refuse(result.channels[i], "its peaks have no mean shape");
  }
}

void judge_matches(Input& input, PeaksResult& result, const std::vector<std::size_t>& column,
                   const std::optional<double>& min_likeness, const Progress& progress) {
  std::vector<MatchMeter> meters;
  for (const ChannelPeaks& c : result.channels) {
    std::vector<std::int64_t> places;
    for (const TimePeak& peak : c.peaks) places.push_back(std::llround(peak.sample));
    meters.emplace_back(c.shape, std::move(places));
  }
  input.road().run(
      [&](Block& block) {
        oneapi::tbb::parallel_for(std::size_t{0}, meters.size(),
                                  [&](std::size_t i) { meters[i].add(block.samples(column[i])); });
      },
      progress);
  const double interval = input.road().recording().axis.interval;
  for (std::size_t i = 0; i < meters.size(); ++i) {
    ChannelPeaks& c = result.channels[i];
    const std::vector<PeakMatch>& matches = meters[i].matches();
    std::vector<double> all, stds;
    for (const PeakMatch& match : matches)
      if (!std::isnan(match.likeness)) all.push_back(match.likeness), stds.push_back(match.height_std);
    const double usual_std = stds.empty() ? 0 : median_in(stds);
    const double least = min_likeness ? *min_likeness : all.empty() ? 0 : 0.5 * median_in(all);
    ChannelPeaks kept = c;
    kept.peaks.clear(), kept.times_s.clear(), kept.times_std_s.clear(), kept.widths_s.clear();
    for (std::size_t k = 0; k < matches.size(); ++k) {
      // At the record's ends the shape does not stand as a whole: nothing is known against it.
      if (matches[k].likeness < least) {
        ++kept.unlike;
        continue;
      }
      TimePeak peak = c.peaks[k];
      if (c.noise) {
        // Where the shape leaves more than usual the noise is stronger, too.
        const double here = usual_std > 0 ? std::max(1.0, matches[k].height_std / usual_std) : 1,
                     bend = peak.height * c.shape.slope_energy / c.shape.energy;
        peak.height_std = here * c.noise->level;
        if (bend > 0) peak.sample_std = here * c.noise->slope / bend;
      } else if (!std::isnan(matches[k].likeness)) {
        peak.height_std = std::max(peak.height_std, matches[k].height_std);
        peak.sample_std = std::max(peak.sample_std, matches[k].place_std);
      }
      peak.height *= c.sign;
      kept.peaks.push_back(peak);
      kept.times_s.push_back(c.times_s[k] + c.shape.top * interval);
      kept.times_std_s.push_back(peak.sample_std * interval);
      kept.widths_s.push_back(c.widths_s[k]);
      kept.likenesses.push_back(matches[k].likeness);
    }
    c = std::move(kept);
  }
}

}  // namespace vprism
