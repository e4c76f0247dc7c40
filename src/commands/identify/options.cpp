// options.cpp: the command `identify`.
#include <fmt/format.h>

#include "commands/identify/identify.h"
#include "frame/command.h"
#include "frame/console.h"
#include "render/report.h"

namespace vprism {

OptionGroup identify_group(IdentifySettings& s) {
  const auto share = [&s] { return Json(s.false_alarms); };
  return {
      "Findings",
      {{"explain", "[N,...]",
        "the evidence for the findings of these numbers, or for all of them (the document and the page have "
        "it in "
        "any case)",
        false,
        [&s](const std::string& t) {
          if (t != "all")
            for (const std::string& one : split(t, ',')) (void)parse_whole_number(one, 1);
          s.explain = t;
        },
        [&s] { return Json(s.explain); }},
       text_option("suspects", "FILE.toml", "the line-up: what could make lines, and where (docs/formats.md)",
                   s.suspects),
       {"reference", "CHANNEL",
        "channel that the others' power is attributed to; may be repeated (default: the "
        "channels that suspects are near)",
        true, [&s](const std::string& t) { s.references.push_back(t); }, [&s] { return Json(s.references); }},
       {"false-alarms", "N", "lines that noise alone may make in a whole spectrum (default: 0.001)", false,
        [&s](const std::string& t) {
          s.false_alarms = parse_positive(t, Dimension::ratio);
          if (s.false_alarms > 100 || s.false_alarms < 1e-60)
            throw Error(Status::usage, "from 1e-60 to 100: beyond that is no search for lines");
        },
        share},
       {"min-level", "LEVEL", "RMS below which nothing is reported, in the channel's unit", false,
        [&s](const std::string& t) { s.min_level = parse_any_quantity(t).value; },
        [&s] { return s.min_level ? Json(*s.min_level) : Json(nullptr); }},
       quantity_option("min-rise", "DB", "least height of a line above the saddles beside it",
                       Dimension::decibel, s.min_rise_db),
       quantity_option("min-apart", "FREQUENCY", "of lines closer than this only the strongest is reported",
                       Dimension::frequency, s.min_apart_hz),
       quantity_option("max-width", "FREQUENCY", "resonances wider than this are not reported",
                       Dimension::frequency, s.max_width_hz)}};
}

namespace {

class IdentifyTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    return {input_group(settings_.input), analysis_group(settings_.analysis, {"peaks"}),
            identify_group(settings_), output_group(settings_.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    Console console(settings_.output);
    Delivery delivery;
    delivery.command = "identify";
    delivery.settings = settings;
    SuspectsFile suspects;
    if (!settings_.suspects.empty()) suspects = read_suspects(settings_.suspects);
    std::vector<IdentifyResult> results;
    delivery.further["suspects"] = Json::array();
    settings_.input.also = settings_.references;
    const auto inputs = open_inputs(files, settings_.input);
    const std::vector<std::string> named = input_files(files, settings_.input);
    const std::vector<std::string> stems = output_stems(named, "-identify");
    const std::string base = inputs.size() == 1 ? stems.front() : "identify";
    const auto outputs = open_outputs(settings_.output, "identify", files, {base}, {base + ".html"});
    for (const auto& input : inputs) {
      results.push_back(compute_identify(*input, settings_, suspects,
                                         console.progress("identify " + input->road().recording().file)));
      const IdentifyResult& result = results.back();
      delivery.inputs.push_back(result.spectrum.facts);
      delivery.cautions.insert(delivery.cautions.end(), result.cautions.begin(), result.cautions.end());
      delivery.findings.insert(delivery.findings.end(), result.findings.begin(), result.findings.end());
      for (Json& entry : identify_json(result, settings_.analysis))
        delivery.results.push_back(std::move(entry));
      for (Json& entry : suspects_json(result)) delivery.further["suspects"].push_back(std::move(entry));
      delivery.text += identify_text(result, settings_.explain);
    }
    return deliver(
        delivery, settings_.output, console, outputs.get(),
        [&](Outputs& folder) {
          // Who asks for the data of figures draws them, and tells them, elsewhere.
          const bool page = settings_.output.figure != Picture::data;
          Report report;
          report.title = results.size() == 1
                             ? "Findings in " + delivery.inputs.front().recording.stem()
                             : "Findings in " + std::to_string(results.size()) + " recordings";
          report.intro =
              "Made by Vast Prism " + std::string(version()) +
              ". Levels are RMS in the channel's unit; a family's level is that of all its members "
              "together. Uncertainties are standard uncertainties.";
          report.findings = delivery.findings;
          report.numbered = true;
          for (std::size_t i = 0; i < results.size(); ++i) {
            const IdentifyResult& result = results[i];
            ReportSection section;
            section.title = named[i];
            section.cautions = result.cautions;
            if (settings_.output.figures_as_text)
              folder.add_figure(stems[i], identify_figure(result, settings_.analysis), "");
            if (settings_.output.figure) {
              const Figure figure = identify_figure(result, settings_.analysis);
              const Picture kind = *settings_.output.figure;
              const std::string png = page ? folder.picture(figure, Picture::png) : "";
              if (!png.empty())
                section.pictures.push_back({png, "Spectrum of each channel with the findings' numbers",
                                            "Numbers are those of the table below.", Picture::png,
                                            paged(figure).front()});
              if (kind == Picture::png)
                folder.add_picture(stems[i], png, kind, "spectrum with the findings marked");
              else
                folder.add_figure(stems[i], figure, "spectrum with the findings marked");
            }
            if (!result.findings.empty()) section.tables.push_back({"Findings", "", finding_table(result)});
            if (!result.verdicts.empty())
              section.tables.push_back(
                  {"The line-up", "Seen, cleared or out of this record's reach.", suspect_table(result)});
            report.sections.push_back(std::move(section));
            report.made_with.emplace_back("input", named[i] + ", " + result.spectrum.facts.digest);
          }
          report.made_with.emplace_back("settings", settings.dump());
          if (page) folder.add(base + ".html", report_html(report), "the report");
        },
        base + ".json");
  }

 private:
  IdentifySettings settings_;
};

}  // namespace

std::unique_ptr<Task> make_identify_task() { return std::make_unique<IdentifyTask>(); }

}  // namespace vprism
