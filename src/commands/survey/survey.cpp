// survey.cpp: see survey.h.
#include "commands/survey/survey.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>

#include "commands/identify/identify.h"
#include "commands/shared/maps.h"
#include "commands/shared/stored_report.h"
#include "frame/command.h"
#include "frame/console.h"
#include "frame/process.h"
#include "render/report.h"

namespace vprism {

namespace {

std::vector<Spectrogram> maps_of(Input& input, const AnalysisSettings& analysis, const Progress& progress) {
  const Recording& r = input.road().recording();
  SpectrogramSettings settings;
  settings.spectrum.window = analysis.spectrum.window;
  settings.spectrum = spectrogram_cut(settings.spectrum, false, r.samples);
  settings.most_columns = 1000;
  SpectrogramEstimator estimator(plan_spectrum(settings.spectrum, r.samples, r.axis.rate_hz()), settings);
  input.road().run([&](Block& block) { estimator.add(block); }, progress);
  std::vector<Spectrogram> maps = estimator.result();
  for (std::size_t c = 0; c < maps.size(); ++c)
    if (r.complex)
      for (double& hz : maps[c].map.frequency_hz) hz += r.channels[c].carrier_hz;
  return maps;
}

/// RMS over time and frequency, the first channels.
Figure maps_figure(const SurveyResult& result) {
  const Recording& r = result.inspect.facts.recording;
  Figure figure;
  figure.title = r.stem() + ": spectrogram";
  const SpectrumPlan& plan = result.maps.front().grid.plan;
  figure.caption =
      fmt::format("{}, segment {} ({}), RBW {}; each cell the greatest of what it stands for",
                  result.maps.front().grid.window.name(), plan.segment,
                  format_quantity(plan.segment_s(), "s", 3), format_quantity(plan.rbw_hz, "Hz", 4));
  for (std::size_t c = 0; c < std::min<std::size_t>(6, result.maps.size()); ++c) {
    MapLook look;
    look.title = r.channels[c].name;
    look.x = {"Time", "s"};
    look.offset = r.axis.start;
    look.level_unit = "dB re 1 " + r.channels[c].unit.label();
    figure.panels.push_back(map_panel(result.maps[c].map, look).panel);
  }
  return figure;
}

}  // namespace

SurveyResult compute_survey(Input& input, const SurveySettings& settings,
                            const std::function<Progress(const std::string&)>& progress) {
  SurveyResult result;
  const std::string file = input.road().recording().file;
  result.inspect = compute_inspect(input, progress("inspect " + file));
  result.cautions = result.inspect.cautions;
  if (holds_spectra(input)) {
    result.findings = stored_findings(read_stored_spectra(input));
    return result;
  }
  try {
    result.spectrum = compute_spectrum(input, settings.analysis, progress("spectrum " + file));
  } catch (const Error& error) {
    if (error.status() != Status::analysis) throw;
    result.cautions.push_back({"no-spectrum", Severity::serious, "", error.what(), ""});
    return result;
  }
  try {
    result.maps = maps_of(input, settings.analysis, progress("spectrogram " + file));
  } catch (const Error& error) {
    if (error.status() != Status::analysis) throw;
    result.cautions.push_back({"no-spectrogram", Severity::warning, "", error.what(), ""});
  }
  // What reading found is in the inspection's cautions already.
  add_new_cautions(result.cautions, result.spectrum->cautions);
  for (const ChannelSpectrum& c : result.spectrum->channels) {
    ChannelSpectrum sound = c;
    std::erase_if(sound.peaks, [](const Peak& peak) { return peak.doubtful(); });
    for (Finding& finding :
         name_channel(result.spectrum->facts.recording, sound, noise_shape(c.spectrum, c.floor), {})) {
      finding.recording = file;
      result.findings.push_back(std::move(finding));
    }
  }
  return result;
}

namespace {

ReportSection section_of(const SurveyResult& result, const AnalysisSettings& analysis,
                         const std::string& trace, const std::string& spectrum, const std::string& map) {
  const Recording& r = result.inspect.facts.recording;
  ReportSection section;
  section.title = r.file;
  section.facts = split(recording_lines(r), '\n');
  section.facts.erase(section.facts.begin());
  std::erase_if(section.facts, [](const std::string& fact) { return fact.empty(); });
  section.cautions = result.cautions;
  if (!trace.empty())
    section.pictures.push_back(
        {trace, "Time trace of " + std::to_string(r.channels.size()) + " channels of " + r.file,
         "The whole record of each channel.", Picture::png, paged(trace_figure(result.inspect)).front()});
  section.tables.push_back({"Levels", "", statistics_table(result.inspect)});
  if (!result.spectrum) return section;
  if (!spectrum.empty())
    section.pictures.push_back(
        {spectrum, "Spectrum of each channel of " + r.file + " with the peaks of the tables marked",
         "Numbers are those of the tables below.", Picture::png,
         paged(spectrum_figure(*result.spectrum, analysis)).front()});
  if (!map.empty())
    section.pictures.push_back({map, "Spectrogram of " + r.file,
                                "Level over time and frequency; see the command spectrogram for events and "
                                "lines that wander."});
  for (const ChannelSpectrum& c : result.spectrum->channels) {
    ReportTable table{"Strongest peaks: " + c.channel.name, plan_text(c.spectrum, analysis.spectrum.overlap),
                      peak_table(c, analysis)};
    for (const Peak& peak : c.peaks) table.places.push_back(peak.frequency_hz);
    table.place_column = 1, table.panel = c.channel.name, table.place_unit = "Hz";
    section.tables.push_back(std::move(table));
  }
  return section;
}

std::string survey_text(const SurveyResult& result) {
  std::string out = recording_lines(result.inspect.facts.recording);
  for (const Channel& channel : result.inspect.facts.recording.channels) {
    out += "\n  " + channel.name + "\n";
    bool any = false;
    for (const Finding& f : result.findings) {
      if (f.channel != channel.name) continue;
      any = true;
      out += "    - " + f.text + "\n";
    }
    if (!any)
      out += result.inspect.facts.recording.axis.domain == Axis::Domain::frequency
                 ? "    - no peak of the file's spectrum stands out by 6 dB\n"
                 : "    - no line stands above the noise\n";
  }
  return out + "\n";
}

class SurveyTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    return {input_group(settings_.input), analysis_group(settings_.analysis), output_group(settings_.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }
  Status run(const std::vector<std::string>& files, const Json& settings) override {
    const SurveyOutcome outcome = run_survey(files, settings_, settings);
    if (!outcome.report.empty() && !settings_.output.json) say("\nOpen " + outcome.report + "\n");
    return outcome.status;
  }

 private:
  SurveySettings settings_;
};

}  // namespace

SurveyOutcome run_survey(const std::vector<std::string>& named, const SurveySettings& settings,
                         const Json& settings_shown) {
  Console console(settings.output);
  Delivery delivery;
  delivery.command = "survey";
  delivery.settings = settings_shown;
  std::vector<SurveyResult> results;
  // All are opened first: what is wrong with one is said before the work begins.
  auto inputs = open_inputs(named, settings.input);
  const std::vector<std::string> files = input_files(named, settings.input);
  const std::vector<std::string> stems = output_stems(files, "-survey");
  const std::string base = files.size() == 1 ? stems.front() : "survey";
  const auto outputs = open_outputs(settings.output, "survey", named, {base}, {base + ".html"});
  for (auto& input : inputs) {
    results.push_back(
        compute_survey(*input, settings, [&](const std::string& label) { return console.progress(label); }));
    const SurveyResult& result = results.back();
    delivery.inputs.push_back(result.inspect.facts);
    delivery.cautions.insert(delivery.cautions.end(), result.cautions.begin(), result.cautions.end());
    delivery.findings.insert(delivery.findings.end(), result.findings.begin(), result.findings.end());
    if (result.spectrum) {
      Json statistics = inspect_json(result.inspect),
           spectra = spectrum_json(*result.spectrum, settings.analysis);
      for (std::size_t c = 0; c < spectra.size(); ++c) {
        statistics[c].update(spectra[c]);
        delivery.results.push_back(statistics[c]);
      }
    } else {
      for (Json& entry : inspect_json(result.inspect)) delivery.results.push_back(std::move(entry));
    }
    delivery.text += survey_text(result);
  }

  SurveyOutcome outcome{"", delivery.findings, Status::done};
  outcome.status = deliver(
      delivery, settings.output, console, outputs.get(),
      [&](Outputs& folder) {
        // The page carries PNG; a figure asked for in another kind is written beside it.
        std::vector<std::string> pictures(3 * results.size());
        if (settings.output.figure && settings.output.figure != Picture::data)
          oneapi::tbb::parallel_for(std::size_t{0}, pictures.size(), [&](std::size_t i) {
            const SurveyResult& result = results[i / 3];
            if (i % 3 == 0)
              pictures[i] = folder.picture(trace_figure(result.inspect), Picture::png);
            else if (i % 3 == 1 && result.spectrum)
              pictures[i] =
                  folder.picture(spectrum_figure(*result.spectrum, settings.analysis), Picture::png);
            else if (i % 3 == 2 && !result.maps.empty())
              pictures[i] = folder.picture(maps_figure(result), Picture::png);
          });
        Report report;
        report.title = files.size() == 1 ? "Survey of " + delivery.inputs.front().recording.stem()
                                         : "Survey of " + std::to_string(files.size()) + " recordings";
        report.intro = "Made by Vast Prism " + std::string(version()) +
                       ". Levels are RMS in the channel's unit; a family's level is that of all its members "
                       "together. Uncertainties are standard uncertainties.";
        report.findings = delivery.findings;
        for (std::size_t i = 0; i < results.size(); ++i) {
          report.sections.push_back(section_of(results[i], settings.analysis, pictures[3 * i],
                                               pictures[3 * i + 1], pictures[3 * i + 2]));
          report.made_with.emplace_back("input", files[i] + ", " + results[i].inspect.facts.digest);
          for (const StageReport& stage : results[i].inspect.facts.chain)
            for (const auto& [key, value] : stage.effects)
              report.made_with.emplace_back(stage.name, key + ": " + value);
          if (settings.output.figures_as_text) {
            folder.add_figure(stems[i] + "-trace", trace_figure(results[i].inspect), "");
            if (results[i].spectrum)
              folder.add_figure(stems[i] + "-spectrum",
                                spectrum_figure(*results[i].spectrum, settings.analysis), "");
          }
          if (!settings.output.figure) continue;
          const Picture kind = *settings.output.figure;
          if (kind == Picture::png)
            folder.add_picture(stems[i] + "-trace", pictures[3 * i], kind, "time trace");
          else
            folder.add_figure(stems[i] + "-trace", trace_figure(results[i].inspect), "time trace");
          if (!results[i].spectrum) continue;
          if (kind == Picture::png)
            folder.add_picture(stems[i] + "-spectrum", pictures[3 * i + 1], kind,
                               "spectrum with the peaks marked");
          else
            folder.add_figure(stems[i] + "-spectrum",
                              spectrum_figure(*results[i].spectrum, settings.analysis),
                              "spectrum with the peaks marked");
        }
        report.made_with.emplace_back("settings", settings_shown.dump());
        for (std::size_t i = 0; i < results.size(); ++i)
          if (results[i].spectrum)
            write_spectrum_csv(*results[i].spectrum, settings.analysis,
                               folder.place(stems[i] + "-spectrum.csv", "level of every bin"));
        if (settings.output.figure == Picture::data) return;
        folder.add(base + ".html", report_html(report), "the report");
        outcome.report = folder.path_of(base + ".html");
      },
      base + ".json");
  return outcome;
}

std::unique_ptr<Task> make_survey_task() { return std::make_unique<SurveyTask>(); }

}  // namespace vprism
