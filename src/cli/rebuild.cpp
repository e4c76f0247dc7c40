// rebuild.cpp: the command `rebuild`: the signal from chosen components, beside the original and what is left
// over.
#include "identify/rebuild.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "cli/each_input.h"
#include "cli/held.h"
#include "cli/stored_spectrum.h"
#include "cli/suspects_file.h"
#include "cli/write_recording.h"
#include "identify/whole_lines.h"

namespace vprism {

namespace {

struct ChannelRebuilt {
  Channel channel;
  std::vector<double> original;
  std::vector<Component> components;
  Rebuilt rebuilt;
};

struct RebuildResult {
  InputFacts facts;
  std::string how;
  std::vector<ChannelRebuilt> channels;
};

class RebuildTask : public EachInputTask<RebuildResult> {
 public:
  RebuildTask() : EachInputTask("rebuild") {}

  std::vector<OptionGroup> options() override {
    return {
        input_group(input_),
        {"Components",
         {count_option("strongest", "the strongest N lines (default: 10)", 1, 1000, strongest_),
          {"frequencies", "FREQUENCY,...", "lines at these frequencies", true,
           [this](const std::string& t) {
             for (const std::string& part : split(t, ','))
               hz_.push_back(parse_positive(part, Dimension::frequency));
           },
           [this] { return Json(hz_); }},
          range_option("band", "all within this band", Dimension::frequency, band_),
          {"without", "SUSPECT|FREQUENCY,...",
           "everything but the lines of a suspect of the line-up, or but lines at these frequencies", true,
           [this](const std::string& t) {
             for (const std::string& part : split(t, ',')) without_.emplace_back(trimmed(part));
           },
           [this] { return Json(without_); }},
          text_option("suspects", "FILE.toml", "the line-up that --without names suspects of", suspects_),
          text_option("spectrum", "FILE.csv",
                      "the inverse transform of a saved spectrum with phases (spectrum --window rectangular "
                      "--phase-at)",
                      spectrum_),
          format_option(to_,
                        "format of the recording of what was rebuilt and what is left (default: hdf5)")}},
        output_group(output_)};
  }

 protected:
  void check_settings() const override {
    const int ways = !hz_.empty() + band_.has_value() + !without_.empty() + !spectrum_.empty();
    if (ways > 1)
      throw Error(Status::usage,
                  "--frequencies, --band, --without and --spectrum each say what to take; give one");
  }

  RebuildResult measure(Input& input, const Progress& progress) override {
    Held held = hold_samples(input, progress, std::int64_t{1} << 23);
    const Recording& r = held.recording;
    const double rate = r.axis.rate_hz();
    RebuildResult result;
    result.facts = held.facts;
    const SuspectsFile suspects = suspects_.empty() ? SuspectsFile{} : read_suspects(suspects_);
    for (std::size_t c = 0; c < r.channels.size(); ++c) {
      ChannelRebuilt channel;
      channel.channel = r.channels[c];
      channel.original = std::move(held.columns[c]);
      const std::span<const double> x = channel.original;
      try {
        if (!spectrum_.empty()) {
          result.how = "the inverse of " + spectrum_;
          channel.rebuilt = rebuild_as(x, from_spectrum(channel.channel.name, x.size(), rate));
        } else if (band_) {
          const double low = band_->low.value_or(0), high = band_->high.value_or(rate);
          result.how = "all from " + format_quantity(low, "Hz") + " to " +
                       format_quantity(std::min(high, rate / 2), "Hz");
          channel.rebuilt = rebuild_as(x, band_part(x, rate, low, high));
        } else if (!without_.empty()) {
          result.how = "everything but " + joined(without_);
          channel.components = lines_to_leave_out(x, rate, suspects);
          Rebuilt taken = rebuild(x, rate, channel.components);
          // What is left is what was asked for.
          for (double& v : taken.residual) v += taken.mean;
          channel.rebuilt = rebuild_as(x, taken.residual);
        } else {
          result.how = hz_.empty() ? "the strongest lines" : "lines at the frequencies given";
          channel.components =
              hz_.empty() ? strongest_components(x, rate, strongest_) : components_at(x, rate, hz_);
          channel.rebuilt = rebuild(x, rate, channel.components);
        }
      } catch (const Error& error) {
        throw Error(error.status(),
                    r.file + ": channel \"" + clean_text(channel.channel.name) + "\": " + error.what());
      }
      if (channel.components.empty() && !band_ && spectrum_.empty())
        result.facts.recording.cautions.push_back({"nothing-to-take", Severity::warning, channel.channel.name,
                                                   "no line of those asked for stands in it",
                                                   "look at its spectrum"});
      result.channels.push_back(std::move(channel));
    }
    return result;
  }

  void tell(const RebuildResult& result, Telling& telling) override {
    const Recording& r = result.facts.recording;
    telling.inputs.push_back(result.facts);
    telling.cautions.insert(telling.cautions.end(), r.cautions.begin(), r.cautions.end());
    telling.text += clean_text(r.file) + "\n  rebuilt: " + clean_text(result.how) + "\n";
    for (const ChannelRebuilt& c : result.channels) {
      const std::string unit = c.channel.unit.label();
      telling.text += "\n" + c.channel.name + ": " + share_text(c) + "\n";
      if (!c.components.empty()) telling.text += table(c).text();
      Json components = Json::array(), steps = Json::array();
      for (const Component& part : c.components) {
        components.push_back({{"frequency_hz", number(part.hz)},
                              {"amplitude", number(part.amplitude)},
                              {"phase_deg", number(part.phase_deg)}});
        if (!part.what.empty()) components.back()["what"] = part.what;
      }
      for (const RebuildStep& step : c.rebuilt.steps)
        steps.push_back({{"components", step.components},
                         {"residual_rms", number(step.residual_rms)},
                         {"explained_percent", number(100 * step.explained)}});
      telling.results.push_back({{"channel", c.channel.name},
                                 {"unit", unit},
                                 {"mean", number(c.rebuilt.mean)},
                                 {"rms", number(c.rebuilt.rms)},
                                 {"residual_rms", number(c.rebuilt.residual_rms)},
                                 {"explained_percent", number(100 * c.rebuilt.explained)},
                                 {"components", std::move(components)},
                                 {"steps", std::move(steps)}});
    }
    telling.text += "\n";
  }

  void write(RebuildResult& result, const std::string& base, Outputs& folder) override {
    Recording out = result.facts.recording;
    out.channels.clear();
    out.parts.clear();
    std::vector<std::vector<double>> columns;
    for (const ChannelRebuilt& c : result.channels) {
      Channel rebuilt = c.channel, rest = c.channel;
      rebuilt.name += " rebuilt", rest.name += " left over";
      out.channels.push_back(rebuilt), out.channels.push_back(rest);
      columns.push_back(c.rebuilt.samples), columns.push_back(c.rebuilt.residual);
    }
    out.samples = static_cast<std::int64_t>(columns[0].size());
    out.axis.stamped = false;
    write_recording(out, columns, folder, base, find_write_format(to_.empty() ? "hdf5" : to_), {});
    folder.add_figure(base, figure(result), "original, rebuilt and left over");
  }

 private:
  std::string share_text(const ChannelRebuilt& c) const {
    const std::string unit = c.channel.unit.label();
    const auto level = [&](double rms) { return format_quantity(rms, unit, 5) + " RMS"; };
    if (without_.empty())
      return fmt::format("{} about its mean, {} left over, explained {:.4g}%", level(c.rebuilt.rms),
                         level(c.rebuilt.residual_rms), 100 * c.rebuilt.explained);
    const double square = c.rebuilt.rms * c.rebuilt.rms - c.rebuilt.residual_rms * c.rebuilt.residual_rms;
    return fmt::format("{} about its mean, {} left out, {} without that", level(c.rebuilt.rms),
                       level(c.rebuilt.residual_rms), level(std::sqrt(std::max(0.0, square))));
  }

  static std::string joined(const std::vector<std::string>& names) {
    std::string out;
    for (const std::string& part : names) out += (out.empty() ? "" : ", ") + part;
    return out;
  }

  std::vector<double> from_spectrum(const std::string& name, std::size_t samples, double rate_hz) const {
    InputSettings plain;
    const std::vector<std::unique_ptr<Input>> inputs = open_inputs({spectrum_}, plain);
    if (!holds_spectra(*inputs[0]))
      throw Error(Status::input,
                  spectrum_ + ": there is no spectrum in it; save one with spectrum --phase-at 0s");
    const std::vector<StoredSpectrum> stored = read_stored_spectra(*inputs[0]);
    const StoredSpectrum *level = nullptr, *phase = nullptr;
    double to_rms = 1;
    for (const StoredSpectrum& s : stored) {
      if (s.channel.name == name + " rms" || s.channel.name == name) level = &s;
      if (s.channel.name == name + " peak") level = &s, to_rms = 1 / std::sqrt(2.0);
      if (s.channel.name == name + " phase") phase = &s;
    }
    if (level == nullptr || phase == nullptr)
      throw Error(Status::analysis,
                  spectrum_ + ": it has no columns \"" + name + " rms\" and \"" + name +
                      " phase\"; save the spectrum with --scale rms --phase-at and the record's start");
    if (level->hz.size() != phase->hz.size())
      throw Error(Status::input, spectrum_ + ": levels or phases of some frequencies are missing");
    std::vector<double> rms = level->level;
    for (double& v : rms) v *= to_rms;
    return inverse_of_bins(level->hz, rms, phase->level, samples, rate_hz);
  }

  /// Lines of the suspects named, and at the frequencies named.
  std::vector<Component> lines_to_leave_out(std::span<const double> x, double rate_hz,
                                            const SuspectsFile& file) const {
    std::vector<double> hz;
    std::vector<std::string> what;
    std::vector<Component> found;
    for (const std::string& name : without_) {
      const bool is_frequency = !name.empty() && std::isdigit(static_cast<unsigned char>(name[0]));
      if (is_frequency) {
        hz.push_back(parse_positive(name, Dimension::frequency));
        what.push_back(name);
        continue;
      }
      std::vector<std::string> known;
      for (const Suspect& s : file.lineup) known.push_back(s.name);
      const auto at = std::find(known.begin(), known.end(), name);
      if (at == known.end())
        throw Error(Status::usage, file.lineup.empty()
                                       ? "--without " + name + " names a suspect; give --suspects FILE.toml"
                                       : unknown_name("suspect", name, known));
      if (found.empty()) found = strongest_components(x, rate_hz, 60);
      std::vector<Observed> lines;
      for (std::size_t i = 0; i < found.size(); ++i)
        lines.push_back({0, i, found[i].hz, rate_hz / static_cast<double>(x.size()) / 20,
                         found[i].amplitude / std::sqrt(2.0)});
      LineUpSettings settings;
      settings.top_hz = rate_hz / 2;
      const auto index = static_cast<std::size_t>(at - known.begin());
      const std::vector<SuspectMatch> matches = match_suspects(file.lineup, lines, settings);
      for (const LineMatch& line : matches[index].lines)
        for (const std::size_t i : line.observed) {
          hz.push_back(found[i].hz);
          what.push_back(name + ", " + file.lineup[index].lines[line.line].what);
        }
    }
    if (hz.empty()) return {};
    std::vector<Component> out = components_at(x, rate_hz, hz);
    for (Component& c : out)
      for (std::size_t i = 0; i < hz.size(); ++i)
        if (c.hz == hz[i]) c.what = what[i];
    return out;
  }

  TextTable table(const ChannelRebuilt& c) const {
    const bool left_out = !without_.empty();
    TextTable out({{left_out ? "left out" : "component"},
                   {"frequency"},
                   {"amplitude (peak)"},
                   {"phase (deg)"},
                   {left_out ? "" : "left over (RMS)"},
                   {left_out ? "" : "explained"},
                   {"", TextTable::Align::left}});
    for (std::size_t i = 0; i < c.components.size(); ++i) {
      const Component& part = c.components[i];
      const std::string unit = c.channel.unit.label();
      out.add({std::to_string(i + 1), format_quantity(part.hz, "Hz", 8),
               format_quantity(part.amplitude, unit, 5), fmt::format("{:.1f}", part.phase_deg),
               left_out ? "" : format_quantity(c.rebuilt.steps[i + 1].residual_rms, unit, 4),
               left_out ? "" : fmt::format("{:.4g}%", 100 * c.rebuilt.steps[i + 1].explained), part.what});
    }
    return out;
  }

  static Curve trace(const std::vector<double>& x, std::size_t from, std::size_t count, const Axis& axis) {
    Curve curve;
    for (std::size_t n = from; n < from + count; ++n) {
      curve.x.push_back(axis.start + static_cast<double>(n) * axis.interval);
      curve.y.push_back(x[n]);
    }
    return thinned(std::move(curve), 4000, false);
  }

  Figure figure(const RebuildResult& result) const {
    const Axis& axis = result.facts.recording.axis;
    Figure figure;
    figure.title = result.facts.recording.stem() + ": rebuilt";
    figure.caption = clean_text(result.how) + "; the first panel of each channel shows a part of the record";
    for (const ChannelRebuilt& c : result.channels) {
      const std::size_t count = c.original.size();
      // Some periods of the strongest component around the middle, else a fiftieth of the record.
      const double period =
          c.components.empty() ? static_cast<double>(count) / 200 : axis.rate_hz() / c.components[0].hz;
      const auto shown = std::min(count, static_cast<std::size_t>(std::max(64.0, 12 * period)));
      const std::size_t from = (count - shown) / 2;
      Panel panel;
      panel.title = c.channel.name + ": " + share_text(c);
      panel.x = {"Time", "s"};
      panel.y = {c.channel.quantity.empty() ? "Value" : c.channel.quantity, c.channel.unit.label()};
      const std::pair<const char*, const std::vector<double>*> curves[] = {
          {"original", &c.original},
          {"rebuilt", &c.rebuilt.samples},
          {without_.empty() ? "left over" : "left out", &c.rebuilt.residual}};
      static constexpr int shades[] = {neutral_colour, 0, 1};
      for (int i = 0; i < 3; ++i) {
        Curve curve = trace(*curves[i].second, from, shown, axis);
        curve.name = curves[i].first, curve.colour = shades[i];
        panel.curves.push_back(std::move(curve));
      }
      figure.panels.push_back(panel);
      if (c.rebuilt.steps.size() > 2) {
        Panel steps;
        steps.title = c.channel.name + ": what so many components leave";
        steps.x = {"Components", "", false, 0, static_cast<double>(c.rebuilt.steps.size()) - 1};
        steps.y = {"Left over (RMS)", c.channel.unit.label(), true};
        Curve curve;
        for (const RebuildStep& step : c.rebuilt.steps) {
          curve.x.push_back(static_cast<double>(step.components));
          curve.y.push_back(step.residual_rms);
        }
        steps.curves.push_back(std::move(curve));
        figure.panels.push_back(std::move(steps));
      } else {
        Panel whole = panel;
        whole.title = c.channel.name + ": the whole record";
        whole.curves.clear();
        for (int i = 0; i < 2; ++i) {
          Curve curve = trace(*curves[i].second, 0, count, axis);
          curve.name = curves[i].first, curve.colour = shades[i];
          whole.curves.push_back(std::move(curve));
        }
        figure.panels.push_back(std::move(whole));
      }
    }
    return figure;
  }

  std::size_t strongest_ = 10;
  std::vector<double> hz_;
  std::optional<Range> band_;
  std::vector<std::string> without_;
  std::string suspects_, spectrum_, to_;
};

}  // namespace

std::unique_ptr<Task> make_rebuild_task() { return std::make_unique<RebuildTask>(); }

}  // namespace vprism
