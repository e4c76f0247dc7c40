// behaviour.cpp: what segments and other channels say of a finding.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/identify/identify.h"

namespace vprism {

namespace {

/// Straight lines through the track: drift in Hz per second, and how much of its movement that explains.
struct Drift {
  double rate = 0, share = 0, from_hz = 0, to_hz = 0;
};

Drift drift_of(const WatchResult& w) {
  Drift d;
  const auto count = static_cast<double>(w.time_s.size());
  if (w.time_s.size() < 6) return d;
  double t = 0, f = 0, tt = 0, tf = 0, ff = 0;
  for (std::size_t i = 0; i < w.time_s.size(); ++i) t += w.time_s[i] / count, f += w.frequency_hz[i] / count;
  for (std::size_t i = 0; i < w.time_s.size(); ++i) {
    const double x = w.time_s[i] - t, y = w.frequency_hz[i] - f;
    tt += x * x, tf += x * y, ff += y * y;
  }
  if (!(tt > 0 && ff > 0)) return d;
  d.rate = tf / tt;
  d.share = tf * tf / (tt * ff);
  d.from_hz = f + d.rate * (w.time_s.front() - t);
  d.to_hz = f + d.rate * (w.time_s.back() - t);
  return d;
}

}  // namespace

void show_behaviour(const WatchResult& w, std::size_t channel, double rbw_hz, const SpectrumPlan& plan,
                    Finding& f) {
  if (w.segments < 6) return;
  const double spread = w.spread_of(channel), steady = w.steadiness_of(channel);
  const Drift drift = drift_of(w);
  // Of few segments a straight line explains much by chance.
  constexpr double by_chance = 60;
  const bool moves =
      drift.share > 0.85 &&
      drift.share * (static_cast<double>(w.time_s.size()) - 2) > by_chance * (1 - drift.share) &&
      std::abs(drift.to_hz - drift.from_hz) > 1.5 * plan.rbw_hz;
  const bool alone = f.kind == "tone" || f.kind == "broadband" || f.kind == "resonance" ||
                     f.kind == "wandering" || f.kind == "burst" || f.kind == "unresolved";
  if ((f.kind == "broadband" || f.kind == "resonance") && spread > 1.6 && !moves) {
    f.kind = "intermittent";
    f.text = fmt::format("noise that comes and goes near {}, {} RMS over the record",
                         format_quantity(f.frequency_hz, "Hz", 4), format_quantity(f.level_rms, f.unit, 4));
    f.evidence = {fmt::format("its power scatters by {:.0f}% from segment to segment (steady noise 100%)",
                              100 * spread)};
    f.numbers = {{"spread", spread}};
    return;
  }
  if (f.kind == "tone" && w.segments >= 12 && spread > 0.7 && steady < 0.4 && !moves) {
    f.kind = "unresolved";
    f.frequency_std_hz = std::max(f.frequency_std_hz, rbw_hz / 2);
    f.text = fmt::format(
        "something near {}, {} RMS, that is no steady line: a longer record or spectrogram may resolve it",
        format_quantity(f.frequency_hz, "Hz", 5), format_quantity(f.level_rms, f.unit, 4));
  }
  if (moves && alone) {
    f.kind = "drift";
    f.numbers = {{"from_hz", drift.from_hz}, {"to_hz", drift.to_hz}, {"drift_hz_per_s", drift.rate}};
    f.text =
        fmt::format("a drifting tone: from {} to {}, {}", format_quantity(drift.from_hz, "Hz", 5),
                    format_quantity(drift.to_hz, "Hz", 5), format_quantity(f.level_rms, f.unit, 4) + " RMS");
    f.evidence = {
        fmt::format("a straight line explains {:.0f}% of where its highest point lies in {} segments",
                    100 * drift.share, w.time_s.size())};
    f.frequency_hz = (drift.from_hz + drift.to_hz) / 2;
    f.frequency_std_hz = std::abs(drift.to_hz - drift.from_hz) / std::sqrt(12.0);
    return;
  }
  // Of other kinds their own model speaks.
  if (f.kind == "decaying" || f.kind == "growing" || f.kind == "wandering" || f.kind == "stepping" ||
      f.kind == "switching" || f.kind == "frequency-modulated" || f.kind == "burst" ||
      f.kind == "unresolved" || f.kind == "impulse-family" || f.kind == "quantisation")
    return;
  if (f.kind == "resonance" || f.kind == "broadband")
    f.evidence.push_back(fmt::format(
        "{}: its power scatters by {:.0f}% from segment to segment (noise 100%, a steady tone 0%)",
        spread > 0.6 ? "for noise" : "against noise", 100 * spread));
  else
    f.evidence.push_back(fmt::format(
        "{}: its power scatters by {:.0f}% over {} segments of {} RBW and its phase runs on {:.0f}% steadily",
        steady > 0.8 && spread < 0.5 ? "for a forced tone" : "against a steady tone", 100 * spread,
        w.segments, format_quantity(rbw_hz, "Hz", 3), 100 * steady));
  if (f.kind != "resonance" && f.kind != "broadband") f.numbers.emplace_back("steadiness", steady);
  f.numbers.emplace_back("spread", spread);
}

void merge_drifts(std::vector<Finding>& findings, std::vector<WatchResult>& watches,
                  std::vector<std::size_t>& channels) {
  for (std::size_t i = 0; i < findings.size(); ++i) {
    if (findings[i].kind != "drift") continue;
    const double low = std::min(findings[i].numbers[0].second, findings[i].numbers[1].second),
                 high = std::max(findings[i].numbers[0].second, findings[i].numbers[1].second);
    const double slack = 0.1 * (high - low);
    double square = findings[i].level_rms * findings[i].level_rms;
    for (std::size_t j = findings.size(); j-- > 0;) {
      if (j == i || channels[j] != channels[i] || findings[j].frequency_hz < low - slack ||
          findings[j].frequency_hz > high + slack)
        continue;
      square += findings[j].level_rms * findings[j].level_rms;
      findings[i].members.insert(findings[i].members.end(), findings[j].members.begin(),
                                 findings[j].members.end());
      const auto at = static_cast<std::ptrdiff_t>(j);
      findings.erase(findings.begin() + at);
      watches.erase(watches.begin() + at);
      channels.erase(channels.begin() + at);
      if (j < i) --i;
    }
    findings[i].level_rms = std::sqrt(square);
  }
}

void show_channels(const Recording& r, const std::vector<std::size_t>& references, const WatchResult& w,
                   std::size_t own, Finding& f) {
  if (w.columns.size() < 2 || w.segments < 4) return;
  const double chance = w.chance_coherence(1e-3);
  struct Other {
    std::size_t channel;
    double coherence, ratio;
  };
  std::vector<Other> others;
  for (const std::size_t c : w.columns) {
    const double coherence = w.coherence(c, own);
    if (c != own && coherence > chance)
      others.push_back({c, coherence, std::sqrt(w.power_of(c) / std::max(w.power_of(own), 1e-300))});
  }
  std::sort(others.begin(), others.end(),
            [](const Other& a, const Other& b) { return a.coherence > b.coherence; });
  std::string listed;
  for (const Other& o : others)
    listed += fmt::format("{}{} (coherence {:.2f}, {:.3g} {}/{}, {:.0f} deg)", listed.empty() ? "" : "; ",
                          r.channels[o.channel].name, o.coherence, o.ratio,
                          r.channels[o.channel].unit.label(), f.unit, w.phase_deg(o.channel, own));
  if (!listed.empty()) f.evidence.push_back("seen together with " + listed);
  // Levels say where it comes from only among channels of one unit.
  const Other* strongest = nullptr;
  for (const Other& o : others)
    if (r.channels[o.channel].unit.text() == r.channels[own].unit.text() &&
        (strongest == nullptr || o.ratio > strongest->ratio))
      strongest = &o;
  if (strongest != nullptr && strongest->ratio > 1)
    f.evidence.push_back(fmt::format("{} leads: it is {:.3g} times as strong there",
                                     r.channels[strongest->channel].name, strongest->ratio));
  for (const Other& o : others)
    if (const auto turned = w.phase_turn_deg(own, o.channel);
        turned && std::find(references.begin(), references.end(), o.channel) != references.end())
      f.evidence.push_back(fmt::format("{}: its phase against {} turns by {:.0f} deg over its width",
                                       *turned < -45 ? "for a resonance" : "against a resonance of this path",
                                       r.channels[o.channel].name, *turned));
  std::vector<std::size_t> inputs;
  for (const std::size_t c : references)
    if (c != own && w.power_of(c) > 0) inputs.push_back(c);
  if (inputs.empty() || std::find(references.begin(), references.end(), own) != references.end()) return;
  const double share = w.explained(own, inputs);
  if (share <= w.chance_coherence(1e-3, inputs.size())) {
    f.evidence.push_back("no reference channel explains it");
    return;
  }
  std::string names;
  for (const std::size_t c : inputs) {
    names += (names.empty() ? "" : " and ") + r.channels[c].name;
    if (inputs.size() > 1) {
      std::vector<std::size_t> rest = inputs;
      std::erase(rest, c);
      f.evidence.push_back(fmt::format("{} alone, what {} explain taken off: partial coherence {:.2f}",
                                       r.channels[c].name, rest.size() == 1 ? "the other" : "the others",
                                       w.partial(own, c, rest)));
    }
  }
  f.evidence.push_back(fmt::format("{:.0f}% of its power goes with {}", 100 * share, names));
  f.numbers.emplace_back("attributed_share", share);
}

}  // namespace vprism
