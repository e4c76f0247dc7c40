// options.cpp: the command `spectrogram`: spectrum against time, ridges, events, slices.
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/shared/channel_groups.h"
#include "commands/shared/each_input.h"
#include "commands/shared/maps.h"
#include "commands/shared/span_cautions.h"
#include "commands/spectrogram/spectrogram.h"
#include "commands/spectrum/spectrum.h"
#include "identify/events/spectrogram_looks.h"

namespace vprism {

namespace {

class SpectrogramTask : public EachInputTask<SpectrogramResult> {
 public:
  SpectrogramTask() : EachInputTask("spectrogram") {}

  std::vector<OptionGroup> options() override {
    OptionGroup analysis = analysis_group(settings_.analysis);
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
            settings_.overlap = parse_quantity(t, Dimension::ratio);
            if (!(*settings_.overlap >= 0 && *settings_.overlap <= 0.99))
              throw Error(Status::usage, "\"" + clean_text(t) + "\" must lie in 0%..99%");
          },
          [this] { return settings_.overlap ? Json(*settings_.overlap) : Json(nullptr); }},
         {"hop", "TIME", "step from segment to segment, instead of an overlap", false,
          [this](const std::string& t) { settings_.hop_s = parse_positive(t, Dimension::time); },
          [this] { return settings_.hop_s ? Json(*settings_.hop_s) : Json(nullptr); }},
         {"slice", "TIME|FREQUENCY,...",
          "the spectrum at these times, the level against time at these frequencies", true,
          [this](const std::string& t) { add_slices(t); }, [this] { return slices_json(); }},
         switch_option("waterfall", "a picture in 3-D besides the flat one", settings_.waterfall),
         switch_option("sharpen", "reassign every cell's energy to where it belongs in time and frequency",
                       settings_.sharpen),
         count_option("ridges", "how many lines to follow through the map (default: 5)", 0, 64,
                      settings_.ridges),
         axis_choice_option("frequency-axis", settings_.logarithmic),
         range_option("levels",
                      "range of the colours in dB, such as -80dB..0dB (default: found from the map)",
                      Dimension::decibel, settings_.range_db),
         map_option(settings_.map, "how the map's numbers are written (default: hdf5)"),
         {"map-columns", "N|all",
          "columns of the map, each the greatest level of its segments (default: 1200); all: every segment "
          "in the "
          "file with the numbers",
          false,
          [this](const std::string& t) {
            settings_.every = t == "all";
            if (!settings_.every) settings_.columns = static_cast<std::size_t>(parse_whole_number(t, 2));
          },
          [this] { return settings_.every ? Json("all") : Json(settings_.columns); }},
         {"second-look", "auto|on|off",
          "a second map with segments an eighth as long, to say where the two disagree about an event (auto: "
          "for "
          "records of up to 30 million samples)",
          false,
          [this](const std::string& t) {
            (void)choice("second-look", t, {"auto", "on", "off"});
            settings_.second_look = t;
          },
          [this] { return Json(settings_.second_look); }}}};
    return {input_group(input_), analysis, own, output_group(output_)};
  }

 protected:
  void check_settings() const override {
    if (!settings_.analysis.compared.empty())
      throw Error(Status::usage, "--window: a map is made with one window");
    if (settings_.hop_s && settings_.overlap)
      throw Error(Status::usage, "--hop and --overlap say the same thing; give one of them");
  }

  SpectrogramResult measure(Input& input, const Progress& progress) override {
    input.require_even_axis();
    const Recording recording = input.road().recording();
    SpectrogramResult result;
    result.input = &input;
    result.settings.most_columns = settings_.columns;
    result.settings.reassigned = settings_.sharpen;
    SpectrumSettings& spectrum = result.settings.spectrum;
    spectrum =
        spectrogram_cut(settings_.analysis.spectrum, settings_.overlap || settings_.hop_s, recording.samples);
    if (settings_.overlap) spectrum.overlap = *settings_.overlap;
    try {
      result.plan = plan_spectrum(spectrum, recording.samples, recording.axis.rate_hz());
      if (settings_.hop_s) {
        if (*settings_.hop_s * result.plan.rate_hz > static_cast<double>(recording.samples))
          throw Error(Status::analysis, "--hop: a step of " + format_quantity(*settings_.hop_s, "s", 4) +
                                            " is longer than the record, " +
                                            format_quantity(recording.duration_s(), "s", 4));
        spectrum.overlap = 0;
        result.plan.hop =
            static_cast<std::size_t>(std::max(1.0, std::round(*settings_.hop_s * result.plan.rate_hz)));
        result.plan.averages = 1 + (recording.samples - static_cast<std::int64_t>(result.plan.segment)) /
                                       static_cast<std::int64_t>(result.plan.hop);
      }
    } catch (const Error& error) {
      throw Error(error.status(), recording.file + ": " + error.what());
    }
    for_channel_groups(
        recording.channels.size(), channels_at_once(result, recording),
        [&](std::size_t from, std::size_t count) { measure_channels(input, from, count, progress, result); });
    if (!recording.complex && !settings_.sharpen) fit_events_of(input, result);
    result.facts = input.facts();
    std::move(look_cautions_.begin(), look_cautions_.end(),
              std::back_inserter(result.facts.recording.cautions));
    for (Caution& caution : span_cautions(settings_.analysis, result.facts.recording))
      result.facts.recording.cautions.push_back(std::move(caution));
    look_cautions_.clear();
    return result;
  }

  void report(const SpectrogramResult& result, Delivery& delivery) override {
    report_spectrogram({settings_, result}, delivery);
  }

  void write(SpectrogramResult& result, const std::string& base, Outputs& folder) override {
    const Recording& r = result.facts.recording;
    const SpectrogramShown shown{settings_, result};
    if (settings_.every) {
      write_every(result, base, folder);
    } else {
      for (std::size_t c = 0; c < result.channels.size(); ++c)
        write_level_map(folder, settings_.map, base + number_of(result, c),
                        "levels over time and frequency, " + r.channels[c].name,
                        result.channels[c].spectrogram.map, r.axis.start, axes(shown, c),
                        [&](double power) { return shown.value(power); });
    }
    if (!settings_.slices.empty())
      folder.add(base + "-slices.csv", spectrogram_slices_csv(shown), "slices through the map");
    folder.add_figure(
        base, [&] { return spectrogram_figure(shown); }, "level over time and frequency");
    if (settings_.waterfall)
      folder.add_figure(
          base + "-waterfall", [&] { return spectrogram_waterfall(shown); }, "the same in 3-D");
  }

 private:
  /// As many as keep the maps in hand near a hundred megabytes; each group goes through the record again.
  static std::size_t channels_at_once(const SpectrogramResult& result, const Recording& recording) {
    const auto columns = static_cast<double>(std::min<std::int64_t>(
        result.plan.averages, static_cast<std::int64_t>(result.settings.most_columns)));
    const double bins = static_cast<double>(result.plan.segment) / (recording.complex ? 1 : 2);
    const double cells = std::min(bins * columns, static_cast<double>(result.settings.most_cells));
    return static_cast<std::size_t>(std::max(1.0, 100e6 / (5 * cells + 200 * bins)));
  }

  void measure_channels(Input& input, std::size_t from, std::size_t count, const Progress& progress,
                        SpectrogramResult& result) {
    const Recording recording = input.road().recording();
    SpectrogramEstimator estimator(result.plan, result.settings);
    const std::size_t quick = std::max<std::size_t>(16, result.plan.segment / 8);
    const bool again =
        quick < result.plan.segment &&
        (settings_.second_look == "on" || (settings_.second_look == "auto" && recording.samples <= 30000000));
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
    run_channels(input, from, count, progress, [&](const Block& block) {
      estimator.add(block);
      if (second) second->add(block);
    });
    std::vector<Spectrogram> maps = estimator.result(), quick_maps;
    if (second) quick_maps = second->result();
    if (!summit_ && !maps.empty()) summit_ = SummitTable(maps.front().grid.window);
    std::vector<std::vector<Caution>> cautions(maps.size());
    result.channels.resize(from + maps.size());
    oneapi::tbb::parallel_for(std::size_t{0}, maps.size(), [&](std::size_t i) {
      const std::size_t c = from + i;
      SpectrogramOfChannel& channel = result.channels[c];
      Spectrogram& map = maps[i];
      if (map.segments == 0)
        cautions[i].push_back(no_segment(recording.channels[c].name, result.plan.segment));
      if (recording.complex) {
        shift_up(map, recording.channels[c].carrier_hz);
        if (second) shift_up(quick_maps[i], recording.channels[c].carrier_hz);
      }
      if (const SpanRule* rule = settings_.analysis.span_of(recording, c)) {
        map.map = map.map.cropped(rule->range.low, rule->range.high);
        if (map.map.rows() < 2)
          throw Error(Status::analysis,
                      recording.file + ": --span " + rule->text + " holds fewer than two rows of the map");
        if (second) quick_maps[i].map = quick_maps[i].map.cropped(rule->range.low, rule->range.high);
      }
      if (!settings_.sharpen) channel.events = spectrogram_events(map);
      if (second) {
        const std::vector<MapEvent> quick_events = spectrogram_events(quick_maps[i]);
        for (Caution& caution : compare_looks(recording.channels[c].name, map, channel.events, quick_maps[i],
                                              quick_events, recording.axis.start))
          cautions[i].push_back(std::move(caution));
      }
      RidgeSearch search;
      search.most = settings_.ridges;
      search.least_columns =
          std::max<std::size_t>(6, static_cast<std::size_t>(1.5 * result.plan.segment_s() / map.map.step_s));
      const std::vector<double>& rows = map.map.frequency_hz;
      if (rows.size() > 1 && std::abs(rows[1] - rows[0] - result.plan.bin_hz) < 1e-6 * result.plan.bin_hz &&
          !settings_.sharpen)
        search.summit = *summit_;
      if (settings_.ridges > 0) channel.ridges = find_ridges(map.map, search);
      channel.spectrogram = std::move(map);
    });
    for (std::vector<Caution>& some : cautions)
      std::move(some.begin(), some.end(), std::back_inserter(look_cautions_));
  }

  /// What the segments blur: when an event begins, how long it lasts, its pitch. What another explains goes.
  static void fit_events_of(Input& input, SpectrogramResult& result) {
    std::vector<std::vector<SeenEvent>> seen;
    for (const SpectrogramOfChannel& channel : result.channels) {
      seen.emplace_back();
      for (const MapEvent& e : channel.events)
        seen.back().push_back(seen_event(e, result.plan.segment_s() / 2));
    }
    const auto fits = fit_on_samples(input, seen);
    for (std::size_t c = 0; c < fits.size(); ++c) {
      SpectrogramOfChannel& channel = result.channels[c];
      std::vector<MapEvent> kept;
      for (std::size_t i = 0; i < fits[c].size(); ++i) {
        if (fits[c][i].merged) continue;
        kept.push_back(channel.events[i]), channel.fits.push_back(fits[c][i]);
      }
      channel.events = std::move(kept);
    }
  }

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
      MapSlice slice;
      const Quantity q = parse_any_quantity(part);
      slice.at_time = q.unit.converts_to(Unit::parse("s"));
      slice.where = parse_quantity(part, slice.at_time ? Dimension::time : Dimension::frequency);
      settings_.slices.push_back(slice);
    }
  }
  Json slices_json() const {
    Json out = Json::array();
    for (const MapSlice& s : settings_.slices) out.push_back(s.name());
    return out;
  }
  static void shift_up(Spectrogram& map, double centre_hz) {
    map.grid.centre_hz = centre_hz;
    for (double& hz : map.map.frequency_hz) hz += centre_hz;
  }

  static std::string number_of(const SpectrogramResult& result, std::size_t c) {
    return result.channels.size() > 1 ? "-" + std::to_string(c + 1) : "";
  }

  static MapAxes axes(const SpectrogramShown& shown, std::size_t c) {
    const AnalysisSettings& analysis = shown.settings.analysis;
    return {"frequency (Hz)",
            "time (s)",
            std::string(scale_entry(analysis.scale).name) + " (" +
                Shown{analysis}.unit(shown.channel(c).unit) + ")",
            {}};
  }

  /// All segments, in a pass of their own, straight to the file.
  void write_every(SpectrogramResult& result, const std::string& base, OutputFolder& folder) const {
    const Recording& r = result.facts.recording;
    const SpectrogramShown shown{settings_, result};
    std::vector<std::unique_ptr<MapWriter>> writers;
    std::vector<std::pair<std::size_t, std::size_t>> bins;
    for (std::size_t c = 0; c < result.channels.size(); ++c) {
      const Spectrum& grid = result.channels[c].spectrogram.grid;
      const SpanRule* rule = settings_.analysis.span_of(r, c);
      bins.push_back(rule == nullptr ? grid.bins_within({}, {})
                                     : grid.bins_within(rule->range.low, rule->range.high));
      MapAxes names = axes(shown, c);
      for (std::size_t k = bins[c].first; k < bins[c].second; ++k) names.x.push_back(grid.frequency_hz(k));
      writers.push_back(open_map(folder, settings_.map, base + number_of(result, c),
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
                                       row.push_back(shown.value(power[k]));
                                     writers[c]->row(r.axis.start + time_s, row);
                                   });
    result.input->road().run([&](Block& block) { estimator.add(block); }, {});
    for (auto& writer : writers)
      if (writer) writer->finish();
  }

  SpectrogramTaskSettings settings_;
  std::optional<SummitTable> summit_;   ///< Of the window, made once.
  std::vector<Caution> look_cautions_;  ///< Of the recording in hand.
};

}  // namespace

std::unique_ptr<Task> make_spectrogram_task() { return std::make_unique<SpectrogramTask>(); }

}  // namespace vprism
