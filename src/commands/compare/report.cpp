// report.cpp: two sides compared, as text, JSON and CSV.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/compare/compare.h"
#include "identify/noise/noise_floor.h"

namespace vprism {

namespace {

/// Whether a line could have been seen on the other side.
bool visible(const Side& other, const ComparedLine& line) {
  if (!other.spectrum) return true;
  const Spectrum& s = other.spectrum->spectrum;
  const double at = s.bins_at(line.hz);
  if (at < 0 || at > static_cast<double>(s.bins() - 1)) return false;
  const auto bin = static_cast<std::size_t>(std::lround(at));
  return line.rms * line.rms > DetectionThreshold(s, 1e-3).at(bin) * other.spectrum->floor[bin];
}

double band_rel_std(const Side& side, const BandLevel& band) {
  return band_power(side.spectrum->spectrum, side.spectrum->floor, band.edges.low_hz, band.edges.high_hz)
      .rel_std;
}
double band_std_db(const Compared& c, std::size_t i) {
  return 10 / std::log(10.0) * std::hypot(band_rel_std(c.a, c.a_bands[i]), band_rel_std(c.b, c.b_bands[i]));
}

double band_db(const Compared& c, std::size_t i) {
  return 10 *
         std::log10(std::max(c.b_bands[i].mean_square, 1e-300) / std::max(c.a_bands[i].mean_square, 1e-300));
}

}  // namespace

std::string CompareReport::fate(const Compared& c, const LinePair& p) const {
  if (p.a && p.b) {
    if (!c.same_unit) return "in both";
    if (!p.changed()) return "same";
    return p.delta_db > 0 ? "up" : "down";
  }
  if (p.b)
    return !c.same_unit || visible(c.a, c.b.lines[*p.b]) ? "new" : "new, or hidden in the noise of " + first_;
  return !c.same_unit || visible(c.b, c.a.lines[*p.a]) ? "gone"
                                                       : "gone, or hidden in the noise of " + second_;
}

std::string CompareReport::speed_text(const SpeedChange& speed) const {
  return fmt::format(
      "a common change of speed: {} lines of {} lie {} {} than in {}, and are compared with those",
      speed.lines, second_, format_uncertain(100 * std::abs(speed.ratio - 1), 100 * speed.ratio_std, "%"),
      speed.ratio > 1 ? "higher" : "lower", first_);
}

std::string CompareReport::sentence(const Compared& c) const {
  std::size_t fresh = 0, gone = 0;
  for (const LinePair& p : c.pairs) {
    const std::string what = fate(c, p);
    fresh += what == "new" ? 1 : 0, gone += what == "gone" ? 1 : 0;
  }
  return signature_sentence(c, first_, second_, fresh, gone);
}

std::string CompareReport::text(const Compared& c) const {
  const std::string ua = c.a.channel.unit.label(), ub = c.b.channel.unit.label();
  std::string out = fmt::format("  {}: {}\n  {}: {}\n", first_, c.a.label, second_, c.b.label);
  if (const std::string whole = sentence(c); !whole.empty()) out += "  " + whole + "\n";
  if (!std::isnan(c.likeness))
    out += fmt::format(
        "  likeness of the spectra {:.3f} (1: the same shape){}\n", c.likeness,
        c.same_unit ? fmt::format("; {} in all {:+.2f} dB re {}", second_, c.total_db, first_) : "");
  out += spectral_figures_text(c, first_, second_);
  if (c.speed) out += "  " + speed_text(*c.speed) + "\n";
  TextTable lines({{first_ + " (Hz)"},
                   {second_ + " (Hz)"},
                   {first_ + " level"},
                   {second_ + " level"},
                   {"difference"},
                   {"", TextTable::Align::left}});
  std::vector<LinePair> listed = c.pairs;
  const auto size = [&](const LinePair& p) {
    return std::max(p.a ? c.a.lines[*p.a].rms : 0, p.b && c.same_unit ? c.b.lines[*p.b].rms : 0);
  };
  std::stable_sort(listed.begin(), listed.end(),
                   [&](const LinePair& x, const LinePair& y) { return size(x) > size(y); });
  const std::size_t most = most_;
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
    TextTable bands({{"band"}, {first_ + " RMS"}, {second_ + " RMS"}, {"difference"}});
    for (std::size_t i = 0; i < c.a_bands.size(); ++i)
      bands.add({fmt::format("{:.4g} .. {:.4g} Hz", c.a_bands[i].edges.low_hz, c.a_bands[i].edges.high_hz),
                 format_quantity(std::sqrt(c.a_bands[i].mean_square), ua, 4),
                 format_quantity(std::sqrt(c.b_bands[i].mean_square), ua, 4),
                 fmt::format("{:+.2f} ± {:.2f} dB", band_db(c, i), band_std_db(c, i))});
    out += "\n" + bands.text();
  }
  return out + "\n";
}

Json CompareReport::json(const Compared& c) const {
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
          {"sentence", sentence(c)},
          {"signature", signature_json(c)},
          {"total_delta_db", c.same_unit ? number(c.total_db) : Json(nullptr)},
          {"peaks", peaks},
          {"bands", bands}};
}

std::string CompareReport::csv(const std::vector<Compared>& all) const {
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

}  // namespace vprism
