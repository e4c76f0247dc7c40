// tap.cpp: tap-test.uff. A hammer hits the fork five times; three accelerometers answer with the sum of the
// fork's modes. The modes are integrated exactly for a force that runs straight between fine steps.
#include <fmt/format.h>

#include <array>
#include <complex>

#include "recordings.h"

namespace vprism::demo {

namespace {

constexpr double tap_rate = 2048, blow_every = 2, blow_width = 4e-3;
constexpr int blows = 5, fine = 16;
constexpr std::size_t tap_samples = static_cast<std::size_t>(tap_rate * blow_every) * blows;
constexpr std::array<double, blows> blow_peak = {182, 205, 169, 221, 194},
                                    blow_at = {0.2071, 0.1893, 0.2214, 0.2006, 0.1958};

struct Mode {
  double frequency_hz, damping;
  std::array<double, 3> shape;  ///< Acceleration residue at the three points, (m/s^2)/N per unit modal mass.
};
constexpr std::array<Mode, 3> modes = {{{62.35, 0.0121, {0.021, 0.034, -0.012}},
                                        {118.72, 0.0083, {0.017, -0.011, 0.026}},
                                        {203.46, 0.0147, {-0.009, 0.023, 0.019}}}};
struct Point {
  int node;
  double x, y, z;
};
constexpr std::array<Point, 4> points = {
    {{1, 0, 0, 0.9}, {2, 0.62, 0, 0.9}, {3, 0.62, 0.44, 0.9}, {4, 0, 0.44, 1.35}}};

double force(double t) {
  double f = 0;
  for (int b = 0; b < blows; ++b) {
    const double tau = t - (b * blow_every + blow_at[static_cast<std::size_t>(b)]);
    if (tau > 0 && tau < blow_width)
      f +=
          blow_peak[static_cast<std::size_t>(b)] * std::pow(std::sin(std::numbers::pi * tau / blow_width), 2);
  }
  return f;
}

/// q'' + 2 z w q' + w^2 q = f by complex pole s: z' = s z + f, q = Im(z) / wd. Over a step h with f running
/// straight from f0 to f1: z1 = e z0 + f0 (A - B) + f1 B, A = (e - 1)/s, B = (e - 1 - s h)/(s^2 h).
std::vector<double> acceleration(const Mode& mode) {
  const double w = two_pi * mode.frequency_hz, wd = w * std::sqrt(1 - mode.damping * mode.damping);
  const std::complex<double> s(-mode.damping * w, wd);
  const double h = 1 / (tap_rate * fine);
  const std::complex<double> e = std::exp(s * h), a = (e - 1.0) / s, b = (e - 1.0 - s * h) / (s * s * h);
  std::complex<double> z = 0;
  double before = force(0);
  std::vector<double> out;
  for (std::size_t n = 0; n < tap_samples * fine; ++n) {
    const double now = force(static_cast<double>(n) * h);
    if (n > 0) z = e * z + before * (a - b) + now * b;
    before = now;
    if (n % fine != 0) continue;
    // q'' = f - 2 z w q' - w^2 q with q = Im(z)/wd, q' = Im(s z)/wd.
    out.push_back(now - 2 * mode.damping * w * std::imag(s * z) / wd - w * w * std::imag(z) / wd);
  }
  return out;
}

std::string axis(int kind, int length, int force_exponent, const char* label, const char* unit) {
  return fmt::format("{:10d}{:5d}{:5d}{:5d} {:<20} {:<20}\n", kind, length, force_exponent, 0, label, unit);
}

std::string function(int number, const char* name, int node, bool is_force,
                     const std::vector<double>& values) {
  std::string bytes;
  for (const double v : values) {
    const auto single = static_cast<float>(v);
    bytes.append(reinterpret_cast<const char*>(&single), 4);
  }
  std::string out = "    -1\n" + fmt::format("    58b{:6d}{:6d}{:12d}{:12d}{:6d}{:6d}{:12d}{:12d}\n", 1, 2,
                                             11, bytes.size(), 0, 0, 0, 0);
  out += fmt::format("{}\nfork, impact test, five blows\n03-NOV-26 20:31:40\nNONE\nNONE\n", name);
  out += fmt::format("{:5d}{:10d}{:5d}{:10d} {:<10}{:10d}{:4d} {:<10}{:10d}{:4d}\n", 1, number, 1, 0, "FORK",
                     node, 3, "NONE", 0, 0);
  out += fmt::format("{:10d}{:10d}{:10d}{:13.5e}{:13.5e}{:13.5e}\n", 2, values.size(), 1, 0.0, 1 / tap_rate,
                     0.0);
  out += axis(17, 0, 0, "Time", "s");
  out += is_force ? axis(13, 0, 1, "Force", "N") : axis(12, 1, 0, "Acceleration", "m/s^2");
  out += axis(0, 0, 0, "NONE", "NONE") + axis(0, 0, 0, "NONE", "NONE");
  return out + bytes + "\n    -1\n";
}

}  // namespace

std::string tap_file() {
  std::string out = "    -1\n    15\n";
  for (const Point& p : points)
    out += fmt::format("{:10d}{:10d}{:10d}{:10d}{:13.5e}{:13.5e}{:13.5e}\n", p.node, 0, 0, 8, p.x, p.y, p.z);
  out += "    -1\n";
  std::vector<double> hammer;
  Noise noise(41);
  for (std::size_t n = 0; n < tap_samples; ++n)
    hammer.push_back(force(static_cast<double>(n) / tap_rate) + 0.02 * noise());
  out += function(1, "hammer", 1, true, hammer);
  std::vector<std::vector<double>> answers;
  for (const Mode& mode : modes) answers.push_back(acceleration(mode));
  for (int p = 0; p < 3; ++p) {
    std::vector<double> x;
    for (std::size_t n = 0; n < tap_samples; ++n) {
      double sum = 0.002 * noise();
      for (std::size_t m = 0; m < modes.size(); ++m)
        sum += modes[m].shape[static_cast<std::size_t>(p)] * answers[m][n];
      x.push_back(sum);
    }
    out += function(p + 2, fmt::format("fork {}", p + 1).c_str(), p + 2, false, x);
  }
  return out;
}

std::string tap_truth() {
  std::string out = fmt::format(
      "\n## tap-test.uff\n\n- Universal file, nodes (data set 15) and four functions (58b, single "
      "precision): hammer force "
      "at node 1 and three accelerations at nodes 2 to 4, all in +Z, {} samples at {:g} Hz.\n- {} blows, "
      "sin^2 pulses of "
      "{:g} ms; noise 0.02 N and 0.002 m/s^2 RMS.\n\n| mode | frequency (Hz) | damping ratio | fork 1 | fork "
      "2 | fork 3 "
      "|\n|---|---|---|---|---|---|\n",
      tap_samples, tap_rate, blows, 1e3 * blow_width);
  for (std::size_t m = 0; m < modes.size(); ++m)
    out += fmt::format("| {} | {:g} | {:g} | {:g} | {:g} | {:g} |\n", m + 1, modes[m].frequency_hz,
                       modes[m].damping, modes[m].shape[0], modes[m].shape[1], modes[m].shape[2]);
  return out +
         "\nResidues in (m/s^2)/N: acceleration over force is the sum of -w^2 r / (w_m^2 - w^2 + 2 i d w "
         "w_m).\n";
}

}  // namespace vprism::demo
