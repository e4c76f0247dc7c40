// pairs.cpp: which sides are held against which, and what differs most.
#include "commands/compare/options.h"

namespace vprism {

std::vector<std::pair<Side, Side>> CompareTask::pairs(const std::vector<std::string>& files,
                                                      const std::vector<std::unique_ptr<Input>>& inputs,
                                                      Console& console, Delivery& delivery,
                                                      std::vector<Side>& places) const {
  AnalysisSettings analysis = analysis_;
  if (const auto common = common_resolution(inputs)) {
    analysis.spectrum.resolution_hz = common;
    delivery.cautions.push_back({"common-rbw", Severity::note, "",
                                 "all are analysed at " + format_quantity(*common, "Hz", 4) +
                                     " RBW, what the shortest of them allows",
                                 "ask for another one with --resolution"});
  }
  if (!versus_.empty()) return against_itself(inputs, files, console, delivery);
  std::vector<std::vector<Side>> by_file;
  std::size_t next = 0;
  for (const std::string& file : files)
    by_file.push_back(file.ends_with(".json") ? saved_sides(file)
                                              : sides_of(*inputs[next++], analysis, console, delivery));
  std::vector<std::pair<Side, Side>> out;
  const auto label = [&](Side side, bool with_file) {
    Recording named;
    named.file = side.file;
    side.label = with_file ? named.stem() + ": " + side.channel.name : side.channel.name;
    return side;
  };
  if (by_file.size() == 1) {
    const std::vector<Side>& sides = by_file.front();
    if (sides.size() < 2 && delivery.inputs.front().recording.channels.size() > 1)
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

std::vector<std::string> CompareTask::words_of(const std::string& text) {
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

std::vector<std::pair<Side, Side>> CompareTask::against_itself(
    const std::vector<std::unique_ptr<Input>>& inputs, const std::vector<std::string>& files,
    Console& console, Delivery& delivery) const {
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
    std::vector<Side> a = sides_of(*input, analysis_, console, delivery);
    std::vector<Side> b = sides_of(anew ? *others[i] : *input, other, console, delivery);
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

void CompareTask::add_places(const std::string& text) {
  for (const std::string& part : split(text, ',')) {
    const std::size_t mark = part.rfind('=');
    if (mark == std::string::npos)
      throw Error(Status::usage,
                  "\"" + clean_text(part) + "\" names no place; write for example 'pier=0m, fork=1.2m'");
    places_.push_back({std::string(trimmed(std::string_view(part).substr(0, mark))),
                       parse_quantity(trimmed(std::string_view(part).substr(mark + 1)), Dimension::length)});
  }
  places_text_.push_back(text);
}

void CompareTask::rank(const std::vector<Side>& places, Delivery& delivery) const {
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
  Json listed = Json::array();
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
    listed.push_back({{"frequency_hz", number(r.hz)},
                      {"levels", std::move(each)},
                      {"fall_db_per_m", r.fall_db_per_m ? number(*r.fall_db_per_m) : Json(nullptr)},
                      {"verdict", verdict_text(r, names)}});
  }
  if (!ranked.empty()) delivery.text += "  where each line is strongest:\n" + table.text() + "\n";
  delivery.further["places"] = std::move(listed);
}

Compared CompareTask::compare(Side a, Side b) const {
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
    const double ratio = c.speed ? c.speed->ratio : 1;
    // The top of a hump lies elsewhere each time; what is as strong there in the other is not gone or new.
    std::erase_if(c.pairs, [&](const LinePair& p) {
      if (p.a && p.b) return false;
      const ComparedLine& line = p.a ? a.lines[*p.a] : b.lines[*p.b];
      const auto level = [&](const Spectrum& s, double hz) {
        return s.rms_around(hz, std::max(8.0, 0.01 * hz / s.plan.bin_hz));
      };
      const double own = level(p.a ? sa : sb, line.hz),
                   other = level(p.a ? sb : sa, p.a ? line.hz * ratio : line.hz / ratio);
      return line.broad && other > 0.6 * own;
    });
    c.likeness = spectral_likeness(sa, sb, ratio);
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

}  // namespace vprism
