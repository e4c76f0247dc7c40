// recordings.h: the makers of single recordings of the demo case, each with its paragraph of TRUTH.md.
#pragma once

#include <cmath>
#include <cstdint>
#include <numbers>
#include <random>
#include <string>
#include <vector>

#include "tern_point.h"

namespace vprism::demo {

inline constexpr double two_pi = 2 * std::numbers::pi;

/// Normal deviates by Box and Muller: std::normal_distribution differs between libraries.
class Noise {
 public:
  explicit Noise(std::uint64_t seed) : bits_(seed) {}
  double operator()() {
    const double radius = std::sqrt(-2 * std::log(uniform()));
    return radius * std::cos(two_pi * uniform());
  }
  double uniform() { return (static_cast<double>(bits_() >> 11) + 0.5) / 9007199254740992.0; }

 private:
  std::mt19937_64 bits_;
};

/// Circuit simulation of the servo amplifier: an operating point and a transient with a variable time step.
std::string amplifier_file();
std::string amplifier_truth();
/// Five blows on the fork: force and three responses.
std::string tap_file();
std::string tap_truth();
/// White-light fringe scan of the survey filter.
std::string fringe_file();
std::string fringe_truth();
/// The guide laser's beat note, complex baseband.
std::vector<DemoFile> beat_files();
std::string beat_truth();

/// The drive's run-up, with a tachometer.
std::string slew_file();
std::string slew_truth();
/// The pier's tilt: two bumps of the dome's shutter. The samples in microradian.
std::vector<double> dome_samples();
inline constexpr double dome_rate = 16;
std::string dome_truth();

/// The mirror cell seen by a scanning vibrometer.
std::string cell_truth();

/// Channels as a WAV file of floats, with their names.
std::string sound_file(const std::vector<std::string>& names,
                       const std::vector<std::vector<double>>& channels, int rate);

/// The line-up, and the limit line for the acceleration of the mirror cell.
std::string suspects_file();
std::string case_file();
std::string limit_file();

}  // namespace vprism::demo
