// suspects.cpp: the line-up set against what was found.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "commands/identify/identify.h"
#include "identify/noise/noise_floor.h"

namespace vprism {

namespace {

/// A line's RMS that the search would still have found somewhere in `low_hz` .. `high_hz` of a channel.
double detectable_rms(const ChannelSpectrum& c, double low_hz, double high_hz, double false_alarms) {
  const auto [low, high] =
      c.spectrum.bins_within(low_hz - c.spectrum.plan.bin_hz, high_hz + c.spectrum.plan.bin_hz);
  const DetectionThreshold threshold(c.spectrum, false_alarms);
  double most = 0;
  for (std::size_t k = low; k < high; ++k) most = std::max(most, c.floor[k] * threshold.at(k));
  // Nor below what rounding leaves.
  return std::max(std::sqrt(most), 1e-9 * c.spectrum.rms_total());
}

class Judge {
 public:
  Judge(const SuspectsFile& file, const IdentifySettings& settings, IdentifyResult& result)
      : file_(file), settings_(settings), result_(result), lineup_(file.lineup) {}

  void run() {
    read_tachometers();
    for (std::size_t c = 0; c < channels().size(); ++c)
      for (std::size_t p = 0; p < channels()[c].peaks.size(); ++p) {
        const Peak& peak = channels()[c].peaks[p];
        if (!peak.broad() && !peak.of_band)
          observed_.push_back({c, p, peak.frequency_hz, peak.frequency_std_hz, peak.rms});
      }
    for (std::size_t i = 0; i < result_.findings.size(); ++i) {
      // Lines of other kinds count where they are; impulses of a bearing slip.
      const Finding& f = result_.findings[i];
      if ((f.kind != "wandering" && f.kind != "stepping" && f.kind != "decaying" &&
           f.kind != "impulse-family") ||
          f.members.empty())
        continue;
      const double slip = f.kind == "impulse-family" ? 0.004 * f.frequency_hz : 0;
      observed_.push_back({result_.channels[i], f.members.front(), f.frequency_hz,
                           std::max(f.frequency_std_hz, slip), f.level_rms});
    }
    LineUpSettings match;
    match.top_hz = channels().front().spectrum.plan.rate_hz / 2;
    matches_ = match_suspects(lineup_, observed_, match);
    for (std::size_t i = 0; i < result_.findings.size(); ++i) accuse(i);
    for (std::size_t s = 0; s < lineup_.size(); ++s) result_.verdicts.push_back(verdict(s));
    clear_names();
    warn_of_twins();
  }

 private:
  std::vector<ChannelSpectrum>& channels() { return result_.spectrum.channels; }

  void read_tachometers() {
    for (const Tachometer& t : file_.tachometers) {
      const auto suspect =
          std::find_if(lineup_.begin(), lineup_.end(), [&](const Suspect& s) { return s.name == t.suspect; });
      const std::size_t c = select_channels(result_.spectrum.facts.recording, {t.channel}).front();
      // A pulse train's fundamental: the lowest of its strongest family, else its strongest line.
      const Finding* lead = nullptr;
      for (std::size_t i = 0; i < result_.findings.size(); ++i)
        if (result_.channels[i] == c && (result_.findings[i].kind == "harmonic-family" || lead == nullptr) &&
            (lead == nullptr || lead->kind != "harmonic-family"))
          lead = &result_.findings[i];
      if (lead == nullptr)
        throw Error(Status::analysis,
                    "the tachometer channel \"" + t.channel + "\" shows no line that gives a speed");
      const double hz = lead->frequency_hz / t.pulses;
      const double slack = std::max(4 * lead->frequency_std_hz / t.pulses, 1e-4 * hz);
      suspect->base_hz = Range{hz - slack, hz + slack};
      suspect->note = "speed " + format_quantity(hz, "Hz", 6) + " from " + t.channel;
    }
  }

  /// How well a suspect accounts for a finding, 0 to 1.
  double account(std::size_t s, std::size_t i) {
    const Finding& f = result_.findings[i];
    const std::size_t c = result_.channels[i];
    if (lineup_[s].resonance_hz) {
      if (f.kind != "resonance" && f.kind != "broadband") return 0;
      const double width = 2 * f.frequency_std_hz;
      const Range& r = *lineup_[s].resonance_hz;
      const bool inside = f.kind == "resonance"
                              ? f.frequency_hz > *r.low - width && f.frequency_hz < *r.high + width
                              : r.contains(f.frequency_hz);
      return inside ? (f.kind == "resonance" ? 1 : 0.7) : 0;
    }
    double all = 0, mine = 0;
    for (const std::size_t m : f.members) {
      const Peak& peak = channels()[c].peaks[m];
      all += peak.rms * peak.rms;
      for (const LineMatch& line : matches_[s].lines)
        if (std::any_of(line.observed.begin(), line.observed.end(),
                        [&](std::size_t o) { return observed_[o].channel == c && observed_[o].peak == m; })) {
          mine += peak.rms * peak.rms;
          break;
        }
    }
    return all > 0 ? matches_[s].score * mine / all : 0;
  }

  void accuse(std::size_t i) {
    Finding& f = result_.findings[i];
    std::vector<std::pair<double, std::size_t>> likely;
    for (std::size_t s = 0; s < lineup_.size(); ++s)
      if (const double score = account(s, i); score > 0.02) likely.push_back({score, s});
    std::stable_sort(likely.begin(), likely.end(),
                     [](const auto& a, const auto& b) { return a.first > b.first; });
    f.suspect.clear();
    if (f.kind == "event") return;
    if (likely.empty()) {
      f.evidence.push_back("no suspect of the line-up makes it");
      return;
    }
    const auto& [score, s] = likely.front();
    f.suspect = lineup_[s].name;
    f.numbers.emplace_back("suspect_score", score);
    if (!lineup_[s].resonance_hz) {
      const SuspectMatch& m = matches_[s];
      f.evidence.push_back(fmt::format("{}: {} of {} lines found, score {:.2f}{}", lineup_[s].name, m.found(),
                                       m.lines.size(), m.score,
                                       m.chance > 1e-4 ? fmt::format(", by chance {:.2g}", m.chance) : ""));
    } else {
      f.evidence.push_back(fmt::format("{}: expected between {} and {}", lineup_[s].name,
                                       format_quantity(*lineup_[s].resonance_hz->low, "Hz", 4),
                                       format_quantity(*lineup_[s].resonance_hz->high, "Hz", 4)));
    }
    if (likely.size() < 2) return;
    const std::size_t second = likely[1].second;
    f.runner_up = fmt::format("{} (score {:.2f})", lineup_[second].name, likely[1].first);
    if (const std::string apart = tells_apart(s, second); !apart.empty()) f.runner_up += ": " + apart;
    f.evidence.push_back("runner-up " + f.runner_up);
  }

  /// No finding names a suspect that the line-up does not see.
  void clear_names() {
    for (Finding& f : result_.findings)
      for (const SuspectVerdict& v : result_.verdicts) {
        if (f.suspect != v.name || v.kind == SuspectVerdict::Kind::seen) continue;
        f.evidence.push_back("not put down to " + v.name +
                             ": what is found of it is no more than chance gives");
        f.suspect.clear();
        break;
      }
  }

  /// A line of the one that the other does not make, and whether it is there.
  std::string tells_apart(std::size_t first, std::size_t second) const {
    for (const std::size_t s : {second, first})
      for (const LineMatch& line : matches_[s].lines) {
        const std::size_t other = s == first ? second : first;
        const bool shared =
            std::any_of(matches_[other].lines.begin(), matches_[other].lines.end(), [&](const LineMatch& l) {
              return std::abs(l.expected_hz - line.expected_hz) < 1e-3 * line.expected_hz;
            });
        if (shared) continue;
        return fmt::format("its {} at {} is {}", lineup_[s].lines[line.line].what,
                           format_quantity(line.expected_hz, "Hz", 6),
                           line.observed.empty() ? "missing" : "there");
      }
    return "the same lines; switch one of them off, or change its speed";
  }

  std::string shown(std::size_t c, double rms) {
    return format_quantity(rms, channels()[c].channel.unit.label(), 3);
  }

  /// Whether the lines found are evidence: the main one among them or much of the rest, and at least one that
  /// no other suspect explains better.
  bool speaks(std::size_t s) const {
    const SuspectMatch& m = matches_[s];
    const bool main = !m.lines.empty() && m.lines.front().line == 0 && !m.lines.front().observed.empty();
    if (m.found() == 0 || m.score < (main ? 0.15 : 0.4) || m.chance > (main ? 0.05 : 0.01)) return false;
    return std::any_of(m.lines.begin(), m.lines.end(), [&](const LineMatch& line) {
      return std::any_of(line.observed.begin(), line.observed.end(), [&](std::size_t o) {
        return std::none_of(matches_.begin(), matches_.end(), [&](const SuspectMatch& other) {
          return other.suspect != s && other.score > m.score &&
                 std::any_of(other.lines.begin(), other.lines.end(), [&](const LineMatch& l) {
                   return std::find(l.observed.begin(), l.observed.end(), o) != l.observed.end();
                 });
        });
      });
    });
  }

  SuspectVerdict verdict(std::size_t s) {
    const Suspect& suspect = lineup_[s];
    SuspectVerdict v;
    v.match = matches_[s];
    v.name = suspect.name;
    if (suspect.resonance_hz) return resonance_verdict(s, std::move(v));
    std::map<std::size_t, double> by_channel;  // Mean square of its lines.
    for (const LineMatch& line : v.match.lines)
      for (const std::size_t o : line.observed)
        by_channel[observed_[o].channel] += observed_[o].rms * observed_[o].rms;
    if (speaks(s)) {
      v.kind = SuspectVerdict::Kind::seen;
      std::size_t best = 0;
      double most = -1;
      for (const auto& [c, square] : by_channel) {
        const double share = square / std::pow(std::max(result_.rms[c], 1e-300), 2);
        if (share > most) most = share, best = c;
      }
      v.channel = channels()[best].channel.name;
      v.level_rms = std::sqrt(by_channel[best]);
      v.text = fmt::format("{}{} of {} lines, {} RMS on {}",
                           v.match.base_hz
                               ? "at " + format_uncertain(*v.match.base_hz, *v.match.base_std_hz, "Hz") + ", "
                               : "",
                           v.match.found(), v.match.lines.size(), shown(best, v.level_rms), v.channel);
      v.evidence.push_back(fmt::format("as many of its lines by chance: {:.2g}", v.match.chance));
      if (!suspect.note.empty()) v.evidence.push_back(suspect.note);
      std::string missing;
      for (const LineMatch& line : v.match.lines) {
        std::string where;
        for (const std::size_t o : line.observed)
          where += (where.empty() ? "" : ", ") + channels()[observed_[o].channel].channel.name + " " +
                   shown(observed_[o].channel, observed_[o].rms) + " at " +
                   format_uncertain(observed_[o].hz, observed_[o].hz_std, "Hz");
        const std::string& what = suspect.lines[line.line].what;
        if (where.empty())
          missing += (missing.empty() ? "" : ", ") + what;
        else
          v.evidence.push_back(what + " at " + format_quantity(line.expected_hz, "Hz", 7) + ": " + where);
      }
      if (!missing.empty()) v.evidence.push_back("not found: " + missing);
      return v;
    }
    return cleared(s, std::move(v));
  }

  SuspectVerdict cleared(std::size_t s, SuspectVerdict v) {
    const Suspect& suspect = lineup_[s];
    const double top = channels().front().spectrum.plan.rate_hz / 2;
    // Its first line, which is the surest one.
    double low = 0, high = 0;
    if (suspect.base_hz && !suspect.lines.empty() && suspect.base_hz->low && suspect.base_hz->high) {
      double factor = 0;
      for (const ExpectedLine::Term& t : suspect.lines.front().terms)
        if (t.suspect.empty()) factor += t.factor;
      low = factor * *suspect.base_hz->low + suspect.lines.front().constant_hz;
      high = factor * *suspect.base_hz->high + suspect.lines.front().constant_hz;
    } else if (!v.match.lines.empty()) {
      low = 0.999 * v.match.lines.front().expected_hz;
      high = 1.001 * v.match.lines.front().expected_hz;
    }
    v.match.base_hz.reset();
    if (low > top || high <= 0) {
      v.kind = SuspectVerdict::Kind::out_of_reach;
      v.text = high <= 0 ? "what it is made of was not found"
                         : "its lines lie above half the rate, " + format_quantity(top, "Hz");
      return v;
    }
    const SpectrumPlan& plan = channels().front().spectrum.plan;
    const double record_s = result_.spectrum.facts.recording.duration_s();
    if (high * record_s < 3) {
      v.kind = SuspectVerdict::Kind::out_of_reach;
      v.text = fmt::format("the record, {}, holds fewer than three of its periods",
                           format_quantity(record_s, "s", 4));
      return v;
    }
    for (const Observed& o : observed_)
      if (low > o.hz - plan.rbw_hz && high < o.hz + plan.rbw_hz && v.match.found() == 0) {
        v.kind = SuspectVerdict::Kind::out_of_reach;
        v.text = fmt::format(
            "a line at {} lies nearer than the RBW, {}: what it would make can't be separated from that",
            format_quantity(o.hz, "Hz", 6), format_quantity(plan.rbw_hz, "Hz", 3));
        return v;
      }
    v.kind = SuspectVerdict::Kind::cleared;
    std::string all;
    double least_share = 1e300;
    for (std::size_t c = 0; c < channels().size(); ++c) {
      const double rms = detectable_rms(channels()[c], low, std::min(high, top), settings_.false_alarms);
      all += (all.empty() ? "" : ", ") + shown(c, rms) + " on " + channels()[c].channel.name;
      const double share = rms / std::max(result_.rms[c], 1e-300);
      if (share < least_share) least_share = share, v.channel = channels()[c].channel.name, v.level_rms = rms;
    }
    const std::string what = suspect.lines.empty() ? "line" : suspect.lines.front().what;
    v.text = fmt::format("no {} between {} and {}; it would have to exceed an RMS of {}", what,
                         format_quantity(low, "Hz", 5), format_quantity(high, "Hz", 5), all);
    if (v.match.found() > 0)
      v.evidence.push_back(
          fmt::format("{} of {} lines (score {:.2f}) are no evidence, or others explain them better",
                      v.match.found(), v.match.lines.size(), v.match.score));
    return v;
  }

  SuspectVerdict resonance_verdict(std::size_t s, SuspectVerdict v) {
    double most = 0;
    std::string all;
    for (std::size_t i = 0; i < result_.findings.size(); ++i) {
      const Finding& f = result_.findings[i];
      if (f.suspect != lineup_[s].name) continue;
      v.kind = SuspectVerdict::Kind::seen;
      v.match.score = std::max(v.match.score, account(s, i));
      v.evidence.push_back(f.channel + ": " + f.text);
      const double share = f.level_rms / std::max(result_.rms[result_.channels[i]], 1e-300);
      if (share < most) continue;
      most = share;
      v.channel = f.channel;
      v.level_rms = f.level_rms;
      v.match.base_hz = f.frequency_hz;
      v.match.base_std_hz = f.frequency_std_hz;
    }
    if (v.kind == SuspectVerdict::Kind::seen) {
      v.text =
          fmt::format("at {}, {} RMS on {}", format_uncertain(*v.match.base_hz, *v.match.base_std_hz, "Hz"),
                      format_quantity(v.level_rms, channels().front().channel.unit.label(), 3), v.channel);
      for (const ChannelSpectrum& c : channels())
        if (c.channel.name == v.channel)
          v.text = fmt::format("at {}, {} RMS on {}",
                               format_uncertain(*v.match.base_hz, *v.match.base_std_hz, "Hz"),
                               format_quantity(v.level_rms, c.channel.unit.label(), 3), v.channel);
      return v;
    }
    v.text = fmt::format("no hump between {} and {} stands above the noise",
                         format_quantity(*lineup_[s].resonance_hz->low, "Hz", 4),
                         format_quantity(*lineup_[s].resonance_hz->high, "Hz", 4));
    return v;
  }

  /// Suspects whose main lines this record can't part.
  void warn_of_twins() {
    const SpectrumPlan& plan = channels().front().spectrum.plan;
    for (std::size_t a = 0; a < lineup_.size(); ++a)
      for (std::size_t b = a + 1; b < lineup_.size(); ++b) {
        if (!lineup_[a].base_hz || !lineup_[b].base_hz || lineup_[a].lines.empty() ||
            lineup_[b].lines.empty())
          continue;
        const auto middle = [](const Range& r) { return (*r.low + *r.high) / 2; };
        const double fa = middle(*lineup_[a].base_hz), fb = middle(*lineup_[b].base_hz),
                     apart = std::abs(fa - fb);
        if (!(apart > 0) || apart >= 1.5 * plan.rbw_hz || std::min(fa, fb) > plan.rate_hz / 2 ||
            apart > 0.05 * std::min(fa, fb))
          continue;
        if (std::none_of(observed_.begin(), observed_.end(), [&](const Observed& o) {
              return o.hz > std::min(fa, fb) - plan.rbw_hz && o.hz < std::max(fa, fb) + plan.rbw_hz;
            }))
          continue;
        result_.cautions.push_back(
            {"suspects-close", Severity::warning, "",
             fmt::format(
                 "\"{}\" and \"{}\" lie {} apart, less than 1.5 RBW ({}): this resolution can't part them",
                 lineup_[a].name, lineup_[b].name, format_quantity(apart, "Hz", 3),
                 format_quantity(plan.rbw_hz, "Hz", 3)),
             fmt::format("a record of at least {} at --resolution {}",
                         format_quantity(plan.rbw_hz / (apart / 1.5) * plan.segment_s(), "s", 3),
                         format_quantity(apart / 1.5, "Hz", 3))});
      }
  }

  const SuspectsFile& file_;
  const IdentifySettings& settings_;
  IdentifyResult& result_;
  LineUp lineup_;
  std::vector<Observed> observed_;
  std::vector<SuspectMatch> matches_;
};

}  // namespace

void judge_suspects(const SuspectsFile& suspects, const IdentifySettings& settings, IdentifyResult& result) {
  Judge(suspects, settings, result).run();
}

}  // namespace vprism
