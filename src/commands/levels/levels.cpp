// levels.cpp: the command `levels`: how loud, how long, how often.
#include "commands/levels/levels.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/shared/channel_values.h"
#include "commands/shared/each_input.h"
#include "commands/shared/write_recording.h"
#include "commands/spectrum/spectrum.h"
#include "condition/filters/sections.h"

namespace vprism {

namespace {

constexpr std::size_t most_stretches = 1000000;

class LevelsTask : public EachInputTask<LevelsResult> {
 public:
  LevelsTask() : EachInputTask("levels") {}

  std::vector<OptionGroup> options() override {
    return {
        input_group(input_),
        {"Levels",
         {quantity_option("every", "TIME", "length of the stretches (default: about 600 over the record)",
                          Dimension::time, every_s_),
          {"time-constant", "TIME|fast|slow",
           "running level with this exponential weighting: fast is 125 ms, slow 1 s (IEC 61672-1); it then "
           "counts instead of the RMS of each stretch",
           false,
           [this](const std::string& t) {
             time_constant_s_ = t == "fast" ? 0.125 : t == "slow" ? 1 : parse_positive(t, Dimension::time);
           },
           [this] { return time_constant_s_ ? Json(*time_constant_s_) : Json(nullptr); }},
          {"over", "LEVEL", "count how often and how long the level lies above this; may be repeated", true,
           [this](const std::string& t) { over_.push_back(parse_any_quantity(t)); },
           [this] {
             Json out = Json::array();
             for (const Quantity& q : over_) out.push_back(q.value);
             return out;
           }},
          {"bands", "octave|third|1/N|A..B,...",
           "levels within octave bands or their fractions 1/6, 1/12, 1/24, or within bands of your own, too "
           "(Butterworth, order 3 to each side, as a meter's)",
           false, [this](const std::string& t) { bands_ = t; }, [this] { return Json(bands_); }},
          {"percentiles", "N,N,...",
           "levels that so many percent of the time exceed (default: 1,5,10,50,90,95,99)", false,
           [this](const std::string& t) {
             percentiles_.clear();
             for (const std::string& part : split(t, ',')) {
               const double value = parse_any_quantity(trimmed(part)).value;
               if (!(value >= 0 && value <= 100))
                 throw Error(Status::usage, "percentiles lie between 0 and 100");
               percentiles_.push_back(value);
             }
             if (percentiles_.size() > 100) throw Error(Status::usage, "at most 100 percentiles");
           },
           [this] { return Json(percentiles_); }},
          {"db", "REFERENCE", "show levels in dB re this many units, such as --db 20e-6", false,
           [this](const std::string& t) {
             const double value = parse_any_quantity(t).value;
             if (!(value > 0)) throw Error(Status::usage, "a reference above zero is needed");
             reference_ = value;
           },
           [this] { return reference_ ? Json(*reference_) : Json(nullptr); }},
          format_option(to_, "also write the levels as a recording that can be analysed again")}},
        output_group(output_)};
  }

 protected:
  LevelsResult measure(Input& input, const Progress& progress) override {
    // Levels stand on the stamps; filters need a grid.
    const bool timed = bands_.empty() && input.keeps_stamps();
    if (!timed) input.require_even_axis();
    const Recording r = input.road().recording();
    if (r.complex)
      throw Error(Status::analysis,
                  r.file + ": complex channels have no level over time here; see modulation");
    LevelsResult result;
    result.every_s = every_s_ ? *every_s_ : usual_stretch(r);
    result.time_constant_s = time_constant_s_, result.reference = reference_;
    const double stretch = result.every_s / r.axis.interval;
    if (!timed && stretch < 2)
      throw Error(Status::usage,
                  "--every: " + format_quantity(result.every_s, "s", 4) + " holds fewer than two samples");
    if (static_cast<double>(r.samples) / stretch > static_cast<double>(most_stretches))
      throw Error(Status::usage, "--every: more than a million stretches; give a longer one");
    std::vector<Lane> lanes = lanes_of(r, result.every_s);
    constexpr double most_levels = 2e7;
    if (static_cast<double>(r.samples) / stretch * static_cast<double>(lanes.size()) > most_levels)
      throw Error(Status::usage,
                  "--every: " + std::to_string(lanes.size()) +
                      " channels and bands come to over 20 million stretches; give a longer one");
    const double unit_s = timed ? 1 : r.axis.interval;
    const LevelSeries series(result.every_s / unit_s, time_constant_s_.value_or(0) / unit_s, true);
    for (Lane& lane : lanes) lane.series.emplace(series);
    input.road().run(
        [&](Block& block) {
          oneapi::tbb::parallel_for(std::size_t{0}, lanes.size(), [&](std::size_t i) {
            Lane& lane = lanes[i];
            if (!lane.filter) {
              if (timed)
                lane.series->add(block.samples(lane.column), block.stamps());
              else
                lane.series->add(block.samples(lane.column));
              return;
            }
            lane.out.clear();
            lane.filter->add(block.samples(lane.column), lane.out);
            lane.series->add(lane.out);
          });
        },
        progress);
    for (Lane& lane : lanes) {
      if (!lane.filter) continue;
      lane.out.clear();
      lane.filter->finish(lane.out);
      lane.series->add(lane.out);
    }
    result.facts = input.facts();
    for (Lane& lane : lanes) {
      ChannelLevels channel;
      channel.channel = r.channels[lane.column];
      channel.of = channel.channel.name, channel.band = lane.band;
      if (lane.band) channel.channel.name += ", " + name_of(*lane.band);
      channel.rms = lane.series->rms(), channel.peak = lane.series->peak();
      channel.points = lane.series->finish();
      for (const LevelPoint& p : channel.points)
        channel.level.push_back(time_constant_s_ ? p.running : p.rms);
      channel.sorted = ascending(channel.level);
      for (const double percent : percentiles_)
        channel.percentiles.emplace_back(percent, exceeded_by(channel.sorted, percent));
      for (const Quantity& q : over_)
        channel.exceedances.push_back(exceedance_of(channel.level, in_unit_of(channel.channel, q, "--over")));
      result.channels.push_back(std::move(channel));
    }
    return result;
  }

  void report(const LevelsResult& result, Delivery& delivery) override { report_levels(result, delivery); }

  void write(LevelsResult& result, const std::string& base, Outputs& folder) override {
    folder.add(base + ".csv", levels_csv(result), "levels of every stretch");
    folder.add(base + "-distribution.csv", distribution_csv(result),
               "how much of the time exceeds each level");
    if (!to_.empty()) write_again(result, base, folder);
    folder.add_figure(base, levels_figure(result), "levels over time and how often each is exceeded");
  }

 private:
  /// A channel as it is, or what a band lets through of it.
  struct Lane {
    std::size_t column = 0;
    std::optional<BandEdges> band = {};
    std::unique_ptr<ColumnWorker> filter = {};
    std::optional<LevelSeries> series = {};
    std::vector<double> out = {};
  };

  static std::string name_of(const BandEdges& band) {
    return band.name.empty()
               ? format_quantity(band.low_hz, "Hz", 4) + " to " + format_quantity(band.high_hz, "Hz", 4)
               : band.name;
  }

  std::vector<Lane> lanes_of(const Recording& r, double every_s) const {
    constexpr std::size_t most_lanes = 4096;
    const double rate = r.axis.rate_hz();
    std::vector<BandEdges> bands;
    // A stretch holds a period of the band's width at least; nearer to half the rate a filter is bent.
    if (!bands_.empty()) {
      bands = bands_asked(bands_, 0, 0.45 * rate, 4 / every_s);
      if (bands.empty())
        throw Error(Status::usage, "--bands: no such band lies between " +
                                       format_quantity(4 / every_s, "Hz", 3) +
                                       " (four periods in a stretch) and 0.45 of the rate");
    }
    std::vector<Lane> lanes;
    for (std::size_t c = 0; c < r.channels.size(); ++c) {
      lanes.push_back({c});
      for (const BandEdges& band : bands) {
        if (!(band.low_hz >= 0 && band.low_hz < band.high_hz && band.high_hz < rate / 2))
          throw Error(Status::usage, "--bands: " + name_of(band) + " does not lie below half the rate, " +
                                         format_quantity(rate / 2, "Hz", 6));
        FilterDesign design;
        design.order = 3;
        design.band = band.low_hz > 0 ? FilterBand::bandpass : FilterBand::lowpass;
        design.low = band.low_hz / rate, design.high = band.high_hz / rate;
        try {
          lanes.push_back({c, band, make_causal_filter(design.sections())});
        } catch (const Error& error) {
          throw Error(Status::analysis, "--bands: " + name_of(band) + ": " + error.what());
        }
      }
    }
    if (lanes.size() > most_lanes)
      throw Error(Status::usage, "--bands: over 4096 series; choose fewer channels or bands");
    return lanes;
  }

  /// One of 1, 2, 5 times a power of ten.
  static double usual_stretch(const Recording& r) {
    const double wanted = std::max(r.duration_s() / 600, 10 * r.axis.interval);
    const double power = std::pow(10, std::floor(std::log10(wanted)));
    for (const double step : {1.0, 2.0, 5.0})
      if (step * power >= wanted * 0.999) return step * power;
    return 10 * power;
  }

  void write_again(const LevelsResult& result, const std::string& base, Outputs& folder) const {
    Recording out = result.facts.recording;
    out.channels.clear(), out.parts.clear(), out.cautions.clear();
    std::vector<std::vector<double>> columns;
    for (const ChannelLevels& c : result.channels) {
      const auto add = [&](const char* what, auto value) {
        Channel channel = c.channel;
        channel.name += what;
        out.channels.push_back(channel);
        columns.emplace_back();
        for (const LevelPoint& p : c.points) columns.back().push_back(value(p));
      };
      add(" rms", [](const LevelPoint& p) { return p.rms; });
      add(" mean", [](const LevelPoint& p) { return p.mean; });
      add(" peak", [](const LevelPoint& p) { return p.peak(); });
      if (result.time_constant_s) add(" level", [](const LevelPoint& p) { return p.running; });
    }
    out.samples = static_cast<std::int64_t>(columns[0].size());
    out.axis.start += result.every_s / 2;
    out.axis.interval = result.every_s;
    out.axis.stamped = false, out.axis.jitter = 0;
    write_recording(out, Columns(columns.begin(), columns.end()), folder, base + "-series",
                    find_write_format(to_), {});
  }

  std::optional<double> every_s_, time_constant_s_, reference_;
  std::vector<Quantity> over_;
  std::vector<double> percentiles_ = {1, 5, 10, 50, 90, 95, 99};
  std::string to_, bands_;
};

}  // namespace

std::unique_ptr<Task> make_levels_task() { return std::make_unique<LevelsTask>(); }

}  // namespace vprism
