// command_zoo.cpp: see command_zoo.h. The kinds, a function for each command.
#include "cli/zoo/command_zoo.h"

#include <algorithm>

namespace vprism::zoo {

namespace {

using Bits = std::mt19937_64;
using Json = nlohmann::json;

std::vector<double> with_noise(std::size_t count, double rate, double noise_rms, Bits& bits,
                               const std::function<double(double t)>& value) {
  std::vector<double> x = noise(bits, count, noise_rms);
  for (std::size_t n = 0; n < count; ++n) x[n] += value(static_cast<double>(n) / rate);
  return x;
}

std::size_t count_between(Bits& bits, int low, int high) {
  return static_cast<std::size_t>(std::uniform_int_distribution<int>(low, high)(bits));
}

void no_jumps(const Json& r, Tally& tally) { tally.check(r["jumps"].empty(), "jumps that are none"); }

void add_modulation(std::vector<CommandKind>& out) {
  out.push_back({"modulation: frequency swings", [](Bits& bits) {
                   const double rate = 48e3, T = between(bits, 0.5, 1.2);
                   const auto count = static_cast<std::size_t>(T * rate);
                   const double hz = rate * between(bits, 0.08, 0.4), swings = between(bits, 8, 60) / T,
                                dev = swings * power_of_ten(bits, -1, 1), phase = between(bits, 0, 6);
                   CommandRecord r;
                   r.rate_hz = rate, r.command = "modulation";
                   r.columns = {with_noise(count, rate, power_of_ten(bits, -4, -1.5), bits, [&](double t) {
                     return std::cos(2 * pi * hz * t + dev / swings * std::sin(2 * pi * swings * t + phase));
                   })};
                   r.judge = [=](const Json& j, Tally& tally) {
                     tally.value(j["carrier_hz"], j["carrier_std_hz"], hz, "carrier");
                     no_jumps(j, tally);
                     tally.check(j["amplitude_swings"].empty(), "amplitude swings that are none");
                     if (j["frequency_swings"].empty()) return tally.check(false, "no swing");
                     const Json& s = j["frequency_swings"][0];
                     tally.value(s["peak"], s["peak_std"], dev, "deviation");
                     tally.value(s["rate_hz"], s["rate_std_hz"], swings, "rate");
                   };
                   return r;
                 }});
  out.push_back({"modulation: amplitude swings", [](Bits& bits) {
                   const double rate = 10e3, T = between(bits, 2, 6);
                   const double hz = rate * between(bits, 0.08, 0.4), swings = between(bits, 8, 60) / T,
                                depth = power_of_ten(bits, -2, -0.05), phase = between(bits, 0, 6);
                   CommandRecord r;
                   r.rate_hz = rate, r.command = "modulation";
                   r.columns = {with_noise(static_cast<std::size_t>(T * rate), rate,
                                           power_of_ten(bits, -4, -2), bits, [&](double t) {
                                             return (1 + depth * std::cos(2 * pi * swings * t + phase)) *
                                                    std::cos(2 * pi * hz * t + 1);
                                           })};
                   r.judge = [=](const Json& j, Tally& tally) {
                     tally.value(j["carrier_hz"], j["carrier_std_hz"], hz, "carrier");
                     no_jumps(j, tally);
                     tally.check(j["frequency_swings"].empty(), "frequency swings that are none");
                     if (j["amplitude_swings"].empty()) return tally.check(false, "no swing");
                     const Json& s = j["amplitude_swings"][0];
                     tally.value(s["peak"], s["peak_std"], depth, "depth");
                     tally.value(s["rate_hz"], s["rate_std_hz"], swings, "rate");
                   };
                   return r;
                 }});
  out.push_back(
      {"modulation: steady, or drifting", [](Bits& bits) {
         const double rate = 10e3, T = between(bits, 0.5, 6), hz = rate * between(bits, 0.1, 0.4),
                      drift = bits() % 2 == 0 ? 0 : between(bits, -1, 1) * 0.02 * rate / T;
         CommandRecord r;
         r.rate_hz = rate, r.command = "modulation";
         const auto count = static_cast<std::size_t>(T * rate);
         r.columns = {with_noise(count, rate, power_of_ten(bits, -5, -1.3), bits,
                                 [&](double t) { return std::cos(2 * pi * (hz * t + drift * t * t / 2)); })};
         const double middle = static_cast<double>(count - 1) / 2 / rate;
         r.judge = [=](const Json& j, Tally& tally) {
           tally.value(j["carrier_hz"], j["carrier_std_hz"], hz + drift * middle, "carrier");
           tally.value(j["drift_hz_per_s"], j["drift_std_hz_per_s"], drift, "drift");
           no_jumps(j, tally);
           tally.check(j["frequency_swings"].empty() && j["amplitude_swings"].empty() && j["states"].empty(),
                       "swings or states that are none");
         };
         return r;
       }});
}

void add_periodic(std::vector<CommandKind>& out) {
  out.push_back({"cycles: orders", [](Bits& bits) {
                   const double rate = 10e3, hz = between(bits, 10, 200);
                   const std::size_t count = count_between(bits, 8000, 40000),
                                     orders = count_between(bits, 3, 8);
                   std::vector<double> a(orders), phase(orders);
                   for (std::size_t k = 0; k < orders; ++k)
                     a[k] = between(bits, 0.1, 1), phase[k] = between(bits, 0, 6);
                   if (bits() % 2 == 0) a[0] *= 0.02;
                   CommandRecord r;
                   r.rate_hz = rate, r.command = "cycles";
                   r.columns = {with_noise(count, rate, power_of_ten(bits, -3, -1), bits, [&](double t) {
                     double sum = 0;
                     for (std::size_t k = 0; k < orders; ++k)
                       sum += a[k] * std::cos(2 * pi * hz * static_cast<double>(k + 1) * t + phase[k]);
                     return sum;
                   })};
                   r.judge = [=](const Json& j, Tally& tally) {
                     tally.value(j["period_s"], j["period_std_s"], 1 / hz, "period");
                     for (const Json& h : j["harmonics"])
                       if (const auto n = h["n"].get<std::size_t>(); n >= 1 && n <= orders)
                         tally.value(h["amplitude"], h["std"], a[n - 1], "order " + std::to_string(n));
                   };
                   return r;
                 }});
  out.push_back(
      {"distortion", [](Bits& bits) {
         const double rate = 48e3;
         const std::size_t count = count_between(bits, 5000, 80000), orders = 9;
         const double hz = between(bits, 12 * rate / static_cast<double>(count), 2000);
         std::vector<double> a = {1}, phase = {0};
         double squares = 0;
         for (std::size_t k = 1; k < orders; ++k) {
           a.push_back(power_of_ten(bits, -4.5, -1)), phase.push_back(between(bits, 0, 6));
           squares += a[k] * a[k];
         }
         CommandRecord r;
         r.rate_hz = rate, r.command = "distortion";
         r.columns = {with_noise(count, rate, power_of_ten(bits, -5, -2), bits, [&](double t) {
           double sum = 0;
           for (std::size_t k = 0; k < orders; ++k)
             sum += a[k] * std::cos(2 * pi * hz * static_cast<double>(k + 1) * t + phase[k]);
           return sum;
         })};
         r.judge = [=](const Json& j, Tally& tally) {
           tally.value(j["fundamental_hz"], j["fundamental_std_hz"], hz, "fundamental");
           tally.value(j["thd_percent"], j["thd_std_percent"], 100 * std::sqrt(squares), "THD");
           for (const Json& h : j["harmonics"])
             if (const int n = h["order"].get<int>(); n >= 2 && n <= 9 && !h["below_noise"].get<bool>())
               tally.value(h["level"], h["level_std"], a[static_cast<std::size_t>(n - 1)] / std::sqrt(2.0),
                           "order " + std::to_string(n));
         };
         return r;
       }});
  out.push_back(
      {"peaks: bells", [](Bits& bits) {
         const double rate = 1000, T = 20, hz = between(bits, 0.8, 4), width = between(bits, 0.01, 0.04);
         std::vector<double> times, heights;
         std::normal_distribution<double> normal(0, 0.08);
         for (int k = 0; k + 1 < static_cast<int>(T * hz); ++k)
           times.push_back((k + 0.7 + normal(bits)) / hz), heights.push_back(between(bits, 0.8, 1.2));
         CommandRecord r;
         r.rate_hz = rate, r.command = "peaks";
         r.columns = {with_noise(static_cast<std::size_t>(T * rate), rate, power_of_ten(bits, -3, -1.5), bits,
                                 [&](double t) {
                                   double sum = 0;
                                   for (std::size_t k = 0; k < times.size(); ++k)
                                     sum += heights[k] * std::exp(-std::pow((t - times[k]) / width, 2) / 2);
                                   return sum;
                                 })};
         r.judge = [=](const Json& j, Tally& tally) {
           if (j["peaks"].size() != times.size()) return tally.check(false, "peaks missing or too many");
           for (std::size_t k = 0; k < times.size(); ++k) {
             tally.value(j["peaks"][k]["time_s"], j["peaks"][k]["time_std_s"], times[k], "time");
             tally.value(j["peaks"][k]["height"], j["peaks"][k]["height_std"], heights[k], "height");
           }
         };
         return r;
       }});
}

void add_events(std::vector<CommandKind>& out, const std::string& command) {
  const double scale = command == "scalogram" ? 1 : std::sqrt(0.5);
  for (const bool beside : {false, true})
    out.push_back(
        {command + (beside ? ": events beside a line" : ": events"), [=](Bits& bits) {
           const double rate = 2000, T = between(bits, 5, 15);
           const bool rings = bits() % 2 == 0;
           const std::size_t events = count_between(bits, 1, 3);
           std::vector<ZooEvent> all;
           std::vector<double> widths;
           for (std::size_t k = 0; k < events; ++k) {
             const double hz = between(bits, 60, 600);
             widths.push_back(rings ? 1 / (2 * pi * hz * between(bits, 0.01, 0.05))
                                    : between(bits, 8, 25) / hz);
             all.push_back(
                 {(static_cast<double>(k) + between(bits, 0.3, 0.6)) * T / static_cast<double>(events), hz,
                  scale});
           }
           double line = between(bits, 60, 600);
           for (std::size_t k = 0; k < events; ++k)
             if (std::abs(line - all[k].hz) < 80)
               line = between(bits, 60, 600), k = static_cast<std::size_t>(-1);
           const double strong = beside ? between(bits, 0.3, 3) : 0;
           CommandRecord r;
           r.rate_hz = rate, r.command = command;
           r.columns = {with_noise(
               static_cast<std::size_t>(T * rate), rate, power_of_ten(bits, -3, -1.3), bits, [&](double t) {
                 double sum = strong * std::cos(2 * pi * line * t + 1);
                 for (std::size_t k = 0; k < events; ++k) {
                   const double u = t - all[k].time;
                   if (rings && u < 0) continue;
                   sum += (rings ? std::exp(-u / widths[k]) * std::sin(2 * pi * all[k].hz * u)
                                 : std::exp(-u * u / (2 * widths[k] * widths[k])) *
                                       std::cos(2 * pi * all[k].hz * u + 1));
                 }
                 return sum;
               })};
           r.judge = [=](const Json& j, Tally& tally) { judge_events(j, all, 0.5, tally); };
           return r;
         }});
  out.push_back({command + ": no event", [=](Bits& bits) {
                   const double rate = 1000, T = between(bits, 8, 40), one = between(bits, 20, 400),
                                two = between(bits, 20, 400), strong = bits() % 3 == 0 ? 0 : 1;
                   CommandRecord r;
                   r.rate_hz = rate, r.command = command;
                   r.columns = {with_noise(static_cast<std::size_t>(T * rate), rate,
                                           power_of_ten(bits, -2.5, 0), bits, [&](double t) {
                                             return strong * (std::cos(2 * pi * one * t) +
                                                              0.1 * std::cos(2 * pi * two * t));
                                           })};
                   r.judge = [=](const Json& j, Tally& tally) { judge_events(j, {}, 0.5, tally); };
                   return r;
                 }});
}

void add_responses(std::vector<CommandKind>& out) {
  const auto add = [&](const std::string& name,
                       std::function<std::vector<double>(Bits&, std::size_t, double)> force, int delay_most) {
    out.push_back({"response: " + name, [=](Bits& bits) {
                     const double rate = 2000;
                     const std::size_t count = count_between(bits, 50000, 120000);
                     const std::vector<ZooMode> modes = some_modes(bits, 3, rate);
                     CommandRecord r;
                     r.rate_hz = rate, r.command = "response --reference 1";
                     std::vector<double> x = force(bits, count, rate), y = accelerations(x, modes, rate);
                     if (delay_most > 0) {
                       const std::size_t late = count_between(bits, 3, delay_most);
                       y.insert(y.begin(), late, 0.0);
                       y.resize(count);
                     }
                     add_noise(y, bits, 0.01);
                     for (double& v : x) v += 1e-3 * std::normal_distribution<double>()(bits);
                     r.columns = {x, y};
                     r.judge = [=](const Json& j, Tally& tally) { judge_modes(j, modes, tally); };
                     return r;
                   }});
  };
  const auto white = [](Bits& bits, std::size_t count, double) { return noise(bits, count, 1); };
  add("noise", white, 0);
  add("noise, a delay", white, 80);
  add(
      "sweep",
      [](Bits&, std::size_t count, double rate) {
        std::vector<double> x(count);
        const double T = static_cast<double>(count) / rate;
        for (std::size_t n = 0; n < count; ++n) {
          const double t = static_cast<double>(n) / rate;
          x[n] = std::sin(2 * pi * (5 * t + 895 * t * t / (2 * T)));
        }
        return x;
      },
      0);
  out.push_back({"response: no resonance", [](Bits& bits) {
                   const double rate = 2000, a = std::exp(-1 / (rate * power_of_ten(bits, -3.5, -2)));
                   const std::size_t count = 60000, late = count_between(bits, 0, 60);
                   CommandRecord r;
                   r.rate_hz = rate, r.command = "response --reference 1";
                   const std::vector<double> x = noise(bits, count, 1);
                   std::vector<double> y(count, 0.0);
                   double lag = 0;
                   for (std::size_t n = late; n < count; ++n) y[n] = lag = a * lag + (1 - a) * x[n - late];
                   add_noise(y, bits, 0.01);
                   r.columns = {x, y};
                   r.judge = [=](const Json& j, Tally& tally) { judge_modes(j, {}, tally); };
                   return r;
                 }});
  out.push_back({"response: outputs only", [](Bits& bits) {
                   const double rate = 1000;
                   const std::size_t count = 200000;
                   const std::vector<ZooMode> modes = some_modes(bits, 3, rate);
                   CommandRecord r;
                   r.rate_hz = rate, r.command = "response --output-only";
                   r.columns.assign(3, std::vector<double>(count, 0.0));
                   for (const ZooMode& m : modes) {
                     const std::vector<double> y = accelerations(noise(bits, count, 1), {m}, rate);
                     const double level = rms_of(y);
                     for (auto& column : r.columns) {
                       const double part = between(bits, 0.3, 1) * (bits() % 2 == 0 ? 1 : -1) / level;
                       for (std::size_t n = 0; n < count; ++n) column[n] += part * y[n];
                     }
                   }
                   for (auto& column : r.columns) add_noise(column, bits, 0.1);
                   r.judge = [=](const Json& j, Tally& tally) { judge_modes(j, modes, tally); };
                   return r;
                 }});
}

/// Runs of a machine up or down, a pulse a turn: three orders, and a mode that some of them cross.
void add_orders(std::vector<CommandKind>& out) {
  for (const bool crossed : {true, false})
    out.push_back({crossed ? "orders: a resonance crossed" : "orders: none crossed", [=](Bits& bits) {
                     const double rate = 2048, T = between(bits, 30, 60);
                     const auto count = static_cast<std::size_t>(T * rate);
                     double from = between(bits, 3, 6), to = between(bits, 20, 28);
                     if (bits() % 2 == 0) std::swap(from, to);
                     std::vector<double> orders = {1, 2, 3, 4, 5}, force(count), turns(count), tacho(count);
                     std::shuffle(orders.begin(), orders.end(), bits);
                     orders.resize(3);
                     std::vector<double> size, phase;
                     for (int k = 0; k < 3; ++k)
                       size.push_back(between(bits, 0.5, 2)), phase.push_back(between(bits, 0, 6));
                     for (std::size_t n = 0; n < count; ++n) {
                       const double t = static_cast<double>(n) / rate;
                       turns[n] = from * t + (to - from) * t * t / (2 * T);
                       tacho[n] = std::fmod(turns[n], 1) < 0.08 ? 5 : 0;
                       for (std::size_t k = 0; k < 3; ++k)
                         force[n] += size[k] * std::cos(2 * pi * orders[k] * turns[n] + phase[k]);
                     }
                     ZooMode mode{between(bits, 25, 55), power_of_ten(bits, -2.2, -1.4), 1};
                     std::vector<double> x = force;
                     if (crossed) {
                       x = accelerations(force, {mode}, rate);
                       for (std::size_t n = 0; n < count; ++n) x[n] = 0.02 * x[n] + 0.05 * force[n];
                     }
                     add_noise(x, bits, power_of_ten(bits, -3, -1));
                     CommandRecord r;
                     r.rate_hz = rate, r.command = "orders --tachometer 2 --channel 1";
                     r.columns = {x, tacho};
                     r.judge = [=](const Json& j, Tally& tally) {
                       if (!crossed) return tally.check(j["resonances"].empty(), "a resonance that is none");
                       std::vector<double> rise;  // Those that stay within the run on both sides.
                       for (const double order : orders)
                         if (mode.hz / order > 1.35 * std::min(from, to) &&
                             mode.hz / order < std::max(from, to) / 1.35)
                           rise.push_back(order);
                       if (!rise.empty() && mode.damping < 0.03)
                         tally.check(!j["resonances"].empty(), "missing resonance");
                       for (const Json& found : j["resonances"]) {
                         tally.value(found["frequency_hz"], found["frequency_std_hz"], mode.hz, "frequency");
                         if (found["damping_ratio"].is_number())
                           tally.value(found["damping_ratio"], found["damping_std"], mode.damping, "damping");
                       }
                     };
                     return r;
                   }});
}

}  // namespace

std::vector<CommandKind> command_kinds() {
  std::vector<CommandKind> out;
  add_modulation(out);
  add_periodic(out);
  add_events(out, "spectrogram");
  add_events(out, "scalogram");
  add_responses(out);
  add_orders(out);
  add_watch(out);
  return out;
}

}  // namespace vprism::zoo
