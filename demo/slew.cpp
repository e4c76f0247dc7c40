// slew.cpp: slew-runup.wav. The azimuth drive runs up from rest to 25 rev/s; a tachometer gives a pulse for
// every revolution. What turns shakes the mirror cell once, twice and 17 times a revolution, straight and
// through the mount's resonance.
#include <fmt/format.h>

#include <array>

#include "recordings.h"

namespace vprism::demo {

namespace {

constexpr int slew_rate = 2048;
constexpr double slew_s = 48, starts_s = 1, ends_s = 47, top_speed = 25;
constexpr double mount_hz = 37.1, mount_damping = 0.012, slew_noise = 0.001, sensitivity = 0.1;
constexpr int lost_first = 300, lost_count = 2;  ///< Revolutions whose pulse is missing.

struct Order {
  int order;
  double straight, phase_deg;  ///< Peak in m/s^2 at top speed, which grows as `power` of the speed.
  int power;
  double drive;  ///< Through the mount: m/s^2 far below its resonance.
};
constexpr std::array<Order, 3> slew_orders = {
    {{1, 0.020, 40, 2, 0.0010}, {2, 0.008, -70, 0, 0.0020}, {17, 0.006, 110, 0, 0.0004}}};

double speed(double t) {
  return t < starts_s ? 0 : t > ends_s ? top_speed : top_speed * (t - starts_s) / (ends_s - starts_s);
}

/// Revolutions since the start.
double turns(double t) {
  if (t < starts_s) return 0;
  const double ramp = std::min(t, ends_s) - starts_s;
  return top_speed * ramp * ramp / (2 * (ends_s - starts_s)) + top_speed * std::max(0.0, t - ends_s);
}

double drive(double t) {
  double sum = 0;
  for (const Order& o : slew_orders) sum += o.drive * std::cos(two_pi * std::fmod(o.order * turns(t), 1.0));
  return t < starts_s ? 0 : sum;
}

}  // namespace

std::string slew_file() {
  Noise dice(131);
  const auto samples = static_cast<std::size_t>(slew_s * slew_rate);
  std::vector<double> tachometer, cell;
  // x'' + 2 d w x' + w^2 x = w^2 drive, in steps of an eighth of a sample.
  constexpr int steps = 8;
  const double w = two_pi * mount_hz, h = 1.0 / (slew_rate * steps);
  double x = 0, v = 0;
  const auto pull = [&](double t, double at, double fast) {
    return w * w * (drive(t) - at) - 2 * mount_damping * w * fast;
  };
  for (std::size_t n = 0; n < samples; ++n) {
    const double t = static_cast<double>(n) / slew_rate, revolution = turns(t);
    const bool lost = revolution >= lost_first && revolution < lost_first + lost_count;
    const bool high = t >= starts_s && revolution - std::floor(revolution) < 0.06 && !lost;
    tachometer.push_back((high ? 4.8 : 0.15) + 0.03 * dice());
    double sum = x + slew_noise * dice();
    for (const Order& o : slew_orders)
      sum += t < starts_s ? 0
                          : o.straight * std::pow(speed(t) / top_speed, o.power) *
                                std::cos(two_pi * (std::fmod(o.order * revolution, 1.0) + o.phase_deg / 360));
    cell.push_back(sum * sensitivity);
    for (int s = 0; s < steps; ++s) {
      const double at = t + s * h;
      const double v1 = v, a1 = pull(at, x, v1), v2 = v + h / 2 * a1,
                   a2 = pull(at + h / 2, x + h / 2 * v1, v2), v3 = v + h / 2 * a2,
                   a3 = pull(at + h / 2, x + h / 2 * v2, v3), v4 = v + h * a3,
                   a4 = pull(at + h, x + h * v3, v4);
      x += h / 6 * (v1 + 2 * v2 + 2 * v3 + v4);
      v += h / 6 * (a1 + 2 * a2 + 2 * a3 + a4);
    }
  }
  return sound_file({"tachometer [V]", "mirror cell [V]"}, {tachometer, cell}, slew_rate);
}

std::string slew_truth() {
  std::string out = fmt::format(
      "\n## slew-runup.wav\n\n- {} Hz, {:g} s; tachometer (V, a pulse of 4.65 V once a revolution, those of "
      "revolutions {} and {} missing) and mirror cell (stored in volts, 100 mV per m/s^2).\n- At rest until "
      "{:g} "
      "s, then evenly up to {:g} rev/s at {:g} s: {:.4f} rev/s each second.\n- Mount resonance at {:g} Hz, "
      "damping "
      "ratio {:g}; order 2 meets it at {:.2f} rev/s ({:.2f} s), order 17 at {:.3f} rev/s ({:.2f} s).\n- "
      "White "
      "noise {:g} m/s^2 RMS.\n\n| order | straight, peak at {:g} rev/s (m/s^2) | grows with speed to the | "
      "phase "
      "(deg, cosine at the pulse) | through the mount, far below its resonance (m/s^2) "
      "|\n|---|---|---|---|---|\n",
      slew_rate, slew_s, lost_first, lost_first + 1, starts_s, top_speed, ends_s,
      top_speed / (ends_s - starts_s), mount_hz, mount_damping, mount_hz / 2,
      starts_s + mount_hz / 2 / top_speed * (ends_s - starts_s), mount_hz / 17,
      starts_s + mount_hz / 17 / top_speed * (ends_s - starts_s), slew_noise, top_speed);
  for (const Order& o : slew_orders)
    out +=
        fmt::format("| {} | {:g} | {} | {:g} | {:g} |\n", o.order, o.straight, o.power, o.phase_deg, o.drive);
  return out;
}

}  // namespace vprism::demo
