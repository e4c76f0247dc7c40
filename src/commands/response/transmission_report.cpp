// transmission_report.cpp: see transmission_report.h.
#include "commands/response/transmission_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "commands/shared/held.h"
#include "render/document.h"
#include "render/figure.h"

namespace vprism {

namespace {

double ratio_db(double gain) { return 20 * std::log10(std::max(gain, 1e-300)); }

TransferCurve usable_curve(const Transmission& t) {
  TransferCurve out;
  for (std::size_t k = t.from; k < t.to; ++k) {
    out.hz.push_back(t.hz[k]);
    // With the phase that goes on.
    out.value.push_back(std::polar(std::abs(t.ratio[k]), t.phase_deg[k - t.from] * std::numbers::pi / 180));
  }
  return out;
}

/// A value of the usable band between its bins, by a line.
double between_bins(const Transmission& t, const std::vector<double>& values, double hz) {
  const double at = (hz - t.hz[t.from]) / (t.hz[1] - t.hz[0]);
  const auto k = std::min(static_cast<std::size_t>(std::max(0.0, at)), values.size() - 2);
  const double share = at - static_cast<double>(k);
  return values[k] + share * (values[k + 1] - values[k]);
}

bool usable(const Transmission& t) { return t.to > t.from + 2; }

void caution_about(const ComparedChannel& c, std::vector<Caution>& cautions) {
  const Transmission& t = c.ratio;
  if (!usable(t)) {
    cautions.push_back(
        {"no-usable-band", Severity::serious, c.name,
         "nowhere around the reference's strongest frequency do both recordings stand 10 dB above "
         "their noise",
         "average more scans, or look whether the sample lets anything through"});
    return;
  }
  if (t.tapered)
    cautions.push_back(
        {"ends-tapered", Severity::warning, c.name,
         "an end of a recording stands far from its mean: both ends were brought down over a tenth "
         "of the record",
         "record until the signal has come to rest"});
  if (!t.anchored())
    cautions.push_back(
        {"phase-anchor", Severity::warning, c.name,
         fmt::format(
             "carried on to 0 Hz the phase comes to {} ± {} turns, not near a whole number: where its "
             "whole turns begin is a guess{}",
             format_number(t.anchor_turns, 2), format_number(t.anchor_std_turns, 2),
             c.slab ? ", and so is the index" : ""),
         "go to lower frequencies, or take a thinner sample"});
  if (t.echo)
    cautions.push_back(
        {"echo", Severity::note, c.name,
         fmt::format("an echo of {}% follows {} later: it ripples the ratio every {}",
                     format_number(100 * t.echo->share, 2), format_quantity(t.echo->after_s, "s", 3),
                     format_quantity(1 / t.echo->after_s, "Hz", 3)),
         "take it off both with a --gate that ends before it"});
}

}  // namespace

TransmissionResult compute_transmission(Input& sample, Input& reference, std::optional<double> thickness_m,
                                        const Progress& progress) {
  TransmissionResult out;
  out.thickness_m = thickness_m;
  constexpr std::int64_t most = std::int64_t{1} << 22;
  const Held a = hold_samples(sample, progress, most), b = hold_samples(reference, progress, most);
  out.sample = a.facts, out.reference = b.facts;
  const auto timed = [](const Held& held, std::size_t channel) {
    return TimedSamples{held.columns[channel], held.recording.axis.start, held.recording.axis.rate_hz()};
  };
  for (std::size_t i = 0; i < a.recording.channels.size(); ++i)
    for (std::size_t j = 0; j < b.recording.channels.size(); ++j) {
      const Channel &upper = a.recording.channels[i], &lower = b.recording.channels[j];
      const bool only = a.recording.channels.size() == 1 && b.recording.channels.size() == 1;
      if (!only && upper.name != lower.name) continue;
      ComparedChannel c;
      c.name = upper.name, c.sample_unit = upper.unit;
      c.unit = upper.unit.over(lower.unit);
      c.ratio = transmission_of(timed(a, i), timed(b, j));
      if (thickness_m && usable(c.ratio)) c.slab = slab_figures(c.ratio, *thickness_m);
      caution_about(c, out.cautions);
      out.channels.push_back(std::move(c));
    }
  if (out.channels.empty())
    throw Error(Status::usage, b.recording.file + ": none of its channels has the name of one in " +
                                   a.recording.file + "; choose one of each with --channel");
  return out;
}

void report_transmission(const TransmissionResult& result, const TransferSettings& settings,
                         Delivery& delivery) {
  for (const InputFacts* facts : {&result.sample, &result.reference}) {
    delivery.inputs.push_back(*facts);
    delivery.cautions.insert(delivery.cautions.end(), facts->recording.cautions.begin(),
                             facts->recording.cautions.end());
  }
  delivery.cautions.insert(delivery.cautions.end(), result.cautions.begin(), result.cautions.end());
  delivery.text += clean_text(result.sample.recording.file) + "\n  over " +
                   clean_text(result.reference.recording.file) + ", each on its own times\n";
  for (const ComparedChannel& c : result.channels) {
    const Transmission& t = c.ratio;
    Json one{{"channel", c.name},
             {"unit", c.unit.text()},
             {"rbw_hz", number(t.rbw_hz)},
             {"anchored", t.anchored()},
             {"echo_after_s", t.echo ? number(t.echo->after_s) : Json(nullptr)},
             {"echo_share", t.echo ? number(t.echo->share) : Json(nullptr)}};
    delivery.text += "\n" + c.name + ": ";
    if (!usable(t)) {
      one["low_hz"] = nullptr, one["high_hz"] = nullptr;
      delivery.text += "no usable band\n";
      delivery.results.push_back(std::move(one));
      continue;
    }
    const double low = t.hz[t.from], high = t.hz[t.to - 1];
    one["low_hz"] = number(low), one["high_hz"] = number(high);
    one["delay_s"] = number(t.delay_s), one["delay_std_s"] = number(t.delay_std_s);
    delivery.text += "usable from " + format_quantity(low, "Hz", 4) + " to " +
                     format_quantity(high, "Hz", 4) + ", RBW " + format_quantity(t.rbw_hz, "Hz", 3) +
                     "; later by " + format_uncertain(t.delay_s, t.delay_std_s, "s") + "\n";
    // Where nothing was asked for, some places of the band.
    std::vector<double> at = settings.at_hz;
    if (at.empty())
      for (int i = 1; i <= 5; ++i) at.push_back(low + (high - low) * i / 6.0);
    const TransferBetween between(usable_curve(t));
    std::vector<TextTable::Column> columns = {{"at"}, {"ratio"}, {"ratio (dB)"}, {"phase (deg)"}};
    if (c.slab) columns.push_back({"index"}), columns.push_back({"absorption (1/m)"});
    TextTable table(columns);
    Json readings = Json::array();
    for (const double hz : at) {
      const std::string where = format_quantity(hz, "Hz", 5);
      const auto reading = between.at(hz);
      if (!reading) {
        std::vector<std::string> cells(columns.size());
        cells[0] = where, cells[1] = "beyond the usable band";
        table.add(std::move(cells));
        readings.push_back({{"frequency_hz", number(hz)}, {"gain", nullptr}});
        continue;
      }
      const std::vector<double> errors(t.error.begin() + static_cast<std::ptrdiff_t>(t.from),
                                       t.error.begin() + static_cast<std::ptrdiff_t>(t.to));
      const double error = between_bins(t, errors, hz), phase_error = error * 180 / std::numbers::pi;
      const double phase =
          settings.unwrapped || c.slab ? reading->phase_deg : std::remainder(reading->phase_deg, 360.0);
      std::vector<std::string> cells = {
          where, format_uncertain(reading->gain, reading->gain * error, c.unit.label()),
          fmt::format("{:.2f}", ratio_db(reading->gain)), format_uncertain(phase, phase_error, "")};
      Json entry{{"frequency_hz", number(hz)},
                 {"gain", number(reading->gain)},
                 {"gain_std", number(reading->gain * error)},
                 {"gain_db", number(ratio_db(reading->gain))},
                 {"phase_deg", number(phase)},
                 {"phase_std_deg", number(phase_error)}};
      if (c.slab) {
        const double index = between_bins(t, c.slab->index, hz),
                     absorption = between_bins(t, c.slab->absorption_per_m, hz);
        const double d = *result.thickness_m, index_std = 299792458 * error / (2 * std::numbers::pi * hz * d);
        cells.push_back(format_uncertain(index, index_std, ""));
        cells.push_back(format_uncertain(absorption, 2 / d * error, ""));
        entry["refractive_index"] = number(index), entry["refractive_index_std"] = number(index_std);
        entry["absorption_per_m"] = number(absorption), entry["absorption_std_per_m"] = number(2 / d * error);
      }
      table.add(std::move(cells));
      readings.push_back(std::move(entry));
    }
    delivery.text += table.text();
    one["at"] = std::move(readings);
    delivery.results.push_back(std::move(one));
  }
  delivery.text += "\n";
}

std::string transmission_csv(const TransmissionResult& result) {
  std::string out;
  for (const ComparedChannel& c : result.channels) {
    const Transmission& t = c.ratio;
    if (!out.empty()) out += "\n";
    const std::string unit = " (" + c.unit.text() + ")";
    out += "frequency (Hz)," + csv_cell(c.name + " re" + unit) + "," + csv_cell(c.name + " im" + unit) + "," +
           csv_cell(c.name + " magnitude" + unit) + "," + csv_cell(c.name + " (dB)") + "," +
           csv_cell(c.name + " phase (deg)") + ",relative error,usable";
    if (c.slab) out += ",refractive index,absorption (1/m)";
    out += "\n";
    for (std::size_t k = 0; k < t.hz.size(); ++k) {
      const bool within = k >= t.from && k < t.to && usable(t);
      const double phase = within ? t.phase_deg[k - t.from] : std::arg(t.ratio[k]) * 180 / std::numbers::pi;
      out += fmt::format("{:.12g},{:.9g},{:.9g},{:.9g},{:.5f},{:.5f},{:.4g},{}", t.hz[k], t.ratio[k].real(),
                         t.ratio[k].imag(), std::abs(t.ratio[k]), ratio_db(std::abs(t.ratio[k])), phase,
                         t.error[k], within ? 1 : 0);
      if (c.slab)
        out += within ? fmt::format(",{:.8g},{:.6g}", c.slab->index[k - t.from],
                                    c.slab->absorption_per_m[k - t.from])
                      : std::string(",,");
      out += "\n";
    }
  }
  return out;
}

Figure transmission_figure(const TransmissionResult& result) {
  Figure figure;
  figure.title = result.sample.recording.stem() + " over " + result.reference.recording.stem();
  figure.caption =
      "sample over reference; vertical lines: ends of the usable band, where both stand 10 dB above their "
      "noise; "
      "grey: beyond it";
  constexpr std::size_t most = 4;
  for (std::size_t i = 0; i < std::min(most, result.channels.size()); ++i) {
    const ComparedChannel& c = result.channels[i];
    const Transmission& t = c.ratio;
    if (!usable(t)) continue;
    const double low = t.hz[t.from], high = t.hz[t.to - 1], beside = 0.25 * (high - low);
    const FigureAxis x{"Frequency", "Hz", false, std::max(0.0, low - beside),
                       std::min(t.hz.back(), high + beside)};
    Panel level, phase;
    level.title = c.name + ", ratio", phase.title = c.name + ", phase, going on from the strongest frequency";
    level.x = phase.x = x;
    level.y = {"Ratio", "dB", false, {}, {}};
    phase.y = {"Phase", "deg", false, {}, {}};
    // What lies beyond is noise, and may be anything.
    double least = 1e300, most_db = -1e300;
    for (std::size_t k = t.from; k < t.to; ++k) {
      least = std::min(least, ratio_db(std::abs(t.ratio[k])));
      most_db = std::max(most_db, ratio_db(std::abs(t.ratio[k])));
    }
    level.y.low = least - 10, level.y.high = most_db + 10;
    Curve within, outside, turn;
    for (std::size_t k = 0; k < t.hz.size(); ++k) {
      if (t.hz[k] < *x.low || t.hz[k] > *x.high) continue;
      const bool good = k >= t.from && k < t.to;
      within.x.push_back(t.hz[k]), outside.x.push_back(t.hz[k]);
      within.y.push_back(good ? ratio_db(std::abs(t.ratio[k])) : std::nan(""));
      outside.y.push_back(good ? std::nan("") : ratio_db(std::abs(t.ratio[k])));
      if (good) turn.x.push_back(t.hz[k]), turn.y.push_back(t.phase_deg[k - t.from]);
    }
    outside.colour = neutral_colour;
    level.curves = {std::move(outside), std::move(within)};
    phase.curves = {std::move(turn)};
    level.verticals = phase.verticals = {low, high};
    figure.panels.push_back(std::move(level));
    figure.panels.push_back(std::move(phase));
    if (!c.slab) continue;
    Panel index;
    index.title = c.name + ", refractive index";
    index.x = x;
    index.y = {"Index", "", false, {}, {}};
    Curve curve;
    for (std::size_t k = t.from; k < t.to; ++k)
      curve.x.push_back(t.hz[k]), curve.y.push_back(c.slab->index[k - t.from]);
    index.curves.push_back(std::move(curve));
    index.verticals = {low, high};
    figure.panels.push_back(std::move(index));
  }
  return figure;
}

}  // namespace vprism
