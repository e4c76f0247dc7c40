// inspect.cpp: see inspect.h.
#include "commands/inspect/inspect.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_invoke.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/text.h"
#include "commands/inspect/purpose.h"
#include "frame/command.h"
#include "frame/console.h"
#include "frame/shell_word.h"

namespace vprism {

namespace {

/// The lines of a spectrum are read as amplitude and phase.
void turn_polar(Block& block) {
  for (std::size_t c = 0; c < block.channels(); ++c) {
    const auto real = block.samples(c), imaginary = block.samples(block.channels() + c);
    for (std::size_t n = 0; n < real.size(); ++n) {
      const double amplitude = std::hypot(real[n], imaginary[n]);
      imaginary[n] = std::atan2(imaginary[n], real[n]) * 180 / std::numbers::pi;
      real[n] = amplitude;
    }
  }
}

}  // namespace

InspectResult compute_inspect(Input& input, const Progress& progress) {
  const Recording& opened = input.road().recording();
  const std::size_t count = opened.channels.size() * (opened.complex ? 2 : 1);
  StatisticsEstimator statistics(count);
  OutlineEstimator outlines(count);
  RestEstimator rests(count);
  LevelsEstimator levels(count);
  SpikeCounter spikes(count);
  const bool spectrum = opened.complex && opened.axis.domain == Axis::Domain::frequency;
  input.road().run(
      [&](Block& block) {
        if (spectrum) turn_polar(block);
        // Side by side; each by itself goes through the blocks in order.
        oneapi::tbb::parallel_invoke([&] { statistics.add(block); },
                                     [&] { outlines.add(block), rests.add(block); },
                                     [&] {
                                       levels.add(block);
                                       spikes.add(block);
                                     });
      },
      progress);
  InspectResult result{input.facts(),     {}, statistics.result(), levels.result(), spikes.result(),
                       outlines.result(), {}};
  const Recording& recording = result.facts.recording;
  result.columns = recording.channels;
  if (recording.complex) {
    for (Channel& column : result.columns) column.name += spectrum ? ", amplitude" : ", real";
    for (Channel column : recording.channels) {
      column.name += spectrum ? ", phase" : ", imaginary";
      if (spectrum) column.unit = Unit::parse("degree"), column.quantity = "phase";
      result.columns.push_back(std::move(column));
    }
  }
  result.cautions = recording.cautions;
  const Axis& axis = recording.axis;
  if (!(axis.interval > 0) && axis.domain == Axis::Domain::time)
    result.cautions.push_back({"rate-unknown", Severity::warning, "",
                               recording.file + ": neither a time column nor a rate",
                               "give --rate, --interval or --duration"});
  for (const Channel& channel : recording.channels)
    if (!channel.unit.known() &&
        std::none_of(result.cautions.begin(), result.cautions.end(),
                     [&](const Caution& c) { return c.code == "unit-unknown" && c.channel == channel.name; }))
      result.cautions.push_back(
          {"unit-unknown", Severity::note, channel.name,
           "the unit \"" + channel.unit.text() + "\" can't be read; numbers are kept as they are",
           "name it with --calibrate '" + channel.name + ": unit UNIT'"});
  const std::vector<Rests> stood = rests.result();
  for (std::size_t c = 0; c < count; ++c) {
    // A spectrum has peaks and rests at its floor by nature.
    if (axis.domain == Axis::Domain::frequency) continue;
    for (Caution& caution :
         level_cautions(result.columns[c], result.statistics[c], result.levels[c], result.spikes[c], axis))
      result.cautions.push_back(std::move(caution));
    if (auto caution = rest_caution(result.columns[c], stood[c], result.statistics[c], axis))
      result.cautions.push_back(std::move(*caution));
  }
  return result;
}

namespace {

std::string axis_line(const Recording& r) {
  const Axis& axis = r.axis;
  const std::string unit = axis.unit.text();
  const auto shown = [&](double x, int digits) {
    return format_quantity(x, unit == "1" ? "" : unit, digits);
  };
  if (axis.domain == Axis::Domain::time) {
    if (!(axis.interval > 0)) return ", rate unknown";
    std::string out = " over " + shown(r.duration_s(), 6) + " from " + shown(axis.start, 6);
    out += axis.stamped ? ", at uneven steps, mean rate " : ", rate ";
    out += format_quantity(axis.rate_hz(), "Hz", 9) + " (" + axis.source + ")";
    if (axis.stamped) out += "; mean, RMS and moments are over time, the median over samples";
    if (!axis.stamped && axis.jitter > 1e-6)
      out += fmt::format(", stamps within {:.2g}% of an interval RMS", 100 * axis.jitter);
    return out;
  }
  if (!(axis.interval > 0)) return ", " + axis.name;
  const double end = axis.start + static_cast<double>(r.samples - 1) * axis.interval;
  return " along \"" + axis.name + "\" from " + shown(axis.start, 6) + " to " + shown(end, 6) +
         (axis.stamped ? ", at uneven steps, " : ", every ") + shown(axis.interval, 6) +
         (axis.stamped ? " on average" : "") + " (" + axis.source + ")";
}

}  // namespace

std::string recording_lines(const Recording& r) {
  std::string out = clean_text(r.file) + "\n  " + r.format + "\n  " + std::to_string(r.channels.size()) +
                    (r.complex ? " complex" : "") + (r.channels.size() == 1 ? " channel, " : " channels, ") +
                    std::to_string(r.samples) + (r.samples == 1 ? " sample" : " samples") + axis_line(r) +
                    "\n";
  if (!r.parts.empty()) {
    out += "  part " + std::to_string(r.part + 1) + " of " + std::to_string(r.parts.size()) +
           "; choose with --part:\n";
    const std::size_t shown = std::min<std::size_t>(r.parts.size(), 20);
    for (std::size_t i = 0; i < shown; ++i)
      out += std::string(i == r.part ? "  * " : "    ") + std::to_string(i + 1) + "  " +
             clean_text(r.parts[i].name) + ": " + r.parts[i].what + "\n";
    if (shown < r.parts.size()) out += "    and " + std::to_string(r.parts.size() - shown) + " more\n";
  }
  return out;
}

std::string layout_text(const Recording& recording) {
  if (recording.layout.empty()) return "  not a text table: its format says what is where\n";
  TextTable table({{"line", TextTable::Align::left}, {"taken for", TextTable::Align::left}});
  for (const auto& [line, what] : recording.layout) table.add({line, what});
  return table.text();
}

TextTable statistics_table(const InspectResult& result) {
  TextTable table({{"channel", TextTable::Align::left},
                   {"unit", TextTable::Align::left},
                   {"min"},
                   {"max"},
                   {"mean"},
                   {"median"},
                   {"RMS"},
                   {"std"},
                   {"variance"},
                   {"crest"},
                   {"skew"},
                   {"kurtosis"},
                   {"shape", TextTable::Align::left}});
  for (std::size_t c = 0; c < result.statistics.size(); ++c) {
    const Channel& channel = result.columns[c];
    const Statistics& s = result.statistics[c];
    const Outline outline = result.outlines[c];
    // A mean that is rounding error beside the spread is zero to a reader.
    const auto still = [&](double x) { return format_number(std::abs(x) < 1e-12 * s.rms ? 0 : x); };
    table.add({channel.name, channel.unit.label(), format_number(s.min), format_number(s.max), still(s.mean),
               still(result.levels[c].median), format_number(s.rms), format_number(s.std),
               format_number(s.std * s.std, 4), format_number(s.crest, 4), format_number(s.skewness, 3),
               format_number(s.kurtosis, 4), bar_line(outline.high, s.min, s.max, 16)});
  }
  return table;
}

namespace {

/// For a terminal: with few channels each is a column, so that the lines stay short.
std::string statistics_text(const InspectResult& result) {
  const TextTable rows = statistics_table(result);
  if (rows.rows().size() > 5) return rows.text();
  std::vector<TextTable::Column> titles = {{"", TextTable::Align::left}};
  for (const auto& row : rows.rows()) titles.push_back({row.front()});
  TextTable turned(titles);
  for (std::size_t k = 1; k < rows.columns().size(); ++k) {
    std::vector<std::string> line = {rows.columns()[k].title};
    for (const auto& row : rows.rows()) line.push_back(row[k]);
    turned.add(line);
  }
  return turned.text();
}

}  // namespace

Json inspect_json(const InspectResult& result) {
  Json out = Json::array();
  const Recording& r = result.facts.recording;
  for (std::size_t c = 0; c < result.statistics.size(); ++c) {
    const Statistics& s = result.statistics[c];
    const bool rated = r.axis.interval > 0 && r.axis.domain == Axis::Domain::time;
    out.push_back({{"channel", r.channels[c % r.channels.size()].name},
                   {"unit", result.columns[c].unit.label()},
                   {"file", r.file},
                   {"rate_hz", rated ? number(r.axis.rate_hz()) : Json(nullptr)},
                   {"samples", r.samples},
                   {"duration_s", rated ? number(r.duration_s()) : Json(nullptr)},
                   {"jitter", number(r.axis.jitter)},
                   {"min", number(s.min)},
                   {"max", number(s.max)},
                   {"mean", number(s.mean)},
                   {"median", number(result.levels[c].median)},
                   {"median_exact", result.levels[c].exact},
                   {"rms", number(s.rms)},
                   {"std", number(s.std)},
                   {"variance", number(s.std * s.std)},
                   {"crest", number(s.crest)},
                   {"skewness", number(s.skewness)},
                   {"kurtosis", number(s.kurtosis)},
                   {"missing", s.missing},
                   {"spikes", result.spikes[c].count}});
    if (r.complex) {
      const bool spectrum = r.axis.domain == Axis::Domain::frequency;
      out.back()["part"] =
          c < r.channels.size() ? (spectrum ? "amplitude" : "real") : (spectrum ? "phase" : "imaginary");
    }
    if (result.columns[c].carrier_hz != 0) out.back()["carrier_hz"] = result.columns[c].carrier_hz;
  }
  return out;
}

namespace {

std::string capitalised(std::string text) {
  if (!text.empty()) text[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(text[0])));
  return text;
}

}  // namespace

Figure trace_figure(const InspectResult& result) {
  const Recording& r = result.facts.recording;
  const Axis& axis = r.axis;
  const bool rated = axis.interval > 0;
  const bool timed = axis.domain == Axis::Domain::time;
  Figure figure;
  figure.title = r.stem() + (timed ? ": time trace" : ": trace along " + axis.name);
  figure.caption = std::to_string(r.samples) + " samples";
  if (rated && timed)
    figure.caption += " at " + format_quantity(axis.rate_hz(), "Hz", 7);
  else if (timed)
    figure.caption += ", rate unknown";
  if (rated && axis.stamped) figure.caption += timed ? " on average, at uneven steps" : " at uneven steps";
  // A sweep over decades is drawn over decades.
  const bool decades = axis.domain == Axis::Domain::frequency && axis.stamped && axis.start > 0 &&
                       axis.start + static_cast<double>(r.samples - 1) * axis.interval > 50 * axis.start;
  const double end =
      axis.start + static_cast<double>(timed && !axis.stamped ? r.samples : r.samples - 1) * axis.interval;
  std::int64_t stretch = 1;
  for (std::size_t c = 0; c < result.outlines.size(); ++c) {
    const Outline outline = coarser(result.outlines[c], 640);
    const Channel& channel = result.columns[c];
    stretch = outline.samples_per_stretch;
    Panel panel;
    panel.title = channel.name;
    const std::string unit = axis.unit.text() == "1" ? "" : axis.unit.text();
    panel.x = rated ? FigureAxis{timed ? "Time" : capitalised(axis.name), unit, decades, axis.start, end}
                    : FigureAxis{"Sample number from 0", "", false, 0, static_cast<double>(r.samples)};
    panel.y = {channel.quantity.empty() ? "Level" : capitalised(channel.quantity),
               channel.unit.text() == "1" ? "" : channel.unit.label(),
               false,
               {},
               {}};
    Curve curve;
    curve.name = channel.name;
    for (std::size_t i = 0; i < outline.low.size(); ++i) {
      const double sample =
          static_cast<double>(i) * static_cast<double>(stretch) + static_cast<double>(stretch - 1) / 2;
      curve.x.push_back(axis.stamped && i < outline.at.size() ? outline.at[i]
                        : rated                               ? r.axis.start + sample * r.axis.interval
                                                              : sample);
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
    OptionGroup input = input_group(settings_.input);
    for (Option& option : input.options)
      option.set = [this, name = option.name, set = option.set](const std::string& value) {
        set(value);
        typed_ += " --" + name + (value.empty() ? "" : " " + shell_word(value));
      };
    return {
        std::move(input),
        {"Inspect",
         {switch_option("layout", "show what each line of a text table was taken for", settings_.layout)}},
        output_group(settings_.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    Console console(settings_.output);
    Delivery delivery;
    delivery.command = "inspect";
    delivery.settings = settings;
    delivery.text_has_cautions = true;
    std::vector<InspectResult> results;
    auto inputs = open_inputs(files, settings_.input);
    const std::vector<std::string> stems = output_stems(input_files(files, settings_.input), "-inspect");
    const auto outputs = open_outputs(settings_.output, "inspect", files, stems);
    for (auto& input : inputs) {
      results.push_back(
          compute_inspect(*input, console.progress("inspect " + input->road().recording().file)));
      const Purpose purpose = purpose_of(results.back().facts.recording, typed_);
      // Places may well be the same for all points.
      if (purpose.field)
        std::erase_if(results.back().cautions,
                      [](const Caution& c) { return c.code == "channel-dead" || c.code == "rate-unknown"; });
      const InspectResult& result = results.back();
      delivery.inputs.push_back(result.facts);
      delivery.inputs.back().purpose = purpose.what, delivery.inputs.back().next = purpose.next;
      delivery.cautions.insert(delivery.cautions.end(), result.cautions.begin(), result.cautions.end());
      for (Json& entry : inspect_json(result)) delivery.results.push_back(std::move(entry));
      delivery.text += recording_lines(result.facts.recording) + "\n";
      if (settings_.layout) delivery.text += layout_text(result.facts.recording) + "\n";
      delivery.text += statistics_text(result) + "\n";
      for (const Caution& c : result.cautions) delivery.text += "  " + caution_line(c) + "\n";
      delivery.text += (result.cautions.empty() ? "" : "\n") + purpose_text(purpose);
    }
    return deliver(
        delivery, settings_.output, console, outputs.get(),
        [&](Outputs& folder) {
          for (std::size_t i = 0; i < results.size(); ++i) {
            folder.add(stems[i] + ".csv", csv(results[i]), "statistics of each channel");
            folder.add_figure(stems[i], trace_figure(results[i]), "time trace of each channel");
          }
        },
        stems.front() + ".json");
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
  std::string typed_;  ///< Options of the input, as given.
};

}  // namespace

std::unique_ptr<Task> make_inspect_task() { return std::make_unique<InspectTask>(); }

}  // namespace vprism
