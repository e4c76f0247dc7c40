// stored_report.cpp: see stored_report.h.
#include "commands/shared/stored_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/text.h"
#include "identify/peaks/time_peaks.h"

namespace vprism {

namespace {

constexpr double least_prominence_db = 6;

std::vector<double> in_db(const StoredSpectrum& s, const StoredScale& scale) {
  std::vector<double> out;
  for (const double level : s.level)
    out.push_back(scale.decibels ? level
                                 : (scale.power ? 10 : 20) * std::log10(std::max(std::abs(level), 1e-300)));
  return out;
}

double from_db(double db, const StoredScale& scale) {
  return scale.decibels ? db : std::pow(10.0, db / (scale.power ? 10 : 20));
}

std::string level_text(double level, const StoredSpectrum& s, const StoredScale& scale) {
  return scale.decibels ? fmt::format("{:.2f} {}", level, s.channel.unit.label())
                        : format_quantity(level, s.channel.unit.label(), 5);
}

}  // namespace

StoredScale stored_scale(const StoredSpectrum& spectrum) {
  StoredScale out;
  const std::string unit = spectrum.channel.unit.text();
  out.decibels = unit.rfind("dB", 0) == 0;
  const std::vector<std::string> words = split(spectrum.channel.name, ' ');
  const std::string last = words.empty() ? "" : lower_case(words.back());
  for (const char* name : {"rms", "peak", "power", "psd", "asd", "esd"})
    if (last == name) out.name = name;
  const bool per_hz = unit.find("/Hz") != std::string::npos || unit.find("Hz^-1") != std::string::npos ||
                      unit.find("Hz-1") != std::string::npos;
  if (out.name.empty() && per_hz)
    out.name =
        unit.find("sqrt") != std::string::npos || unit.find("\u221a") != std::string::npos ? "asd" : "psd";
  if (out.name.empty() && unit.find("Hz^-0.5") != std::string::npos) out.name = "asd";
  out.density = out.name == "psd" || out.name == "asd" || out.name == "esd";
  out.power = out.name == "psd" || out.name == "power" || out.name == "esd";
  return out;
}

std::vector<StoredPeak> stored_peaks(const StoredSpectrum& spectrum, std::size_t most) {
  const StoredScale scale = stored_scale(spectrum);
  const std::vector<double> y = in_db(spectrum, scale);
  const std::size_t n = y.size();
  std::vector<double> sorted = y;
  if (n > 0)
    std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(n / 2), sorted.end());
  const double median = n > 0 ? sorted[n / 2] : 0;
  std::vector<StoredPeak> out;
  TimePeakRules rules;
  rules.min_prominence = least_prominence_db;
  rules.min_height = median + least_prominence_db;
  std::vector<RoughPeak> tops;
  PeakFinder finder(rules, 1, [&](const RoughPeak& top) { tops.push_back(top); });
  finder.add(y);
  finder.finish();
  for (const RoughPeak& top_point : tops) {
    const auto k = static_cast<std::size_t>(top_point.sample);
    if (k == 0 || k + 1 >= n || (spectrum.span && !spectrum.span->contains(spectrum.hz[k]))) continue;
    StoredPeak peak;
    peak.prominence_db = top_point.prominence;
    const double a = spectrum.hz[k - 1] - spectrum.hz[k], b = spectrum.hz[k + 1] - spectrum.hz[k];
    const double ya = y[k - 1] - y[k], yb = y[k + 1] - y[k];
    const double bend = (ya / a - yb / b) / (a - b), slope = ya / a - bend * a;
    const double shift = bend < 0 ? std::clamp(-slope / (2 * bend), a / 2, b / 2) : 0;
    peak.hz = spectrum.hz[k] + shift;
    const double top = y[k] + slope * shift + bend * shift * shift;
    peak.level = from_db(top, scale);
    // Where both sides have come down by half the power.
    const double half = top - 10 * std::log10(2.0);
    const auto crossing = [&](int way) -> std::optional<double> {
      for (std::size_t i = k;;) {
        if (way < 0 ? i == 0 : i + 1 == n) return {};
        const std::size_t next = way < 0 ? i - 1 : i + 1;
        if (y[next] <= half) {
          const double share = y[i] > y[next] ? std::clamp((y[i] - half) / (y[i] - y[next]), 0.0, 1.0) : 0;
          return spectrum.hz[i] + share * (spectrum.hz[next] - spectrum.hz[i]);
        }
        if (y[next] > top) return {};
        i = next;
      }
    };
    const auto low = crossing(-1), high = crossing(1);
    if (low && high) peak.width_hz = *high - *low;
    if (spectrum.facts.recording.complex)
      peak.phase_deg = std::arg(spectrum.value[k]) * 180 / std::numbers::pi;
    out.push_back(peak);
  }
  std::stable_sort(out.begin(), out.end(), [&](const StoredPeak& a, const StoredPeak& b) {
    return std::abs(a.level) > std::abs(b.level) || (scale.decibels && a.level > b.level);
  });
  if (scale.decibels)
    std::stable_sort(out.begin(), out.end(),
                     [](const StoredPeak& a, const StoredPeak& b) { return a.level > b.level; });
  if (out.size() > most) out.resize(most);
  return out;
}

namespace {

/// The mean square of a density over its band; nothing for other scales, whose bins overlap.
std::optional<double> total_rms(const StoredSpectrum& s, const StoredScale& scale) {
  if (!scale.density || scale.name == "esd" || scale.decibels) return {};
  double sum = 0;
  const auto power = [&](std::size_t k) { return scale.power ? s.level[k] : s.level[k] * s.level[k]; };
  for (std::size_t k = 0; k + 1 < s.hz.size(); ++k)
    sum += (power(k) + power(k + 1)) / 2 * (s.hz[k + 1] - s.hz[k]);
  return std::sqrt(std::max(0.0, sum));
}

}  // namespace

void report_stored(const std::vector<StoredSpectrum>& spectra, std::size_t most, Delivery& delivery) {
  const InputFacts& facts = spectra.front().facts;
  const Recording& r = facts.recording;
  delivery.inputs.push_back(facts);
  delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
  delivery.text += clean_text(r.file) + "\n  a spectrum as it stands in the file\n";
  std::vector<std::string> unsaid;
  for (const StoredSpectrum& s : spectra) {
    const StoredScale scale = stored_scale(s);
    Json one{{"channel", s.channel.name},
             {"unit", s.channel.unit.text()},
             {"scale", scale.name.empty() ? Json(nullptr) : Json(scale.name)},
             {"frequencies", s.hz.size()}};
    if (s.hz.empty()) {
      delivery.text += "\n" + s.channel.name + ": no numbers\n";
      delivery.results.push_back(std::move(one));
      continue;
    }
    if (scale.name.empty() && !scale.decibels) unsaid.push_back(s.channel.name);
    one["low_hz"] = number(s.hz.front()), one["high_hz"] = number(s.hz.back());
    delivery.text += "\n" + s.channel.name + ": " + std::to_string(s.hz.size()) + " frequencies from " +
                     format_quantity(s.hz.front(), "Hz", 6) + " to " + format_quantity(s.hz.back(), "Hz", 6) +
                     (scale.name.empty() ? "" : ", " + scale.name);
    if (const auto total = total_rms(s, scale)) {
      one["total_rms"] = number(*total);
      delivery.text += ", " + format_number(*total, 5) + " RMS over that band";
    }
    delivery.text += "\n";
    const std::vector<StoredPeak> peaks = stored_peaks(s, most);
    Json list = Json::array();
    TextTable table({{"#"},
                     {"frequency (Hz)"},
                     {"level"},
                     {"width at -3 dB (Hz)"},
                     {"phase (deg)"},
                     {"prominence (dB)"}});
    for (std::size_t i = 0; i < peaks.size(); ++i) {
      const StoredPeak& p = peaks[i];
      table.add({std::to_string(i + 1), format_number(p.hz, 7), level_text(p.level, s, scale),
                 p.width_hz ? format_number(*p.width_hz, 4) : "",
                 p.phase_deg ? fmt::format("{:.1f}", *p.phase_deg) : "",
                 fmt::format("{:.1f}", p.prominence_db)});
      list.push_back({{"frequency_hz", number(p.hz)},
                      {"level", number(p.level)},
                      {"width_hz", p.width_hz ? number(*p.width_hz) : Json(nullptr)},
                      {"phase_deg", p.phase_deg ? number(*p.phase_deg) : Json(nullptr)},
                      {"prominence_db", number(p.prominence_db)}});
    }
    delivery.text += peaks.empty() ? "  no peak stands out by 6 dB\n" : table.text();
    one["peaks"] = std::move(list);
    delivery.results.push_back(std::move(one));
  }
  delivery.text += "\n";
  if (!unsaid.empty())
    delivery.cautions.push_back(
        {"scale-unsaid", Severity::note, "",
         quoted_names(unsaid) + ": the file does not say whether levels are amplitudes, RMS or powers, "
                                "nor the window and RBW: they are shown as they stand",
         "a title that ends in rms, peak, power, psd or asd says it; spectrum --overlay draws them "
         "beside those of recordings"});
}

std::vector<Finding> stored_findings(const std::vector<StoredSpectrum>& spectra) {
  std::vector<Finding> out;
  for (const StoredSpectrum& s : spectra) {
    const StoredScale scale = stored_scale(s);
    for (const StoredPeak& p : stored_peaks(s, 10)) {
      Finding f;
      f.kind = "peak";
      f.recording = s.facts.recording.file, f.channel = s.channel.name;
      f.frequency_hz = p.hz, f.level_rms = p.level, f.unit = s.channel.unit.text();
      f.text = fmt::format("a peak of the file's spectrum at {}, {}", format_quantity(p.hz, "Hz", 6),
                           level_text(p.level, s, scale));
      f.evidence = {fmt::format("it stands {:.1f} dB above its saddles", p.prominence_db)};
      out.push_back(std::move(f));
    }
  }
  return out;
}

std::string stored_csv(const std::vector<StoredSpectrum>& spectra) {
  const bool complex = spectra.front().facts.recording.complex;
  std::string out;
  // Channels without a number at some frequency follow below each other.
  for (std::size_t c = 0; c < spectra.size(); ++c) {
    const StoredSpectrum& s = spectra[c];
    if (c > 0) out += "\n";
    out += "frequency (Hz)," + csv_cell(s.channel.name + " (" + s.channel.unit.text() + ")") +
           (complex ? "," + csv_cell(s.channel.name + " phase (deg)") : "") + "\n";
    for (std::size_t k = 0; k < s.hz.size(); ++k) {
      out += fmt::format("{:.12g},{:.10g}", s.hz[k], s.level[k]);
      if (complex) out += fmt::format(",{:.5f}", std::arg(s.value[k]) * 180 / std::numbers::pi);
      out += "\n";
    }
  }
  return out;
}

Figure stored_figure(const std::vector<StoredSpectrum>& spectra, std::size_t most) {
  Figure figure;
  figure.title = spectra.front().facts.recording.stem() + ": spectrum";
  figure.caption = "as it stands in the file; numbers: peaks of the table";
  constexpr std::size_t most_panels = 6;
  for (std::size_t c = 0; c < std::min(most_panels, spectra.size()); ++c) {
    const StoredSpectrum& s = spectra[c];
    if (s.hz.empty()) continue;
    const StoredScale scale = stored_scale(s);
    const double low = s.span && s.span->low ? *s.span->low : s.hz.front(),
                 high = s.span && s.span->high ? *s.span->high : s.hz.back();
    // Points that lie evenly in the logarithm ask for one.
    const double middle = s.hz[s.hz.size() / 2];
    const bool logarithmic = low > 0 && high > 30 * low && middle < 0.2 * s.hz.back();
    Panel panel;
    panel.title = s.channel.name;
    panel.x = {"Frequency", "Hz", logarithmic, low, high};
    const bool positive = std::all_of(s.level.begin(), s.level.end(), [](double v) { return v > 0; });
    panel.y = {"Level",
               s.channel.unit.label() == "1" ? "" : s.channel.unit.label(),
               positive && !scale.decibels,
               {},
               {}};
    Curve level, phase;
    for (std::size_t k = 0; k < s.hz.size(); ++k) {
      if (s.hz[k] < low || s.hz[k] > high) continue;
      level.x.push_back(s.hz[k]), level.y.push_back(s.level[k]);
      phase.x.push_back(s.hz[k]), phase.y.push_back(std::arg(s.value[k]) * 180 / std::numbers::pi);
    }
    level.colour = phase.colour = static_cast<int>(c);
    for (std::size_t k = 1; k < phase.y.size(); ++k)
      if (std::abs(phase.y[k] - phase.y[k - 1]) > 270) phase.y[k - 1] = std::nan("");
    panel.curves.push_back(thinned(std::move(level), 4000, logarithmic));
    const std::vector<StoredPeak> peaks = stored_peaks(s, most);
    for (std::size_t i = 0; i < peaks.size(); ++i)
      panel.marks.push_back({peaks[i].hz, peaks[i].level, std::to_string(i + 1)});
    Panel turn;
    turn.title = s.channel.name + ", phase";
    turn.x = panel.x;
    turn.y = {"Phase", "deg", false, -190, 190};
    turn.curves.push_back(std::move(phase));
    figure.panels.push_back(std::move(panel));
    if (s.facts.recording.complex && spectra.size() <= 3) figure.panels.push_back(std::move(turn));
  }
  return figure;
}

}  // namespace vprism
