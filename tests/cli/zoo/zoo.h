// zoo.h: kinds of record that somebody may bring, with random parameters and what is true of them: for
// zoo_bench and, in a short form, for the tests.
#pragma once

#include <cmath>
#include <functional>
#include <numbers>
#include <random>
#include <set>
#include <string>
#include <vector>

namespace vprism::zoo {

struct Line {
  double hz = 0, rms = 0;
};

/// What is true of a record; findings are held against it.
struct Truth {
  std::vector<Line> lines;      ///< Each must be found, as a line or as part of a family.
  std::set<std::string> kinds;  ///< One finding of one of these kinds must be there,
  double hz = 0;                ///< at this frequency if it is not 0,
  double damping = 0;           ///< and of this damping.
  bool other = false;           ///< Further findings are neither right nor wrong.
};

struct Record {
  std::vector<double> x;
  double rate_hz = 1000;
  Truth truth;
};

struct Kind {
  std::string name;
  std::function<Record(std::mt19937_64&)> make;
};

/// The same on every machine.
inline std::uint64_t seed_of(const std::string& name, int number) {
  std::uint64_t seed = 1469598103934665603u;  // Fowler, Noll & Vo.
  for (const char c : name) seed = (seed ^ static_cast<unsigned char>(c)) * 1099511628211u;
  return seed + static_cast<std::uint64_t>(number);
}

constexpr double pi = std::numbers::pi;

inline double between(std::mt19937_64& bits, double low, double high) {
  return std::uniform_real_distribution<double>(low, high)(bits);
}
inline std::vector<double> noise(std::mt19937_64& bits, std::size_t count, double rms) {
  std::normal_distribution<double> normal(0, 1);
  std::vector<double> x(count);
  for (double& v : x) v = rms * normal(bits);
  return x;
}
/// One degree of freedom driven by `x` (exact poles).
inline std::vector<double> through_resonance(const std::vector<double>& x, double hz, double damping,
                                             double rate) {
  const double w = 2 * pi * hz / rate, r = std::exp(-damping * w),
               turn = w * std::sqrt(1 - damping * damping);
  const double a1 = 2 * r * std::cos(turn), a2 = -r * r;
  std::vector<double> y(x.size());
  double one = 0, two = 0;
  for (std::size_t n = 0; n < x.size(); ++n) {
    y[n] = x[n] + a1 * one + a2 * two;
    two = one, one = y[n];
  }
  return y;
}
inline double rms_of(const std::vector<double>& x) {
  double mean = 0, square = 0;
  for (const double v : x) mean += v / static_cast<double>(x.size());
  for (const double v : x) square += (v - mean) * (v - mean);
  return std::sqrt(square / static_cast<double>(x.size()));
}

/// All kinds; every call of `make` is another record.
inline std::vector<Kind> kinds() {
  constexpr std::size_t n = 8192;
  constexpr double fs = 1000, T = n / fs;
  using Bits = std::mt19937_64;
  std::vector<Kind> out;
  const auto add = [&](const char* name, std::function<Record(Bits&)> make) {
    out.push_back({name, std::move(make)});
  };
  const auto at = [](std::size_t k) { return static_cast<double>(k) / fs; };
  const auto tone = [=](std::vector<double>& x, double hz, double a, double phase) {
    for (std::size_t k = 0; k < x.size(); ++k) x[k] += a * std::cos(2 * pi * hz * at(k) + phase);
  };

  add("lines in white noise", [=](Bits& b) {
    Record r{noise(b, n, 0.05), fs, {}};
    for (int i = 0; i < 4; ++i) {
      const double hz = between(b, 20 + 115 * i, 120 + 115 * i), a = std::pow(10, between(b, -1, 0));
      tone(r.x, hz, a, between(b, 0, 6));
      r.truth.lines.push_back({hz, a / std::sqrt(2.0)});
    }
    r.truth.other = false;
    return r;
  });
  add("white noise", [=](Bits& b) { return Record{noise(b, n, 1), fs, {}}; });
  add("pink noise", [=](Bits& b) {
    // Sum of first-order low passes an octave apart.
    Record r{std::vector<double>(n), fs, {}};
    for (double pole = 1; pole > 1e-4; pole /= 4) {
      const std::vector<double> w = noise(b, n, 1);
      double y = 0;
      for (std::size_t k = 0; k < n; ++k) r.x[k] += y += std::min(1.0, pole) * (w[k] / std::sqrt(pole) - y);
    }
    return r;
  });
  add("brown noise", [=](Bits& b) {
    Record r{noise(b, n, 1), fs, {}};
    for (std::size_t k = 1; k < n; ++k) r.x[k] += r.x[k - 1];
    r.truth.other = false;
    return r;
  });
  add("heavy tails", [=](Bits& b) {
    std::student_t_distribution<double> t(2.5);
    Record r{std::vector<double>(n), fs, {}};
    for (double& v : r.x) v = t(b);
    return r;
  });
  add("clicks", [=](Bits& b) {
    Record r{noise(b, n, 0.1), fs, {}};
    for (int i = 0; i < 6; ++i) r.x[b() % n] += 5;
    return r;
  });
  add("breathing line", [=](Bits& b) {
    const double hz = between(b, 50, 400), depth = between(b, 0.2, 0.7), period = between(b, 0.6, 1.5) * T,
                 phase = between(b, 0, 6);
    Record r{noise(b, n, 0.01), fs, {}};
    for (std::size_t k = 0; k < n; ++k)
      r.x[k] += std::cos(2 * pi * hz * at(k)) * (1 + depth * std::sin(2 * pi * at(k) / period + phase));
    r.truth.kinds = {"wandering", "sideband-family"}, r.truth.hz = hz;
    return r;
  });
  add("slow modulation of 5 %", [=](Bits& b) {
    const double hz = between(b, 50, 400), m = between(b, 0.5, 2);
    Record r{noise(b, n, 0.001), fs, {}};
    for (std::size_t k = 0; k < n; ++k)
      r.x[k] += std::cos(2 * pi * hz * at(k)) * (1 + 0.05 * std::sin(2 * pi * at(k) * m));
    r.truth.kinds = {"wandering", "sideband-family"}, r.truth.hz = hz;
    return r;
  });
  const auto ring = [=](Bits& b, std::size_t from) {
    const double hz = between(b, 50, 300), d = std::pow(10, between(b, -2.5, -1.5)), phase = between(b, 0, 6);
    Record r{noise(b, n, 1e-3), fs, {}};
    for (std::size_t k = from; k < n; ++k)
      r.x[k] += std::exp(-2 * pi * hz * d * at(k - from)) *
                std::cos(2 * pi * hz * std::sqrt(1 - d * d) * at(k - from) + phase);
    r.truth.kinds = {"decaying"}, r.truth.hz = hz * std::sqrt(1 - d * d), r.truth.damping = d;
    return r;
  };
  add("ring-down", [=](Bits& b) { return ring(b, 0); });
  add("ring-down with pre-trigger", [=](Bits& b) { return ring(b, n / 10 + b() % (n / 2)); });
  add("trend", [=](Bits& b) {
    Record r{noise(b, n, 0.1), fs, {}};
    const double rise = between(b, 2, 20);
    for (std::size_t k = 0; k < n; ++k) r.x[k] += rise * at(k) / T;
    r.truth.kinds = {"trend"};
    return r;
  });
  add("two lines 1.2 to 1.5 RBW apart", [=](Bits& b) {
    const double hz = between(b, 50, 400), apart = between(b, 1.2, 1.5) * 1.5 * fs / n;
    Record r{noise(b, n, 0.01), fs, {}};
    tone(r.x, hz, 1, between(b, 0, 6)), tone(r.x, hz + apart, 1, between(b, 0, 6));
    r.truth.lines = {{hz, std::sqrt(0.5)}, {hz + apart, std::sqrt(0.5)}};
    return r;
  });
  add("two lines 40 dB apart", [=](Bits& b) {
    const double hz = between(b, 50, 400), apart = between(b, 2, 3) * 1.5 * fs / n;
    Record r{noise(b, n, 1e-3), fs, {}};
    tone(r.x, hz, 1, between(b, 0, 6)), tone(r.x, hz + apart, 0.01, between(b, 0, 6));
    r.truth.lines = {{hz, std::sqrt(0.5)}, {hz + apart, 0.01 * std::sqrt(0.5)}};
    return r;
  });
  add("noise through a resonance", [=](Bits& b) {
    const double hz = between(b, 60, 300), d = std::pow(10, between(b, -2, -1.3));
    Record r{through_resonance(noise(b, n, 1), hz, d, fs), fs, {}};
    const double level = rms_of(r.x);
    const std::vector<double> w = noise(b, n, 0.05);
    for (std::size_t k = 0; k < n; ++k) r.x[k] = r.x[k] / level + w[k];
    r.truth.kinds = {"resonance"}, r.truth.hz = hz, r.truth.damping = d;
    return r;
  });
  add("white noise with a burst", [=](Bits& b) {
    Record r{noise(b, n, 1), fs, {}};
    const std::size_t from = n / 10 + b() % (n / 2);
    const double times = between(b, 3, 8);
    for (std::size_t k = from; k < from + n / 4; ++k) r.x[k] *= times;
    return r;
  });
  add("tone burst", [=](Bits& b) {
    Record r{noise(b, n, 0.01), fs, {}};
    const std::size_t from = n / 10 + b() % (n / 2);
    const double hz = between(b, 50, 400);
    for (std::size_t k = from; k < from + n / 5; ++k) r.x[k] += std::cos(2 * pi * hz * at(k));
    r.truth.kinds = {"burst"}, r.truth.hz = hz;
    return r;
  });
  add("level step", [=](Bits& b) {
    Record r{noise(b, n, 0.01), fs, {}};
    const std::size_t from = n / 5 + b() % (3 * n / 5);
    const double hz = between(b, 50, 400), then = between(b, 0.2, 0.7);
    for (std::size_t k = 0; k < n; ++k) r.x[k] += (k < from ? 1 : then) * std::cos(2 * pi * hz * at(k));
    r.truth.kinds = {"stepping"}, r.truth.hz = hz;
    return r;
  });
  add("keyed line", [=](Bits& b) {
    // Between two frequencies, two levels or two phases, by symbols of 30 to 80 ms.
    Record r{noise(b, n, 0.01), fs, {}};
    const double hz = between(b, 120, 250), other = hz + between(b, 60, 150), symbol = between(b, 0.06, 0.15);
    const int what = static_cast<int>(b() % 3);
    double phase = 0;
    bool mark = false;
    std::int64_t number = -1;
    for (std::size_t k = 0; k < n; ++k) {
      if (const auto now = static_cast<std::int64_t>(at(k) / symbol); now != number)
        number = now, mark = b() % 2 == 0;
      r.x[k] += (what == 1 && mark ? 0.3 : 1) * std::cos(phase + (what == 2 && mark ? pi : 0));
      phase += 2 * pi * (what == 0 && mark ? other : hz) / fs;
    }
    r.truth.kinds = {"switching"};
    return r;
  });
  add("lost samples", [=](Bits& b) {
    Record r{noise(b, n, 0.01), fs, {}};
    const double hz = between(b, 100, 400), lost = between(b, 0.15, 0.85) / hz,
                 when = between(b, 1.5, T - 1.5);
    for (std::size_t k = 0; k < n; ++k)
      r.x[k] += std::cos(2 * pi * hz * (at(k) < when ? at(k) : at(k) + lost));
    r.truth.kinds = {"switching"}, r.truth.hz = hz;
    return r;
  });
  add("wandering frequency", [=](Bits& b) {
    const double hz = between(b, 100, 400), step = between(b, 0.4, 1);
    const std::vector<double> w = noise(b, 64, 1);
    Record r{noise(b, n, 0.01), fs, {}};
    double phase = 0;
    for (std::size_t k = 0; k < n; ++k) {
      const double u = at(k) / step, c = (1 - std::cos(pi * (u - std::floor(u)))) / 2;
      const auto i = static_cast<std::size_t>(u);
      phase += 2 * pi * hz * (1 + 0.001 * (w[i] * (1 - c) + w[i + 1] * c)) / fs;
      r.x[k] += std::cos(phase);
    }
    r.truth.kinds = {"wandering"}, r.truth.hz = hz;
    return r;
  });
  add("chirp", [=](Bits& b) {
    const double from = between(b, 50, 200), to = between(b, 250, 450);
    Record r{noise(b, n, 0.01), fs, {}};
    for (std::size_t k = 0; k < n; ++k)
      r.x[k] += std::cos(2 * pi * (from * at(k) + (to - from) / (2 * T) * at(k) * at(k)));
    r.truth.kinds = {"sweep"};
    return r;
  });
  add("exponential sweep", [=](Bits& b) {
    const double from = between(b, 10, 400), to = between(b, 10, 400), law = std::log(to / from) / T;
    Record r{noise(b, n, 0.05), fs, {}};
    for (std::size_t k = 0; k < n; ++k)
      r.x[k] += std::abs(law) * T < 0.1 ? std::cos(2 * pi * from * (at(k) + at(k) * at(k)))
                                        : std::cos(2 * pi * from / law * (std::exp(law * at(k)) - 1));
    r.truth.kinds = {"sweep"};
    return r;
  });
  add("sweep across a line", [=](Bits& b) {
    const double hz = between(b, 80, 200), from = between(b, 20, 60), to = between(b, 250, 450);
    Record r{noise(b, n, 0.02), fs, {}};
    for (std::size_t k = 0; k < n; ++k)
      r.x[k] += std::cos(2 * pi * (from * at(k) + (to - from) / (2 * T) * at(k) * at(k)));
    tone(r.x, hz, 0.5, between(b, 0, 6));
    r.truth.kinds = {"sweep"}, r.truth.other = true;
    return r;
  });
  add("gear mesh with sidebands", [=](Bits& b) {
    const double mesh = between(b, 60, 110), shaft = between(b, 4, 11), depth = between(b, 0.1, 0.5);
    Record r{noise(b, n, 0.02), fs, {}};
    for (int h = 1; h <= 4; ++h) {
      const double phase = between(b, 0, 6), turn = between(b, 0, 6);
      for (std::size_t k = 0; k < n; ++k)
        r.x[k] += (1 + depth * std::cos(2 * pi * shaft * at(k) + turn) +
                   0.3 * depth * std::cos(4 * pi * shaft * at(k))) *
                  std::cos(2 * pi * mesh * h * at(k) + phase) / h;
    }
    r.truth.kinds = {"sideband-family", "harmonic-family"};
    return r;
  });
  add("impacts that ring", [=](Bits& b) {
    const auto every = static_cast<std::size_t>(between(b, 150, 500));
    const double hz = between(b, 80, 250), d = between(b, 0.01, 0.05);
    Record r{noise(b, n, 0.01), fs, {}};
    for (std::size_t from = 0; from < n; from += every)
      for (std::size_t k = from; k < n; ++k)
        r.x[k] += std::exp(-2 * pi * hz * d * at(k - from)) * std::sin(2 * pi * hz * at(k - from));
    r.truth.kinds = {"harmonic-family", "impulse-family"}, r.truth.hz = fs / static_cast<double>(every);
    return r;
  });
  const auto modulated = [=](Bits& b, double carrier, bool turning) {
    const double hz = between(b, 100, 300), m = between(b, 5, 30), depth = between(b, 0.1, 0.9);
    Record r{noise(b, n, 0.01), fs, {}};
    for (std::size_t k = 0; k < n; ++k) {
      const double turn = std::cos(2 * pi * m * at(k) + 1);
      r.x[k] += turning ? std::cos(2 * pi * hz * at(k) + depth * turn)
                        : std::cos(2 * pi * hz * at(k)) * (carrier + depth * turn);
    }
    r.truth.kinds = {"sideband-family"}, r.truth.hz = hz;
    return r;
  };
  add("amplitude modulation", [=](Bits& b) { return modulated(b, 1, false); });
  add("phase modulation", [=](Bits& b) { return modulated(b, 1, true); });
  add("suppressed carrier", [=](Bits& b) { return modulated(b, 0, false); });
  add("mixed modulation", [=](Bits& b) {
    const double hz = between(b, 100, 300), m = between(b, 5, 30);
    Record r{noise(b, n, 0.01), fs, {}};
    for (std::size_t k = 0; k < n; ++k)
      r.x[k] += std::cos(2 * pi * hz * at(k) + 0.4 * std::cos(2 * pi * m * at(k))) *
                (1 + 0.4 * std::cos(2 * pi * m * at(k) + 1));
    r.truth.kinds = {"sideband-family"}, r.truth.hz = hz;
    return r;
  });
  add("single sideband", [=](Bits& b) {
    const double hz = between(b, 100, 300), m = between(b, 5, 30);
    Record r{noise(b, n, 0.01), fs, {}};
    tone(r.x, hz, 1, 0), tone(r.x, hz + m, 0.3, 1);
    r.truth.lines = {{hz, std::sqrt(0.5)}, {hz + m, 0.3 * std::sqrt(0.5)}};
    return r;
  });
  const auto family = [=](Bits& b, double duty) {
    const double hz = between(b, 3, 20), phase = between(b, 0, 1);
    Record r{noise(b, n, 0.01), fs, {}};
    for (std::size_t k = 0; k < n; ++k) {
      const double u = hz * at(k) + phase;
      r.x[k] += u - std::floor(u) < duty ? 1 : 0;
    }
    r.truth.kinds = {"harmonic-family", "mains-hum"}, r.truth.hz = hz;
    return r;
  };
  add("square", [=](Bits& b) { return family(b, 0.5); });
  add("pulse train", [=](Bits& b) { return family(b, between(b, 0.08, 0.2)); });
  add("quantised sine", [=](Bits& b) {
    const double hz = between(b, 20, 200), steps = std::round(between(b, 30, 200));
    Record r{std::vector<double>(n), fs, {}};
    tone(r.x, hz, 1, between(b, 0, 6));
    for (double& v : r.x) v = std::round(steps * v) / steps;
    r.truth.lines = {{hz, std::sqrt(0.5)}}, r.truth.kinds = {"quantisation"};
    return r;
  });
  add("constant", [=](Bits& b) { return Record{std::vector<double>(n, between(b, -9, 9)), fs, {}}; });
  add("impulse", [=](Bits& b) {
    Record r{noise(b, n, 1e-4), fs, {}};
    r.x[b() % n] += 1;
    return r;
  });
  add("click in silence", [=](Bits& b) {
    Record r{std::vector<double>(n, 0.0), fs, {}};
    r.x[b() % n] = 1;
    return r;
  });
  add("step", [=](Bits& b) {
    Record r{noise(b, n, 0.01), fs, {}};
    const std::size_t from = n / 5 + b() % (n / 2);
    for (std::size_t k = from; k < n; ++k) r.x[k] += 1;
    r.truth.kinds = {}, r.truth.other = true;
    return r;
  });
  add("bias a thousand times the line", [=](Bits& b) {
    const double hz = between(b, 20, 400);
    Record r{noise(b, n, 0.05), fs, {}};
    tone(r.x, hz, 1, between(b, 0, 6));
    for (double& v : r.x) v += 1000;
    r.truth.lines = {{hz, std::sqrt(0.5)}};
    return r;
  });
  add("few periods", [=](Bits& b) {
    const double hz = between(b, 1.2, 4) / T;
    Record r{noise(b, n, 0.02), fs, {}};
    tone(r.x, hz, 1, between(b, 0, 6));
    r.truth.lines = {{hz, std::sqrt(0.5)}};
    return r;
  });
  add("0.4 bins from half the rate", [=](Bits& b) {
    const double hz = fs / 2 - between(b, 0.4, 3) / T;
    Record r{noise(b, n, 0.02), fs, {}};
    tone(r.x, hz, 1, between(b, 0, 6));
    r.truth.other = true, r.truth.hz = hz;
    return r;
  });
  add("repeated impulses with slip", [=](Bits& b) {
    const double rate = between(b, 5, 15), slip = between(b, 0.005, 0.02), ring_hz = between(b, 200, 350);
    std::vector<double> blows(n, 0.0);
    std::normal_distribution<double> normal(0, 1);
    for (double t = 0; t < T; t += (1 + slip * normal(b)) / rate)
      blows[static_cast<std::size_t>(t * fs)] += 1;
    Record r{through_resonance(blows, ring_hz, 0.03, fs), fs, {}};
    const std::vector<double> w = noise(b, n, 0.05);
    for (std::size_t k = 0; k < n; ++k) r.x[k] += w[k];
    r.truth.kinds = {"impulse-family", "harmonic-family"}, r.truth.hz = rate;
    return r;
  });
  add("level that steps", [=](Bits& b) {
    const double hz = between(b, 50, 400), to = between(b, 0.2, 0.6);
    Record r{noise(b, n, 0.01), fs, {}};
    for (std::size_t k = 0; k < n; ++k) r.x[k] += (k < n / 2 ? 1 : to) * std::cos(2 * pi * hz * at(k));
    r.truth.other = true, r.truth.hz = hz;
    return r;
  });
  add("intermittent tone", [=](Bits& b) {
    const double hz = between(b, 50, 400);
    Record r{noise(b, n, 0.05), fs, {}};
    bool on = true;
    for (std::size_t k = 0; k < n; ++k) {
      if (b() % 700 == 0) on = !on;
      if (on) r.x[k] += std::cos(2 * pi * hz * at(k));
    }
    r.truth.other = true, r.truth.hz = hz;
    return r;
  });
  add("speech-like", [=](Bits& b) {
    const double turn = between(b, 0, 6);
    Record r{noise(b, n, 0.01), fs, {}};
    double phase = 0;
    for (std::size_t k = 0; k < n; ++k) {
      const double t = at(k);
      phase +=
          2 * pi * 60 * (1 + 0.2 * std::sin(2 * pi * 0.7 * t + turn) + 0.05 * std::sin(2 * pi * 3 * t)) / fs;
      const double loud = std::max(0.0, std::sin(2 * pi * 2.1 * t + turn) + 0.3 * std::sin(2 * pi * 0.9 * t));
      for (int h = 1; h < 7; ++h) r.x[k] += loud * std::cos(h * phase + h) / h;
    }
    r.truth.other = true;
    return r;
  });
  add("intermodulation", [=](Bits& b) {
    const double one = between(b, 60, 90), two = between(b, 100, 140);
    Record r{std::vector<double>(n, 0.0), fs, {}};
    tone(r.x, one, 1, 0), tone(r.x, two, 1, 1);
    const std::vector<double> w = noise(b, n, 0.003);
    for (std::size_t k = 0; k < n; ++k) r.x[k] += 0.05 * r.x[k] * r.x[k] + w[k];
    r.truth.lines = {{one, std::sqrt(0.5)}, {two, std::sqrt(0.5)}}, r.truth.other = true;
    return r;
  });
  add("misfire", [=](Bits& b) {
    const double hz = between(b, 8, 14);
    Record r{noise(b, n, 0.05), fs, {}};
    for (std::size_t k = 0; k < n; ++k) {
      const double u = hz * at(k);
      const double weak = static_cast<long>(std::floor(u)) % 4 == 0 ? 0.6 : 1;
      r.x[k] += weak * std::exp(-8 * (u - std::floor(u)));
    }
    r.truth.kinds = {"harmonic-family", "sideband-family"}, r.truth.other = true;
    return r;
  });
  add("stamps rounded to a millisecond", [=](Bits& b) {
    Record r{noise(b, n, 0.05), fs, {}};
    const double hz = between(b, 20, 90);
    std::vector<double> x(n);
    for (std::size_t k = 0; k < n; ++k) x[k] = std::cos(2 * pi * hz * std::round(at(k) * 1000) / 1000);
    for (std::size_t k = 0; k < n; ++k) r.x[k] += x[k];
    r.truth.lines = {{hz, std::sqrt(0.5)}};
    return r;
  });
  add("jittered samples", [=](Bits& b) {
    Record r{noise(b, n, 0.02), fs, {}};
    const double hz = between(b, 20, 200);
    const std::vector<double> jitter = noise(b, n, 2e-5);
    for (std::size_t k = 0; k < n; ++k) r.x[k] += std::cos(2 * pi * hz * (at(k) + jitter[k]));
    r.truth.lines = {{hz, std::sqrt(0.5)}};
    return r;
  });
  return out;
}

}  // namespace vprism::zoo
