// report.cpp: findings and verdicts as tables, text, JSON and figure.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/concise.h"
#include "base/text.h"
#include "commands/identify/identify.h"

namespace vprism {

namespace {

/// What happens in time has no frequency to show.
bool in_time(const Finding& f) {
  return f.kind == "event" || f.kind == "trend" || f.kind == "step" ||
         (f.kind == "intermittent" && f.frequency_hz == 0);
}

const char* verdict_word(const SuspectVerdict& v) {
  return v.kind == SuspectVerdict::Kind::seen      ? "seen"
         : v.kind == SuspectVerdict::Kind::cleared ? "cleared"
                                                   : "out of reach";
}

}  // namespace

namespace {

double number_in(const Finding& f, const char* key) {
  for (const auto& [name, value] : f.numbers)
    if (name == key) return value;
  return std::nan("");
}

/// The kind, with the number that goes with it.
std::string what_it_is(const Finding& f) {
  if (const double damping = number_in(f, "damping_ratio"); f.kind == "resonance" && damping > 0)
    return fmt::format("resonance, damping {}%", format_number(100 * damping, 3));
  if (const double spacing = number_in(f, "spacing_hz"); f.kind == "sideband-family" && spacing > 0)
    // Around a line, or around the orders of a family.
    return (number_in(f, "carrier_hz") > 0 ? "sidebands " : "line, sidebands ") +
           format_quantity(spacing, "Hz", 4);
  return f.kind == "harmonic-family" ? fmt::format("{} harmonics", f.lines.size()) : f.kind;
}

/// The verdict's reason, short: how high it could have stood goes with the evidence.
std::string short_reason(const std::string& text) { return text.substr(0, text.find("; ")); }

}  // namespace

TextTable finding_table(const IdentifyResult& result) {
  const bool lined_up = !result.verdicts.empty();
  TextTable table({{"#"},
                   {"what", TextTable::Align::left},
                   {"channel", TextTable::Align::left},
                   {"frequency"},
                   {"level (RMS)"},
                   {"share"},
                   {lined_up ? "suspect" : "known as", TextTable::Align::left}});
  for (std::size_t i = 0; i < result.findings.size(); ++i) {
    const Finding& f = result.findings[i];
    const double total = result.rms[result.channels[i]];
    table.add({std::to_string(i + 1), what_it_is(f), f.channel,
               in_time(f)              ? ""
               : f.kind == "broadband" ? "near " + format_quantity(f.frequency_hz, "Hz", 4)
                                       : format_concise(f.frequency_hz, f.frequency_std_hz, "Hz"),
               format_quantity(f.level_rms, f.unit, 4),
               fmt::format("{:.3g}%", 100 * std::pow(f.level_rms / std::max(total, 1e-300), 2)),
               !f.suspect.empty() ? f.suspect
               : lined_up         ? "unexplained"
                                  : ""});
  }
  return table;
}

TextTable suspect_table(const IdentifyResult& result, bool in_full) {
  TextTable table({{"suspect", TextTable::Align::left},
                   {"verdict", TextTable::Align::left},
                   {"score"},
                   {"why", TextTable::Align::left}});
  for (const SuspectVerdict& v : result.verdicts)
    table.add({v.name, verdict_word(v),
               v.kind == SuspectVerdict::Kind::seen ? fmt::format("{:.2f}", v.match.score) : "",
               in_full ? v.text : short_reason(v.text)});
  return table;
}

namespace {

/// The evidence of the findings asked for, and with all of it that of the verdicts.
std::string evidence_text(const IdentifyResult& result, const std::string& explain) {
  std::vector<bool> wanted(result.findings.size(), explain == "all");
  if (explain != "all")
    for (const std::string& number : split(explain, ',')) {
      const auto n = static_cast<std::size_t>(parse_whole_number(number, 1));
      if (n > wanted.size())
        throw Error(Status::usage, fmt::format("--explain: {} findings, no number {}", wanted.size(), n));
      wanted[n - 1] = true;
    }
  std::string out;
  for (std::size_t i = 0; i < wanted.size(); ++i) {
    if (!wanted[i]) continue;
    const Finding& f = result.findings[i];
    out += fmt::format("  {}. {}: {}{}.\n", i + 1, f.channel, f.text,
                       f.suspect.empty() ? "" : "; most likely " + f.suspect);
    for (const std::string& e : f.evidence) out += "       " + e + "\n";
  }
  if (explain != "all") return out;
  for (const SuspectVerdict& v : result.verdicts) {
    if (v.evidence.empty()) continue;
    out += "\n  " + v.name + "\n";
    for (const std::string& e : v.evidence) out += "    " + e + "\n";
  }
  return out;
}

}  // namespace

std::string identify_text(const IdentifyResult& result, const std::string& explain) {
  const Recording& r = result.spectrum.facts.recording;
  std::string out = clean_text(r.file) + "\n";
  if (!result.verdicts.empty()) {
    std::string loose;
    for (std::size_t i = 0; i < result.findings.size(); ++i)
      if (result.findings[i].suspect.empty() && result.findings[i].kind != "event")
        loose += (loose.empty() ? "" : ", ") + std::to_string(i + 1);
    out += suspect_table(result, explain == "all").text() +
           "  unexplained: " + (loose.empty() ? "none" : "findings " + loose) + "\n\n";
  }
  out += result.findings.empty() ? "  nothing stands above the noise\n" : finding_table(result).text();
  if (!result.findings.empty() && !explain.empty()) out += "\n" + evidence_text(result, explain);
  // What a row of the table can't say of a finding.
  static const std::vector<std::string> said = {"tone", "resonance", "harmonic-family", "sideband-family"};
  if (explain.empty())
    for (std::size_t i = 0; i < result.findings.size(); ++i)
      if (std::find(said.begin(), said.end(), result.findings[i].kind) == said.end())
        out += fmt::format("  {}: {}\n", i + 1, result.findings[i].text);
  out += "\n";
  std::string noise;
  for (std::size_t c = 0; c < result.noise.size(); ++c) {
    const ChannelSpectrum& s = result.spectrum.channels[c];
    if (s.spectrum.two_sided) continue;
    noise += fmt::format("{}{} {}, {} RMS", noise.empty() ? "" : "; ", s.channel.name, result.noise[c].word(),
                         format_quantity(result.noise[c].rms, s.channel.unit.label(), 3));
  }
  if (!noise.empty()) out += "  noise: " + noise + "\n";
  if (!result.findings.empty() && explain.empty())
    out += "  --explain shows the evidence, --explain 1 that of the first\n";
  return out + "\n";
}

Json identify_json(const IdentifyResult& result, const AnalysisSettings& settings) {
  Json entries = spectrum_json(result.spectrum, settings);
  for (std::size_t c = 0; c < entries.size(); ++c) {
    const NoiseShape& noise = result.noise[c];
    Json bands = Json::array();
    for (const NoiseBand& b : noise.bands)
      bands.push_back({{"low_hz", number(b.low_hz)},
                       {"high_hz", number(b.high_hz)},
                       {"level", number(b.rms)},
                       {"above_db", number(b.above_db)}});
    entries[c]["noise"] = {{"word", noise.word()},
                           {"slope", number(noise.slope)},
                           {"slope_std", number(noise.slope_std)},
                           {"scatter_db", number(noise.scatter_db)},
                           {"density_at_1hz", number(noise.density_at_1hz)},
                           {"white_density", number(noise.white_density)},
                           {"rms", number(noise.rms)},
                           {"bands", bands}};
  }
  return entries;
}

Json suspects_json(const IdentifyResult& result) {
  Json out = Json::array();
  for (const SuspectVerdict& v : result.verdicts)
    out.push_back({{"recording", result.spectrum.facts.recording.file},
                   {"name", v.name},
                   {"verdict", verdict_word(v)},
                   {"score", number(v.match.score)},
                   {"frequency_hz", v.match.base_hz ? number(*v.match.base_hz) : Json(nullptr)},
                   {"frequency_std_hz", v.match.base_std_hz ? number(*v.match.base_std_hz) : Json(nullptr)},
                   {"channel", v.channel},
                   {"level", number(v.level_rms)},
                   {"text", v.text},
                   {"evidence", v.evidence}});
  return out;
}

Figure identify_figure(const IdentifyResult& result, const AnalysisSettings& settings) {
  Figure figure;
  const Recording& r = result.spectrum.facts.recording;
  figure.title = r.stem() + ": findings";
  figure.caption = plan_text(result.spectrum.channels.front().curve(), settings.spectrum.overlap) +
                   "; level: " + scale_entry(settings.scale).name + "; numbers are those of the findings";
  const Shown shown{settings};
  double lowest = 1e300;
  for (const Finding& f : result.findings)
    if (!in_time(f)) lowest = std::min(lowest, f.frequency_hz);
  for (std::size_t c = 0; c < result.spectrum.channels.size(); ++c) {
    const ChannelSpectrum& s = result.spectrum.channels[c];
    Panel panel = level_panel(result.spectrum, c, settings);
    panel.marks.clear();
    double highest = 0;
    for (std::size_t i = 0; i < result.findings.size(); ++i) {
      const Finding& f = result.findings[i];
      if (result.channels[i] != c || in_time(f)) continue;
      const std::string number = std::to_string(i + 1);
      // Of a large family the strongest: others would cover them.
      constexpr std::size_t most_marked = 24;
      std::vector<std::size_t> marked = f.members;
      if (marked.size() > most_marked) {
        std::stable_sort(marked.begin(), marked.end(),
                         [&](std::size_t a, std::size_t b) { return s.peaks[a].rms > s.peaks[b].rms; });
        highest = std::max(highest, s.peaks[marked.back()].frequency_hz);
        marked.resize(most_marked);
      }
      for (const std::size_t m : marked) {
        const Peak& p = s.peaks[m];
        if (p.broad() && m != f.members.front()) continue;
        panel.marks.push_back({p.frequency_hz, shown.value(s.peak_level(p, settings.scale)), number});
        highest = std::max(highest, p.frequency_hz);
      }
      if (f.members.empty()) {
        const double at =
            std::clamp(s.spectrum.bins_at(f.frequency_hz), 0.0, static_cast<double>(s.spectrum.bins() - 1));
        panel.marks.push_back({f.frequency_hz,
                               shown.value(s.spectrum.level(static_cast<std::size_t>(at), settings.scale)),
                               number});
        highest = std::max(highest, f.frequency_hz);
      }
      if (result.spectrum.channels.size() > 2) continue;
      if (panel.listing.empty()) panel.listing.push_back(fmt::format("{:>2} {:<28}", "#", "finding"));
      // As much as the margin holds.
      const std::string kind = f.kind == "frequency-modulated" ? "FM carrier" : f.kind;
      const std::string at = format_quantity(f.frequency_hz, "Hz", 5);
      const std::size_t room = 21 - std::min<std::size_t>(at.size(), 13);
      panel.listing.push_back(
          fmt::format("{:>2} {} {}", i + 1, at, clean_text(f.suspect.empty() ? kind : f.suspect, room)));
    }
    if (!s.span && lowest < 1e299 && panel.x.logarithmic && panel.x.low)
      panel.x.low = std::max(*panel.x.low, lowest / 16);
    // Beyond the findings there is nothing to read.
    if (!s.span && highest > 0 && !panel.x.logarithmic && panel.x.high && 2.5 * highest < *panel.x.high)
      panel.x.high = 2 * highest;
    figure.panels.push_back(std::move(panel));
  }
  return figure;
}

}  // namespace vprism
