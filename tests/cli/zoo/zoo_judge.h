// zoo_judge.h: documents of spectrum and identify held against what is true of a record.
#pragma once

#include <algorithm>
#include <cstdio>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "cli/zoo/zoo.h"

namespace vprism::zoo {

struct Score {
  int records = 0, over_power = 0, known = 0, within_one = 0, within_three = 0, wrong = 0, missed = 0,
      kinds = 0, kinds_right = 0, failed = 0;
  std::vector<std::string> notes;  ///< What went wrong, a line each.
  Score& operator+=(const Score& o) {
    records += o.records, over_power += o.over_power, known += o.known, within_one += o.within_one;
    within_three += o.within_three, wrong += o.wrong, missed += o.missed, kinds += o.kinds;
    kinds_right += o.kinds_right, failed += o.failed;
    return *this;
  }
  void print(const std::string& name) const {
    const auto share = [](int part, int whole) { return whole > 0 ? 100.0 * part / whole : 0; };
    std::printf("%-32s %5d %5d %5.0f%% %5.0f%% %6d %6d %3d/%d%s\n", name.c_str(), over_power, known,
                share(within_one, known), share(within_three, known), wrong, missed, kinds_right, kinds,
                failed > 0 ? (" FAILED " + std::to_string(failed)).c_str() : "");
    for (std::size_t i = 0; i < std::min<std::size_t>(4, notes.size()); ++i)
      std::printf("    %s\n", notes[i].c_str());
  }
};

inline double number_in(const nlohmann::json& j, const char* key) {
  const auto at = j.find(key);
  return at != j.end() && at->is_number() ? at->get<double>() : 0;
}

/// Times its stated uncertainty that a value is off.
inline void count_known(double off, double uncertainty, Score& score) {
  ++score.known;
  score.within_one += std::abs(off) <= uncertainty ? 1 : 0;
  score.within_three += std::abs(off) <= 3 * uncertainty ? 1 : 0;
}

inline void judge(const Record& record, const nlohmann::json& spectrum, const nlohmann::json& identify,
                  Score& score) {
  ++score.records;
  if (!spectrum.is_object() || !identify.is_object() || !spectrum.contains("results") ||
      !identify.contains("findings")) {
    // A constant has no spectrum to speak of; it ends with a status.
    ++score.failed;
    return;
  }
  const double level = rms_of(record.x), most = level * level * (1 + 1e-6) + 1e-24;
  double peaks = 0, peaks_std = 0;
  for (const auto& peak : spectrum["results"][0]["peaks"]) {
    const double rms = number_in(peak, "level"), std = number_in(peak, "level_std");
    peaks += rms * rms;
    peaks_std += 4 * rms * rms * std * std;
  }
  double found = 0;
  std::vector<nlohmann::json> findings;
  for (const auto& f : identify["findings"]) {
    if (f["kind"] == "event") continue;
    const double rms = number_in(f, "level");
    found += rms * rms;
    findings.push_back(f);
  }
  // Lines of few periods, or that beat once over the record, hold more, or less, than their squares add up
  // to.
  double beat = record.truth.lines.size() > 1 ? 1.1 : 1.02;
  for (const Line& line : record.truth.lines)
    if (line.hz * static_cast<double>(record.x.size()) < 5 * record.rate_hz) beat = 1.3;
  if (record.truth.hz > 0.499 * record.rate_hz) beat = 1.3;
  if (peaks > beat * most + 3 * std::sqrt(peaks_std) || found > beat * most) {
    ++score.over_power;
    score.notes.push_back("power: peaks " + std::to_string(std::sqrt(peaks)) + ", findings " +
                          std::to_string(std::sqrt(found)) + ", channel " + std::to_string(level));
  }
  const Truth& truth = record.truth;
  std::vector<bool> used(findings.size(), false);
  for (const Line& line : truth.lines) {
    std::size_t best = findings.size();
    for (std::size_t i = 0; i < findings.size(); ++i) {
      const std::string kind = findings[i]["kind"];
      if (kind != "tone" && kind != "mains-hum" && kind != "alias" && kind != "harmonic-family" &&
          kind != "sideband-family")
        continue;
      const double off = std::abs(number_in(findings[i], "frequency_hz") - line.hz);
      if (off < 0.15 &&
          (best == findings.size() || off < std::abs(number_in(findings[best], "frequency_hz") - line.hz)))
        best = i;
    }
    if (best == findings.size()) {
      ++score.missed;
      score.notes.push_back("missed: " + std::to_string(line.hz) + " Hz, " + std::to_string(line.rms) +
                            " RMS");
      continue;
    }
    used[best] = true;
    count_known(number_in(findings[best], "frequency_hz") - line.hz,
                number_in(findings[best], "frequency_std_hz"), score);
  }
  if (!truth.kinds.empty()) {
    ++score.kinds;
    bool right = false;
    for (std::size_t i = 0; i < findings.size(); ++i) {
      const auto& f = findings[i];
      if (truth.kinds.count(f["kind"].get<std::string>()) == 0) continue;
      const double hz = number_in(f, "frequency_hz");
      if (truth.hz > 0 && std::abs(hz - truth.hz) > std::max(0.03 * truth.hz, 0.3)) continue;
      used[i] = true;
      if (right) continue;
      right = true;
      if (truth.damping > 0 && f.contains("damping_ratio"))
        count_known(number_in(f, "damping_ratio") - truth.damping, number_in(f, "damping_std"), score);
    }
    score.kinds_right += right ? 1 : 0;
    if (!right) {
      std::string what = "kind:";
      for (const auto& f : findings) what += " " + f["kind"].get<std::string>();
      score.notes.push_back(what + " instead, at " + std::to_string(truth.hz) + " Hz, damping " +
                            std::to_string(truth.damping));
    }
  }
  if (truth.other) return;
  for (std::size_t i = 0; i < findings.size(); ++i) {
    const std::string kind = findings[i]["kind"];
    // Said of what can't be parted, or of the record as a whole.
    if (used[i] || kind == "unresolved" || kind == "trend" || kind == "step" || kind == "intermittent" ||
        kind == "broadband" || kind == "burst")
      continue;
    ++score.wrong;
    score.notes.push_back("false: " + findings[i]["text"].get<std::string>().substr(0, 100));
  }
}

}  // namespace vprism::zoo
