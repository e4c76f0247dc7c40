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
    if (const auto curves = stored_curves(files, telling); !curves.empty()) {
      report_compared(curves, telling);
      return deliver(
          telling, output_, console, outputs.get(),
          [&](Outputs& folder) {
            folder.add(base + ".csv", compared_csv(curves), "the difference at every frequency");
            folder.add_figure(base, compared_figure(curves), "both spectra, and their difference");
          },
          base + ".json");
    }
    for (auto& [a, b] : pairs(files, console, telling, places))
      all.push_back(compare(std::move(a), std::move(b)));
    for (const Compared& c : all) {
      telling.results.push_back(json(c));
      telling.text += text(c);
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
          folder.add(base + ".csv", csv(all), "lines and bands of both, with the differences");
          folder.add_figure(base, compare_figure(all, analysis_, before_after_),
                            "both spectra, and the difference of their lines");
        },
        base + ".json");
  }

 private:
  std::string first_word() const { return compare_word(false, before_after_); }
  std::string second_word() const { return compare_word(true, before_after_); }

  /// Files that hold spectra at uneven frequencies, to be compared point by point; empty for all others.
  std::vector<ComparedCurves> stored_curves(const std::vector<std::string>& files, Telling& telling) const {
    std::vector<ComparedCurves> out;
    if (std::any_of(files.begin(), files.end(), [](const std::string& f) { return f.ends_with(".json"); }))
      return out;
    const auto inputs = open_inputs(files, input_);
    std::vector<std::vector<StoredSpectrum>> all;
    bool even = true;
    for (const auto& input : inputs) {
      if (!holds_spectra(*input)) return out;
      all.push_back(read_stored_spectra(*input));
      for (const StoredSpectrum& s : all.back()) even = even && has_even_steps(s);
    }
    if (even) return out;
    if (!versus_.empty() || !places_.empty())
      throw Error(Status::usage, files.front() +
                                     " holds spectra at uneven frequencies, which are compared point "
                                     "by point: leave out --versus and --places");
    for (const auto& spectra : all) {
      telling.inputs.push_back(spectra.front().facts);
      const auto& cautions = spectra.front().facts.recording.cautions;
      telling.cautions.insert(telling.cautions.end(), cautions.begin(), cautions.end());
    }
    if (all.size() == 1) {
      for (std::size_t c = 1; c < all[0].size(); ++c) out.push_back(compare_curves(all[0][0], all[0][c]));
      if (out.empty()) throw Error(Status::usage, "compare needs two files, or two channels of one");
      return out;
    }
    for (std::size_t f = 1; f < all.size(); ++f) {
      const std::size_t before = out.size();
      for (const StoredSpectrum& a : all[0])
        for (const StoredSpectrum& b : all[f])
          if (a.channel.name == b.channel.name || (all[0].size() == 1 && all[f].size() == 1))
            out.push_back(compare_curves(a, b));
      if (out.size() == before)
        throw Error(Status::usage, files[f] + ": none of its channels has the name of one in " + files[0] +
                                       "; choose one of each with --channel");
    }
    return out;
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
      for (const StoredSpectrum& s : read_stored_spectra(input))
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
  std::vector<std::pair<Side, Side>> pairs(const std::vector<std::string>& files, Console& console,
                                           Telling& telling, std::vector<Side>& places) const {
    std::vector<std::string> recordings;
    for (const std::string& file : files)
      if (!file.ends_with(".json")) recordings.push_back(file);
    const auto inputs = open_inputs(recordings, input_);
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
    return c;
  }

  /// Whether a line could have been seen on the other side.
  bool visible(const Side& other, const ComparedLine& line) const {
    if (!other.spectrum) return true;
    const Spectrum& s = other.spectrum->spectrum;
    const double at = s.bins_at(line.hz);
    if (at < 0 || at > static_cast<double>(s.bins() - 1)) return false;
    const auto bin = static_cast<std::size_t>(std::lround(at));
    return line.rms * line.rms > DetectionThreshold(s, 1e-3).at(bin) * other.spectrum->floor[bin];
  }

  std::string fate(const Compared& c, const LinePair& p) const {
    if (p.a && p.b) {
      if (!c.same_unit) return "in both";
      if (!p.changed()) return "same";
      return p.delta_db > 0 ? "up" : "down";
    }
    if (p.b)
      return !c.same_unit || visible(c.a, c.b.lines[*p.b]) ? "new"
                                                           : "new, or hidden in the noise of " + first_word();
    return !c.same_unit || visible(c.b, c.a.lines[*p.a]) ? "gone"
                                                         : "gone, or hidden in the noise of " + second_word();
  }

  std::string speed_text(const SpeedChange& speed) const {
    return fmt::format(
        "a common change of speed: {} lines of {} lie {} {} than in {}, and are compared with those",
        speed.lines, second_word(),
        format_uncertain(100 * std::abs(speed.ratio - 1), 100 * speed.ratio_std, "%"),
        speed.ratio > 1 ? "higher" : "lower", first_word());
  }

  std::string text(const Compared& c) const {
    const std::string ua = c.a.channel.unit.label(), ub = c.b.channel.unit.label();
    std::string out = fmt::format("  {}: {}\n  {}: {}\n", first_word(), c.a.label, second_word(), c.b.label);
    if (!std::isnan(c.likeness))
      out += fmt::format(
          "  likeness of the spectra {:.3f} (1: the same shape){}\n", c.likeness,
          c.same_unit ? fmt::format("; {} in all {:+.2f} dB re {}", second_word(), c.total_db, first_word())
                      : "");
    if (c.speed) out += "  " + speed_text(*c.speed) + "\n";
    TextTable lines({{first_word() + " (Hz)"},
                     {second_word() + " (Hz)"},
                     {first_word() + " level"},
                     {second_word() + " level"},
                     {"difference"},
                     {"", TextTable::Align::left}});
    std::vector<LinePair> listed = c.pairs;
    const auto size = [&](const LinePair& p) {
      return std::max(p.a ? c.a.lines[*p.a].rms : 0, p.b && c.same_unit ? c.b.lines[*p.b].rms : 0);
    };
    std::stable_sort(listed.begin(), listed.end(),
                     [&](const LinePair& x, const LinePair& y) { return size(x) > size(y); });
    const std::size_t most = std::max<std::size_t>(analysis_.peaks, 1);
    for (std::size_t i = 0; i < std::min(most, listed.size()); ++i) {
      const LinePair& p = listed[i];
      lines.add(
          {p.a ? format_uncertain(c.a.lines[*p.a].hz, c.a.lines[*p.a].hz_std, "Hz") : "",
           p.b ? format_uncertain(c.b.lines[*p.b].hz, c.b.lines[*p.b].hz_std, "Hz") : "",
           p.a ? format_quantity(c.a.lines[*p.a].rms, ua, 4) : "",
           p.b ? format_quantity(c.b.lines[*p.b].rms, ub, 4) : "",
           p.a && p.b && c.same_unit ? fmt::format("{:+.2f} ± {:.2f} dB", p.delta_db, p.delta_std_db) : "",
           fate(c, p)});
    }
    out += c.pairs.empty() ? "  no line stands above the noise on either side\n" : "\n" + lines.text();
    if (listed.size() > most)
      out += fmt::format("  and {} more, in the CSV; list more with --peaks\n", listed.size() - most);
    if (!c.a_bands.empty() && c.same_unit) {
      TextTable bands({{"band"}, {first_word() + " RMS"}, {second_word() + " RMS"}, {"difference"}});
      for (std::size_t i = 0; i < c.a_bands.size(); ++i)
        bands.add({fmt::format("{:.4g} .. {:.4g} Hz", c.a_bands[i].edges.low_hz, c.a_bands[i].edges.high_hz),
                   format_quantity(std::sqrt(c.a_bands[i].mean_square), ua, 4),
                   format_quantity(std::sqrt(c.b_bands[i].mean_square), ua, 4),
                   fmt::format("{:+.2f} ± {:.2f} dB", band_db(c, i), band_std_db(c, i))});
      out += "\n" + bands.text();
    }
    return out + "\n";
  }

  /// What noise scatters in a band, of its whole power; lines beside it are known far better.
  static double band_rel_std(const Side& side, const BandLevel& band) {
    const Spectrum& s = side.spectrum->spectrum;
    const auto [low, end] = s.bins_within(band.edges.low_hz, band.edges.high_hz);
    double noise = 0;
    for (std::size_t k = low; k < std::min(end, side.spectrum->floor.size()); ++k)
      noise += side.spectrum->floor[k] / s.enbw_bins;
    const double levels = std::max(1.0, static_cast<double>(end - low) / bins_alike(s.window));
    const double share = band.mean_square > 0 ? std::min(1.0, noise / band.mean_square) : 1;
    return share / std::sqrt(s.noise_averages * levels);
  }
  static double band_std_db(const Compared& c, std::size_t i) {
    return 10 / std::log(10.0) * std::hypot(band_rel_std(c.a, c.a_bands[i]), band_rel_std(c.b, c.b_bands[i]));
  }

  static double band_db(const Compared& c, std::size_t i) {
    return 10 * std::log10(std::max(c.b_bands[i].mean_square, 1e-300) /
                           std::max(c.a_bands[i].mean_square, 1e-300));
  }

  Json json(const Compared& c) const {
    Json peaks = Json::array(), bands = Json::array();
    for (const LinePair& p : c.pairs)
      peaks.push_back({{"a_hz", p.a ? number(c.a.lines[*p.a].hz) : Json(nullptr)},
                       {"b_hz", p.b ? number(c.b.lines[*p.b].hz) : Json(nullptr)},
                       {"a_level", p.a ? number(c.a.lines[*p.a].rms) : Json(nullptr)},
                       {"b_level", p.b ? number(c.b.lines[*p.b].rms) : Json(nullptr)},
                       {"delta_db", p.a && p.b && c.same_unit ? number(p.delta_db) : Json(nullptr)},
                       {"delta_std_db", p.a && p.b && c.same_unit ? number(p.delta_std_db) : Json(nullptr)},
                       {"fate", fate(c, p)}});
    for (std::size_t i = 0; i < c.a_bands.size(); ++i)
      bands.push_back({{"low_hz", number(c.a_bands[i].edges.low_hz)},
                       {"high_hz", number(c.a_bands[i].edges.high_hz)},
                       {"a_level", number(std::sqrt(c.a_bands[i].mean_square))},
                       {"b_level", number(std::sqrt(c.b_bands[i].mean_square))},
                       {"delta_db", c.same_unit ? number(band_db(c, i)) : Json(nullptr)},
                       {"delta_std_db", c.same_unit ? number(band_std_db(c, i)) : Json(nullptr)}});
    return {{"channel", c.b.channel.name},
            {"unit", c.b.channel.unit.label()},
            {"a", {{"file", c.a.file}, {"channel", c.a.channel.name}, {"label", c.a.label}}},
            {"b", {{"file", c.b.file}, {"channel", c.b.channel.name}, {"label", c.b.label}}},
            {"rbw_hz", c.a.spectrum ? number(c.a.spectrum->spectrum.plan.rbw_hz) : Json(nullptr)},
            {"likeness", number(c.likeness)},
            {"speed_ratio", c.speed ? number(c.speed->ratio) : Json(nullptr)},
            {"speed_ratio_std", c.speed ? number(c.speed->ratio_std) : Json(nullptr)},
            {"total_delta_db", c.same_unit ? number(c.total_db) : Json(nullptr)},
            {"peaks", peaks},
            {"bands", bands}};
  }

  std::string csv(const std::vector<Compared>& all) const {
    std::string out =
        "A,B,what,A from (Hz),B from (Hz),A to (Hz),A level,B level,unit,difference (dB),uncertainty "
        "(dB),fate\n";
    for (const Compared& c : all) {
      const std::string who = csv_cell(c.a.label) + "," + csv_cell(c.b.label),
                        unit = csv_cell(c.a.channel.unit.text());
      const auto cell = [](bool there, double value) {
        return there ? fmt::format("{:.10g}", value) : std::string();
      };
      for (const LinePair& p : c.pairs)
        out += fmt::format("{},line,{},{},,{},{},{},{},{},{}\n", who,
                           cell(p.a.has_value(), p.a ? c.a.lines[*p.a].hz : 0),
                           cell(p.b.has_value(), p.b ? c.b.lines[*p.b].hz : 0),
                           cell(p.a.has_value(), p.a ? c.a.lines[*p.a].rms : 0),
                           cell(p.b.has_value(), p.b ? c.b.lines[*p.b].rms : 0), unit,
                           cell(p.a && p.b && c.same_unit, p.delta_db),
                           cell(p.a && p.b && c.same_unit, p.delta_std_db), csv_cell(fate(c, p)));
      for (std::size_t i = 0; i < c.a_bands.size(); ++i)
        out += fmt::format("{},band,{:.10g},{:.10g},{:.10g},{:.6g},{:.6g},{},{},{},\n", who,
                           c.a_bands[i].edges.low_hz, c.a_bands[i].edges.low_hz, c.a_bands[i].edges.high_hz,
                           std::sqrt(c.a_bands[i].mean_square), std::sqrt(c.b_bands[i].mean_square), unit,
                           cell(c.same_unit, band_db(c, i)), cell(c.same_unit, band_std_db(c, i)));
    }
    return out;
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
