// command_zoo.h: kinds of record for each command, with random parameters and what is true of them: for
// command_zoo_bench and, in a short form, for the tests.
#pragma once

#include <cmath>
#include <complex>
#include <functional>
#include <nlohmann/json.hpp>
#include <numbers>
#include <random>
#include <sstream>
#include <string>
#include <vector>

#include "cli/zoo/zoo.h"

namespace vprism::zoo {

/// What a document says, beside what is true.
struct Tally {
  int records = 0, known = 0, within_one = 0, within_three = 0, wrong = 0;
  std::vector<std::string> notes;  ///< What went wrong, a line each.
  void value(const nlohmann::json& value, const nlohmann::json& deviation, double truth,
             const std::string& what) {
    if (!value.is_number() || !deviation.is_number()) return check(false, what + " is not known");
    const double off = std::abs(value.get<double>() - truth), std = deviation.get<double>();
    ++known, within_one += off <= std ? 1 : 0, within_three += off <= 3 * std ? 1 : 0;
    if (!(off <= 3 * std))
      notes.push_back(what + ": " + value.dump() + " +- " + deviation.dump() + ", truth " +
                      std::to_string(truth));
  }
  void check(bool right, const std::string& what) {
    if (right) return;
    ++wrong;
    notes.push_back(what);
  }
  Tally& operator+=(const Tally& o) {
    records += o.records, known += o.known, within_one += o.within_one, within_three += o.within_three;
    wrong += o.wrong;
    return *this;
  }
};

struct CommandRecord {
  std::vector<std::vector<double>> columns;
  double rate_hz = 1000;
  std::string command;
  std::string limit;  ///< Of limit.csv beside the record; "" where there is none.
  std::function<void(const nlohmann::json& result, Tally& tally)> judge;
};

struct CommandKind {
  std::string name;
  std::function<CommandRecord(std::mt19937_64&)> make;
};

inline double power_of_ten(std::mt19937_64& bits, double low, double high) {
  return std::pow(10, between(bits, low, high));
}

/// A mode: frequency, damping ratio, weight of its acceleration.
struct ZooMode {
  double hz, damping, weight;
};
/// So many modes between 2 and 38% of the rate, an eighth or more apart.
inline std::vector<ZooMode> some_modes(std::mt19937_64& bits, std::size_t count, double rate) {
  std::vector<ZooMode> out;
  while (out.size() < count) {
    const double hz = between(bits, 0.02, 0.38) * rate;
    bool apart = true;
    for (const ZooMode& m : out) apart = apart && std::abs(std::log(m.hz / hz)) > 0.15;
    if (apart)
      out.push_back(
          {hz, power_of_ten(bits, -2.5, -1.4), between(bits, 0.5, 1.5) * (bits() % 2 == 0 ? 1 : -1)});
  }
  return out;
}
/// Accelerations of those modes under a force: each by the exact recursion of its poles for a force that is
/// constant from sample to sample (displacement), differenced twice in closed form: x'' = F - 2 z w x' - w^2
/// x.
inline std::vector<double> accelerations(const std::vector<double>& force, const std::vector<ZooMode>& modes,
                                         double rate) {
  std::vector<double> out(force.size(), 0.0);
  for (const ZooMode& m : modes) {
    const double w = 2 * pi * m.hz, decay = m.damping * w, turn = w * std::sqrt(1 - m.damping * m.damping);
    const std::complex<double> pole(-decay, turn), step = std::exp(pole / rate);
    // The modal state q of x = Re(q): q' = pole q + F / (i turn) over each sample.
    const std::complex<double> push = (step - 1.0) / pole / std::complex<double>(0, turn);
    std::complex<double> q = 0;
    for (std::size_t n = 0; n < force.size(); ++n) {
      const double x = q.real(), velocity = (pole * q).real();
      out[n] += m.weight * (force[n] - 2 * decay * velocity - w * w * x);
      q = step * q + push * force[n];
    }
  }
  return out;
}

inline void add_noise(std::vector<double>& x, std::mt19937_64& bits, double share) {
  const double rms = share * rms_of(x);
  std::normal_distribution<double> normal;
  for (double& v : x) v += rms * normal(bits);
}

/// Every mode that is there, and no other.
inline void judge_modes(const nlohmann::json& result, const std::vector<ZooMode>& modes, Tally& tally) {
  std::vector<bool> used(result["resonances"].size());
  for (const ZooMode& m : modes) {
    std::size_t best = used.size();
    double least = std::max(3 * m.damping, 0.01) * m.hz;
    for (std::size_t i = 0; i < used.size(); ++i) {
      const double off = std::abs(result["resonances"][i]["frequency_hz"].get<double>() - m.hz);
      if (!used[i] && off < least) best = i, least = off;
    }
    if (best == used.size()) {
      tally.check(false, "missing " + std::to_string(m.hz) + " Hz");
      continue;
    }
    used[best] = true;
    const auto& found = result["resonances"][best];
    tally.value(found["frequency_hz"], found["frequency_std_hz"], m.hz, "frequency");
    tally.value(found["damping_ratio"], found["damping_std"], m.damping, "damping");
  }
  for (std::size_t i = 0; i < used.size(); ++i)
    tally.check(used[i], "none there: " + result["resonances"][i]["frequency_hz"].dump() + " Hz");
}

struct ZooEvent {
  double time, hz, level;
};
/// Every event, and no other.
inline void judge_events(const nlohmann::json& result, const std::vector<ZooEvent>& events, double reach,
                         Tally& tally) {
  std::vector<bool> used(result["events"].size());
  for (const ZooEvent& e : events) {
    std::size_t best = used.size();
    for (std::size_t i = 0; i < used.size(); ++i)
      if (!used[i] && std::abs(result["events"][i]["peak_s"].get<double>() - e.time) < reach &&
          std::abs(result["events"][i]["peak_hz"].get<double>() - e.hz) < 0.2 * e.hz)
        best = i;
    if (best == used.size()) {
      tally.check(false, "missing event at " + std::to_string(e.time));
      continue;
    }
    used[best] = true;
    const auto& found = result["events"][best];
    tally.value(found["peak_s"], found["peak_std_s"], e.time, "time");
    tally.value(found["peak_hz"], found["peak_std_hz"], e.hz, "frequency");
    tally.value(found["level"], found["level_std"], e.level, "level");
  }
  for (std::size_t i = 0; i < used.size(); ++i)
    tally.check(used[i], "no event: " + result["events"][i]["peak_s"].dump() + " s");
}

void add_watch(std::vector<CommandKind>& out);
std::vector<CommandKind> command_kinds();

/// What a command printed: its first result, or its events, a line each. Null where there is none.
inline nlohmann::json printed_result(const std::string& text) {
  const auto document = nlohmann::json::parse(text, nullptr, false);
  if (document.is_object() && document.contains("results") && !document["results"].empty())
    return document["results"][0];
  nlohmann::json events = nlohmann::json::array();
  std::istringstream lines(text);
  for (std::string line; std::getline(lines, line);) {
    auto event = nlohmann::json::parse(line, nullptr, false);
    if (!event.is_object() || !event.contains("event")) return nullptr;
    events.push_back(std::move(event));
  }
  return events.empty() ? nlohmann::json() : nlohmann::json{{"events", std::move(events)}};
}

}  // namespace vprism::zoo
