// signature.cpp: what a comparison comes to in a sentence, and its bands.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/compare/compare.h"

namespace vprism {

namespace {

std::string hertz_range(double low_hz, double high_hz) {
  return format_quantity(low_hz, "Hz", 3) + " and " + format_quantity(high_hz, "Hz", 3);
}

SignatureSide side_of(const Side& side) {
  SignatureSide out{side.spectrum->spectrum, side.spectrum->floor, {}, {}};
  for (const ComparedLine& line : side.lines)
    out.lines_hz.push_back(line.hz), out.lines_rms.push_back(line.rms);
  return out;
}

Json run_json(const SignatureRun& run) {
  return {
      {"low_hz", number(run.low_hz)}, {"high_hz", number(run.high_hz)}, {"delta_db", number(run.delta_db)}};
}

Json figures_json(const SpectralFigures& f) {
  return {{"centre_hz", number(f.centre_hz)},
          {"spread_hz", number(f.spread_hz)},
          {"tonal_share", number(f.tonal_share)}};
}

}  // namespace

void compare_signatures_of(Compared& c) {
  if (!c.same_unit || !c.a.spectrum || !c.b.spectrum) return;
  c.signature = compare_signatures(side_of(c.a), side_of(c.b), c.speed ? c.speed->ratio : 1);
  if (c.signature->bands.empty()) c.signature.reset();
}

std::string signature_sentence(const Compared& c, const std::string& first, const std::string& second,
                               std::size_t new_lines, std::size_t gone_lines) {
  if (!c.signature) return {};
  const Signature& s = *c.signature;
  std::vector<std::string> parts;
  constexpr std::size_t most_runs = 2;
  const auto runs = [&](const std::vector<SignatureRun>& some, const char* word) {
    for (std::size_t i = 0; i < std::min(most_runs, some.size()); ++i)
      parts.push_back(fmt::format("{:.0f} dB {} between {}", std::abs(some[i].delta_db), word,
                                  hertz_range(some[i].low_hz, some[i].high_hz)));
  };
  if (s.throughout_db)
    parts.push_back(fmt::format("{:.1f} dB {} throughout", std::abs(*s.throughout_db),
                                *s.throughout_db > 0 ? "more" : "less"));
  runs(s.more, "more"), runs(s.less, "less");
  const auto lines = [](std::size_t count) {
    return std::to_string(count) + (count == 1 ? " line" : " lines");
  };
  std::string out = second + " has ";
  for (std::size_t i = 0; i < parts.size(); ++i)
    out += (i == 0 ? "" : i + 1 == parts.size() ? " and " : ", ") + parts[i];
  if (new_lines > 0) out += (parts.empty() ? "" : ", ") + lines(new_lines) + " that " + first + " has not";
  if (gone_lines > 0 && (!parts.empty() || new_lines > 0))
    out += ", and lacks " + lines(gone_lines) + " that " + first + " has";
  else if (gone_lines > 0)
    out = second + " lacks " + lines(gone_lines) + " that " + first + " has";
  if (parts.empty() && new_lines == 0 && gone_lines == 0)
    out = "no band differs by 3 dB or more, and no line";
  if (s.alike && !s.throughout_db)
    out += fmt::format("; alike between {} ({:.1f} dB)", hertz_range(s.alike->low_hz, s.alike->high_hz),
                       std::abs(s.alike->delta_db));
  return out;
}

std::string spectral_figures_text(const Compared& c, const std::string& first, const std::string& second) {
  if (!c.signature) return {};
  const auto one = [](const std::string& who, const SpectralFigures& f) {
    return fmt::format("{} {} (spread {}), {:.0f}% in lines", who, format_quantity(f.centre_hz, "Hz", 3),
                       format_quantity(f.spread_hz, "Hz", 3), 100 * f.tonal_share);
  };
  return "  centre of gravity: " + one(first, c.signature->a) + "; " + one(second, c.signature->b) + "\n";
}

Json signature_json(const Compared& c) {
  if (!c.signature) return nullptr;
  const Signature& s = *c.signature;
  Json more = Json::array(), less = Json::array();
  for (const SignatureRun& run : s.more) more.push_back(run_json(run));
  for (const SignatureRun& run : s.less) less.push_back(run_json(run));
  return {{"more", std::move(more)},
          {"less", std::move(less)},
          {"throughout_db", s.throughout_db ? number(*s.throughout_db) : Json(nullptr)},
          {"alike", s.alike ? run_json(*s.alike) : Json(nullptr)},
          {"a_figures", figures_json(s.a)},
          {"b_figures", figures_json(s.b)}};
}

Panel signature_panel(const Compared& c, bool before_after, const FigureAxis& frequency) {
  Panel panel;
  panel.title = fmt::format("difference in bands, {} over {}; grey: no more than noise",
                            compare_word(true, before_after), compare_word(false, before_after));
  panel.x = frequency;
  panel.y = {"Difference", "dB"};
  Curve differ, same;
  differ.colour = 1, same.colour = neutral_colour;
  double most = 3;
  for (const SignatureBand& band : c.signature->bands) {
    Curve& into = band.differs() ? differ : same;
    // A bar is an outline down to the zero line and back.
    const double shown = std::clamp(band.delta_db, -60.0, 60.0);
    into.x.insert(into.x.end(), {band.low_hz, band.low_hz, band.high_hz, band.high_hz, std::nan("")});
    into.y.insert(into.y.end(), {0.0, shown, shown, 0.0, std::nan("")});
    most = std::max(most, std::abs(shown));
  }
  for (Curve* curve : {&same, &differ})
    if (!curve->x.empty()) panel.curves.push_back(std::move(*curve));
  panel.y.low = -1.1 * most, panel.y.high = 1.1 * most;
  return panel;
}

}  // namespace vprism
