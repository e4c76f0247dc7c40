// occupancy.cpp: the command `occupancy`: how often each level is reached at each frequency.
#include "transform/maps/occupancy.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "commands/shared/maps.h"
#include "commands/shared/span_cautions.h"
#include "commands/spectrum/spectrum.h"
#include "frame/command.h"
#include "frame/console.h"

namespace vprism {

namespace {

constexpr double level_parts[] = {0.1, 0.5, 0.9, 0.99};

struct OccupancySettings {
  InputSettings input;
  AnalysisSettings analysis;
  OutputSettings output;
  std::string map = "hdf5";
  double above_db = 6;
};

struct OccupancyResult {
  InputFacts facts;
  std::vector<Occupancy> maps;
  std::vector<std::vector<RareEvent>> rare;
};

class OccupancyTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    OptionGroup own{
        "Occupancy",
        {map_option(settings_.map, "how the map of shares is written (default: hdf5)"),
         {"rare", "DECIBELS", "how far above the 99% level an event must stand to be listed (default: 6 dB)",
          false, [this](const std::string& t) { settings_.above_db = parse_positive(t, Dimension::decibel); },
          [this] { return Json(settings_.above_db); }}}};
    OptionGroup analysis = analysis_group(settings_.analysis);
    // A level is a level here, not an average of several, and there is nothing to list peaks of.
    std::erase_if(analysis.options, [](const Option& o) {
      return o.name == "average" || o.name == "peaks" || o.name == "phase-at";
    });
    return {input_group(settings_.input), analysis, own, output_group(settings_.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    if (!settings_.analysis.compared.empty())
      throw Error(Status::usage, "--window: occupancy counts by one window");
    Console console(settings_.output);
    Delivery delivery;
    delivery.command = "occupancy";
    delivery.settings = settings;
    std::vector<OccupancyResult> results;
    const auto inputs = open_inputs(files, settings_.input);
    const std::vector<std::string> stems = output_stems(input_files(files, settings_.input), "-occupancy");
    const auto outputs = open_outputs(settings_.output, "occupancy", files, stems);
    for (const auto& input : inputs) {
      results.push_back(compute(*input, console.progress("occupancy " + input->road().recording().file)));
      report(results.back(), delivery);
    }
    return deliver(
        delivery, settings_.output, console, outputs.get(),
        [&](Outputs& folder) {
          for (std::size_t i = 0; i < results.size(); ++i) {
            for (std::size_t c = 0; c < results[i].maps.size(); ++c)
              write_map(results[i], c, stems[i], folder);
            folder.add_figure(stems[i], figure(results[i]), "share of time over frequency and level");
          }
        },
        stems.front() + ".json");
  }

 private:
  OccupancyResult compute(Input& input, const Progress& progress) const {
    input.require_even_axis();
    const Recording recording = input.road().recording();
    SpectrumSettings spectrum = settings_.analysis.spectrum;
    // Many short segments, if nothing else is asked for: events are short.
    if (!spectrum.segment && !spectrum.resolution_hz)
      spectrum.segment =
          static_cast<std::size_t>(std::clamp<std::int64_t>(recording.samples / 400, 64, 4096));
    SpectrumPlan plan;
    try {
      plan = plan_spectrum(spectrum, recording.samples, recording.axis.rate_hz());
    } catch (const Error& error) {
      throw Error(error.status(), recording.file + ": " + error.what());
    }
    if (plan.segment * recording.channels.size() > (std::size_t{1} << 18))
      throw Error(Status::analysis,
                  recording.file + ": segments of " + std::to_string(plan.segment) + " samples for " +
                      std::to_string(recording.channels.size()) +
                      " channels make a map of more than 400 MB; give shorter ones or fewer channels");
    OccupancyEstimator estimator(plan, spectrum);
    input.road().run([&](Block& block) { estimator.add(block); }, progress);
    OccupancyResult result{input.facts(), estimator.result(), {}};
    for (Caution& caution : span_cautions(settings_.analysis, recording))
      result.facts.recording.cautions.push_back(std::move(caution));
    for (std::size_t c = 0; c < result.maps.size(); ++c) {
      Occupancy& map = result.maps[c];
      if (map.segments == 0)
        result.facts.recording.cautions.push_back(no_segment(recording.channels[c].name, plan.segment));
      if (recording.complex) map.grid.centre_hz = recording.channels[c].carrier_hz;
      result.rare.push_back(rare_events(map, settings_.above_db));
      if (const SpanRule* rule = settings_.analysis.span_of(recording, c))
        std::erase_if(result.rare.back(),
                      [&](const RareEvent& e) { return !rule->range.contains(e.peak_hz); });
    }
    return result;
  }

  double reference_db() const { return 20 * std::log10(settings_.analysis.decibel_reference.value_or(1)); }
  /// A mean square in dB re 1, in the scale that is shown, in dB.
  double shown_db(const Occupancy& map, double db) const {
    const Scale scale = settings_.analysis.scale;
    const bool amplitude = scale_entry(scale).amplitude;
    const double level = level_of(std::pow(10, db / 10), scale, map.grid.two_sided ? 1 : 2,
                                  map.grid.plan.rbw_hz, map.grid.plan.segment_s());
    return (amplitude ? 20 : 10) * std::log10(level) - reference_db() / (amplitude ? 1 : 2);
  }
  std::string unit(const Channel& channel) const {
    const std::string plain = scale_unit(channel.unit, settings_.analysis.scale);
    return "dB re " + format_number(settings_.analysis.decibel_reference.value_or(1)) +
           (plain == "1" ? "" : " " + plain);
  }

  void report(const OccupancyResult& result, Delivery& delivery) const {
    const Recording& r = result.facts.recording;
    delivery.inputs.push_back(result.facts);
    delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
    delivery.text += clean_text(r.file) + "\n  " + std::to_string(r.samples) + " samples at " +
                     format_quantity(r.axis.rate_hz(), "Hz", 9) + "\n  " +
                     plan_text(result.maps.front().grid, settings_.analysis.spectrum.overlap) + "\n";
    for (std::size_t c = 0; c < result.maps.size(); ++c) {
      const Occupancy& map = result.maps[c];
      delivery.text += "\n" + r.channels[c].name + ": " + std::to_string(result.rare[c].size()) + " rare " +
                       (result.rare[c].size() == 1 ? "event" : "events") + "\n";
      TextTable table({{"from (Hz)"},
                       {"to (Hz)"},
                       {"peak at (Hz)"},
                       {"peak (" + unit(r.channels[c]) + ")"},
                       {"over the 99% level (dB)"},
                       {"share of time (%)"},
                       {"peak at (s)"}});
      Json rare = Json::array();
      for (const RareEvent& e : result.rare[c]) {
        const double at = r.axis.start + e.time_s;
        if (rare.size() < 10)
          table.add({format_number(e.low_hz, 9), format_number(e.high_hz, 9), format_number(e.peak_hz, 9),
                     fmt::format("{:.1f}", shown_db(map, e.peak_db)),
                     fmt::format("{:.1f}", e.peak_db - e.usual_db), fmt::format("{:.3g}", 100 * e.share),
                     format_number(at, 6)});
        rare.push_back({{"low_hz", number(e.low_hz)},
                        {"high_hz", number(e.high_hz)},
                        {"peak_hz", number(e.peak_hz)},
                        {"peak_db", number(shown_db(map, e.peak_db))},
                        {"over_db", number(e.peak_db - e.usual_db)},
                        {"share", number(e.share)},
                        {"time_s", number(at)}});
      }
      if (!rare.empty()) delivery.text += table.text();
      delivery.results.push_back({{"channel", r.channels[c].name},
                                  {"unit", r.channels[c].unit.label()},
                                  {"level_unit", unit(r.channels[c])},
                                  {"rate_hz", number(map.grid.plan.rate_hz)},
                                  {"segment", map.grid.plan.segment},
                                  {"segments", map.segments},
                                  {"bin_hz", number(map.grid.plan.bin_hz)},
                                  {"rbw_hz", number(map.grid.plan.rbw_hz)},
                                  {"level_step_db", number(map.step_db)},
                                  {"rare", std::move(rare)}});
    }
  }

  /// Cells in which anything was counted.
  static std::pair<std::size_t, std::size_t> levels_used(const Occupancy& map) {
    std::size_t low = map.levels, high = 0;
    for (std::size_t k = map.grid.mirrored() ? 1 : 0; k < map.grid.bins(); ++k)
      for (std::size_t i = 0; i < map.levels; ++i)
        if (map.counts[k * map.levels + i] > 0) low = std::min(low, i), high = std::max(high, i + 1);
    return low < high ? std::pair{low, high} : std::pair{std::size_t{0}, map.levels};
  }

  std::pair<std::size_t, std::size_t> bins_shown(const OccupancyResult& result, std::size_t c) const {
    const SpanRule* rule = settings_.analysis.span_of(result.facts.recording, c);
    return rule == nullptr ? result.maps[c].grid.bins_within({}, {})
                           : result.maps[c].grid.bins_within(rule->range.low, rule->range.high);
  }

  void write_map(const OccupancyResult& result, std::size_t c, const std::string& stem,
                 OutputFolder& folder) const {
    const Occupancy& map = result.maps[c];
    const auto [low, high] = bins_shown(result, c);
    const auto [from, to] = levels_used(map);
    MapAxes axes{
        "frequency (Hz)", "level (" + unit(result.facts.recording.channels[c]) + ")", "share of time", {}};
    for (std::size_t k = low; k < high; ++k) axes.x.push_back(map.grid.frequency_hz(k));
    const std::string base = stem + (result.maps.size() > 1 ? "-" + std::to_string(c + 1) : "");
    const std::string what =
        "share of time by level and frequency, " + result.facts.recording.channels[c].name;
    if (const auto writer = open_map(folder, settings_.map, base, what, axes, to - from)) {
      std::vector<double> shares(high - low);
      for (std::size_t i = from; i < to; ++i) {
        for (std::size_t k = low; k < high; ++k) shares[k - low] = map.share(k, i);
        writer->row(shown_db(map, map.floor_db + map.step_db * (static_cast<double>(i) + 0.5)), shares);
      }
      writer->finish();
    }
    std::string curves = "frequency (Hz)";
    for (const double part : level_parts)
      curves += fmt::format(",{:g}% ({})", 100 * part, csv_cell(axes.y_name));
    curves += ",highest\n";
    for (std::size_t k = low; k < high; ++k) {
      curves += fmt::format("{}", map.grid.frequency_hz(k));
      for (const double part : level_parts)
        curves += fmt::format(",{:.5g}", shown_db(map, map.percentile_db(k, part)));
      curves += fmt::format(",{:.5g}\n", shown_db(map, 10 * std::log10(std::max(map.highest[k], 1e-300))));
    }
    folder.add(base + ".csv", curves, "levels that 10, 50, 90 and 99% of the time stays below");
  }

  Figure figure(const OccupancyResult& result) const {
    const Recording& r = result.facts.recording;
    Figure figure;
    figure.title = r.stem() + ": how often each level is reached";
    figure.caption = plan_text(result.maps.front().grid, settings_.analysis.spectrum.overlap) +
                     "; rare events outlined; level: " + scale_entry(settings_.analysis.scale).name;
    for (std::size_t c = 0; c < result.maps.size(); ++c) figure.panels.push_back(panel(result, c));
    return figure;
  }

  Panel panel(const OccupancyResult& result, std::size_t c) const {
    const Occupancy& map = result.maps[c];
    const auto [low, high] = bins_shown(result, c);
    const auto [from, to] = levels_used(map);
    // No more columns than the picture has: each shows the greatest share of its bins, so that nothing is
    // lost.
    const std::size_t group = std::max<std::size_t>(1, (high - low + 899) / 900);
    const std::size_t rows_group = std::max<std::size_t>(1, (to - from) / 320);
    ColourMap image;
    image.columns = (high - low + group - 1) / group;
    image.rows = (to - from + rows_group - 1) / rows_group;
    image.values.assign(image.columns * image.rows, std::nanf(""));
    for (std::size_t k = low; k < high; ++k)
      for (std::size_t i = from; i < to; ++i) {
        if (map.counts[k * map.levels + i] == 0) continue;
        float& cell = image.values[(i - from) / rows_group * image.columns + (k - low) / group];
        const auto share = static_cast<float>(100 * map.share(k, i));
        cell = std::isnan(cell) ? share : std::max(cell, share);
      }
    const double half = map.grid.plan.bin_hz / 2;
    image.x_low = map.grid.frequency_hz(low) - half;
    image.x_high = image.x_low + static_cast<double>(image.columns * group) * 2 * half;
    image.y_low = shown_db(map, map.floor_db + map.step_db * static_cast<double>(from));
    image.y_high = image.y_low + map.step_db * static_cast<double>(image.rows * rows_group);
    image.quantity = "Share of time";
    image.unit = "%";
    image.logarithmic = true;
    image.low = 100.0 / static_cast<double>(map.segments);
    image.high = std::max(2 * *image.low, static_cast<double>(*std::max_element(
                                              image.values.begin(), image.values.end(),
                                              [](float a, float b) { return std::isnan(a) || a < b; })));
    Panel out;
    out.title = result.facts.recording.channels[c].name;
    out.x = {"Frequency", "Hz", false, map.grid.frequency_hz(low), map.grid.frequency_hz(high - 1)};
    out.y = {"Level", unit(result.facts.recording.channels[c]), false, image.y_low,
             image.y_high + 0.06 * (image.y_high - image.y_low)};
    out.map = std::move(image);
    static constexpr int shades[] = {5, 6, 4, 1};
    for (std::size_t p = 0; p < 4; ++p) {
      Curve curve;
      curve.name = fmt::format("{:g}%", 100 * level_parts[p]);
      curve.colour = shades[p];
      for (std::size_t k = low; k < high; ++k) {
        curve.x.push_back(map.grid.frequency_hz(k));
        curve.y.push_back(shown_db(map, map.percentile_db(k, level_parts[p])));
      }
      out.curves.push_back(thinned(std::move(curve), 2000, false));
    }
    std::size_t outlined = 0;
    for (const RareEvent& e : result.rare[c]) {
      if (++outlined > 12) break;
      Curve box;
      const double wide = std::max(2 * map.grid.plan.bin_hz, 0.004 * (*out.x.high - *out.x.low));
      const double x0 = e.low_hz - wide, x1 = e.high_hz + wide;
      const double y0 = shown_db(map, e.usual_db) + 1, y1 = shown_db(map, e.peak_db) + 2;
      box.x = {x0, x1, x1, x0, x0};
      box.y = {y0, y0, y1, y1, y0};
      box.colour = 3;
      out.curves.push_back(std::move(box));
      out.marks.push_back({e.peak_hz, shown_db(map, e.peak_db), std::to_string(outlined)});
    }
    return out;
  }

  OccupancySettings settings_;
};

}  // namespace

std::unique_ptr<Task> make_occupancy_task() { return std::make_unique<OccupancyTask>(); }

}  // namespace vprism
