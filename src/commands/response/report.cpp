// report.cpp: ratios and resonances as text, JSON, findings and tables.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/text.h"
#include "commands/response/response.h"

namespace vprism {

namespace {

std::string percent_of(double share, int digits = 3) { return format_number(100 * share, digits) + "%"; }

std::string damping_text(double damping, double std) {
  return std > 0 ? format_uncertain(100 * damping, 100 * std, "%") : percent_of(damping, 4);
}

std::string how(const Recognised& excitation, double rate_hz) {
  switch (excitation.kind) {
    case Excitation::blows:
      return "impact test";
    case Excitation::sweep:
      return "sweep" +
             (excitation.to_hz > 0 ? " from " + format_quantity(excitation.from_hz, "Hz", 3) + " to " +
                                         format_quantity(excitation.to_hz, "Hz", 3)
                                   : std::string()) +
             ", the whole record by local polynomials";
    case Excitation::multi_sine:
      return "periods of " + format_quantity(static_cast<double>(excitation.period) / rate_hz, "s", 5);
    case Excitation::transient:
      return "transient, the whole record by local polynomials";
    case Excitation::step:
      return "step, the record's differences by local polynomials";
    case Excitation::impulse:
      return "the channels as impulse responses";
    default:
      return "averaged segments";
  }
}

std::string names_of(const ResponseResult& result) {
  std::string out;
  for (const std::size_t c : result.set.references)
    out += (out.empty() ? "" : ", ") + result.recording.channels[c].name;
  return out;
}

std::string made_text(const ResponseResult& r, const ResponseSettings& settings) {
  std::string out = how(r.excitation, r.recording.axis.rate_hz());
  if (r.blows) {
    const auto kept = std::count_if(r.blows->blows.begin(), r.blows->blows.end(),
                                    [](const Blow& b) { return b.rejected.empty(); });
    out += fmt::format(", {} of {} blows, {} each", kept, r.blows->blows.size(),
                       format_quantity(static_cast<double>(r.blows->segment) / r.set.rate_hz, "s", 4));
    if (settings.blows.force_window) out += ", force window";
    if (r.blows->decayed_to < 1)
      out += fmt::format(", exponential window to {} (its {} 1/s taken off the damping)",
                         percent_of(r.blows->decayed_to), format_number(r.blows->decay_per_s, 4));
  } else if (r.excitation.kind == Excitation::multi_sine) {
    out += fmt::format(", {} of them without a window", r.plan.averages);
  } else if (r.excitation.kind == Excitation::noise) {
    out += fmt::format(" of {}, {} of {}, worth {} independent ones",
                       format_quantity(r.plan.segment_s(), "s", 4), r.plan.averages, r.window.name(),
                       format_number(r.spectra.own.front().noise_averages, 3));
  }
  if (r.output_only) return out + fmt::format("; RBW {}", format_quantity(r.plan.rbw_hz, "Hz", 3));
  if (r.excitation.kind != Excitation::impulse)
    out += fmt::format("; {}; RBW {}",
                       r.set.references.size() > 1
                           ? "least squares over all references"
                           : std::string(1, 'H') + (response_estimator_name(settings.estimator) + 1),
                       format_quantity(r.set.rbw_hz, "Hz", 3));
  return out;
}

/// Everything that speaks for a resonance.
std::vector<std::string> evidence(const ResponseResult& r, const KnownMode& m) {
  std::vector<std::string> out;
  const std::string where = r.curve_name(r.set.curves[m.strongest]);
  out.push_back(fmt::format("one rational function of all {} curves: stays through {} polynomial orders",
                            r.set.curves.size(), m.mode.orders));
  if (m.record_bins > 0)
    out.push_back(
        fmt::format("fitted on {} bins of the whole record, with what rang at its ends", m.record_bins));
  out.push_back(fmt::format("coherence {:.3f} ({})", m.coherence[m.strongest], where));
  const auto reading = [&](const char* name, const ModeReading& read) {
    out.push_back(read.damping > 0
                      ? fmt::format("{}: {}, {}", name, format_quantity(read.frequency_hz, "Hz", 6),
                                    percent_of(read.damping, 3))
                      : fmt::format("{}: {}", name, format_quantity(read.frequency_hz, "Hz", 6)));
  };
  if (m.half_power)
    reading("half power", *m.half_power);
  else if (m.peak)
    reading("peak alone, no half-power points", *m.peak);
  if (m.circle)
    reading(fmt::format("circle ({} out of round)", percent_of(m.circle->out_of_round, 2)).c_str(),
            m.circle->mode);
  if (m.decay) {
    reading("free decay, envelope", m.decay->envelope);
    if (m.decay->decrement.damping > 0) reading("free decay, decrement", m.decay->decrement);
  }
  if (r.set.curves.size() > 1)
    out.push_back(fmt::format("shape {} standing (phase collinearity {:.3f})",
                              phase_collinearity(m.mode.residue) > 0.9 ? "is" : "is not",
                              phase_collinearity(m.mode.residue)));
  return out;
}

Json reading_json(const ModeReading& m) {
  return {{"frequency_hz", number(m.frequency_hz)}, {"damping_ratio", number(m.damping)}};
}

Json mode_json(const ResponseResult& r, const KnownMode& m, std::size_t curve) {
  const Mode& mode = m.mode;
  Json out{{"frequency_hz", number(mode.frequency_hz)},
           {"frequency_std_hz", number(mode.frequency_std_hz)},
           {"damping_ratio", number(mode.damping)},
           {"damping_std", number(mode.damping_std)},
           {"q", number(mode.q())},
           {"magnitude", number(m.magnitude[curve])},
           {"phase_deg", number(m.phase_deg[curve])},
           {"coherence", number(m.coherence[curve])},
           {"residue", {number(mode.residue[curve].real()), number(mode.residue[curve].imag())}},
           {"residue_std", number(mode.residue_std[curve])},
           {"orders", mode.orders}};
  if (curve == m.strongest) {
    Json checks = Json::object();
    if (m.peak) checks["peak"] = reading_json(*m.peak);
    if (m.half_power) checks["half_power"] = reading_json(*m.half_power);
    if (m.circle) checks["circle"] = reading_json(m.circle->mode);
    if (m.decay)
      checks["decay_envelope"] = reading_json(m.decay->envelope),
      checks["decay_decrement"] = reading_json(m.decay->decrement);
    out["checks"] = std::move(checks);
  }
  out["evidence"] = evidence(r, m);
  return out;
}

void report_output_only(const ResponseResult& result, Delivery& delivery) {
  const Recording& r = result.recording;
  const OutputOnly& found = *result.output_only;
  TextTable table({{"no."},
                   {"frequency (Hz)"},
                   {"damping"},
                   {"Q"},
                   {"strongest at", TextTable::Align::left},
                   {"shape", TextTable::Align::left}});
  for (std::size_t i = 0; i < found.modes.size(); ++i) {
    const OutputOnlyMode& m = found.modes[i];
    std::size_t top = 0;
    std::string shape;
    for (std::size_t c = 0; c < m.shape.size(); ++c) {
      if (std::abs(m.shape[c]) > std::abs(m.shape[top])) top = c;
      shape +=
          (c == 0 ? "" : " ") +
          format_number(
              m.shape[c].real() / std::abs(m.shape[c]) < 0 ? -std::abs(m.shape[c]) : std::abs(m.shape[c]), 2);
    }
    table.add({std::to_string(i + 1), format_uncertain(m.fit.frequency_hz, m.fit.frequency_std_hz, ""),
               damping_text(m.fit.damping, m.fit.damping_std), format_number(1 / (2 * m.fit.damping), 3),
               r.channels[top].name, shape});
    Finding f;
    f.kind = "resonance";
    f.recording = r.file, f.channel = r.channels[top].name;
    f.frequency_hz = m.fit.frequency_hz, f.frequency_std_hz = m.fit.frequency_std_hz;
    f.level_rms = m.fit.rms, f.unit = r.channels[top].unit.text();
    f.text = fmt::format("a resonance at {}, damping {}, known from the outputs alone",
                         format_uncertain(m.fit.frequency_hz, m.fit.frequency_std_hz, "Hz"),
                         damping_text(m.fit.damping, m.fit.damping_std));
    f.evidence = {
        "the strongest direction of the cross powers keeps its shape from " +
            format_quantity(m.low_hz, "Hz", 4) + " to " + format_quantity(m.high_hz, "Hz", 4),
        fmt::format(
            "one degree of freedom under white noise fits {:.0f} better in log-likelihood than noise alone",
            m.fit.gain / 2)};
    f.numbers = {{"damping_ratio", m.fit.damping}, {"damping_std", m.fit.damping_std}};
    delivery.findings.push_back(std::move(f));
  }
  delivery.text +=
      found.modes.empty() ? "  no resonance stands out of what the channels share\n" : table.text();
  if (!found.lines_hz.empty()) {
    delivery.text += "  tones, as narrow as the window's lobe and so no resonances:";
    for (std::size_t i = 0; i < std::min<std::size_t>(12, found.lines_hz.size()); ++i)
      delivery.text +=
          " " + format_quantity(found.lines_hz[i], "Hz", 5) + (i + 1 < found.lines_hz.size() ? "," : "");
    delivery.text += found.lines_hz.size() > 12 ? " ...\n" : "\n";
  }
  for (std::size_t c = 0; c < r.channels.size(); ++c) {
    Json modes = Json::array();
    for (const OutputOnlyMode& m : found.modes)
      modes.push_back({{"frequency_hz", number(m.fit.frequency_hz)},
                       {"frequency_std_hz", number(m.fit.frequency_std_hz)},
                       {"damping_ratio", number(m.fit.damping)},
                       {"damping_std", number(m.fit.damping_std)},
                       {"q", number(1 / (2 * m.fit.damping))},
                       {"magnitude", number(std::abs(m.shape[c]))},
                       {"phase_deg", number(std::arg(m.shape[c]) * 180 / 3.14159265358979323846)},
                       {"coherence", nullptr}});
    delivery.results.push_back({{"channel", r.channels[c].name},
                                {"unit", r.channels[c].unit.text()},
                                {"reference", nullptr},
                                {"averages", result.plan.averages},
                                {"resonances", std::move(modes)},
                                {"tones_hz", found.lines_hz}});
  }
  delivery.cautions.push_back({"excitation-unknown", Severity::note, "",
                               "the excitation was not recorded: damping is right only where it is as strong "
                               "over the width of each resonance",
                               "record a reference where damping matters"});
}

}  // namespace

NamedTransfer measured_transfer(const ResponseResult& result, const ResponseCurve& curve) {
  NamedTransfer t;
  t.name = result.curve_name(curve);
  t.channel = result.channel_of(curve);
  t.output = t.channel.unit;
  t.channel.unit = result.curve_unit(curve);
  t.input = result.set.references.empty()
                ? Unit::parse("1")
                : result.recording.channels[result.set.references[curve.reference]].unit;
  bool known = true;
  for (std::size_t k = 0; k < result.set.frequency_hz.size(); ++k) {
    if (!result.known(curve, k)) continue;
    t.curve.hz.push_back(result.set.frequency_hz[k]), t.curve.value.push_back(curve.ratio[k]);
    t.curve.error.push_back(curve.error[k]);
    known = known && !std::isnan(curve.error[k]);
  }
  if (!known) t.curve.error = scatter_of(t.curve);
  return t;
}

void report_response(const ResponseResult& result, const ResponseSettings& settings, Delivery& delivery) {
  if (result.transmission) return report_transmission(*result.transmission, settings.transfer, delivery);
  if (result.stored) return report_responses(*result.stored, settings.transfer, settings.span, delivery);
  const Recording& r = result.recording;
  const ResponseSet& set = result.set;
  delivery.inputs.push_back(result.facts);
  const auto& cautions = result.facts.recording.cautions;
  delivery.cautions.insert(delivery.cautions.end(), cautions.begin(), cautions.end());
  delivery.text += clean_text(r.file) + "\n  " + std::to_string(r.samples) + " samples at " +
                   format_quantity(r.axis.rate_hz(), "Hz", 9) + "\n  " + made_text(result, settings) + "\n";
  if (result.output_only) return report_output_only(result, delivery);
  if (!set.references.empty()) delivery.text += "  reference: " + names_of(result) + "\n";
  delivery.text += fmt::format("  resonances sought from {} to {}\n", format_quantity(result.low_hz, "Hz", 4),
                               format_quantity(result.high_hz, "Hz", 4));
  if (result.blows) {
    TextTable table({{"blow"}, {"time (s)"}, {"peak"}, {"width"}, {"", TextTable::Align::left}});
    for (std::size_t b = 0; b < result.blows->blows.size(); ++b) {
      const Blow& blow = result.blows->blows[b];
      table.add({std::to_string(b + 1),
                 format_number(r.axis.start + static_cast<double>(blow.peak) / set.rate_hz, 6),
                 format_quantity(blow.force, r.channels[set.references[0]].unit.label(), 4),
                 format_quantity(blow.width_s(set.rate_hz), "s", 3), blow.rejected});
    }
    delivery.text += "\n" + table.text();
  }
  delivery.text += "\n";
  if (result.modes.empty()) {
    delivery.text += "  no resonance stands out\n";
  } else {
    TextTable table({{"no."},
                     {"frequency (Hz)"},
                     {"damping"},
                     {"Q"},
                     {"strongest", TextTable::Align::left},
                     {"magnitude there"},
                     {"phase (deg)"},
                     {"coherence"}});
    for (std::size_t i = 0; i < result.modes.size(); ++i) {
      const KnownMode& m = result.modes[i];
      const ResponseCurve& curve = set.curves[m.strongest];
      table.add({std::to_string(i + 1), format_uncertain(m.mode.frequency_hz, m.mode.frequency_std_hz, ""),
                 damping_text(m.mode.damping, m.mode.damping_std), format_number(m.mode.q(), 3),
                 result.curve_name(curve),
                 format_quantity(m.magnitude[m.strongest], result.curve_unit(curve).label(), 4),
                 format_number(m.phase_deg[m.strongest], 3),
                 fmt::format("{:.3f}", m.coherence[m.strongest])});
    }
    delivery.text += table.text();
    for (std::size_t i = 0; i < result.modes.size(); ++i) {
      delivery.text += fmt::format("  {}  how it is known:\n", i + 1);
      for (const std::string& line : evidence(result, result.modes[i]))
        delivery.text += "       " + line + "\n";
    }
  }
  bool delayed = false;
  for (std::size_t i = 0; i < set.curves.size(); ++i)
    if (result.delays[i] && result.delays[i]->explained > 0.97 &&
        std::abs(result.delays[i]->seconds) > 3 * result.delays[i]->std_s) {
      if (!delayed) delivery.text += "\n";
      delayed = true;
      delivery.text += fmt::format("  {}: later by {} ({} of the coherent phase is a pure delay)\n",
                                   result.curve_name(set.curves[i]),
                                   format_uncertain(result.delays[i]->seconds, result.delays[i]->std_s, "s"),
                                   percent_of(result.delays[i]->explained, 2));
    }
  std::vector<TransferReadings> readings;
  if (settings.transfer.reads())
    for (const ResponseCurve& curve : set.curves)
      readings.push_back(readings_of(measured_transfer(result, curve), settings.transfer, settings.span));
  delivery.text += readings_text(readings, settings.transfer) + "\n";
  for (const KnownMode& m : result.modes) {
    const ResponseCurve& curve = set.curves[m.strongest];
    Finding f;
    f.kind = "resonance";
    f.recording = r.file, f.channel = result.channel_of(curve).name;
    f.frequency_hz = m.mode.frequency_hz, f.frequency_std_hz = m.mode.frequency_std_hz;
    f.level_rms = m.magnitude[m.strongest], f.unit = result.curve_unit(curve).text();
    f.text = fmt::format("a resonance at {}, damping {}, Q {}",
                         format_uncertain(m.mode.frequency_hz, m.mode.frequency_std_hz, "Hz"),
                         damping_text(m.mode.damping, m.mode.damping_std), format_number(m.mode.q(), 3));
    f.evidence = evidence(result, m);
    f.numbers = {{"damping_ratio", m.mode.damping}, {"damping_std", m.mode.damping_std}};
    delivery.findings.push_back(std::move(f));
  }
  Json chart = Json::array();
  for (const ChartPole& p : result.fit.chart)
    if (p.kind == ChartPole::Kind::stable)
      chart.push_back({p.order, number(p.frequency_hz), number(p.damping)});
  for (std::size_t i = 0; i < set.curves.size(); ++i) {
    const ResponseCurve& curve = set.curves[i];
    Json modes = Json::array();
    for (const KnownMode& m : result.modes) modes.push_back(mode_json(result, m, i));
    Json one{{"channel", result.channel_of(curve).name},
             {"unit", result.curve_unit(curve).text()},
             {"reference", set.references.empty() ? Json(nullptr)
                                                  : Json(r.channels[set.references[curve.reference]].name)},
             {"excitation", excitation_names[static_cast<std::size_t>(result.excitation.kind)]},
             {"estimator", response_estimator_name(settings.estimator)},
             {"averages", set.averages},
             {"independent_averages", number(set.independent)},
             {"rbw_hz", number(set.rbw_hz)},
             {"low_hz", number(result.low_hz)},
             {"high_hz", number(result.high_hz)},
             {"coherence_by_chance", number(set.significant())},
             {"decay_taken_off_per_s", number(set.decay_per_s)},
             {"unexplained", number(i < result.fit.unexplained.size() ? result.fit.unexplained[i] : 0)},
             {"resonances", std::move(modes)}};
    if (!readings.empty()) put_readings(readings[i], settings.transfer, one);
    if (result.delays[i])
      one["delay"] = {{"seconds", number(result.delays[i]->seconds)},
                      {"std_s", number(result.delays[i]->std_s)},
                      {"explained", number(result.delays[i]->explained)}};
    delivery.results.push_back(std::move(one));
  }
  delivery.further["stable_poles"] = std::move(chart);
  if (result.blows) {
    Json blows = Json::array();
    for (const Blow& b : result.blows->blows)
      blows.push_back({{"time_s", number(r.axis.start + static_cast<double>(b.peak) / set.rate_hz)},
                       {"force", number(b.force)},
                       {"width_s", number(b.width_s(set.rate_hz))},
                       {"rejected", b.rejected}});
    delivery.further["blows"] = std::move(blows);
  }
}

}  // namespace vprism
