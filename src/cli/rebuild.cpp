// rebuild.cpp: the command `rebuild`: the signal from chosen components, beside the original and what is left
// over.
#include "identify/rebuild.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <list>

#include "base/error.h"
#include "base/text.h"
#include "cli/channel_groups.h"
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
          {"components", "N,N,...", "what so many of the strongest lines make, side by side", true,
           [this](const std::string& t) {
             for (const std::string& part : split(t, ',')) {
               const long long count = parse_whole_number(std::string(trimmed(part)), 1);
               if (count > 1000) throw Error(Status::usage, "at most 1000 lines");
               side_by_side_.push_back(static_cast<std::size_t>(count));
             }
             std::sort(side_by_side_.begin(), side_by_side_.end());
             side_by_side_.erase(std::unique(side_by_side_.begin(), side_by_side_.end()),
                                 side_by_side_.end());
           },
           [this] { return Json(side_by_side_); }},
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
    if (!side_by_side_.empty() && (ways > 0 || strongest_ != usual_lines))
      throw Error(Status::usage,
                  "--components counts the strongest lines; leave out --strongest, --frequencies, --band, "
                  "--without, --spectrum");
    if (ways > 1)
      throw Error(Status::usage,
                  "--frequencies, --band, --without and --spectrum each say what to take; give one");
  }

  RebuildResult measure(Input& input, const Progress& progress) override {
    Held held = hold_samples(input, progress, std::int64_t{5} << 20);
    const Recording& r = held.recording;
    const double rate = r.axis.rate_hz();
    RebuildResult result;
    result.facts = held.facts;
    const SuspectsFile suspects = suspects_.empty() ? SuspectsFile{} : read_suspects(suspects_);
    result.how = how(rate);
    std::vector<std::vector<double>> turned_back(r.channels.size());
    if (!spectrum_.empty())
      for (std::size_t c = 0; c < r.channels.size(); ++c)
        turned_back[c] = from_spectrum(r.channels[c].name, held.columns[c].size(), rate);
    result.channels.resize(r.channels.size());
    std::vector<std::vector<Caution>> cautions(r.channels.size());
    for_each_channel(r, [&](std::size_t c) {
      ChannelRebuilt& channel = result.channels[c];
      channel.channel = r.channels[c];
      channel.original = std::move(held.columns[c]);
      const std::span<const double> x = channel.original;
      if (!spectrum_.empty()) {
        TurnedBack back = matched_to(x, std::move(turned_back[c]));
        channel.rebuilt = rebuild_as(x, std::move(back.samples));
        report_match(back, channel, r, cautions[c]);
      } else if (band_) {
        channel.rebuilt =
            rebuild_as(x, band_part(x, rate, band_->low.value_or(0), band_->high.value_or(rate)));
      } else if (!without_.empty()) {
        channel.components = lines_to_leave_out(x, rate, suspects);
        Rebuilt taken = rebuild(x, rate, channel.components);
        // What is left is what was asked for.
        for (double& v : taken.residual) v += taken.mean;
        channel.rebuilt = rebuild_as(x, taken.residual);
      } else {
        channel.components =
            hz_.empty()
                ? strongest_components(x, rate, side_by_side_.empty() ? strongest_ : side_by_side_.back())
                : components_at(x, rate, hz_);
        channel.rebuilt = rebuild(x, rate, channel.components);
      }
      if (channel.components.empty() && !band_ && spectrum_.empty())
        cautions[c].push_back({"nothing-to-take", Severity::warning, channel.channel.name,
                               "no line of those asked for stands in it", "look at its spectrum"});
    });
    for (std::vector<Caution>& some : cautions)
      std::move(some.begin(), some.end(), std::back_inserter(result.facts.recording.cautions));
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
      Json beside = Json::array();
      if (!side_by_side_.empty()) telling.text += "\n" + counts_table(c, beside).text();
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
      if (!side_by_side_.empty()) telling.results.back()["side_by_side"] = std::move(beside);
    }
    telling.text += "\n";
  }

  void write(RebuildResult& result, const std::string& base, Outputs& folder) override {
    Recording out = result.facts.recording;
    out.channels.clear();
    out.parts.clear();
    Columns columns;
    std::list<std::vector<double>> beside;
    for (const ChannelRebuilt& c : result.channels) {
      Channel rebuilt = c.channel, rest = c.channel;
      rebuilt.name += " rebuilt", rest.name += " left over";
      out.channels.push_back(rebuilt), out.channels.push_back(rest);
      columns.push_back(c.rebuilt.samples), columns.push_back(c.rebuilt.residual);
      for (const std::size_t count : side_by_side_) {
        Channel some = c.channel;
        some.name += " rebuilt of " + std::to_string(count);
        out.channels.push_back(some);
        columns.push_back(beside.emplace_back(first_of(c, count, out.axis.rate_hz())));
      }
    }
    out.samples = static_cast<std::int64_t>(columns[0].size());
    out.axis.stamped = false;
    write_recording(out, columns, folder, base, find_write_format(to_.empty() ? "hdf5" : to_), {});
    folder.add_figure(
        base, [&] { return figure(result); }, "original, rebuilt and left over");
  }

 private:
  /// What is taken.
  std::string how(double rate_hz) const {
    if (!spectrum_.empty()) return "the inverse of " + spectrum_;
    if (band_)
      return "all from " + format_quantity(band_->low.value_or(0), "Hz") + " to " +
             format_quantity(std::min(band_->high.value_or(rate_hz), rate_hz / 2), "Hz");
    if (!without_.empty()) return "everything but " + joined(without_);
    return hz_.empty() ? "the strongest lines" : "lines at the frequencies given";
  }

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

  /// How the saved spectrum had to be read to be this record's.
  void report_match(const TurnedBack& back, const ChannelRebuilt& c, const Recording& r,
                    std::vector<Caution>& cautions) const {
    const auto add = [&](const char* code, Severity severity, std::string text, std::string remedy) {
      cautions.push_back({code, severity, c.channel.name, std::move(text), std::move(remedy)});
    };
    if (back.shift > 0)
      add("phases-elsewhere", Severity::note,
          "the phases of " + spectrum_ + " count from another place than the record's start: turned by " +
              format_quantity(static_cast<double>(back.shift) * r.axis.interval, "s", 6),
          "save it with --phase-at and the record's start");
    if (!back.window.empty())
      add("window-divided", Severity::warning,
          spectrum_ + " was made with the window " + back.window +
              ": divided by it, and nothing where it is under 1%",
          "save it with --window rectangular");
    if (c.rebuilt.explained < 0.9)
      add("spectrum-of-another", Severity::warning,
          fmt::format("{} explains {:.3g}% of this record: it is of another one, of a part, or of averages",
                      spectrum_, 100 * std::max(0.0, c.rebuilt.explained)),
          fmt::format("save it with --window rectangular --segment {} --phase-at and the record's start",
                      r.samples));
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
    bool root = false, density = false;  // Squares; per hertz (root hertz).
    for (const StoredSpectrum& s : stored) {
      if (s.channel.name == name + " rms" || s.channel.name == name) level = &s;
      if (s.channel.name == name + " peak") level = &s, to_rms = 1 / std::sqrt(2.0);
      for (const char* scale : {" psd", " asd", " power"})
        if (s.channel.name == name + scale) level = &s, root = scale[1] != 'a', density = scale[2] != 'o';
      if (s.channel.name == name + " phase") phase = &s;
    }
    if (level == nullptr || phase == nullptr)
      throw Error(Status::analysis,
                  spectrum_ + ": it has no columns \"" + name + " rms\" and \"" + name +
                      " phase\"; save the spectrum with --scale rms --phase-at and the record's start");
    if (level->hz.size() != phase->hz.size())
      throw Error(Status::input, spectrum_ + ": levels or phases of some frequencies are missing");
    std::vector<double> rms = level->level;
    const double bin = level->hz.size() > 1 ? level->hz[1] - level->hz[0] : 1;
    for (double& v : rms)
      v = (root ? std::sqrt(std::max(0.0, v)) : v) * to_rms * (density ? std::sqrt(bin) : 1);
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

  /// What so many components leave; a channel may have fewer lines than were asked for.
  TextTable counts_table(const ChannelRebuilt& c, Json& document) const {
    TextTable out({{"components"}, {"left over (RMS)"}, {"explained"}});
    for (const std::size_t count : side_by_side_) {
      const RebuildStep& step = c.rebuilt.steps[std::min(count, c.rebuilt.steps.size() - 1)];
      out.add({std::to_string(step.components) +
                   (step.components < count ? " (of " + std::to_string(count) + ")" : std::string()),
               format_quantity(step.residual_rms, c.channel.unit.label(), 4),
               fmt::format("{:.4g}%", 100 * step.explained)});
      document.push_back({{"asked", count},
                          {"components", step.components},
                          {"residual_rms", number(step.residual_rms)},
                          {"explained_percent", number(100 * step.explained)}});
    }
    return out;
  }

  /// The first so many components alone.
  static std::vector<double> first_of(const ChannelRebuilt& c, std::size_t count, double rate_hz) {
    std::vector<Component> some = c.components;
    some.resize(std::min(count, some.size()));
    return rebuild(c.original, rate_hz, some).samples;
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
      if (figure.panels.size() >= most_panels_drawn) {
        figure.beyond = 2 * result.channels.size() - figure.panels.size();
        break;
      }
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
      for (int i = 0; i < (side_by_side_.empty() ? 3 : 1); ++i) {
        Curve curve = trace(*curves[i].second, from, shown, axis);
        curve.name = curves[i].first, curve.colour = shades[i];
        panel.curves.push_back(std::move(curve));
      }
      for (std::size_t i = 0; i < side_by_side_.size(); ++i) {
        Curve curve = trace(first_of(c, side_by_side_[i], axis.rate_hz()), from, shown, axis);
        curve.name = std::to_string(side_by_side_[i]) + " components", curve.colour = static_cast<int>(i);
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

  static constexpr std::size_t usual_lines = 10;
  std::size_t strongest_ = usual_lines;
  std::vector<std::size_t> side_by_side_;  ///< Numbers of components, rising.
  std::vector<double> hz_;
  std::optional<Range> band_;
  std::vector<std::string> without_;
  std::string suspects_, spectrum_, to_;
};

}  // namespace

std::unique_ptr<Task> make_rebuild_task() { return std::make_unique<RebuildTask>(); }

}  // namespace vprism
