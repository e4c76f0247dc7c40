// inspect.cpp: see inspect.h.
#include "cli/inspect.h"

#include <fmt/format.h>

#include "base/text.h"
#include "cli/command.h"
#include "cli/console.h"

namespace vprism {

InspectResult compute_inspect(Input& input, const Progress& progress) {
  const std::size_t channels = input.road().recording().channels.size();
  StatisticsEstimator statistics(channels);
  OutlineEstimator outlines(channels);
  input.road().run(
      [&](Block& block) {
        statistics.add(block);
        outlines.add(block);
      },
      progress);
  InspectResult result{input.facts(), statistics.result(), outlines.result(), {}};
  const Recording& recording = result.facts.recording;
  result.cautions = recording.cautions;
  if (!(recording.axis.interval > 0))
    result.cautions.push_back({"rate-unknown", Severity::warning, "",
                               recording.file + ": neither a time column nor a rate",
                               "give --rate, --interval or --duration"});
  for (std::size_t c = 0; c < channels; ++c)
    for (Caution& caution : level_cautions(recording.channels[c], result.statistics[c]))
      result.cautions.push_back(std::move(caution));
  return result;
}

std::string recording_lines(const Recording& r) {
  std::string out = clean_text(r.file) + "\n  " + r.format + "\n  " + std::to_string(r.channels.size()) +
                    (r.channels.size() == 1 ? " channel, " : " channels, ") + std::to_string(r.samples) +
                    " samples";
  if (r.axis.interval > 0) {
    out +=
        " over " + format_quantity(r.duration_s(), "s", 6) + " from " + format_quantity(r.axis.start, "s", 6);
    out += r.axis.stamped ? ", at uneven steps, mean rate " : ", rate ";
    out += format_quantity(r.axis.rate_hz(), "Hz", 9) + " (" + r.axis.source + ")";
    if (r.axis.jitter > 1e-6)
      out += fmt::format(", stamps within {:.2g}% of an interval RMS", 100 * r.axis.jitter);
  } else {
    out += ", rate unknown";
  }
  return out + "\n";
}

TextTable statistics_table(const InspectResult& result) {
  TextTable table({{"channel", TextTable::Align::left},
                   {"unit", TextTable::Align::left},
                   {"min"},
                   {"max"},
                   {"mean"},
                   {"RMS"},
                   {"std"},
                   {"crest"},
                   {"kurtosis"}});
  for (std::size_t c = 0; c < result.statistics.size(); ++c) {
    const Channel& channel = result.facts.recording.channels[c];
    const Statistics& s = result.statistics[c];
    table.add({channel.name, channel.unit.label(), format_number(s.min), format_number(s.max),
               format_number(s.mean), format_number(s.rms), format_number(s.std), format_number(s.crest, 4),
               format_number(s.kurtosis, 4)});
  }
  return table;
}

Json inspect_json(const InspectResult& result) {
  Json out = Json::array();
  const Recording& r = result.facts.recording;
  for (std::size_t c = 0; c < result.statistics.size(); ++c) {
    const Statistics& s = result.statistics[c];
    const bool rated = r.axis.interval > 0;
    out.push_back({{"channel", r.channels[c].name},
                   {"unit", r.channels[c].unit.label()},
                   {"file", r.file},
                   {"rate_hz", rated ? number(r.axis.rate_hz()) : Json(nullptr)},
                   {"samples", s.samples},
                   {"duration_s", rated ? number(r.duration_s()) : Json(nullptr)},
                   {"jitter", number(r.axis.jitter)},
                   {"min", number(s.min)},
                   {"max", number(s.max)},
                   {"mean", number(s.mean)},
                   {"rms", number(s.rms)},
                   {"std", number(s.std)},
                   {"crest", number(s.crest)},
                   {"kurtosis", number(s.kurtosis)}});
  }
  return out;
}

Figure trace_figure(const InspectResult& result) {
  const Recording& r = result.facts.recording;
  const bool rated = r.axis.interval > 0;
  Figure figure;
  figure.title = r.stem() + ": time trace";
  figure.caption =
      std::to_string(r.samples) + " samples" +
      (rated ? " at " + format_quantity(r.axis.rate_hz(), "Hz", 7) : std::string(", rate unknown"));
  std::int64_t stretch = 1;
  for (std::size_t c = 0; c < result.outlines.size(); ++c) {
    const Outline outline = coarser(result.outlines[c], 640);
    const Channel& channel = r.channels[c];
    stretch = outline.samples_per_stretch;
    Panel panel;
    panel.title = channel.name;
    panel.x = rated ? FigureAxis{"Time", "s", false, r.axis.start, r.axis.start + r.duration_s()}
                    : FigureAxis{"Sample number from 0", "", false, 0, static_cast<double>(r.samples)};
    panel.y = {channel.quantity.empty()
                   ? "Level"
                   : std::string(1, static_cast<char>(std::toupper(channel.quantity[0]))) +
                         channel.quantity.substr(1),
               channel.unit.text() == "1" ? "" : channel.unit.label(),
               false,
               {},
               {}};
    Curve curve;
    curve.name = channel.name;
    for (std::size_t i = 0; i < outline.low.size(); ++i) {
      const double sample =
          static_cast<double>(i) * static_cast<double>(stretch) + static_cast<double>(stretch - 1) / 2;
      curve.x.push_back(rated ? r.axis.start + sample * r.axis.interval : sample);
      curve.y.push_back(outline.low[i]);
      if (stretch > 1) curve.high.push_back(outline.high[i]);
    }
    panel.curves.push_back(std::move(curve));
    figure.panels.push_back(std::move(panel));
  }
  if (stretch > 1)
    figure.caption += "; drawn as lowest to highest of every " + std::to_string(stretch) + " samples";
  return figure;
}

namespace {

class InspectTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    return {input_group(settings_.input), output_group(settings_.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    Console console(settings_.output);
    Telling telling;
    telling.command = "inspect";
    telling.settings = settings;
    telling.text_has_cautions = true;
    std::vector<InspectResult> results;
    for (auto& input : open_inputs(files, settings_.input)) {
      results.push_back(
          compute_inspect(*input, console.progress("inspect " + input->road().recording().file)));
      const InspectResult& result = results.back();
      telling.inputs.push_back(result.facts);
      telling.cautions.insert(telling.cautions.end(), result.cautions.begin(), result.cautions.end());
      for (Json& entry : inspect_json(result)) telling.results.push_back(std::move(entry));
      telling.text += recording_lines(result.facts.recording) + "\n" + statistics_table(result).text() + "\n";
      for (const Caution& c : result.cautions) telling.text += "  " + caution_line(c) + "\n";
    }
    const std::vector<std::string> stems = output_stems(files);
    deliver(
        telling, settings_.output, console,
        [&](OutputFolder& folder) {
          for (std::size_t i = 0; i < results.size(); ++i) {
            folder.add(stems[i] + "-inspect.csv", csv(results[i]), "statistics of each channel");
            if (settings_.output.figure) {
              const Picture picture = *settings_.output.figure;
              folder.add(stems[i] + "-inspect." + picture_ending(picture),
                         draw(trace_figure(results[i]), picture), "time trace of each channel");
            }
          }
        },
        stems.front() + "-inspect.json");
    return Status::done;
  }

 private:
  static std::string csv(const InspectResult& result) {
    std::string out;
    for (const Json& entry : inspect_json(result)) {
      std::string titles, line;
      for (const auto& [key, value] : entry.items()) {
        titles += (titles.empty() ? "" : ",") + key;
        line += (line.empty() ? "" : ",") +
                (value.is_string() ? csv_cell(value.get<std::string>()) : value.dump());
      }
      out += (out.empty() ? titles + "\n" : "") + line + "\n";
    }
    return out;
  }

  InspectSettings settings_;
};

}  // namespace

std::unique_ptr<Task> make_inspect_task() { return std::make_unique<InspectTask>(); }

}  // namespace vprism
