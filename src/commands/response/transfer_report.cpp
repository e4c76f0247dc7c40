// transfer_report.cpp: responses from files as table, document, CSV and figure.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/text.h"
#include "commands/response/transfer_response.h"
#include "commands/shared/stored_report.h"
#include "commands/shared/stored_spectrum.h"
#include "render/document.h"
#include "render/figure.h"

namespace vprism {

namespace {

std::string per_cent(double share, int digits) { return format_number(100 * share, digits) + "%"; }

TextTable feature_table(const StoredResponse& response) {
  std::vector<TextTable::Column> columns = {{"", TextTable::Align::left}};
  for (const NamedTransfer& t : response.curves) columns.push_back({t.name});
  TextTable table(columns);
  const auto row = [&](const std::string& title, const auto& value) {
    std::vector<std::string> cells = {title};
    bool any = false;
    for (const NamedTransfer& t : response.curves) {
      cells.push_back(value(t));
      any = any || !cells.back().empty();
    }
    if (any) table.add(std::move(cells));
  };
  const auto hz = [](double f) { return format_quantity(f, "Hz", 6); };
  row("from", [&](const NamedTransfer& t) { return hz(t.curve.hz.front()); });
  row("to", [&](const NamedTransfer& t) { return hz(t.curve.hz.back()); });
  row("frequencies", [](const NamedTransfer& t) { return std::to_string(t.curve.hz.size()); });
  const auto gain = [](const NamedTransfer& t, double g) {
    return format_quantity(g, t.channel.unit.label(), 5) + fmt::format(" ({:.2f} dB)", gain_db(g));
  };
  row("gain at the lowest", [&](const NamedTransfer& t) { return gain(t, t.features.first_gain); });
  row("greatest gain", [&](const NamedTransfer& t) {
    return gain(t, t.features.greatest.gain) + " at " + hz(t.features.greatest.hz);
  });
  row("kind", [](const NamedTransfer& t) { return std::string(t.features.kind); });
  row("-3 dB from", [&](const NamedTransfer& t) {
    return t.features.low_hz ? format_uncertain(*t.features.low_hz, t.features.low_std_hz, "Hz")
                             : std::string();
  });
  row("-3 dB to", [&](const NamedTransfer& t) {
    return t.features.high_hz ? format_uncertain(*t.features.high_hz, t.features.high_std_hz, "Hz")
                              : std::string();
  });
  const auto ratio = [](const NamedTransfer& t) { return t.channel.unit.dimensionless(); };
  row("gain of 1 at", [&](const NamedTransfer& t) {
    std::string out;
    constexpr std::size_t most = 4;
    for (std::size_t i = 0; ratio(t) && i < std::min(most, t.features.unity.size()); ++i)
      out += (out.empty() ? "" : ", ") +
             format_uncertain(t.features.unity[i].at.hz, t.features.unity[i].at.hz_std, "Hz");
    if (ratio(t) && t.features.unity.size() > most)
      out += " and " + std::to_string(t.features.unity.size() - most) + " more";
    return out;
  });
  row("phase margin", [&](const NamedTransfer& t) {
    if (!t.has_phase || !ratio(t) || !t.features.phase_margin_deg) return std::string();
    return format_uncertain(*t.features.phase_margin_deg, t.features.phase_margin_std_deg, "deg") + " at " +
           hz(*t.features.phase_margin_at_hz);
  });
  row("gain margin", [&](const NamedTransfer& t) {
    if (!t.has_phase || !ratio(t) || !t.features.gain_margin_db) return std::string();
    return format_uncertain(*t.features.gain_margin_db, t.features.gain_margin_std_db, "dB") + " at " +
           hz(*t.features.gain_margin_at_hz);
  });
  return table;
}

std::string damping_shown(const TransferMode& m) {
  return format_uncertain(100 * m.damping, 100 * m.damping_std, "%");
}

}  // namespace

void report_responses(const StoredResponse& response, const TransferSettings& settings,
                      const std::optional<Range>& span, Delivery& delivery) {
  const Recording& r = response.facts.recording;
  delivery.inputs.push_back(response.facts);
  delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
  delivery.cautions.insert(delivery.cautions.end(), response.cautions.begin(), response.cautions.end());
  delivery.text += clean_text(r.file) + "\n  responses over frequency, " + response.how + "\n\n" +
                   feature_table(response).text();
  TextTable table({{"no."},
                   {"curve", TextTable::Align::left},
                   {"frequency (Hz)"},
                   {"damping"},
                   {"Q"},
                   {"magnitude there"},
                   {"phase (deg)"}});
  std::size_t count = 0;
  for (const NamedTransfer& t : response.curves)
    for (const TransferMode& m : t.modes) {
      table.add({std::to_string(++count), t.name, format_uncertain(m.frequency_hz, m.frequency_std_hz, ""),
                 damping_shown(m), format_number(m.q(), 4),
                 format_quantity(m.magnitude, t.channel.unit.label(), 4), format_number(m.phase_deg, 4)});
      Finding f;
      f.kind = "resonance";
      f.recording = r.file, f.channel = t.name;
      f.frequency_hz = m.frequency_hz, f.frequency_std_hz = m.frequency_std_hz;
      f.level_rms = m.magnitude, f.unit = t.channel.unit.text();
      f.text = fmt::format("a resonance at {}, damping {}, Q {}",
                           format_uncertain(m.frequency_hz, m.frequency_std_hz, "Hz"), damping_shown(m),
                           format_number(m.q(), 3));
      f.evidence = {fmt::format("a pole pair and powers of frequency fitted to {} points around it leave {}",
                                m.points, per_cent(m.misfit, 2) + " of its height")};
      f.numbers = {{"damping_ratio", m.damping}, {"damping_std", m.damping_std}};
      delivery.findings.push_back(std::move(f));
    }
  const bool phases = std::any_of(response.curves.begin(), response.curves.end(),
                                  [](const NamedTransfer& t) { return t.has_phase; });
  if (count > 0)
    delivery.text += "\n" + table.text();
  else if (phases)
    delivery.text += "\n  no resonance stands out\n";
  std::vector<TransferReadings> readings;
  for (const NamedTransfer& t : response.curves) readings.push_back(readings_of(t, settings, span));
  delivery.text += readings_text(readings, settings) + "\n";
  for (std::size_t i = 0; i < response.curves.size(); ++i) {
    const NamedTransfer& t = response.curves[i];
    const TransferFeatures& f = t.features;
    Json modes = Json::array();
    for (const TransferMode& m : t.modes)
      modes.push_back({{"frequency_hz", number(m.frequency_hz)},
                       {"frequency_std_hz", number(m.frequency_std_hz)},
                       {"damping_ratio", number(m.damping)},
                       {"damping_std", number(m.damping_std)},
                       {"q", number(m.q())},
                       {"magnitude", number(m.magnitude)},
                       {"phase_deg", number(m.phase_deg)},
                       {"points", m.points}});
    const auto maybe = [](const std::optional<double>& v) { return v ? number(*v) : Json(nullptr); };
    Json unity = Json::array();
    for (const auto& c : f.unity)
      unity.push_back({{"frequency_hz", number(c.at.hz)}, {"phase_deg", number(c.at.phase_deg)}});
    Json one{{"channel", t.name},
             {"unit", t.channel.unit.text()},
             {"low_hz", number(t.curve.hz.front())},
             {"high_hz", number(t.curve.hz.back())},
             {"gain_at_lowest", number(f.first_gain)},
             {"greatest_gain", number(f.greatest.gain)},
             {"greatest_gain_at_hz", number(f.greatest.hz)},
             {"kind", f.kind},
             {"half_power_from_hz", maybe(f.low_hz)},
             {"half_power_from_std_hz", f.low_hz ? number(f.low_std_hz) : Json(nullptr)},
             {"half_power_to_hz", maybe(f.high_hz)},
             {"half_power_to_std_hz", f.high_hz ? number(f.high_std_hz) : Json(nullptr)},
             {"resonances", std::move(modes)}};
    if (t.channel.unit.dimensionless()) {
      one["unity_gain"] = std::move(unity);
      if (t.has_phase) {
        one["phase_margin_deg"] = maybe(f.phase_margin_deg);
        one["phase_margin_std_deg"] = f.phase_margin_deg ? number(f.phase_margin_std_deg) : Json(nullptr);
        one["gain_margin_std_db"] = f.gain_margin_db ? number(f.gain_margin_std_db) : Json(nullptr);
        one["phase_margin_at_hz"] = maybe(f.phase_margin_at_hz);
        one["gain_margin_db"] = maybe(f.gain_margin_db);
        one["gain_margin_at_hz"] = maybe(f.gain_margin_at_hz);
      }
    }
    put_readings(readings[i], settings, one);
    delivery.results.push_back(std::move(one));
  }
}

std::string responses_csv(const StoredResponse& response, const TransferSettings& settings) {
  std::string out = "frequency (Hz)";
  std::vector<double> all;
  std::vector<std::vector<double>> phases;
  for (const NamedTransfer& t : response.curves) {
    const std::string unit = " (" + t.channel.unit.text() + ")";
    out += "," + csv_cell(t.name + " magnitude" + unit) + "," + csv_cell(t.name + " (dB)");
    if (t.has_phase)
      out += "," + csv_cell(t.name + " re" + unit) + "," + csv_cell(t.name + " im" + unit) + "," +
             csv_cell(t.name + " phase (deg)");
    all.insert(all.end(), t.curve.hz.begin(), t.curve.hz.end());
    phases.push_back(unwrapped_phase(t.curve).degrees);
  }
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  out += "\n";
  std::vector<std::size_t> at(response.curves.size(), 0);
  for (const double hz : all) {
    out += fmt::format("{:.12g}", hz);
    for (std::size_t c = 0; c < response.curves.size(); ++c) {
      const NamedTransfer& t = response.curves[c];
      std::size_t& k = at[c];
      if (k == t.curve.hz.size() || t.curve.hz[k] != hz) {
        out += t.has_phase ? ",,,,," : ",,";
        continue;
      }
      const std::complex<double> h = t.curve.value[k];
      out += fmt::format(",{:.9g},{:.6f}", std::abs(h), gain_db(std::abs(h)));
      if (t.has_phase)
        out += fmt::format(",{:.9g},{:.9g},{:.5f}", h.real(), h.imag(),
                           settings.unwrapped ? phases[c][k] : std::remainder(phases[c][k], 360.0));
      ++k;
    }
    out += "\n";
  }
  return out;
}

Figure responses_figure(const StoredResponse& response, const TransferSettings& settings) {
  Figure figure;
  figure.title = response.facts.recording.stem() + ": response";
  figure.caption = "responses over frequency, " + response.how + "; numbers: resonances of the table";
  Panel gain, phase;
  gain.title = "magnitude";
  phase.title = settings.unwrapped ? "phase, without jumps of whole turns" : "phase";
  const double low = response.low_hz, high = response.high_hz;
  gain.x = {"Frequency", "Hz", low > 0 && high > 30 * low, low, high};
  phase.x = gain.x;
  gain.y = {"Magnitude", "dB", false, {}, {}};
  phase.y = {"Phase", "deg", false, {}, {}};
  if (!settings.unwrapped) phase.y.low = -190, phase.y.high = 190;
  std::size_t count = 0;
  constexpr std::size_t most = 16;
  for (std::size_t c = 0; c < std::min(most, response.curves.size()); ++c) {
    const NamedTransfer& t = response.curves[c];
    const std::vector<double> unwrapped = unwrapped_phase(t.curve).degrees;
    Curve level, turn;
    for (std::size_t k = 0; k < t.curve.hz.size(); ++k) {
      if (t.curve.hz[k] < low || t.curve.hz[k] > high) continue;
      level.x.push_back(t.curve.hz[k]), level.y.push_back(gain_db(std::abs(t.curve.value[k])));
      turn.x.push_back(t.curve.hz[k]);
      turn.y.push_back(settings.unwrapped ? unwrapped[k] : std::remainder(unwrapped[k], 360.0));
    }
    // No line across where the phase comes round.
    if (!settings.unwrapped)
      for (std::size_t k = 1; k < turn.y.size(); ++k)
        if (std::abs(turn.y[k] - turn.y[k - 1]) > 270) turn.y[k - 1] = std::nan("");
    level.name = t.name + (t.channel.unit.text() == "1" ? "" : " (re 1 " + t.channel.unit.label() + ")");
    level.colour = turn.colour = static_cast<int>(c);
    gain.curves.push_back(thinned(std::move(level), 4000, gain.x.logarithmic));
    if (t.has_phase) phase.curves.push_back(std::move(turn));
    for (const TransferMode& m : t.modes)
      gain.marks.push_back({m.frequency_hz, gain_db(m.magnitude), std::to_string(++count)});
  }
  figure.panels.push_back(std::move(gain));
  if (!phase.curves.empty()) figure.panels.push_back(std::move(phase));
  return figure;
}

}  // namespace vprism
