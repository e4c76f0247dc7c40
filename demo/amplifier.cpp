// amplifier.cpp: amp-sim.raw. A second-order amplifier answers a step and then a sine; a weak square and
// cubic bend of its output makes harmonics of known size. The solver's steps shrink after every edge and grow
// while little happens, as they do.
#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "recordings.h"

namespace vprism::demo {

namespace {

constexpr double natural_hz = 5000, damping = 0.35, gain = 4, step_at = 1e-3, sine_from = 5e-3,
                 end_at = 25e-3;
constexpr double sine_hz = 1000, sine_peak = 0.5, square = 0.004, cubic = -0.003, load_ohm = 8;

/// Unit step answer of gain 1: 1 - e^(-z w t) (cos wd t + z w / wd sin wd t).
double step_answer(double t) {
  if (t <= 0) return 0;
  const double w = two_pi * natural_hz, wd = w * std::sqrt(1 - damping * damping);
  return 1 - std::exp(-damping * w * t) * (std::cos(wd * t) + damping * w / wd * std::sin(wd * t));
}

/// Gain and phase at the sine's frequency.
std::pair<double, double> at_sine() {
  const double r = sine_hz / natural_hz, re = 1 - r * r, im = 2 * damping * r;
  return {1 / std::hypot(re, im), -std::atan2(im, re)};
}

double input(double t) {
  if (t < sine_from) return t >= step_at ? 1 : 0;
  return sine_peak * std::sin(two_pi * sine_hz * (t - sine_from));
}

/// The steady sine follows the step after the amplifier has come to rest from a fall of the step.
double linear(double t) {
  double y = step_answer(t - step_at);
  if (t < sine_from) return y;
  const auto [size, phase] = at_sine();
  const double tau = t - sine_from, w = two_pi * natural_hz, wd = w * std::sqrt(1 - damping * damping);
  const double ws = two_pi * sine_hz;
  // Steady state plus the free answer that makes value and slope continuous at the start.
  const double y0 = -sine_peak * size * std::sin(phase), v0 = -sine_peak * size * ws * std::cos(phase);
  const double start = std::exp(-damping * w * tau) *
                       (y0 * std::cos(wd * tau) + (v0 + damping * w * y0) / wd * std::sin(wd * tau));
  y -= step_answer(tau);
  return y + sine_peak * size * std::sin(ws * tau + phase) + start;
}

double output(double t) {
  const double y = linear(t);
  return gain * (y + square * y * y + cubic * y * y * y);
}

std::vector<double> solver_times() {
  std::vector<double> times;
  double t = 0, step = 2e-6;
  const double edges[] = {step_at, sine_from};
  while (t < end_at) {
    times.push_back(t);
    double next = t + step;
    step = std::min(step * 1.25, t > sine_from ? 16e-6 : 40e-6);
    for (const double edge : edges)
      if (t < edge && next >= edge) {
        next = edge;
        step = 0.2e-6;
      }
    t = next;
  }
  times.push_back(end_at);
  return times;
}

void put(std::string& bytes, double value) {
  bytes.append(reinterpret_cast<const char*>(&value), sizeof value);
}

std::string plot(const char* name, const std::vector<double>& times, bool transient) {
  std::string out = fmt::format(
      "Title: azimuth servo amplifier, step and sine\nDate: Tue Nov  3 21:14:05 2026\nPlotname: {}\nFlags: "
      "real\nNo. Variables: {}\nNo. Points: {}\nVariables:\n",
      name, transient ? 4 : 3, times.size());
  int number = 0;
  if (transient) out += fmt::format("\t{}\ttime\ttime\n", number++);
  out += fmt::format("\t{}\tV(in)\tvoltage\n\t{}\tV(out)\tvoltage\n\t{}\tI(load)\tcurrent\nBinary:\n", number,
                     number + 1, number + 2);
  for (const double t : times) {
    if (transient) put(out, t);
    put(out, input(t));
    put(out, output(t));
    put(out, output(t) / load_ohm);
  }
  return out;
}

}  // namespace

std::string amplifier_file() {
  return plot("Operating Point", {0}, false) + plot("Transient Analysis", solver_times(), true);
}

std::string amplifier_truth() {
  const auto [size, phase] = at_sine();
  const double a = sine_peak * size;
  // (a sin)^2 = a^2/2 - a^2/2 cos 2x; (a sin)^3 = 3/4 a^3 sin x - a^3/4 sin 3x.
  const double first = a + 0.75 * cubic * a * a * a, second = square * a * a / 2,
               third = cubic * a * a * a / 4;
  return fmt::format(
      "\n## amp-sim.raw\n\n- Circuit simulation, binary rawfile: an operating point, then a transient of {} "
      "points "
      "from 0 to {:g} s with steps from 0.2 to 40 us.\n- Step of 1 V at {:g} s into an amplifier of gain "
      "{:g}, natural "
      "frequency {:g} Hz, damping ratio {:g}; from {:g} s on a sine of {:g} Hz and {:g} V peak.\n- V(out) in "
      "the "
      "sine: fundamental {:.6g} V peak, second harmonic {:.4g} V, third {:.4g} V, THD {:.4g} %; I(load) is "
      "V(out) "
      "over {:g} ohm.\n",
      solver_times().size(), end_at, step_at, gain, natural_hz, damping, sine_from, sine_hz, sine_peak,
      gain * first, gain * std::abs(second), gain * std::abs(third), 100 * std::hypot(second, third) / first,
      load_ohm);
}

}  // namespace vprism::demo
