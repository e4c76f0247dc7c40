// curves.cpp: see commands/compare/curves.h.
#include "commands/compare/curves.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/shared/stored_report.h"
#include "identify/responses/transfer.h"

namespace vprism {

ComparedCurves compare_curves(StoredSpectrum a, StoredSpectrum b) {
  ComparedCurves out;
  const StoredScale scale = stored_scale(a);
  const std::string& unit = a.channel.unit.text();
  if (scale.decibels ? b.channel.unit.text() != unit : !b.channel.unit.converts_to(a.channel.unit))
    throw Error(Status::analysis, b.facts.recording.file + ": \"" + b.channel.name + "\" is in " +
                                      b.channel.unit.label() + ", \"" + a.channel.name + "\" of " +
                                      a.facts.recording.file + " in " + a.channel.unit.label() +
                                      ": levels of different kinds are not compared; calibrate both alike");
  if (scale.name != stored_scale(b).name && !scale.name.empty() && !stored_scale(b).name.empty())
    throw Error(Status::analysis, b.facts.recording.file + ": \"" + b.channel.name + "\" holds " +
                                      stored_scale(b).name + ", \"" + a.channel.name + "\" " + scale.name +
                                      "; save both in one scale");
  if (!scale.decibels && b.channel.unit != a.channel.unit) {
    const double factor = b.channel.unit.convert(1, a.channel.unit);
    for (std::size_t k = 0; k < b.level.size(); ++k) b.level[k] *= factor, b.value[k] *= factor;
    b.channel.unit = a.channel.unit;
  }
  const auto curve_of = [&](const StoredSpectrum& s) {
    TransferCurve curve{s.hz, s.value};
    // What is in decibels already is turned back, so that both are treated alike.
    for (std::size_t k = 0; k < curve.value.size(); ++k)
      if (scale.decibels) curve.value[k] = std::pow(10.0, s.level[k] / 20);
    return curve;
  };
  const TransferCurve first = curve_of(a);
  const TransferBetween other(curve_of(b));
  const bool complex = a.facts.recording.complex && b.facts.recording.complex;
  double sum = 0, square = 0;
  for (std::size_t k = 0; k < first.hz.size(); ++k) {
    const auto reading = other.at(first.hz[k]);
    if (!reading || std::abs(first.value[k]) == 0) continue;
    const double db = (scale.power ? 10 : 20) * std::log10(reading->gain / std::abs(first.value[k]));
    out.hz.push_back(first.hz[k]), out.difference_db.push_back(db);
    if (complex)
      out.phase_deg.push_back(
          std::remainder(reading->phase_deg - std::arg(first.value[k]) * 180 / 3.14159265358979324, 360.0));
    sum += db, square += db * db;
    if (std::abs(db) > std::abs(out.greatest_db) || out.hz.size() == 1)
      out.greatest_db = db, out.greatest_at_hz = first.hz[k];
  }
  if (out.hz.empty())
    throw Error(Status::analysis, b.facts.recording.file + ": its frequencies and those of " +
                                      a.facts.recording.file + " have no part in common");
  out.mean_db = sum / static_cast<double>(out.hz.size());
  out.rms_db = std::sqrt(square / static_cast<double>(out.hz.size()));
  out.a = std::move(a), out.b = std::move(b);
  return out;
}

std::vector<ComparedCurves> compare_files(const std::vector<std::vector<StoredSpectrum>>& files) {
  std::vector<ComparedCurves> out;
  const std::vector<StoredSpectrum>& first = files.front();
  if (files.size() == 1) {
    for (std::size_t c = 1; c < first.size(); ++c) out.push_back(compare_curves(first[0], first[c]));
    if (out.empty()) throw Error(Status::usage, "compare needs two files, or two channels of one");
    return out;
  }
  for (std::size_t f = 1; f < files.size(); ++f) {
    const std::size_t before = out.size();
    for (const StoredSpectrum& a : first)
      for (const StoredSpectrum& b : files[f])
        if (a.channel.name == b.channel.name || (first.size() == 1 && files[f].size() == 1))
          out.push_back(compare_curves(a, b));
    if (out.size() == before)
      throw Error(Status::usage,
                  files[f].front().facts.recording.file + ": none of its channels has the name of one in " +
                      first.front().facts.recording.file + "; choose one of each with --channel");
  }
  return out;
}

namespace {

std::string name_of(const StoredSpectrum& s) { return s.facts.recording.stem() + ": " + s.channel.name; }

}  // namespace

void report_compared(const std::vector<ComparedCurves>& all, Delivery& delivery) {
  TextTable table({{"A", TextTable::Align::left},
                   {"B", TextTable::Align::left},
                   {"from"},
                   {"to"},
                   {"B re A, mean"},
                   {"RMS"},
                   {"greatest"},
                   {"at"}});
  for (const ComparedCurves& c : all) {
    const auto hz = [](double f) { return format_quantity(f, "Hz", 5); };
    const auto db = [](double v) { return fmt::format("{:+.2f} dB", v); };
    table.add({name_of(c.a), name_of(c.b), hz(c.hz.front()), hz(c.hz.back()), db(c.mean_db),
               fmt::format("{:.2f} dB", c.rms_db), db(c.greatest_db), hz(c.greatest_at_hz)});
    delivery.results.push_back({{"channel", c.a.channel.name},
                                {"a", name_of(c.a)},
                                {"b", name_of(c.b)},
                                {"low_hz", number(c.hz.front())},
                                {"high_hz", number(c.hz.back())},
                                {"points", c.hz.size()},
                                {"mean_db", number(c.mean_db)},
                                {"rms_db", number(c.rms_db)},
                                {"greatest_db", number(c.greatest_db)},
                                {"greatest_at_hz", number(c.greatest_at_hz)}});
  }
  delivery.text += "spectra as they stand in the files, at the frequencies of A\n" + table.text() + "\n";
}

std::string compared_csv(const std::vector<ComparedCurves>& all) {
  std::string out;
  for (const ComparedCurves& c : all) {
    if (!out.empty()) out += "\n";
    out += "frequency (Hz)," + csv_cell(name_of(c.b) + " re " + name_of(c.a) + " (dB)") +
           (c.phase_deg.empty() ? "" : ",phase difference (deg)") + "\n";
    for (std::size_t k = 0; k < c.hz.size(); ++k) {
      out += fmt::format("{:.12g},{:.6f}", c.hz[k], c.difference_db[k]);
      if (!c.phase_deg.empty()) out += fmt::format(",{:.5f}", c.phase_deg[k]);
      out += "\n";
    }
  }
  return out;
}

Figure compared_figure(const std::vector<ComparedCurves>& all) {
  Figure figure;
  figure.title = "Spectra of files compared";
  figure.caption = "as they stand in the files; below: B re A at the frequencies of A";
  constexpr std::size_t most = 3;
  for (std::size_t i = 0; i < std::min(most, all.size()); ++i) {
    const ComparedCurves& c = all[i];
    const double low = c.hz.front(), high = c.hz.back();
    const bool logarithmic = low > 0 && high > 30 * low;
    Panel levels, difference;
    levels.title = c.a.channel.name;
    levels.x = difference.x = {"Frequency", "Hz", logarithmic, low, high};
    const std::string unit = c.a.channel.unit.label();
    levels.y = {"Level", unit == "1" ? "" : unit, unit.rfind("dB", 0) != 0, {}, {}};
    int colour = 0;
    for (const StoredSpectrum* s : {&c.a, &c.b}) {
      Curve curve;
      curve.x = s->hz, curve.y = s->level;
      curve.name = (colour == 0 ? "A: " : "B: ") + name_of(*s);
      curve.colour = colour++;
      levels.curves.push_back(thinned(std::move(curve), 4000, logarithmic));
    }
    difference.title = "B re A";
    difference.y = {"Difference", "dB", false, {}, {}};
    Curve curve;
    curve.x = c.hz, curve.y = c.difference_db;
    difference.curves.push_back(thinned(std::move(curve), 4000, logarithmic));
    figure.panels.push_back(std::move(levels));
    figure.panels.push_back(std::move(difference));
  }
  return figure;
}

}  // namespace vprism
