// transfer_response.cpp: see transfer_response.h.
#include "commands/response/transfer_response.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "commands/shared/stored_report.h"
#include "commands/shared/stored_spectrum.h"
#include "render/document.h"
#include "render/figure.h"

namespace vprism {

namespace {

void take_features(StoredResponse& out, const std::optional<Range>& span, bool resonances) {
  for (NamedTransfer& t : out.curves) {
    if (t.curve.hz.size() < 2)
      throw Error(Status::analysis, out.facts.recording.file + ": " + t.name +
                                        " has fewer than two frequencies with numbers: nothing lies between");
    out.low_hz = span && span->low ? *span->low : t.curve.hz.front();
    out.high_hz = span && span->high ? *span->high : t.curve.hz.back();
    t.curve.error = scatter_of(t.curve);
    t.features = transfer_features(t.curve);
    if (!t.has_phase) continue;
    const UnwrappedPhase phase = unwrapped_phase(t.curve);
    if (phase.largest_step > 120)
      out.cautions.push_back(
          {"phase-steps", Severity::warning, t.name,
           "the phase turns by " + format_number(phase.largest_step, 3) +
               " degrees between neighbouring frequencies: where it goes on by more than half "
               "a turn, whole turns are missed, and a resonance may lie between",
           "export more points a decade"});
    if (resonances) t.modes = transfer_modes(t.curve, out.low_hz, out.high_hz);
    for (const TransferMode& m : t.modes) {
      const auto above = std::upper_bound(t.curve.hz.begin() + 1, t.curve.hz.end() - 1, m.frequency_hz);
      const double step = *above - *(above - 1), width = 2 * m.damping * m.frequency_hz;
      if (width > 1.5 * step) continue;
      out.cautions.push_back({"points-sparse", Severity::warning, t.name,
                              "the resonance at " + format_quantity(m.frequency_hz, "Hz", 5) + " is " +
                                  format_quantity(width, "Hz", 3) + " wide, and points lie " +
                                  format_quantity(step, "Hz", 3) +
                                  " apart: greatest gain, readings and random output near it are not known",
                              "export more points there; frequency and damping are fitted and stand"});
    }
  }
}

}  // namespace

StoredResponse read_responses(Input& input, const std::vector<std::string>& references,
                              const std::optional<Range>& span, bool resonances) {
  StoredResponse out;
  const std::vector<StoredSpectrum> spectra = read_stored_spectra(input);
  out.facts = input.facts();
  const Recording& r = out.facts.recording;
  std::vector<std::size_t> below;
  if (!references.empty()) below = select_channels(r, references);
  if (below.size() > 1)
    throw Error(Status::usage, "--reference: spectra are divided by one of them; " +
                                   std::to_string(below.size()) + " are named");
  for (std::size_t c = 0; c < spectra.size(); ++c) {
    const StoredSpectrum& s = spectra[c];
    if (!below.empty() && c == below.front()) continue;
    NamedTransfer t;
    t.name = s.channel.name, t.channel = s.channel;
    t.has_phase = r.complex;
    t.output = s.channel.ratio ? s.channel.ratio->unit : s.channel.unit;
    t.input = s.channel.ratio ? s.channel.ratio->reference_unit : Unit::parse("1");
    if (stored_scale(s).power && !r.complex)
      throw Error(Status::analysis, r.file + ": \"" + s.channel.name +
                                        "\" holds powers, and a response is a ratio of amplitudes; spectrum, "
                                        "limits and compare take powers");
    if (stored_scale(s).decibels) {
      if (!below.empty())
        throw Error(Status::usage,
                    r.file + ": levels in decibels are divided by subtracting them; give linear ones");
      if (r.complex)
        throw Error(Status::analysis,
                    r.file + ": \"" + s.channel.name + "\": complex numbers in decibels mean nothing");
      t.channel.unit = t.output = Unit::parse("1");
      t.curve.hz = s.hz;
      for (const double level : s.level) t.curve.value.emplace_back(std::pow(10.0, level / 20));
    } else if (below.empty()) {
      t.curve = {s.hz, s.value};
    } else {
      const StoredSpectrum& under = spectra[below.front()];
      t.name += " / " + under.channel.name;
      t.input = under.channel.unit;
      t.channel.unit = s.channel.unit.over(under.channel.unit);
      std::size_t k = 0, silent = 0, absent = 0;
      for (std::size_t i = 0; i < s.hz.size(); ++i) {
        while (k < under.hz.size() && under.hz[k] < s.hz[i]) ++k;
        if (k == under.hz.size() || under.hz[k] != s.hz[i]) {
          ++absent;
          continue;
        }
        if (std::abs(under.value[k]) == 0) {
          ++silent;
          continue;
        }
        t.curve.hz.push_back(s.hz[i]), t.curve.value.push_back(s.value[i] / under.value[k]);
      }
      if (silent + absent > 0)
        out.cautions.push_back({"reference-silent", Severity::warning, t.name,
                                "at " + std::to_string(silent + absent) + " of " +
                                    std::to_string(s.hz.size()) +
                                    " frequencies the reference is zero or no number: no ratio is made there",
                                "look at the reference by itself"});
    }
    out.curves.push_back(std::move(t));
  }
  if (out.curves.empty())
    throw Error(Status::usage, r.file + ": the reference is its only channel; nothing is left to be divided");
  if (!r.complex)
    out.cautions.push_back(
        {"no-phase", Severity::note, "",
         "the channels are real: they are taken as gains; phases, margins and resonances need complex ones",
         "give real and imaginary parts or magnitude and phase as columns"});
  out.how = below.empty() ? "as it stands in the file" : "divided by " + r.channels[below.front()].name;
  take_features(out, span, resonances);
  return out;
}

TransferReadings readings_of(const NamedTransfer& transfer, const TransferSettings& settings,
                             const std::optional<Range>& span) {
  TransferReadings out{
      transfer.name, transfer.channel.unit, transfer.output, transfer.input, transfer.has_phase, {}, {}};
  if (!settings.reads() || transfer.curve.hz.size() < 2) {
    out.at.resize(settings.at_hz.size());
    return out;
  }
  const TransferBetween between(transfer.curve);
  for (const double hz : settings.at_hz) {
    out.at.push_back(between.at(hz));
    if (out.at.back() && !settings.unwrapped)
      out.at.back()->phase_deg = std::remainder(out.at.back()->phase_deg, 360.0);
  }
  if (settings.input_density)
    out.output_rms =
        std::sqrt(random_output(transfer.curve, *settings.input_density, span && span->low ? *span->low : 0,
                                span && span->high ? *span->high : 1e300));
  return out;
}

std::string readings_text(const std::vector<TransferReadings>& curves, const TransferSettings& settings) {
  std::string out;
  if (curves.empty()) return out;
  if (!settings.at_hz.empty()) {
    TextTable table({{"at"}, {"curve", TextTable::Align::left}, {"gain"}, {"gain (dB)"}, {"phase (deg)"}});
    for (std::size_t i = 0; i < settings.at_hz.size(); ++i)
      for (const TransferReadings& t : curves) {
        const std::string hz = format_quantity(settings.at_hz[i], "Hz", 9);
        if (!t.at[i])
          table.add({hz, t.name, "beyond its ends", "", ""});
        else
          table.add({hz, t.name, format_uncertain(t.at[i]->gain, t.at[i]->gain_std, t.unit.label()),
                     fmt::format("{:.3f}", gain_db(t.at[i]->gain)),
                     t.has_phase ? format_uncertain(t.at[i]->phase_deg, t.at[i]->phase_std_deg, "") : ""});
      }
    out += "\n" + table.text();
  }
  if (settings.input_density) {
    TextTable table({{"curve", TextTable::Align::left}, {"RMS for random input"}});
    for (const TransferReadings& t : curves)
      table.add({t.name, t.output_rms ? format_quantity(*t.output_rms, t.output.label(), 5) : "not known"});
    const std::string input = curves.front().input.text();
    out += "\n" + table.text() + "  input of " + format_number(*settings.input_density) + " " +
           (input == "1" ? "(unit of the input)" : "(" + input + ")") +
           "\u00b2/Hz, one-sided, over the band that is known\n";
  }
  return out;
}

void put_readings(const TransferReadings& readings, const TransferSettings& settings, Json& entry) {
  if (!settings.at_hz.empty()) {
    Json at = Json::array();
    for (std::size_t i = 0; i < readings.at.size(); ++i) {
      if (!readings.at[i]) {
        at.push_back({{"frequency_hz", number(settings.at_hz[i])}, {"gain", nullptr}});
        continue;
      }
      const TransferBetween::Reading& r = *readings.at[i];
      Json one{{"frequency_hz", number(settings.at_hz[i])},
               {"gain", number(r.gain)},
               {"gain_std", number(r.gain_std)},
               {"gain_db", number(gain_db(r.gain))}};
      if (readings.has_phase)
        one["phase_deg"] = number(r.phase_deg), one["phase_std_deg"] = number(r.phase_std_deg);
      at.push_back(std::move(one));
    }
    entry["at"] = std::move(at);
  }
  if (settings.input_density)
    entry["random_input"] = {
        {"input_density", number(*settings.input_density)},
        {"output_rms", readings.output_rms ? number(*readings.output_rms) : Json(nullptr)},
        {"output_unit", readings.output.text()}};
}

}  // namespace vprism
