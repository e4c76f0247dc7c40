// compare.cpp: the command `compare`: two recordings, channels, saved results or settings side by side.
#include "cli/compare.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "cli/command.h"
#include "cli/compare_curves.h"
#include "cli/console.h"
#include "identify/line_pairs.h"
#include "identify/noise_floor.h"
#include "identify/place_ranking.h"

namespace vprism {

namespace {

class CompareTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    return {
        input_group(input_),
        analysis_group(analysis_, {"phase-at"}),
        {"Compare",
         {text_option("versus", "OPTIONS",
                      "compare each recording with itself under another --chain, --gate or other analysis "
                      "options, such as --versus '--window flat-top'",
                      versus_),
          quantity_option(
              "pair-within", "FREQUENCY",
              "lines this close are the same (default: four standard uncertainties, at least 1e-4)",
              Dimension::frequency, within_),
          text_option("bands", "octave|third|1/N|A..B,...",
                      "bands whose levels are compared (default: octave)", bands_),
          {"places", "CHANNEL=LENGTH,...",
           "where the channels stand along a line, such as 'pier=0m, fork=1.2m': tells sources from what "
           "enters at an end",
           true, [this](const std::string& t) { add_places(t); }, [this] { return Json(places_text_); }},
          switch_option("before-after", "the first recording is before a change, the others after it",
                        before_after_)}},
        output_group(output_)};
  }
  std::size_t threads() const override { return output_.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    Console console(output_);
    Telling telling;
    telling.command = "compare";
    telling.settings = settings;
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
      const std::vector<ComparedCurves> curves = stored_curves(inputs, telling);
      report_compared(curves, telling);
      return deliver(
          telling, output_, console, outputs.get(),
          [&](Outputs& folder) {
            folder.add(base + ".csv", compared_csv(curves), "the difference at every frequency");
            folder.add_figure(base, compared_figure(curves), "both spectra, and their difference");
          },
          base + ".json");
    }
    for (auto& [a, b] : pairs(files, inputs, console, telling, places))
      all.push_back(compare(std::move(a), std::move(b)));
    for (const Compared& c : all) {
      telling.results.push_back(report().json(c));
      telling.text += report().text(c);
      if (!c.same_unit)
        telling.cautions.push_back({"units-differ", Severity::warning, c.b.channel.name,
                                    "\"" + c.a.channel.name + "\" is in " + c.a.channel.unit.label() +
                                        ", \"" + c.b.channel.name + "\" in " + c.b.channel.unit.label() +
                                        ": frequencies are compared, levels are not",
                                    "calibrate both to the same quantity"});
    }
    rank(places, telling);
    return deliver(
        telling, output_, console, outputs.get(),
        [&](Outputs& folder) {
          folder.add(base + ".csv", report().csv(all), "lines and bands of both, with the differences");
          folder.add_figure(base, compare_figure(all, analysis_, before_after_),
                            "both spectra, and the difference of their lines");
        },
        base + ".json");
  }

 private:
  CompareReport report() const { return {before_after_, std::max<std::size_t>(analysis_.peaks, 1)}; }

  static bool all_uneven_spectra(const std::vector<std::unique_ptr<Input>>& inputs) {
    bool uneven = false;
    for (const auto& input : inputs) {
      if (!holds_spectra(*input)) return false;
      uneven = uneven || input->road().recording().axis.stamped || input->road().recording().samples < 16;
    }
    return uneven;
  }

  static std::vector<ComparedCurves> stored_curves(const std::vector<std::unique_ptr<Input>>& inputs,
                                                   Telling& telling) {
    std::vector<std::vector<StoredSpectrum>> all;
    for (const auto& input : inputs) {
      all.push_back(read_stored_spectra(*input));
      telling.inputs.push_back(all.back().front().facts);
      add_new_cautions(telling.cautions, all.back().front().facts.recording.cautions);
    }
    return compare_files(all);
  }

  /// The RBW that all recordings can have: that of the shortest.
  std::optional<double> common_resolution(const std::vector<std::unique_ptr<Input>>& inputs) const {
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

  std::vector<Side> sides_of(Input& input, const AnalysisSettings& analysis, Console& console,
                             Telling& telling) const {
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
          out.push_back(stored_side(s, analysis_.spectrum.window, telling.cautions));
      telling.inputs.push_back(input.facts());
      return out;
    }
    AnalysisSettings wide = analysis;
    wide.peaks = wide.search.most;
    const SpectrumResult result = compute_spectrum(input, wide, console.progress("compare " + file));
    telling.inputs.push_back(result.facts);
    telling.cautions.insert(telling.cautions.end(), result.cautions.begin(), result.cautions.end());
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

  /// What is compared with what; `places` gets the channels of one recording, to be ranked by place.
  std::vector<std::pair<Side, Side>> pairs(const std::vector<std::string>& files,
                                           const std::vector<std::unique_ptr<Input>>& inputs,
                                           Console& console, Telling& telling,
                                           std::vector<Side>& places) const {
    AnalysisSettings analysis = analysis_;
    if (const auto common = common_resolution(inputs)) {
      analysis.spectrum.resolution_hz = common;
      telling.cautions.push_back({"common-rbw", Severity::note, "",
                                  "all are analysed at " + format_quantity(*common, "Hz", 4) +
                                      " RBW, what the shortest of them allows",
                                  "ask for another one with --resolution"});
    }
    if (!versus_.empty()) return against_itself(inputs, files, console, telling);
    std::vector<std::vector<Side>> by_file;
    std::size_t next = 0;
    for (const std::string& file : files)
      by_file.push_back(file.ends_with(".json") ? saved_sides(file)
                                                : sides_of(*inputs[next++], analysis, console, telling));
    std::vector<std::pair<Side, Side>> out;
    const auto label = [&](Side side, bool with_file) {
      Recording named;
      named.file = side.file;
      side.label = with_file ? named.stem() + ": " + side.channel.name : side.channel.name;
      return side;
    };
    if (by_file.size() == 1) {
      const std::vector<Side>& sides = by_file.front();
      if (sides.size() < 2 && telling.inputs.front().recording.channels.size() > 1)
        throw Error(Status::analysis,
                    by_file.front().front().file + ": only one of its channels has data to compare");
      if (sides.size() < 2)
        throw Error(Status::usage,
                    "compare needs two recordings, two channels, or --versus with other options");
      places = sides;
      for (std::size_t i = 1; i < sides.size(); ++i)
        out.emplace_back(label(sides[0], false), label(sides[i], false));
      return out;
    }
    for (std::size_t f = 1; f < by_file.size(); ++f) {
      const std::size_t before = out.size();
      for (const Side& a : by_file[0])
        for (const Side& b : by_file[f])
          if (a.channel.name == b.channel.name || (by_file[0].size() == 1 && by_file[f].size() == 1))
            out.emplace_back(label(a, true), label(b, true));
      if (out.size() == before)
        throw Error(Status::usage, files[f] + ": none of its channels has the name of one in " + files[0] +
                                       "; choose one of each with --channel");
    }
    return out;
  }

  /// Words parted at blanks, but for those within quotation marks.
  static std::vector<std::string> words_of(const std::string& text) {
    std::vector<std::string> out;
    bool within = false;
    char quote = 0;
    for (const char c : text) {
      if (quote != 0 ? c == quote : c == '"' || c == '\'') {
        quote = quote != 0 ? '\0' : c;
        if (!within) out.emplace_back();
        within = true;
      } else if (c == ' ' && quote == 0) {
        within = false;
      } else {
        if (!within) out.emplace_back();
        within = true;
        out.back() += c;
      }
    }
    return out;
  }

  std::vector<std::pair<Side, Side>> against_itself(const std::vector<std::unique_ptr<Input>>& inputs,
                                                    const std::vector<std::string>& files, Console& console,
                                                    Telling& telling) const {
    AnalysisSettings other;
    other.spectrum = analysis_.spectrum;
    other.scale = analysis_.scale;
    InputSettings conditioned = input_;
    OptionGroup chain = input_group(conditioned);
    std::erase_if(chain.options, [](const Option& o) { return o.name != "chain" && o.name != "gate"; });
    const std::vector<std::string> words = words_of(versus_);
    // What the second settings set anew must not clash with the first.
    if (versus_.find("--segment") != std::string::npos) other.spectrum.resolution_hz.reset();
    if (versus_.find("--resolution") != std::string::npos) other.spectrum.segment.reset();
    try {
      if (!parse_command_line(words, {analysis_group(other, {"phase-at"}), chain}).empty())
        throw Error(Status::usage, "only --chain, --gate and analysis options can stand in it");
    } catch (const Error& error) {
      throw Error(Status::usage, std::string("--versus: ") + error.what());
    }
    std::vector<std::pair<Side, Side>> out;
    const bool anew =
        versus_.find("--chain") != std::string::npos || versus_.find("--gate") != std::string::npos;
    const auto others = anew ? open_inputs(files, conditioned) : std::vector<std::unique_ptr<Input>>();
    for (std::size_t i = 0; i < inputs.size(); ++i) {
      const auto& input = inputs[i];
      std::vector<Side> a = sides_of(*input, analysis_, console, telling);
      std::vector<Side> b = sides_of(anew ? *others[i] : *input, other, console, telling);
      if (a.size() != b.size())
        throw Error(Status::analysis, input->road().recording().file +
                                          ": between its gaps some channels can be analysed in one way only; "
                                          "choose others with --channel");
      for (std::size_t c = 0; c < a.size(); ++c) {
        a[c].label = a[c].channel.name + ", as set";
        b[c].label = b[c].channel.name + ", " + clean_text(versus_);
        out.emplace_back(std::move(a[c]), std::move(b[c]));
      }
    }
    if (out.empty()) throw Error(Status::usage, files.front() + ": --versus needs a recording");
    return out;
  }

  void add_places(const std::string& text) {
    for (const std::string& part : split(text, ',')) {
      const std::size_t mark = part.rfind('=');
      if (mark == std::string::npos)
        throw Error(Status::usage,
                    "\"" + clean_text(part) + "\" names no place; write for example 'pier=0m, fork=1.2m'");
      places_.push_back(
          {std::string(trimmed(std::string_view(part).substr(0, mark))),
           parse_quantity(trimmed(std::string_view(part).substr(mark + 1)), Dimension::length)});
    }
    places_text_.push_back(text);
  }

  /// Several channels of one quantity: where each line is strongest.
  void rank(const std::vector<Side>& places, Telling& telling) const {
    std::vector<const Side*> sides;
    for (const Side& side : places)
      if (side.channel.unit.text() == places.front().channel.unit.text()) sides.push_back(&side);
    if (!places_.empty() && sides.size() < 2)
      throw Error(Status::usage, "--places needs channels of one recording that measure the same quantity");
    if (sides.size() < 3 && places_.empty()) return;
    std::vector<double> metres;
    if (!places_.empty()) {
      std::vector<const Side*> placed;
      for (const Side* side : sides)
        for (const auto& [name, at] : places_)
          if (glob_matches(name, side->channel.name)) {
            placed.push_back(side), metres.push_back(at);
            break;
          }
      for (const auto& place : places_)
        if (std::none_of(sides.begin(), sides.end(),
                         [&](const Side* side) { return glob_matches(place.first, side->channel.name); }))
          throw Error(Status::usage,
                      "--places: no channel \"" + clean_text(place.first) + "\" among those compared");
      sides = std::move(placed);
    }
    std::vector<std::vector<ComparedLine>> lines;
    std::vector<std::string> names;
    for (const Side* side : sides) lines.push_back(side->lines), names.push_back(side->channel.name);
    PairSettings settings;
    settings.within_hz = within_.value_or(0);
    const std::vector<PlaceRanking> ranked = rank_places(lines, metres, settings);
    const std::string unit = sides.front()->channel.unit.label();
    TextTable table({{"frequency"},
                     {"levels, the strongest first", TextTable::Align::left},
                     {"what that says", TextTable::Align::left}});
    Json told = Json::array();
    for (std::size_t i = 0; i < ranked.size(); ++i) {
      const PlaceRanking& r = ranked[i];
      std::string levels;
      Json each = Json::array();
      for (const PlacedLevel& l : r.levels) {
        levels += levels.empty() ? names[l.place] + " " + format_quantity(l.rms, unit, 3)
                                 : fmt::format(", {} {:+.1f} dB", names[l.place], -l.below_db);
        each.push_back(
            {{"channel", names[l.place]}, {"level", number(l.rms)}, {"relative_db", number(-l.below_db)}});
      }
      if (i < std::max<std::size_t>(analysis_.peaks, 1))
        table.add({format_uncertain(r.hz, r.hz_std, "Hz"), levels, verdict_text(r, names)});
      told.push_back({{"frequency_hz", number(r.hz)},
                      {"levels", std::move(each)},
                      {"fall_db_per_m", r.fall_db_per_m ? number(*r.fall_db_per_m) : Json(nullptr)},
                      {"verdict", verdict_text(r, names)}});
    }
    if (!ranked.empty()) telling.text += "  where each line is strongest:\n" + table.text() + "\n";
    telling.further["places"] = std::move(told);
  }

  Compared compare(Side a, Side b) const {
    Compared c;
    const Unit &ua = a.channel.unit, &ub = b.channel.unit;
    c.same_unit = ua.text() == ub.text() || (ua.known() && ub.known() && ua.converts_to(ub));
    if (c.same_unit && ua.text() != ub.text()) {
      const double factor = ub.convert(1, ua);
      for (ComparedLine& l : b.lines) l.rms *= factor, l.rms_std *= factor;
      if (b.spectrum) {
        for (double& p : b.spectrum->spectrum.power) p *= factor * factor;
        for (double& p : b.spectrum->floor) p *= factor * factor;
      }
      b.channel.unit = ua;
    }
    PairSettings settings;
    settings.within_hz = within_.value_or(0);
    c.speed = speed_change(a.lines, b.lines, settings);
    c.pairs =
        c.speed ? pair_lines(a.lines, b.lines, *c.speed, settings) : pair_lines(a.lines, b.lines, settings);
    if (a.spectrum && b.spectrum) {
      const Spectrum &sa = a.spectrum->spectrum, &sb = b.spectrum->spectrum;
      c.likeness = spectral_likeness(sa, sb, c.speed ? c.speed->ratio : 1);
      c.total_db = 20 * std::log10(sb.rms_total() / std::max(sa.rms_total(), 1e-300));
      // Bands that both reach.
      const Spectrum& shorter = sa.frequency_hz(sa.bins() - 1) < sb.frequency_hz(sb.bins() - 1) ? sa : sb;
      Spectrum reach = shorter;
      reach.plan.rbw_hz = std::max(sa.plan.rbw_hz, sb.plan.rbw_hz);
      const std::vector<BandEdges> bands = bands_asked(bands_, reach);
      c.a_bands = band_levels(sa, bands);
      c.b_bands = band_levels(sb, bands);
    }
    c.a = std::move(a);
    c.b = std::move(b);
    compare_signatures_of(c);
    return c;
  }

  InputSettings input_;
  AnalysisSettings analysis_;
  OutputSettings output_;
  std::string versus_, bands_ = "octave";
  std::optional<double> within_;
  bool before_after_ = false;
  std::vector<std::pair<std::string, double>> places_;
  std::vector<std::string> places_text_;
};

}  // namespace

std::unique_ptr<Task> make_compare_task() { return std::make_unique<CompareTask>(); }

}  // namespace vprism
