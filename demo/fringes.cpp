// fringes.cpp: fringe-scan.txt. A detector sees white light through the survey filter and an interferometer
// whose stage moves; the pattern is the Fourier integral of the filter's pass band over the delay 2 x / c.
#include <fmt/format.h>

#include "recordings.h"

namespace vprism::demo {

namespace {

constexpr double low_thz = 428, high_thz = 487, edge_thz = 0.8, ripple_depth = 0.06, ripple_thz = 7.5;
constexpr double first_um = -42, last_um = 42, mean_step_um = 0.05,
                 light = 299.792458;  // um per ps, THz * um

/// Transmission against frequency: two edges, and the ripple of a thin film.
double transmission(double thz) {
  const double rise = 1 / (1 + std::exp(-(thz - low_thz) / edge_thz));
  const double fall = 1 / (1 + std::exp((thz - high_thz) / edge_thz));
  return rise * fall * (1 + ripple_depth * std::cos(two_pi * thz / ripple_thz));
}

}  // namespace

std::string fringe_file() {
  // The integral by the trapezium rule, fine enough for the longest delay.
  constexpr double step = 0.1;
  std::vector<double> frequency, weight;
  double all = 0;
  for (double f = 415; f <= 500; f += step) {
    frequency.push_back(f);
    weight.push_back(transmission(f));
    all += weight.back();
  }
  Noise noise(77);
  std::string out =
      "Survey filter r', white light\n"
      "Detector gain   1e5 V/A\n"
      "Scan            forth\n"
      "\n"
      "  Stage position      Detector\n"
      "              um             V\n";
  for (double x = first_um; x < last_um;) {
    const double delay_ps = 2 * x / light;
    double sum = 0;
    for (std::size_t k = 0; k < frequency.size(); ++k)
      sum += weight[k] * std::cos(two_pi * frequency[k] * delay_ps);
    out += fmt::format("{:16.4f}{:14.5f}\n", x, 1.2 * (1 + sum / all) + 0.0008 * noise());
    // The stage sticks and slips: no step is like the other.
    x += mean_step_um * (0.6 + 0.8 * noise.uniform());
    x = std::round(x * 1e4) / 1e4;
  }
  return out + "\nend of scan\n";
}

std::string fringe_truth() {
  return fmt::format(
      "\n## fringe-scan.txt\n\n- Blank-aligned text: stage position in um at uneven steps of about {:g} um, "
      "detector in V; the "
      "light path is twice the stage's, so that time = 2 x / c (`--delay-line um`).\n- Pass band from {:g} "
      "to {:g} THz (half "
      "height; edges {:g} THz wide as a logistic), ripple of {:g} % with a period of {:g} THz, noise 0.8 mV "
      "RMS.\n",
      mean_step_um, low_thz, high_thz, edge_thz, 100 * ripple_depth, ripple_thz);
}

}  // namespace vprism::demo
