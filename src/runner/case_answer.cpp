// case_answer.cpp: see case_answer.h. A suspect's level in a channel is the root of the sum of squares of the
// findings laid to it there; its share is that over the channel's whole mean square. A line and a resonance
// are near when they are at most two half-power half-widths (damping x frequency) apart.
#include "runner/case_answer.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "base/text.h"
#include "commands/shared/json_values.h"

namespace vprism {

namespace {

Finding finding_of(const Json& json) {
  Finding f;
  f.kind = text_at(json, "kind"), f.recording = text_at(json, "recording"),
  f.channel = text_at(json, "channel");
  f.frequency_hz = number_at(json, "frequency_hz"), f.frequency_std_hz = number_at(json, "frequency_std_hz");
  f.level_rms = number_at(json, "level"), f.unit = text_at(json, "level_unit");
  f.suspect = text_at(json, "suspect"), f.text = text_at(json, "text");
  if (const auto list = json.find("evidence"); list != json.end() && list->is_array())
    for (const Json& line : *list)
      if (line.is_string()) f.evidence.push_back(line.get<std::string>());
  if (json.contains("damping_ratio"))
    f.numbers.emplace_back("damping_ratio", number_at(json, "damping_ratio"));
  return f;
}

/// RMS of what moves.
double without_mean(double rms, double mean) {
  return std::isnan(mean) ? rms : std::sqrt(std::max(0.0, rms * rms - mean * mean));
}

/// The recording an entry of `results` is about.
std::string recording_of(const Json& document, const Json& entry) {
  const std::string named = text_at(entry, "file");
  if (!named.empty()) return named;
  const auto inputs = document.find("inputs");
  return inputs != document.end() && !inputs->empty() ? text_at((*inputs)[0], "file") : "";
}

class Weighing {
 public:
  Weighing(const std::vector<Json>& documents, const std::vector<std::string>& concern) : concern_(concern) {
    for (const Json& d : documents)
      if (d.is_object()) take(d);
  }

  CaseAnswer answer() {
    weigh_findings();
    find_culprits();
    find_near();
    name_limits();
    sentences();
    return std::move(out_);
  }

 private:
  struct Resonance {
    std::string where;
    double hz, damping;
  };

  bool matters(const std::string& channel) const {
    return concern_.empty() || std::any_of(concern_.begin(), concern_.end(), [&](const std::string& pattern) {
             return glob_matches(pattern, channel);
           });
  }

  void take(const Json& d) {
    const bool judged = text_at(d, "command") == "identify";
    // A finding is a share of what its own step saw: another one may have gated or calibrated otherwise.
    std::map<std::string, double> seen;
    for (const Json& entry : d["results"])
      if (judged && entry.contains("rms_total"))
        seen[text_at(entry, "channel")] =
            without_mean(number_at(entry, "rms_total"), number_at(entry, "mean"));
    for (const Json& f : d["findings"]) {
      Finding finding = finding_of(f);
      if (const auto total = seen.find(finding.channel); total != seen.end())
        finding.numbers.emplace_back("channel_rms", total->second);
      if (!known(finding)) out_.findings.push_back(std::move(finding));
    }
    for (const Json& entry : d["results"]) {
      const std::string recording = recording_of(d, entry), channel = text_at(entry, "channel");
      if (judged && entry.contains("rms_total"))
        total_[{recording, channel}] = without_mean(number_at(entry, "rms_total"), number_at(entry, "mean"));
      if (text_at(d, "command") == "limits")
        out_.limits.push_back(
            {recording, channel, text_at(entry, "limit"), text_at(entry, "verdict"),
             entry.contains("worst") && entry["worst"].is_object() ? number_at(entry["worst"], "frequency_hz")
                                                                   : std::nan(""),
             entry.contains("worst") && entry["worst"].is_object() ? number_at(entry["worst"], "margin_db")
                                                                   : std::nan(""),
             ""});
      for (const char* key : {"resonances", "peaks"})
        if (const auto list = entry.find(key); list != entry.end() && list->is_array())
          for (const Json& one : *list)
            if (one.is_object() && number_at(one, "damping_ratio") > 0)
              resonance(stem_of_file(recording), number_at(one, "frequency_hz"),
                        number_at(one, "damping_ratio"));
    }
    if (const auto suspects = d.find("suspects"); suspects != d.end() && suspects->is_array())
      for (const Json& s : *suspects) verdict(s);
  }

  void resonance(const std::string& where, double hz, double damping) {
    for (const Resonance& r : resonances_)
      if (r.where == where && std::abs(r.hz - hz) < r.damping * r.hz) return;
    if (hz > 0) resonances_.push_back({where, hz, damping});
  }

  void verdict(const Json& s) {
    const std::string recording = stem_of_file(text_at(s, "recording")), name = text_at(s, "name");
    auto& all = out_.recordings;
    if (std::find(all.begin(), all.end(), recording) == all.end()) all.push_back(recording);
    auto row = std::find_if(out_.line_up.begin(), out_.line_up.end(),
                            [&](const LineUpRow& r) { return r.suspect == name; });
    if (row == out_.line_up.end()) row = out_.line_up.insert(row, {name, {}});
    const auto column = static_cast<std::size_t>(std::find(all.begin(), all.end(), recording) - all.begin());
    row->verdicts.resize(std::max(row->verdicts.size(), column + 1));
    row->verdicts[column] = text_at(s, "verdict");
  }

  /// The same thing told by two steps: the one that names a suspect stays.
  bool known(const Finding& f) {
    for (Finding& other : out_.findings) {
      if (other.recording != f.recording || other.channel != f.channel || other.kind != f.kind ||
          other.unit != f.unit)
        continue;
      const double apart = std::abs(other.frequency_hz - f.frequency_hz);
      const bool same = f.kind == "event" || std::isnan(f.frequency_hz)
                            ? other.text == f.text
                            : apart <= 1e-3 * std::abs(f.frequency_hz);
      if (!same) continue;
      if (other.suspect.empty() && !f.suspect.empty()) other = f;
      return true;
    }
    return false;
  }

  double share_of(const Finding& f) const {
    for (const auto& [key, value] : f.numbers)
      if (key == "channel_rms" && value > 0) return f.level_rms * f.level_rms / (value * value);
    const auto total = total_.find({f.recording, f.channel});
    return total == total_.end() || !(total->second > 0)
               ? std::nan("")
               : f.level_rms * f.level_rms / (total->second * total->second);
  }

  void weigh_findings() {
    std::stable_sort(out_.findings.begin(), out_.findings.end(), [&](const Finding& a, const Finding& b) {
      if (matters(a.channel) != matters(b.channel)) return matters(a.channel);
      const double x = share_of(a), y = share_of(b);
      if (std::isnan(x) || std::isnan(y)) return !std::isnan(x) && std::isnan(y);
      return x > y;
    });
    for (const Finding& f : out_.findings) {
      out_.shares.push_back(share_of(f));
      if (f.kind == "resonance")
        for (const auto& [key, value] : f.numbers)
          if (key == "damping_ratio") resonance(stem_of_file(f.recording), f.frequency_hz, value);
      if (matters(f.channel) && f.suspect.empty() && total_.contains({f.recording, f.channel}))
        out_.unexplained.push_back(f);
    }
  }

  void find_culprits() {
    for (const Finding& f : out_.findings) {
      if (!matters(f.channel) || f.suspect.empty() || std::isnan(share_of(f))) continue;
      auto at = std::find_if(out_.culprits.begin(), out_.culprits.end(), [&](const Culprit& c) {
        return c.suspect == f.suspect && c.recording == f.recording && c.channel == f.channel;
      });
      if (at == out_.culprits.end())
        at = out_.culprits.insert(at, {f.suspect, f.recording, f.channel, f.unit, 0, 0, {}});
      at->level_rms = std::hypot(at->level_rms, f.level_rms);
      at->share += share_of(f);
      at->lines_hz.push_back(f.frequency_hz);
    }
    // The order of channels is that of their greatest finding; within one, by share.
    std::vector<std::pair<std::string, std::string>> order;
    for (const Culprit& c : out_.culprits)
      if (std::find(order.begin(), order.end(), std::pair(c.recording, c.channel)) == order.end())
        order.emplace_back(c.recording, c.channel);
    std::stable_sort(out_.culprits.begin(), out_.culprits.end(), [&](const Culprit& a, const Culprit& b) {
      const auto place = [&](const Culprit& c) {
        return std::find(order.begin(), order.end(), std::pair(c.recording, c.channel)) - order.begin();
      };
      return place(a) != place(b) ? place(a) < place(b) : a.share > b.share;
    });
  }

  void find_near() {
    for (const Culprit& c : out_.culprits)
      for (const double line : c.lines_hz)
        for (const Resonance& r : resonances_) {
          const double apart = std::abs(line - r.hz) / (r.damping * r.hz);
          // A resonance is not near itself.
          const bool itself = std::any_of(out_.findings.begin(), out_.findings.end(), [&](const Finding& f) {
            return f.kind == "resonance" && f.suspect == c.suspect && f.channel == c.channel &&
                   f.frequency_hz == line;
          });
          if (apart <= 2 && !itself)
            out_.near.push_back({c.suspect, c.channel, r.where, line, r.hz, r.damping, apart});
        }
    std::stable_sort(out_.near.begin(), out_.near.end(), [](const NearResonance& a, const NearResonance& b) {
      return a.half_widths < b.half_widths;
    });
  }

  void name_limits() {
    for (CaseLimit& v : out_.limits) {
      // The worst of them.
      if (v.verdict == "fail" || out_.verdict.empty() || (v.verdict != "pass" && out_.verdict == "pass"))
        out_.verdict = v.verdict;
      for (const Finding& f : out_.findings)
        if (v.suspect.empty() && f.recording == v.recording && f.channel == v.channel && !f.suspect.empty() &&
            std::abs(f.frequency_hz - v.frequency_hz) <= 0.005 * v.frequency_hz)
          v.suspect = f.suspect;
    }
  }

  void sentences() {
    // Each channel of concern: its greatest, and the others behind it.
    for (std::size_t i = 0; i < out_.culprits.size();) {
      std::size_t end = i;
      double listed = 0;
      while (end < out_.culprits.size() && out_.culprits[end].channel == out_.culprits[i].channel &&
             out_.culprits[end].recording == out_.culprits[i].recording)
        listed += out_.culprits[end++].share;
      const Culprit& first = out_.culprits[i];
      std::vector<std::string> lines;
      for (std::size_t k = 0; k < std::min<std::size_t>(3, first.lines_hz.size()); ++k)
        lines.push_back(format_quantity(first.lines_hz[k], "Hz", 5));
      std::string text = fmt::format("{} is the strongest source in {} ({}): {} RMS at {}, {} of its power",
                                     first.suspect, first.channel, stem_of_file(first.recording),
                                     format_quantity(first.level_rms, first.unit, 3), fmt::join(lines, ", "),
                                     percent(first.share));
      std::vector<std::string> rest;
      for (std::size_t k = i + 1; k < std::min(end, i + 4); ++k)
        rest.push_back(out_.culprits[k].suspect + " " + percent(out_.culprits[k].share));
      if (!rest.empty()) text += fmt::format("; then {}", fmt::join(rest, ", "));
      text += fmt::format("; {} is noise or not explained.", percent(std::max(0.0, 1 - listed)));
      out_.sentences.push_back(std::move(text));
      i = end;
    }
    for (const CaseLimit& v : out_.limits)
      out_.sentences.push_back(
          v.verdict != "pass" && v.verdict != "fail"
              ? fmt::format("{} is not judged in full against \"{}\": the record does not reach all of it.",
                            v.channel, v.limit)
          : v.verdict == "pass"
              ? fmt::format("{} keeps \"{}\" with {:.1f} dB to spare, least at {}.", v.channel, v.limit,
                            v.margin_db, format_quantity(v.frequency_hz, "Hz", 5))
              : fmt::format("{} breaks \"{}\" by {:.1f} dB at {}{}.", v.channel, v.limit, -v.margin_db,
                            format_quantity(v.frequency_hz, "Hz", 5),
                            v.suspect.empty() ? "" : ", a line of " + v.suspect));
    for (std::size_t i = 0; i < std::min<std::size_t>(3, out_.near.size()); ++i) {
      const NearResonance& n = out_.near[i];
      out_.sentences.push_back(
          fmt::format("{} of {} stands {:.2g} half-widths from the resonance at {} with {:.3g}% damping in "
                      "{}, which raises it.",
                      format_quantity(n.line_hz, "Hz", 5), n.suspect, n.half_widths,
                      format_quantity(n.resonance_hz, "Hz", 5), 100 * n.damping, n.where));
    }
    std::vector<std::string> cleared;
    for (const LineUpRow& row : out_.line_up) {
      const bool seen = std::find(row.verdicts.begin(), row.verdicts.end(), "seen") != row.verdicts.end();
      const bool judged =
          std::find(row.verdicts.begin(), row.verdicts.end(), "cleared") != row.verdicts.end();
      if (!seen && judged) cleared.push_back(row.suspect);
    }
    if (!cleared.empty()) out_.sentences.push_back(fmt::format("Cleared: {}.", fmt::join(cleared, ", ")));
    if (!out_.unexplained.empty()) {
      std::vector<std::string> lines;
      for (std::size_t i = 0; i < std::min<std::size_t>(4, out_.unexplained.size()); ++i)
        lines.push_back(out_.unexplained[i].channel + ": " + out_.unexplained[i].text);
      out_.sentences.push_back(fmt::format(
          "{}: {}{}.",
          out_.line_up.empty() ? "Found, without suspects to lay it to" : "Not explained by any suspect",
          fmt::join(lines, "; "),
          out_.unexplained.size() > 4 ? fmt::format("; and {} more", out_.unexplained.size() - 4) : ""));
    }
  }

  static std::string percent(double share) { return format_number(100 * share, share < 0.1 ? 2 : 3) + "%"; }

  const std::vector<std::string>& concern_;
  CaseAnswer out_;
  std::map<std::pair<std::string, std::string>, double> total_;
  std::vector<Resonance> resonances_;
};

}  // namespace

CaseAnswer answer_case(const std::vector<Json>& documents, const std::vector<std::string>& concern) {
  return Weighing(documents, concern).answer();
}

Json CaseAnswer::json() const {
  Json out;
  out["sentences"] = sentences;
  out["verdict"] = verdict.empty() ? Json(nullptr) : Json(verdict);
  out["culprits"] = Json::array();
  for (const Culprit& c : culprits) {
    Json lines = Json::array();
    for (const double hz : c.lines_hz) lines.push_back(number(hz));
    out["culprits"].push_back({{"suspect", c.suspect},
                               {"recording", c.recording},
                               {"channel", c.channel},
                               {"level", number(c.level_rms)},
                               {"level_unit", c.unit},
                               {"share_percent", number(100 * c.share)},
                               {"lines_hz", std::move(lines)}});
  }
  out["near_resonances"] = Json::array();
  for (const NearResonance& n : near)
    out["near_resonances"].push_back({{"suspect", n.suspect},
                                      {"channel", n.channel},
                                      {"line_hz", number(n.line_hz)},
                                      {"resonance_hz", number(n.resonance_hz)},
                                      {"damping_ratio", number(n.damping)},
                                      {"found_in", n.where},
                                      {"half_widths", number(n.half_widths)}});
  out["limits"] = Json::array();
  for (const CaseLimit& v : limits)
    out["limits"].push_back({{"recording", v.recording},
                             {"channel", v.channel},
                             {"limit", v.limit},
                             {"verdict", v.verdict},
                             {"frequency_hz", number(v.frequency_hz)},
                             {"margin_db", number(v.margin_db)},
                             {"suspect", v.suspect}});
  out["line_up"] = Json::array();
  for (const LineUpRow& row : line_up) {
    Json verdicts = Json::object();
    for (std::size_t i = 0; i < row.verdicts.size(); ++i)
      if (!row.verdicts[i].empty()) verdicts[recordings[i]] = row.verdicts[i];
    out["line_up"].push_back({{"suspect", row.suspect}, {"verdicts", std::move(verdicts)}});
  }
  out["unexplained"] = Json::array();
  for (const Finding& f : unexplained)
    out["unexplained"].push_back({{"recording", f.recording}, {"channel", f.channel}, {"text", f.text}});
  return out;
}

}  // namespace vprism
