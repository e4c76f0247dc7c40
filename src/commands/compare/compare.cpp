// compare.cpp: the command `compare`: two recordings, channels, saved results or settings side by side.
#include "commands/compare/compare.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/compare/curves.h"
#include "commands/compare/options.h"
#include "frame/command.h"
#include "frame/console.h"
#include "identify/findings/place_ranking.h"
#include "identify/lines/line_pairs.h"
#include "identify/noise/noise_floor.h"

namespace vprism {

std::vector<OptionGroup> CompareTask::options() {
  return {
      input_group(input_),
      analysis_group(analysis_, {"phase-at"}),
      {"Compare",
       {text_option("versus", "OPTIONS",
                    "compare each recording with itself under another --chain, --gate or other analysis "
                    "options, such as --versus '--window flat-top'",
                    versus_),
        quantity_option("pair-within", "FREQUENCY",
                        "lines this close are the same (default: four standard uncertainties, at least 1e-4)",
                        Dimension::frequency, within_),
        text_option("bands", "octave|third|1/N|A..B,...", "bands whose levels are compared (default: octave)",
                    bands_),
        {"places", "CHANNEL=LENGTH,...",
         "where the channels stand along a line, such as 'pier=0m, fork=1.2m': separates sources from what "
         "enters at an end",
         true, [this](const std::string& t) { add_places(t); }, [this] { return Json(places_text_); }},
        switch_option("before-after", "the first recording is before a change, the others after it",
                      before_after_)}},
      output_group(output_)};
}

Status CompareTask::run(const std::vector<std::string>& files, const Json& settings) {
  Console console(output_);
  Delivery delivery;
  delivery.command = "compare";
  delivery.settings = settings;
  std::vector<Compared> all;
  std::vector<Side> places;
  const std::string base = output_stems({files.front()}).front() + "-compare";
  const auto outputs = open_outputs(output_, "compare", files, {base});
  std::vector<std::string> recordings;
  for (const std::string& file : files)
    if (!file.ends_with(".json")) recordings.push_back(file);
  const auto inputs = open_inputs(recordings, input_);
  if (recordings.size() == files.size() && all_uneven_spectra(inputs)) {
    CompareTask usual;
    refuse_others(
        options(), usual.options(), {},
        files.front() + " holds a spectrum at uneven frequencies, which is compared point by point");
    const std::vector<ComparedCurves> curves = stored_curves(inputs, delivery);
    report_compared(curves, delivery);
    return deliver(
        delivery, output_, console, outputs.get(),
        [&](Outputs& folder) {
          folder.add(base + ".csv", compared_csv(curves), "the difference at every frequency");
          folder.add_figure(base, compared_figure(curves), "both spectra, and their difference");
        },
        base + ".json");
  }
  for (auto& [a, b] : pairs(files, inputs, console, delivery, places))
    all.push_back(compare(std::move(a), std::move(b)));
  for (const Compared& c : all) {
    delivery.results.push_back(report().json(c));
    delivery.text += report().text(c);
    if (!c.same_unit)
      delivery.cautions.push_back({"units-differ", Severity::warning, c.b.channel.name,
                                   "\"" + c.a.channel.name + "\" is in " + c.a.channel.unit.label() + ", \"" +
                                       c.b.channel.name + "\" in " + c.b.channel.unit.label() +
                                       ": frequencies are compared, levels are not",
                                   "calibrate both to the same quantity"});
  }
  rank(places, delivery);
  return deliver(
      delivery, output_, console, outputs.get(),
      [&](Outputs& folder) {
        folder.add(base + ".csv", report().csv(all), "lines and bands of both, with the differences");
        folder.add_figure(base, compare_figure(all, analysis_, before_after_),
                          "both spectra, and the difference of their lines");
      },
      base + ".json");
}

bool CompareTask::all_uneven_spectra(const std::vector<std::unique_ptr<Input>>& inputs) {
  bool uneven = false;
  for (const auto& input : inputs) {
    if (!holds_spectra(*input)) return false;
    uneven = uneven || input->road().recording().axis.stamped || input->road().recording().samples < 16;
  }
  return uneven;
}

std::vector<ComparedCurves> CompareTask::stored_curves(const std::vector<std::unique_ptr<Input>>& inputs,
                                                       Delivery& delivery) {
  std::vector<std::vector<StoredSpectrum>> all;
  for (const auto& input : inputs) {
    all.push_back(read_stored_spectra(*input));
    delivery.inputs.push_back(all.back().front().facts);
    add_new_cautions(delivery.cautions, all.back().front().facts.recording.cautions);
  }
  return compare_files(all);
}

std::optional<double> CompareTask::common_resolution(
    const std::vector<std::unique_ptr<Input>>& inputs) const {
  if (analysis_.spectrum.segment || analysis_.spectrum.resolution_hz) return std::nullopt;
  double finest = 1e300, coarsest = 0;
  for (const auto& input : inputs) {
    if (holds_spectra(*input)) continue;
    input->require_even_axis();
    const Recording& r = input->road().recording();
    const double rbw = plan_spectrum(analysis_.spectrum, r.samples, r.axis.rate_hz()).rbw_hz;
    finest = std::min(finest, rbw);
    coarsest = std::max(coarsest, rbw);
  }
  if (!(coarsest > 1.001 * finest)) return std::nullopt;
  return coarsest;
}

std::vector<Side> CompareTask::sides_of(Input& input, const AnalysisSettings& analysis, Console& console,
                                        Delivery& delivery) const {
  std::vector<Side> out;
  const std::string file = input.road().recording().file;
  if (holds_spectra(input)) {
    const std::vector<StoredSpectrum> stored = read_stored_spectra(input);
    const auto is_phase = [](const StoredSpectrum& s) {
      return s.channel.unit.text() != "1" && s.channel.unit.converts_to(Unit::parse("rad")) &&
             s.channel.name.ends_with("phase");
    };
    const bool only_phases = std::all_of(stored.begin(), stored.end(), is_phase);
    for (const StoredSpectrum& s : stored)
      if (only_phases || !is_phase(s))
        out.push_back(stored_side(s, analysis_.spectrum.window, delivery.cautions));
    delivery.inputs.push_back(input.facts());
    return out;
  }
  AnalysisSettings wide = analysis;
  wide.peaks = wide.search.most;
  const SpectrumResult result = compute_spectrum(input, wide, console.progress("compare " + file));
  delivery.inputs.push_back(result.facts);
  delivery.cautions.insert(delivery.cautions.end(), result.cautions.begin(), result.cautions.end());
  for (const ChannelSpectrum& c : result.channels) {
    if (!c.no_data.empty()) continue;  // A caution says so.
    Side side;
    side.file = file;
    side.channel = c.channel;
    side.lines = compared_lines(c);
    side.spectrum = c;
    out.push_back(std::move(side));
  }
  return out;
}

std::unique_ptr<Task> make_compare_task() { return std::make_unique<CompareTask>(); }

}  // namespace vprism
