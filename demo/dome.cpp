// dome.cpp: dome-tilt.h5. The pier's tilt over 25 minutes: slow drift, wind, and two bumps of the dome's
// shutter as it starts and as it seats.
#include <fmt/format.h>

#include <array>

#include "formats/writer.h"
#include "recordings.h"
#include "signal/source.h"

namespace vprism::demo {

namespace {

constexpr std::size_t dome_count = 24000;
constexpr double wind_rms = 0.25, wind_corner_hz = 0.02, tilt_noise = 0.01;

struct Bump {
  const char* what;
  double at_s, hz, half_width_s, peak;  ///< Width at half height, level in microradian.
};
constexpr std::array<Bump, 2> bumps = {
    {{"shutter starts", 702, 0.27, 10, 0.8}, {"shutter seats", 722, 0.5, 5, 0.6}}};

}  // namespace

std::vector<double> dome_samples() {
  Noise dice(57);
  std::vector<double> out;
  const double keep = std::exp(-two_pi * wind_corner_hz / dome_rate);
  double wind = wind_rms * dice();
  for (std::size_t n = 0; n < dome_count; ++n) {
    const double t = static_cast<double>(n) / dome_rate;
    wind = keep * wind + std::sqrt(1 - keep * keep) * wind_rms * dice();
    double tilt = 3 + 4e-3 * t + 2 * std::sin(two_pi * t / 2400 + 0.4) + wind + tilt_noise * dice();
    for (const Bump& b : bumps) {
      const double u = (t - b.at_s) / b.half_width_s;
      tilt += b.peak * std::exp(-4 * std::log(2.0) * u * u) * std::cos(two_pi * b.hz * (t - b.at_s));
    }
    out.push_back(tilt);
  }
  return out;
}

void write_dome_tilt(const std::string& hdf5) {
  Recording recording;
  recording.file = "dome-tilt";
  recording.channels = {{"pier tilt", Unit::parse("urad"), "angle"}};
  recording.axis.interval = 1 / dome_rate;
  recording.axis.source = "file header";
  recording.samples = static_cast<std::int64_t>(dome_count);
  MemorySource source(recording, {dome_samples()});
  WriteSettings settings;
  settings.numbers = "f32";
  const auto writer = write_hdf5({hdf5}, recording, settings);
  Block block = source.make_block();
  while (source.read(block) > 0) writer->add(block);
  writer->finish();
}

std::string dome_truth() {
  std::string out = fmt::format(
      "\n## dome-tilt.h5\n\n- One tiltmeter, {:g} Hz, {} samples; slow drift, wind (first-order, corner {:g} "
      "Hz, {:g} "
      "urad RMS) and white noise of {:g} urad RMS.\n\n| bump | middle (s) | pitch (Hz) | width at half "
      "height (s) "
      "| peak (urad) | half its level from (s) | to (s) | half its level from (Hz) | to (Hz) "
      "|\n|---|---|---|---|---|---|---|---|---|\n",
      dome_rate, dome_count, wind_corner_hz, wind_rms, tilt_noise);
  // A Gauss bump of width T at half height has a spectrum 4 ln 2 / (pi T) wide at half height.
  for (const Bump& b : bumps) {
    const double half = 2 * std::log(2.0) / (std::numbers::pi * b.half_width_s);
    out += fmt::format("| {} | {:g} | {:g} | {:g} | {:g} | {:g} | {:g} | {:.3f} | {:.3f} |\n", b.what, b.at_s,
                       b.hz, b.half_width_s, b.peak, b.at_s - b.half_width_s / 2, b.at_s + b.half_width_s / 2,
                       b.hz - half, b.hz + half);
  }
  return out;
}

}  // namespace vprism::demo
