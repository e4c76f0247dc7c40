// options.cpp: the command `spectrum`.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "commands/inspect/inspect.h"
#include "commands/shared/stored_report.h"
#include "commands/spectrum/slide.h"
#include "commands/spectrum/spectrum.h"
#include "commands/spectrum/window_table.h"
#include "formats/files/map_writer.h"
#include "frame/command.h"
#include "frame/console.h"
#include "identify/findings/finding.h"

namespace vprism {

namespace {

class SpectrumTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    return {input_group(settings_.input), analysis_group(settings_.analysis),
            spectrum_group(settings_.analysis), output_group(settings_.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }

  /// A window that nobody asked for and that takes most of a pulse is left off.
  static void leave_window_off(Input& input, const Progress& progress, SpectrumResult& result,
                               const AnalysisSettings& settings) {
    if (settings.window_chosen || settings.by_stamps || settings.spectrum.tapers > 0) return;
    std::vector<std::size_t> pulses;
    for (std::size_t c = 0; c < result.channels.size(); ++c)
      if (result.channels[c].no_data.empty() && window_takes_most(result.channels[c].spectrum))
        pulses.push_back(c);
    if (pulses.empty()) return;
    AnalysisSettings plain = settings;
    plain.spectrum.window = {WindowKind::rectangular, 0};
    SpectrumResult without = compute_spectrum(input, plain, progress);
    for (const std::size_t c : pulses) {
      // What lasts keeps its window.
      const std::string& name = result.channels[c].channel.name;
      std::erase_if(result.cautions, [&](const Caution& caution) { return caution.channel == name; });
      for (const Caution& caution : without.cautions)
        if (caution.channel == name) result.cautions.push_back(caution);
      result.channels[c] = std::move(without.channels[c]);
    }
    for (const std::size_t c : pulses)
      result.cautions.push_back(
          {"window-left-off", Severity::note, result.channels[c].channel.name,
           "what moves lies in a part of the record that the usual window takes away: the whole record is "
           "analysed without one; " +
               band_text(result.channels[c].spectrum),
           "choose a --window for signals that last"});
  }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    if (!settings_.analysis.phase_reference.empty())
      settings_.input.also = {settings_.analysis.phase_reference};
    if (settings_.analysis.slide_s) return run_slide(files, settings_, settings);
    Console console(settings_.output);
    const AnalysisSettings& analysis = settings_.analysis;
    Delivery delivery;
    delivery.command = "spectrum";
    delivery.settings = settings;
    std::vector<SpectrumResult> results;
    auto inputs = open_inputs(files, settings_.input);
    std::vector<StoredSpectrum> stored;
    if (!analysis.overlay &&
        std::all_of(inputs.begin(), inputs.end(), [](const auto& input) { return holds_spectra(*input); }))
      return show_stored(inputs, files, delivery, console);
    if (analysis.overlay) {
      std::erase_if(inputs, [&](const auto& input) {
        if (!holds_spectra(*input)) return false;
        for (StoredSpectrum& s : read_stored_spectra(*input)) stored.push_back(std::move(s));
        delivery.inputs.push_back(stored.back().facts);
        return true;
      });
      if (inputs.empty())
        throw Error(Status::usage,
                    "--overlay: every file holds a spectrum already; name a recording as well");
    }
    std::vector<const Recording*> recordings;
    for (const auto& input : inputs) recordings.push_back(&input->road().recording());
    std::vector<std::string> named;
    for (const SpanRule& rule : analysis.spans)
      if (rule.channel != "*") named.push_back(rule.channel);
    check_channels_used("--span", named, recordings);
    if (!analysis.phase_reference.empty())
      check_channels_used("--phase-to", {analysis.phase_reference}, recordings);
    // One that holds a spectrum already, for --overlay, is no stem.
    std::vector<std::string> names;
    for (const Recording* recording : recordings) names.push_back(recording->file);
    const std::vector<std::string> stems = output_stems(names, "-spectrum");
    const auto outputs = open_outputs(settings_.output, "spectrum", files, stems);
    for (const auto& input : inputs) {
      const Progress progress = console.progress("spectrum " + input->road().recording().file);
      results.push_back(compute_spectrum(*input, analysis, progress));
      leave_window_off(*input, progress, results.back(), analysis);
      report(results.back(), delivery);
    }
    const std::vector<std::optional<Panel>> traces = trace_panels(files);
    return deliver(
        delivery, settings_.output, console, outputs.get(),
        [&](Outputs& folder) {
          for (std::size_t i = 0; i < results.size(); ++i) write_levels(results[i], stems[i], folder);
          if (!settings_.output.wants_figures()) return;
          if (analysis.overlay) {
            folder.add_figure(stems.front() + "-overlay", overlaid_figure(results, stored, analysis),
                              "all spectra in one panel per unit");
            return;
          }
          for (std::size_t i = 0; i < results.size(); ++i) {
            Figure figure = spectrum_figure(results[i], analysis);
            if (traces[i]) figure.panels.insert(figure.panels.begin(), *traces[i]);
            folder.add_figure(stems[i], figure, "spectrum with the peaks of the table marked");
          }
        },
        stems.front() + ".json");
  }

 private:
  /// Files that hold spectra: what stands in them.
  Status show_stored(const std::vector<std::unique_ptr<Input>>& inputs, const std::vector<std::string>& files,
                     Delivery& delivery, Console& console) {
    const AnalysisSettings& analysis = settings_.analysis;
    SpectrumTask usual;
    refuse_others(
        options(), usual.options(), {"span", "peaks"},
        inputs.front()->road().recording().file + " holds a spectrum already, which is shown as it stands");
    std::vector<std::string> names;
    for (const auto& input : inputs) names.push_back(input->road().recording().file);
    const std::vector<std::string> stems = output_stems(names, "-spectrum");
    const auto outputs = open_outputs(settings_.output, "spectrum", files, stems);
    std::vector<std::vector<StoredSpectrum>> all;
    for (const auto& input : inputs) {
      all.push_back(read_stored_spectra(*input));
      for (std::size_t c = 0; c < all.back().size(); ++c)
        if (const SpanRule* rule = analysis.span_of(all.back()[c].facts.recording, c))
          all.back()[c].span = rule->range;
      report_stored(all.back(), analysis.peaks, delivery);
    }
    return deliver(
        delivery, settings_.output, console, outputs.get(),
        [&](Outputs& folder) {
          for (std::size_t i = 0; i < all.size(); ++i) {
            folder.add(stems[i] + ".csv", stored_csv(all[i]), "the levels as they stand");
            folder.add_figure(stems[i], stored_figure(all[i], analysis.peaks),
                              "the spectrum with the peaks of the table marked");
          }
        },
        stems.front() + ".json");
  }

  /// Every bin: as CSV, or, where no one would read the text, as HDF5.
  void write_levels(const SpectrumResult& result, const std::string& stem, OutputFolder& folder) const {
    constexpr std::size_t much = std::size_t{1} << 22;
    std::size_t most = 0;
    for (const ChannelSpectrum& c : result.channels) most = std::max(most, c.curve().bins());
    if (most <= much || !settings_.analysis.spans.empty()) {
      write_spectrum_csv(result, settings_.analysis, folder.place(stem + ".csv", "level of every bin"));
      return;
    }
    const Shown shown{settings_.analysis};
    for (std::size_t i = 0; i < result.channels.size(); ++i) {
      const ChannelSpectrum& c = result.channels[i];
      MapAxes axes{"frequency (Hz)", "row", c.channel.name + " (" + shown.unit(c.channel.unit) + ")", {}};
      std::vector<double> levels;
      for (std::size_t k = 0; k < c.curve().bins(); ++k) {
        axes.x.push_back(c.curve().frequency_hz(k));
        levels.push_back(shown.value(c.curve().level(k, settings_.analysis.scale)));
      }
      const std::string number = result.channels.size() > 1 ? "-" + std::to_string(i + 1) : "";
      const auto writer = write_map_hdf5(
          folder.place(stem + number + ".h5", "level of every bin, " + c.channel.name), axes, 1);
      writer->row(0, levels);
      writer->finish();
    }
  }

  void report(const SpectrumResult& result, Delivery& delivery) const {
    const AnalysisSettings& analysis = settings_.analysis;
    delivery.inputs.push_back(result.facts);
    delivery.cautions.insert(delivery.cautions.end(), result.cautions.begin(), result.cautions.end());
    for (Json& entry : spectrum_json(result, analysis)) delivery.results.push_back(std::move(entry));
    const Recording& r = result.facts.recording;
    delivery.text += clean_text(r.file) + "\n  " + std::to_string(r.samples) + " samples at " +
                     format_quantity(r.axis.rate_hz(), "Hz", 9) + " (" + r.axis.source + ")\n";
    std::string plan;
    for (const ChannelSpectrum& c : result.channels) {
      if (!c.no_data.empty()) {
        delivery.text += "\n" + c.channel.name + ": no spectrum, " + c.no_data + "\n";
        continue;
      }
      // Told again only where a channel is cut in a way of its own.
      std::string own = plan_text(c.curve(), analysis.spectrum.overlap);
      if (analysis.by_stamps)
        own = fmt::format("sines fitted at {} stamps, {}, {} frequencies from {} to {}",
                          c.spectrum.plan.segment, c.spectrum.window.name(), c.spectrum.bins(),
                          format_quantity(c.spectrum.frequency_hz(0), "Hz"),
                          format_quantity(c.spectrum.frequency_hz(c.spectrum.bins() - 1), "Hz"));
      if (own != plan) delivery.text += "  " + own + "\n";
      plan = own;
      delivery.text +=
          "\n" + c.channel.name + ": total " +
          format_quantity(c.spectrum.rms_total(), c.channel.unit.label()) + " RMS" +
          (c.spectrum.mirrored() ? ", mean " + format_quantity(c.spectrum.mean, c.channel.unit.label())
                                 : "") +
          "\n";
      delivery.text +=
          c.peaks.empty() ? "  no peak stands above the noise\n" : peak_table(c, analysis).text();
      delivery.text += windows_text(c);
      if (c.bands.empty()) continue;
      delivery.text += "\n" + band_table(c, analysis).text();
      delivery.text += fmt::format(
          "  weighted: A {}, C {}\n",
          format_quantity(std::sqrt(weighted_mean_square(c.curve(), 'A')), c.channel.unit.label()),
          format_quantity(std::sqrt(weighted_mean_square(c.curve(), 'C')), c.channel.unit.label()));
    }
  }

  /// The whole record of the first channel, the gate marked, for each input.
  std::vector<std::optional<Panel>> trace_panels(const std::vector<std::string>& files) const {
    InputSettings whole = settings_.input;
    whole.gate.reset();
    std::vector<std::optional<Panel>> out;
    if (!settings_.analysis.trace) {
      out.resize(files.size());
      return out;
    }
    for (const auto& input : open_inputs(files, whole)) {
      Panel panel = trace_figure(compute_inspect(*input, {})).panels.front();
      if (settings_.input.gate)
        for (const auto& end : {settings_.input.gate->low, settings_.input.gate->high})
          if (end) panel.verticals.push_back(*end);
      out.push_back(std::move(panel));
    }
    return out;
  }

  SpectrumTaskSettings settings_;
};

}  // namespace

std::unique_ptr<Task> make_spectrum_task() { return std::make_unique<SpectrumTask>(); }

}  // namespace vprism
