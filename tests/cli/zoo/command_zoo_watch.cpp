// command_zoo_watch.cpp: kinds of record for `watch`: what comes and goes while a limit is watched.
#include <algorithm>

#include "cli/zoo/command_zoo.h"

namespace vprism::zoo {

namespace {

using Json = nlohmann::json;

std::vector<const Json*> of_kind(const Json& events, const std::string& kind) {
  std::vector<const Json*> out;
  for (const Json& e : events)
    if (e["event"] == kind) out.push_back(&e);
  return out;
}

struct Stage {
  double rate, length_s, line_hz, line_rms, noise_rms, limit;
  std::vector<double> x;
};
/// A line 2 to 10 dB below a limit, in noise that lies far below it in the RBW.
Stage below_a_limit(std::mt19937_64& bits) {
  Stage s;
  s.rate = 100 * std::round(between(bits, 20, 160)), s.length_s = between(bits, 10, 18);
  s.line_hz = s.rate * between(bits, 0.05, 0.2), s.line_rms = power_of_ten(bits, -2, 1);
  s.noise_rms = s.line_rms * power_of_ten(bits, -2, -0.7);
  s.limit = s.line_rms * power_of_ten(bits, 0.1, 0.5);
  const auto count = static_cast<std::size_t>(s.length_s * s.rate);
  s.x = noise(bits, count, s.noise_rms);
  for (std::size_t n = 0; n < count; ++n)
    s.x[n] += std::sqrt(2.0) * s.line_rms * std::sin(2 * pi * s.line_hz * static_cast<double>(n) / s.rate);
  return s;
}

CommandRecord watched(const Stage& s) {
  CommandRecord r;
  r.columns = {s.x}, r.rate_hz = s.rate;
  r.command = "watch --idle-end 50ms --limit limit.csv";
  r.limit = "frequency (Hz),limit\n1," + std::to_string(s.limit) + "\n" + std::to_string(0.49 * s.rate) +
            "," + std::to_string(s.limit) + "\n";
  return r;
}

/// Every line as sure as it is said to be, at each look.
void judge_levels(const Json& events, double hz, Tally& tally) {
  for (const Json* look : of_kind(events, "levels")) {
    const Json& peaks = (*look)["channels"][0]["peaks"];
    const auto found = std::find_if(peaks.begin(), peaks.end(), [&](const Json& p) {
      return std::abs(p["frequency_hz"].get<double>() - hz) < 0.01 * hz;
    });
    if (found == peaks.end()) return tally.check(false, "line missing");
    tally.value((*found)["frequency_hz"], (*found)["frequency_std_hz"], hz, "frequency");
  }
}

}  // namespace

void add_watch(std::vector<CommandKind>& out) {
  out.push_back({"watch: nothing over the limit", [](std::mt19937_64& bits) {
                   const Stage s = below_a_limit(bits);
                   CommandRecord r = watched(s);
                   const double samples = static_cast<double>(s.x.size()), hz = s.line_hz;
                   r.judge = [=](const Json& j, Tally& tally) {
                     const Json& events = j["events"];
                     tally.check(of_kind(events, "alarm").empty(), "an alarm that is none");
                     tally.check(events.back()["samples"] == samples, "samples that were not looked at");
                     judge_levels(events, hz, tally);
                   };
                   return r;
                 }});
  out.push_back({"watch: a burst over the limit", [](std::mt19937_64& bits) {
                   Stage s = below_a_limit(bits);
                   // Levels are means over the memory, some segments: what is shorter, or little over the
                   // limit, is less.
                   const double hz = s.rate * between(bits, 0.25, 0.4), length = between(bits, 2.5, 5),
                                start = between(bits, 0.05, 0.9) * (s.length_s - length),
                                rms = s.limit * power_of_ten(bits, 0.5, 1);
                   for (auto n = static_cast<std::size_t>(start * s.rate);
                        n < static_cast<std::size_t>((start + length) * s.rate); ++n)
                     s.x[n] += std::sqrt(2.0) * rms * std::sin(2 * pi * hz * static_cast<double>(n) / s.rate);
                   CommandRecord r = watched(s);
                   r.judge = [=](const Json& j, Tally& tally) {
                     const Json& events = j["events"];
                     const double delay = events[0]["longest_delay_s"], every = events[0]["every_s"];
                     const auto alarms = of_kind(events, "alarm");
                     tally.check(alarms.size() == 1, std::to_string(alarms.size()) + " alarms");
                     if (alarms.empty()) return;
                     const double at = (*alarms[0])["time_s"], seen = (*alarms[0])["frequency_hz"];
                     tally.check(at >= start && at <= start + length + delay + every,
                                 "alarm at " + std::to_string(at));
                     tally.check(std::abs(seen - hz) < 3 * events[0]["rbw_hz"].get<double>(),
                                 "alarm for " + std::to_string(seen) + " Hz");
                   };
                   return r;
                 }});
}

}  // namespace vprism::zoo
