// zoo_further.h: further kinds of record for zoo.h: lines that are there for a while, carriers that swing,
// noise with structure.
#pragma once

#include "cli/zoo/zoo.h"

namespace vprism::zoo {

inline std::vector<Kind> further_kinds() {
  constexpr std::size_t n = 8192;
  constexpr double fs = 1000, T = n / fs;
  using Bits = std::mt19937_64;
  std::vector<Kind> out;
  out.push_back({"tone that begins or ends", [=](Bits& b) {
                   Record r{noise(b, n, std::pow(10, between(b, -3, -1))), fs, {}};
                   const double hz = between(b, 20, 450);
                   const std::size_t edge = n / 5 + b() % (3 * n / 5), begins = b() % 2;
                   for (std::size_t k = begins * edge; k < (begins == 1 ? n : edge); ++k)
                     r.x[k] += std::cos(2 * pi * hz * static_cast<double>(k) / fs);
                   r.truth.kinds = {"burst"}, r.truth.hz = hz;
                   return r;
                 }});
  // Up or down by a power of time; and up, held for a while, and down again.
  for (const bool turns : {false, true})
    out.push_back(
        {turns ? "run up and down" : "run-up", [=](Bits& b) {
           Record r{noise(b, 4 * n, 0.05), fs, {}};
           const double low = between(b, 8, 16), high = low * between(b, 2, 4), bend = between(b, 1, 2),
                        up = between(b, 0.25, 0.4), down = between(b, 0.6, 0.75);
           const bool reversed = b() % 2 == 0;
           double phase = 0;
           for (std::size_t k = 0; k < r.x.size(); ++k) {
             const double at = static_cast<double>(k) / static_cast<double>(r.x.size()),
                          u = reversed ? 1 - at : at,
                          rise = 0.5 - 0.5 * std::cos(pi * std::min({u / up, 1.0, (1 - u) / (1 - down)}));
             r.x[k] += std::cos(phase) + 0.6 * std::cos(2 * phase + 1) + 0.4 * std::cos(5 * phase + 2);
             phase += 2 * pi * (low + (high - low) * (turns ? rise : std::pow(u, bend))) / fs;
           }
           r.truth.kinds = {"run-up"};
           return r;
         }});
  out.push_back({"swinging carrier", [=](Bits& b) {
                   Record r{noise(b, n, 0.02), fs, {}};
                   const double hz = between(b, 150, 350), periods = std::pow(10, between(b, 0.6, 2)),
                                peak = between(b, 3, 6) * std::max(periods / T, 6.0), turn = between(b, 0, 6);
                   const bool triangle = b() % 2 == 0;
                   double phase = 0;
                   for (std::size_t k = 0; k < n; ++k) {
                     const double u = turn + 2 * pi * periods * static_cast<double>(k) / n;
                     phase += 2 * pi *
                              (hz + peak * (triangle ? 2 / pi * std::asin(std::sin(u)) : std::sin(u))) / fs;
                     r.x[k] += std::cos(phase);
                   }
                   r.truth.kinds = {"frequency-modulated", "sideband-family"};
                   return r;
                 }});
  // Of natural sampling: J_n(m pi M / 2) 4 / (m pi) at m F + n s, where m + n is odd.
  out.push_back({"modulated switch", [=](Bits& b) {
                   Record r{noise(b, n, 5e-4), fs, {}};
                   const double carrier = between(b, 55, 75), drive = between(b, 2.5, 4.5),
                                depth = between(b, 0.5, 0.95), turn = between(b, 0, 6);
                   const auto add = [&](double hz, double amplitude, double phase) {
                     for (std::size_t k = 0; k < n; ++k)
                       r.x[k] += amplitude * std::cos(2 * pi * hz * static_cast<double>(k) / fs + phase);
                   };
                   add(drive, depth, turn);
                   for (int m = 1; m * carrier < 0.4 * fs; ++m)
                     for (int side = -12; side <= 12; ++side) {
                       const double amplitude =
                           4 / (m * pi) * std::cyl_bessel_j(std::abs(side), m * pi * depth / 2);
                       if ((m + side) % 2 != 0 && std::abs(amplitude) > 1e-5)
                         add(m * carrier + side * drive, amplitude, side * turn + m);
                     }
                   r.truth.lines = {{drive, depth / std::sqrt(2.0)}};
                   r.truth.kinds = {"sideband-family", "harmonic-family"}, r.truth.hz = carrier;
                   return r;
                 }});
  out.push_back({"carriers that swing", [=](Bits& b) {
                   Record r{noise(b, n, 0.01), fs, {}};
                   for (const double hz : {between(b, 80, 150), between(b, 280, 400)}) {
                     const double rate = between(b, 1.5, 4), index = between(b, 3, 8),
                                  depth = between(b, 0, 0.5), turn = between(b, 0, 6);
                     const bool varies = b() % 2 == 0;
                     for (std::size_t k = 0; k < n; ++k) {
                       const double t = static_cast<double>(k) / fs;
                       r.x[k] += (1 + (varies ? depth * std::cos(2 * pi * 1.7 * rate * t + turn) : 0)) *
                                 std::cos(2 * pi * hz * t + index * std::sin(2 * pi * rate * t));
                     }
                   }
                   r.truth.kinds = {"frequency-modulated"};
                   return r;
                 }});
  out.push_back(
      {"impacts, one in four weaker", [=](Bits& b) {
         Record r{noise(b, n, 0.01), fs, {}};
         const std::size_t every = 30 + b() % 60;
         const double weak = between(b, 0.2, 0.7), hz = between(b, 60, 200), d = between(b, 0.02, 0.1);
         for (std::size_t from = 0, i = 0; from < n; from += every, ++i)
           for (std::size_t k = from; k < n; ++k) {
             const double t = static_cast<double>(k - from) / fs;
             r.x[k] += (i % 4 == 2 ? weak : 1) * std::exp(-2 * pi * hz * d * t) * std::sin(2 * pi * hz * t);
           }
         r.truth.kinds = {"harmonic-family", "impulse-family"};
         r.truth.hz = fs / static_cast<double>(4 * every);
         return r;
       }});
  out.push_back({"line that grows", [=](Bits& b) {
                   Record r{noise(b, n, 0.01), fs, {}};
                   const double hz = between(b, 20, 400), grows = between(b, 2, 7);
                   for (std::size_t k = 0; k < n; ++k) {
                     const double t = static_cast<double>(k) / fs;
                     r.x[k] += std::exp(grows * (t / T - 1)) * std::cos(2 * pi * hz * t);
                   }
                   r.truth.kinds = {"growing"}, r.truth.hz = hz;
                   r.truth.damping = -grows / T / std::hypot(2 * pi * hz, grows / T);
                   return r;
                 }});
  out.push_back({"noise with an echo", [=](Bits& b) {
                   Record r{noise(b, n, 1), fs, {}};
                   const std::vector<double> dry = r.x;
                   const std::size_t delay = 15 + b() % 60;
                   const double share = between(b, 0.3, 0.8);
                   for (std::size_t k = delay; k < n; ++k) r.x[k] += share * dry[k - delay];
                   return r;
                 }});
  out.push_back({"random walk in white noise", [=](Bits& b) {
                   Record r{noise(b, n, 1), fs, {}};
                   const std::vector<double> steps = noise(b, n, std::pow(10, between(b, -1.5, -0.3)));
                   double walk = 0;
                   for (std::size_t k = 0; k < n; ++k) r.x[k] += walk += steps[k];
                   return r;
                 }});
  out.push_back({"noise, louder for a while", [=](Bits& b) {
                   const auto count = static_cast<std::size_t>(std::pow(10, between(b, 3.6, 5)));
                   Record r{noise(b, count, 1), fs, {}};
                   const double share = between(b, 0.02, 0.3), times = between(b, 2, 20);
                   const auto length = static_cast<std::size_t>(share * static_cast<double>(count));
                   const std::size_t from = b() % (count - length);
                   for (std::size_t k = from; k < from + length; ++k) r.x[k] *= times;
                   if (length > 400) r.truth.kinds = {"intermittent"};
                   return r;
                 }});
  out.push_back({"square wave, no filter before it", [=](Bits& b) {
                   const auto count = static_cast<std::size_t>(std::pow(10, between(b, 3.4, 4.5)));
                   Record r{noise(b, count, std::pow(10, between(b, -4, -1))), fs, {}};
                   const double hz = fs / std::pow(10, between(b, 1.3, 2.2)), duty = between(b, 0.1, 0.9);
                   for (std::size_t k = 0; k < count; ++k)
                     r.x[k] += std::fmod(hz * static_cast<double>(k) / fs, 1) < duty ? 1 : -1;
                   r.truth.kinds = {"harmonic-family"}, r.truth.hz = hz, r.truth.other = true;
                   return r;
                 }});
  out.push_back({"impacts with slip, long record", [=](Bits& b) {
                   const auto count = static_cast<std::size_t>(std::pow(10, between(b, 4, 5)));
                   Record r{noise(b, count, std::pow(10, between(b, -4, -2))), fs, {}};
                   const double duration = static_cast<double>(count) / fs,
                                every = duration / between(b, 25, 150), slip = between(b, 0.002, 0.02),
                                hz = between(b, 100, 350);
                   std::normal_distribution<double> walk(0, slip * every);
                   double last = 0, first = -1, impacts = 0;
                   for (double at = between(b, 0, every); at < duration; at += every + walk(b), ++impacts) {
                     const double size = between(b, 0.7, 1.3);
                     if (first < 0) first = at;
                     last = at;
                     for (auto k = static_cast<std::size_t>(at * fs) + 1; k < count; ++k) {
                       const double t = static_cast<double>(k) / fs - at;
                       if (t > 0.3 * every && t * hz > 60) break;
                       r.x[k] += size * std::exp(-2 * pi * hz * 0.03 * t) * std::sin(2 * pi * hz * t);
                     }
                   }
                   r.truth.kinds = {"impulse-family", "harmonic-family"}, r.truth.other = true;
                   r.truth.hz = (impacts - 1) / (last - first);
                   return r;
                 }});
  return out;
}

inline std::vector<Kind> all_kinds() {
  std::vector<Kind> out = kinds();
  for (Kind& kind : further_kinds()) out.push_back(std::move(kind));
  return out;
}

}  // namespace vprism::zoo
