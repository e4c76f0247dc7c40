// beat.cpp: laser-beat.sigmf-*. The guide laser's beat note at 80 MHz, mixed down: the mirror's motion shifts
// its frequency to and fro, and once the laser hops to another mode.
#include <fmt/format.h>

#include <algorithm>

#include "recordings.h"

namespace vprism::demo {

namespace {

constexpr double carrier_hz = 80e6, beat_rate = 200e3, offset_hz = 4.2e3, hop_at = 0.62, hop_hz = 17.5e3;
constexpr double cooler_hz = 31.2, cooler_deviation = 9e3, fan_hz = 24.3, fan_deviation = 1.5e3, noise = 0.02,
                 level = 0.6;
constexpr std::size_t beat_samples = 200000;

}  // namespace

std::vector<DemoFile> beat_files() {
  Noise dice(93);
  std::string data;
  double phase = 0.3;
  for (std::size_t n = 0; n < beat_samples; ++n) {
    const double t = static_cast<double>(n) / beat_rate;
    for (const double part : {std::cos(phase), std::sin(phase)}) {
      const double value = std::round(32768 * (level * part + noise * dice()));
      const auto stored = static_cast<std::int16_t>(std::clamp(value, -32768.0, 32767.0));
      data += static_cast<char>(stored & 0xFF);
      data += static_cast<char>((stored >> 8) & 0xFF);
    }
    const double f = offset_hz + cooler_deviation * std::sin(two_pi * cooler_hz * t) +
                     fan_deviation * std::sin(two_pi * fan_hz * t + 1) + (t >= hop_at ? hop_hz : 0);
    phase = std::fmod(phase + two_pi * f / beat_rate, two_pi);
  }
  const std::string meta = fmt::format(
      "{{\n  \"global\": {{\n    \"core:datatype\": \"ci16_le\",\n    \"core:sample_rate\": {:g},\n    "
      "\"core:version\": "
      "\"1.0.0\",\n    \"core:num_channels\": 1,\n    \"core:description\": \"guide laser beat note, mirror "
      "in "
      "motion\",\n    \"core:author\": \"Tern Point observatory\",\n    \"core:license\": \"CC0\"\n  }},\n  "
      "\"captures\": [\n    "
      "{{\n      \"core:sample_start\": 0,\n      \"core:frequency\": {:.1f},\n      \"core:datetime\": "
      "\"2026-11-03T22:05:00.000Z\"\n    }}\n  ],\n  \"annotations\": []\n}}\n",
      beat_rate, carrier_hz);
  return {{"laser-beat.sigmf-meta", meta}, {"laser-beat.sigmf-data", data}};
}

std::string beat_truth() {
  return fmt::format(
      "\n## laser-beat.sigmf-meta, laser-beat.sigmf-data\n\n- Complex 16-bit samples, {:g} kHz, {} of them, "
      "around {:g} MHz.\n- "
      "Frequency {:g} kHz above the centre, shifted by +-{:g} kHz at {:g} Hz (cooler) and +-{:g} kHz at {:g} "
      "Hz (fan); at {:g} s it "
      "jumps up by {:g} kHz.\n- Level {:g} of full scale, noise {:g} RMS in each part.\n",
      beat_rate / 1e3, beat_samples, carrier_hz / 1e6, offset_hz / 1e3, cooler_deviation / 1e3, cooler_hz,
      fan_deviation / 1e3, fan_hz, hop_at, hop_hz / 1e3, level, noise);
}

}  // namespace vprism::demo
