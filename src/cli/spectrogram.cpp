// spectrogram.cpp: the command `spectrogram`: spectrum against time, ridges, events, slices.
#include "transform/spectrogram.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/percentile.h"
#include "cli/analysis_options.h"
#include "cli/each_input.h"
#include "cli/events_told.h"
#include "cli/maps.h"
#include "cli/spectrum.h"
#include "identify/ridges.h"
#include "identify/spectrogram_looks.h"

namespace vprism {

namespace {

/// A line through the map: a spectrum at a time, or a level against time at a frequency.
struct Slice {
  bool at_time = false;
  double where = 0;
};

struct ChannelMap {
  Spectrogram spectrogram;
  std::vector<MapEvent> events;
  std::vector<Ridge> ridges;
};

struct SpectrogramResult {
  Input* input = nullptr;
  InputFacts facts;
  SpectrumPlan plan;
  SpectrogramSettings settings;
  std::vector<ChannelMap> channels;
};

class SpectrogramTask : public EachInputTask<SpectrogramResult> {
 public:
  SpectrogramTask() : EachInputTask("spectrogram") {}

  std::vector<OptionGroup> options() override {
    OptionGroup analysis = analysis_group(analysis_);
    std::erase_if(analysis.options, [](const Option& o) {
      return o.name == "average" || o.name == "peaks" || o.name == "phase-at" || o.name == "overlap";
    });
    for (Option& o : analysis.options) {
      if (o.name == "resolution") o.help = "resolution bandwidth (RBW) wanted; sets the segment";
      if (o.name == "segment")
        o.help = "samples per segment (default: about four times the root of the record)";
    }
    const OptionGroup own{
        "Map",
        {{"overlap", "PERCENT",
          "how far segments overlap, 0% to 99% (default: what 600 steps over the record need, "
          "50% to 94%)",
          false,
          [this](const std::string& t) {
            overlap_ = parse_quantity(t, Dimension::ratio);
            if (!(*overlap_ >= 0 && *overlap_ <= 0.99))
              throw Error(Status::usage, "\"" + clean_text(t) + "\" must lie in 0%..99%");
          },
          [this] { return overlap_ ? Json(*overlap_) : Json(nullptr); }},
         {"hop", "TIME", "step from segment to segment, instead of an overlap", false,
          [this](const std::string& t) { hop_s_ = parse_positive(t, Dimension::time); },
          [this] { return hop_s_ ? Json(*hop_s_) : Json(nullptr); }},
         {"slice", "TIME|FREQUENCY,...",
          "the spectrum at these times, the level against time at these frequencies", true,
          [this](const std::string& t) { add_slices(t); }, [this] { return slices_json(); }},
         switch_option("waterfall", "a picture in 3-D besides the flat one", waterfall_),
         switch_option("sharpen", "reassign every cell's energy to where it belongs in time and frequency",
                       sharpen_),
         count_option("ridges", "how many lines to follow through the map (default: 5)", 0, ridges_),
         axis_choice_option("frequency-axis", logarithmic_),
         range_option("levels",
                      "range of the colours in dB, such as -80dB..0dB (default: found from the map)",
                      Dimension::decibel, range_db_),
         map_option(map_, "how the map's numbers are written (default: hdf5)"),
         {"map-columns", "N|all",
          "columns of the map, each the greatest level of its segments (default: 1200); all: every segment "
          "in the "
          "file with the numbers",
          false,
          [this](const std::string& t) {
            every_ = t == "all";
            if (!every_) columns_ = static_cast<std::size_t>(parse_whole_number(t, 2));
          },
          [this] { return every_ ? Json("all") : Json(columns_); }},
         {"second-look", "auto|on|off",
          "a second map with segments an eighth as long, to say where the two disagree about an event (auto: "
          "for "
          "records of up to 30 million samples)",
          false,
          [this](const std::string& t) {
            (void)choice("second-look", t, {"auto", "on", "off"});
            second_look_ = t;
          },
          [this] { return Json(second_look_); }}}};
    return {input_group(input_), analysis, own, output_group(output_)};
  }

 protected:
  void check_settings() const override {
    if (!analysis_.compared.empty()) throw Error(Status::usage, "--window: a map is made with one window");
    if (hop_s_ && overlap_)
      throw Error(Status::usage, "--hop and --overlap say the same thing; give one of them");
  }

  SpectrogramResult measure(Input& input, const Progress& progress) override {
    input.require_even_axis();
    const Recording recording = input.road().recording();
    SpectrogramResult result;
    result.input = &input;
    result.settings.most_columns = columns_;
    result.settings.reassigned = sharpen_;
    SpectrumSettings& spectrum = result.settings.spectrum;
    spectrum = spectrogram_cut(analysis_.spectrum, overlap_ || hop_s_, recording.samples);
    if (overlap_) spectrum.overlap = *overlap_;
    try {
      result.plan = plan_spectrum(spectrum, recording.samples, recording.axis.rate_hz());
      if (hop_s_) {
        spectrum.overlap = 0;
        result.plan.hop = static_cast<std::size_t>(std::max(1.0, std::round(*hop_s_ * result.plan.rate_hz)));
        result.plan.averages = 1 + (recording.samples - static_cast<std::int64_t>(result.plan.segment)) /
                                       static_cast<std::int64_t>(result.plan.hop);
      }
    } catch (const Error& error) {
      throw Error(error.status(), recording.file + ": " + error.what());
    }
    SpectrogramEstimator estimator(result.plan, result.settings);
    const std::size_t quick = std::max<std::size_t>(16, result.plan.segment / 8);
    const bool again = quick < result.plan.segment &&
                       (second_look_ == "on" || (second_look_ == "auto" && recording.samples <= 30000000));
    std::optional<SpectrogramEstimator> second;
    SpectrumPlan quick_plan;
    if (again) {
      SpectrogramSettings other = result.settings;
      other.reassigned = false;
      other.spectrum.resolution_hz.reset();
      other.spectrum.segment = quick;
      other.spectrum.overlap = 0.5;
      quick_plan = plan_spectrum(other.spectrum, recording.samples, recording.axis.rate_hz());
      second.emplace(quick_plan, other);
    }
    input.road().run(
        [&](Block& block) {
          estimator.add(block);
          if (second) second->add(block);
        },
        progress);
    std::vector<Spectrogram> maps = estimator.result(), quick_maps;
    if (second) quick_maps = second->result();
    result.facts = input.facts();
    for (std::size_t c = 0; c < maps.size(); ++c) {
      ChannelMap channel;
      Spectrogram& map = maps[c];
      if (recording.complex) {
        shift_up(map, recording.channels[c].carrier_hz);
        if (second) shift_up(quick_maps[c], recording.channels[c].carrier_hz);
      }
      if (const SpanRule* rule = analysis_.span_of(recording, c)) {
        map.map = map.map.cropped(rule->range.low, rule->range.high);
        if (map.map.rows() < 2)
          throw Error(Status::analysis,
                      recording.file + ": --span " + rule->text + " holds fewer than two rows of the map");
        if (second) quick_maps[c].map = quick_maps[c].map.cropped(rule->range.low, rule->range.high);
      }
      if (!sharpen_) channel.events = spectrogram_events(map);
      if (second) {
        const std::vector<MapEvent> quick_events = spectrogram_events(quick_maps[c]);
        for (Caution& caution : compare_looks(recording.channels[c].name, map, channel.events, quick_maps[c],
                                              quick_events, recording.axis.start))
          result.facts.recording.cautions.push_back(std::move(caution));
      }
      RidgeSearch search;
      search.most = ridges_;
      search.least_columns =
          std::max<std::size_t>(6, static_cast<std::size_t>(1.5 * result.plan.segment_s() / map.map.step_s));
      if (ridges_ > 0) channel.ridges = find_ridges(map.map, search);
      channel.spectrogram = std::move(map);
      result.channels.push_back(std::move(channel));
    }
    return result;
  }

  void tell(const SpectrogramResult& result, Telling& telling) override {
    const Recording& r = result.facts.recording;
    telling.inputs.push_back(result.facts);
    telling.cautions.insert(telling.cautions.end(), r.cautions.begin(), r.cautions.end());
    telling.text += clean_text(r.file) + "\n  " + std::to_string(r.samples) + " samples at " +
                    format_quantity(r.axis.rate_hz(), "Hz", 9) + "\n  " + cut_text(result) + "\n  " +
                    limits_text(result) + "\n";
    for (std::size_t c = 0; c < result.channels.size(); ++c) {
      const ChannelMap& channel = result.channels[c];
      const Channel& named = r.channels[c];
      telling.text += "\n" + named.name + "\n";
      const auto level = [&](double power) {
        return format_quantity(level_shown(result, power), scale_unit(named.unit, analysis_.scale), 4);
      };
      Json ridges = Json::array();
      if (!channel.ridges.empty()) {
        TextTable table({{"ridge"},
                         {"from (s)"},
                         {"to (s)"},
                         {"lowest (Hz)"},
                         {"highest (Hz)"},
                         {"slope (Hz/s)"},
                         {std::string("mean level (") + scale_entry(analysis_.scale).name + ")"}});
        for (std::size_t i = 0; i < channel.ridges.size(); ++i) {
          const Ridge& ridge = channel.ridges[i];
          table.add({std::to_string(i + 1), format_number(r.axis.start + ridge.points.front().time_s, 6),
                     format_number(r.axis.start + ridge.points.back().time_s, 6),
                     format_number(ridge.low_hz(), 7), format_number(ridge.high_hz(), 7),
                     format_number(ridge.slope(), 3), level(ridge.mean_power())});
          Json points = Json::array();
          const std::size_t step = std::max<std::size_t>(1, ridge.points.size() / 200);
          for (std::size_t p = 0; p < ridge.points.size(); p += step)
            points.push_back({number(r.axis.start + ridge.points[p].time_s), number(ridge.points[p].hz),
                              number(level_shown(result, ridge.points[p].power))});
          ridges.push_back({{"start_s", number(r.axis.start + ridge.points.front().time_s)},
                            {"end_s", number(r.axis.start + ridge.points.back().time_s)},
                            {"low_hz", number(ridge.low_hz())},
                            {"high_hz", number(ridge.high_hz())},
                            {"slope_hz_per_s", number(ridge.slope())},
                            {"level", number(level_shown(result, ridge.mean_power()))},
                            {"points", std::move(points)}});
        }
        telling.text += table.text();
      }
      if (!sharpen_) telling.text += events_text(told(result, c), named.unit.label());
      for (const TimedEvent& e : told(result, c)) telling.findings.push_back(event_finding(r, named, e));
      telling.results.push_back({{"channel", named.name},
                                 {"unit", named.unit.label()},
                                 {"rate_hz", number(result.plan.rate_hz)},
                                 {"window", channel.spectrogram.grid.window.name()},
                                 {"segment", result.plan.segment},
                                 {"hop", result.plan.hop},
                                 {"segments", channel.spectrogram.segments},
                                 {"columns", channel.spectrogram.map.columns},
                                 {"bin_hz", number(result.plan.bin_hz)},
                                 {"rbw_hz", number(result.plan.rbw_hz)},
                                 {"window_s", number(result.plan.segment_s())},
                                 {"scale", scale_entry(analysis_.scale).name},
                                 {"ridges", std::move(ridges)},
                                 {"events", events_json(told(result, c))}});
    }
    telling.text += "\n";
  }

  void write(SpectrogramResult& result, const std::string& base, OutputFolder& folder) override {
    const Recording& r = result.facts.recording;
    if (every_) {
      write_every(result, base, folder);
    } else {
      for (std::size_t c = 0; c < result.channels.size(); ++c)
        write_level_map(folder, map_, base + number_of(result, c),
                        "levels over time and frequency, " + r.channels[c].name,
                        result.channels[c].spectrogram.map, r.axis.start, axes(result, c),
                        [&](double power) { return value_written(result, power); });
    }
    if (!slices_.empty()) write_slices(result, base, folder);
    write_figure(figure(result), base, "level over time and frequency", folder);
    if (waterfall_) write_figure(waterfall_figure(result), base + "-waterfall", "the same in 3-D", folder);
  }

 private:
  static Option axis_choice_option(const char* name, bool& logarithmic) {
    return {name,
            "linear|log",
            "how frequencies are spaced in the figure (default: linear)",
            false,
            [&logarithmic](const std::string& t) {
              logarithmic = choice("axis", t, {"linear", "log"}) == 1;
            },
            [&logarithmic] { return Json(logarithmic ? "log" : "linear"); }};
  }

  void add_slices(const std::string& text) {
    for (const std::string& part : split(text, ',')) {
      Slice slice;
      const Quantity q = parse_any_quantity(part);
      slice.at_time = q.unit.converts_to(Unit::parse("s"));
      slice.where = parse_quantity(part, slice.at_time ? Dimension::time : Dimension::frequency);
      slices_.push_back(slice);
    }
  }
  Json slices_json() const {
    Json out = Json::array();
    for (const Slice& s : slices_) out.push_back(slice_name(s));
    return out;
  }
  static std::string slice_name(const Slice& s) {
    return format_quantity(s.where, s.at_time ? "s" : "Hz", 7);
  }

  static void shift_up(Spectrogram& map, double centre_hz) {
    map.grid.centre_hz = centre_hz;
    for (double& hz : map.map.frequency_hz) hz += centre_hz;
  }

  static std::string number_of(const SpectrogramResult& result, std::size_t c) {
    return result.channels.size() > 1 ? "-" + std::to_string(c + 1) : "";
  }

  double crest(const SpectrogramResult& result) const { return result.facts.recording.complex ? 1 : 2; }
  double level_shown(const SpectrogramResult& result, double power) const {
    return level_of(power, analysis_.scale, crest(result), result.plan.rbw_hz, result.plan.segment_s());
  }
  bool amplitude() const { return scale_entry(analysis_.scale).amplitude; }
  double value_written(const SpectrogramResult& result, double power) const {
    return Shown{analysis_}.value(level_shown(result, power));
  }
  /// What a mean square in dB is off the level that is shown.
  double to_db(const SpectrogramResult& result) const {
    return decibels(level_shown(result, 1), amplitude(), analysis_.decibel_reference.value_or(1));
  }
  std::string level_unit(const SpectrogramResult& result, std::size_t c) const {
    const std::string plain = scale_unit(result.facts.recording.channels[c].unit, analysis_.scale);
    return "dB re " + format_number(analysis_.decibel_reference.value_or(1)) +
           (plain == "1" ? "" : " " + plain);
  }
  MapAxes axes(const SpectrogramResult& result, std::size_t c) const {
    return {"frequency (Hz)",
            "time (s)",
            std::string(scale_entry(analysis_.scale).name) + " (" +
                Shown{analysis_}.unit(result.facts.recording.channels[c].unit) + ")",
            {}};
  }

  std::string cut_text(const SpectrogramResult& result) const {
    const Spectrogram& first = result.channels.front().spectrogram;
    const double overlap =
        1 - static_cast<double>(result.plan.hop) / static_cast<double>(result.plan.segment);
    std::string out = fmt::format(
        "{}, segment {} ({}), {}, {} segments, RBW {}", first.grid.window.name(), result.plan.segment,
        format_quantity(result.plan.segment_s(), "s", 4),
        overlap >= 0
            ? format_number(100 * overlap, 3) + "% overlap"
            : "step " + format_quantity(static_cast<double>(result.plan.hop) / result.plan.rate_hz, "s", 4),
        first.segments, format_quantity(result.plan.rbw_hz, "Hz"));
    if (first.group > 1) out += fmt::format("; a column is the greatest of {} segments", first.group);
    if (sharpen_) out += "; reassigned";
    return out;
  }
  static std::string limits_text(const SpectrogramResult& result) {
    return "events shorter than " + format_quantity(result.plan.segment_s(), "s", 3) +
           " are spread over that time, lines closer than " + format_quantity(result.plan.rbw_hz, "Hz", 3) +
           " merge";
  }

  std::vector<TimedEvent> told(const SpectrogramResult& result, std::size_t c) const {
    std::vector<TimedEvent> out;
    const double start = result.facts.recording.axis.start;
    for (const MapEvent& e : result.channels[c].events) {
      TimedEvent event;
      event.start_s = start + e.start_s, event.end_s = start + e.end_s, event.peak_s = start + e.peak_s;
      event.low_hz = e.low_hz, event.high_hz = e.high_hz, event.peak_hz = e.peak_hz;
      event.level = level_shown(result, e.power);
      event.over_noise_db = 10 * std::log10(e.over_noise());
      event.time_std_s = result.plan.segment_s() / 4 / std::sqrt(e.over_noise());
      event.hz_std = result.plan.rbw_hz / 2 / std::sqrt(e.over_noise());
      event.level_std = event.level / std::sqrt(2 * e.over_noise());
      event.level_scale = scale_entry(analysis_.scale).name;
      out.push_back(event);
    }
    return out;
  }

  /// All segments, in a pass of their own, straight to the file.
  void write_every(SpectrogramResult& result, const std::string& base, OutputFolder& folder) const {
    const Recording& r = result.facts.recording;
    std::vector<std::unique_ptr<MapWriter>> writers;
    std::vector<std::pair<std::size_t, std::size_t>> bins;
    for (std::size_t c = 0; c < result.channels.size(); ++c) {
      const Spectrum& grid = result.channels[c].spectrogram.grid;
      const SpanRule* rule = analysis_.span_of(r, c);
      bins.push_back(rule == nullptr ? grid.bins_within({}, {})
                                     : grid.bins_within(rule->range.low, rule->range.high));
      MapAxes names = axes(result, c);
      for (std::size_t k = bins[c].first; k < bins[c].second; ++k) names.x.push_back(grid.frequency_hz(k));
      writers.push_back(open_map(folder, map_, base + number_of(result, c),
                                 "levels of every segment, " + r.channels[c].name, names,
                                 static_cast<std::size_t>(result.channels[c].spectrogram.segments)));
    }
    SpectrogramSettings settings = result.settings;
    settings.reassigned = false;
    std::vector<double> row;
    SpectrogramEstimator estimator(result.plan, settings,
                                   [&](std::size_t c, double time_s, std::span<const double> power) {
                                     if (!writers[c]) return;
                                     row.clear();
                                     for (std::size_t k = bins[c].first; k < bins[c].second; ++k)
                                       row.push_back(value_written(result, power[k]));
                                     writers[c]->row(r.axis.start + time_s, row);
                                   });
    result.input->road().run([&](Block& block) { estimator.add(block); }, {});
    for (auto& writer : writers)
      if (writer) writer->finish();
  }

  /// One slice of one channel.
  Curve slice_curve(const SpectrogramResult& result, std::size_t c, const Slice& slice) const {
    const LevelMap& map = result.channels[c].spectrogram.map;
    const double start = result.facts.recording.axis.start;
    Curve curve;
    curve.name = slice_name(slice);
    if (slice.at_time) {
      const std::size_t column = map.column_at(slice.where - start);
      for (std::size_t r = 0; r < map.rows(); ++r) {
        curve.x.push_back(map.frequency_hz[r]);
        curve.y.push_back(value_written(result, map.at(r, column)));
      }
    } else {
      const std::size_t row = map.row_at(slice.where);
      for (std::size_t k = 0; k < map.columns; ++k) {
        curve.x.push_back(start + map.time_s(k));
        curve.y.push_back(value_written(result, map.at(row, k)));
      }
    }
    return curve;
  }

  void write_slices(const SpectrogramResult& result, const std::string& base, OutputFolder& folder) const {
    std::string out = "channel,slice,frequency (Hz) or time (s),level,unit\n";
    for (std::size_t c = 0; c < result.channels.size(); ++c)
      for (const Slice& slice : slices_) {
        const Curve curve = slice_curve(result, c, slice);
        for (std::size_t i = 0; i < curve.x.size(); ++i)
          out += fmt::format("{},{},{:.10g},{:.6g},{}\n", csv_cell(result.facts.recording.channels[c].name),
                             curve.name, curve.x[i], curve.y[i],
                             csv_cell(Shown{analysis_}.unit(result.facts.recording.channels[c].unit)));
      }
    folder.add(base + "-slices.csv", out, "slices through the map");
  }

  Figure figure(const SpectrogramResult& result) const {
    const Recording& r = result.facts.recording;
    Figure figure;
    figure.title = r.stem() + ": spectrogram";
    std::string ranges;
    for (std::size_t c = 0; c < result.channels.size(); ++c) {
      const ChannelMap& channel = result.channels[c];
      MapLook look;
      look.title = r.channels[c].name;
      look.x = {"Time", "s"};
      look.offset = r.axis.start;
      look.logarithmic = logarithmic_ && !r.complex;
      look.to_db = to_db(result);
      look.level_unit = level_unit(result, c);
      look.range_db = range_db_;
      MapPanel panel = map_panel(channel.spectrogram.map, look);
      ranges += "; " + range_text(panel.range);
      for (std::size_t i = 0; i < channel.ridges.size(); ++i) {
        Curve line;
        for (const Ridge::Point& p : channel.ridges[i].points)
          line.x.push_back(r.axis.start + p.time_s), line.y.push_back(p.hz);
        line.colour = paper_colour;
        panel.panel.marks.push_back({line.x.back(), line.y.back(), std::to_string(i + 1)});
        panel.panel.curves.push_back(thinned(std::move(line), 2000, false));
      }
      add_event_boxes(panel.panel, told(result, c), result.plan.segment_s() / 4, result.plan.rbw_hz / 2);
      figure.panels.push_back(std::move(panel.panel));
      add_slices_panels(result, c, figure);
    }
    figure.caption = cut_text(result) + ranges;
    return figure;
  }

  void add_slices_panels(const SpectrogramResult& result, std::size_t c, Figure& figure) const {
    for (const bool at_time : {true, false}) {
      Panel panel;
      const Channel& named = result.facts.recording.channels[c];
      panel.title = named.name + (at_time ? ": spectra at these times" : ": level at these frequencies");
      panel.x = {at_time ? "Frequency" : "Time", at_time ? "Hz" : "s"};
      panel.y = {scale_entry(analysis_.scale).name, Shown{analysis_}.unit(named.unit),
                 !analysis_.decibel_reference.has_value()};
      for (const Slice& slice : slices_) {
        if (slice.at_time != at_time) continue;
        Curve curve = slice_curve(result, c, slice);
        curve.colour = static_cast<int>(panel.curves.size());
        panel.curves.push_back(thinned(std::move(curve), 4000, false));
      }
      if (!panel.curves.empty()) figure.panels.push_back(std::move(panel));
    }
  }

  Figure waterfall_figure(const SpectrogramResult& result) const {
    const Recording& r = result.facts.recording;
    Figure figure;
    figure.title = r.stem() + ": spectrogram in 3-D";
    figure.caption = cut_text(result);
    for (std::size_t c = 0; c < result.channels.size(); ++c) {
      const LevelMap map = result.channels[c].spectrogram.map.reduced(400, 60);
      MapLook look;
      look.to_db = to_db(result), look.range_db = range_db_;
      const LevelRange range = map_panel(map, look).range;
      Panel panel;
      panel.title = r.channels[c].name;
      panel.x = {"Frequency", "Hz"};
      panel.y = {"Time", "s"};
      Relief relief;
      relief.x = map.frequency_hz;
      // Noise up to its middle is the floor: what rises above it is then seen.
      std::vector<float> levels;
      for (const float power : map.power)
        if (!std::isnan(power)) levels.push_back(power);
      const double floor_db =
          range_db_ && range_db_->low
              ? range.low_db
              : 10 * std::log10(std::max(static_cast<double>(median_in(levels)), 1e-37)) + look.to_db;
      relief.z = {"Level", level_unit(result, c), false, floor_db};
      for (std::size_t k = 0; k < map.columns; ++k) {
        relief.y.push_back(r.axis.start + map.time_s(k));
        for (std::size_t row = 0; row < map.rows(); ++row) {
          const auto power = static_cast<double>(map.at(row, k));
          relief.values.push_back(std::max(
              floor_db, 10 * std::log10(std::isnan(power) ? 1e-37 : std::max(power, 1e-37)) + look.to_db));
        }
      }
      panel.relief = std::move(relief);
      figure.panels.push_back(std::move(panel));
    }
    return figure;
  }

  AnalysisSettings analysis_;
  std::optional<double> overlap_, hop_s_;
  std::vector<Slice> slices_;
  bool waterfall_ = false, sharpen_ = false, logarithmic_ = false, every_ = false;
  std::size_t ridges_ = 5, columns_ = 1200;
  std::optional<Range> range_db_;
  std::string map_ = "hdf5", second_look_ = "auto";
};

}  // namespace

std::unique_ptr<Task> make_spectrogram_task() { return std::make_unique<SpectrogramTask>(); }

}  // namespace vprism
