// tern_point.cpp: the signals of the demo case. The tables below are both what is synthesised and what
// TRUTH.md says.
#include "tern_point.h"

#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "generate/generator.h"
#include "recordings.h"

namespace vprism::demo {

namespace {

struct Tone {
  double frequency_hz, peak, phase_deg;
  const char* what;
};

/// A recorded channel: tones, noise, and a resonance that noise drives.
struct Source {
  const char* name;
  const char* unit;
  std::vector<Tone> tones;
  double noise_rms;
  double resonance_rms = 0;
  double offset = 0;
};

constexpr double resonance_hz = 37.1, resonance_damping = 0.012;

/// What `vprism generate` makes of a description.
std::vector<double> made(const std::string& signal, std::size_t samples, double rate, double start_s,
                         std::uint64_t seed) {
  GeneratorSettings settings;
  settings.channels = {{"x", Unit(), signal}};
  settings.rate_hz = rate, settings.start_s = start_s, settings.seed = seed;
  settings.samples = static_cast<std::int64_t>(samples);
  const auto source = make_generator(settings);
  Block block(1, samples);
  source->read(block);
  return {block.samples(0).begin(), block.samples(0).end()};
}

std::vector<double> synthesise(const Source& source, std::size_t samples, double rate, double start_s,
                               std::uint64_t seed, const std::string& more = "") {
  std::string signal;
  if (source.resonance_rms > 0) {
    const auto ringing = [](double density) {
      return fmt::format("white {} > resonator {}Hz damping {}", density, resonance_hz, resonance_damping);
    };
    // The first term has the same noise whatever follows it; its level is set by what it comes to.
    double square = 0;
    for (const double v : made(ringing(1), samples, rate, start_s, seed)) square += v * v;
    signal = ringing(source.resonance_rms / std::sqrt(square / static_cast<double>(samples))) + " + ";
  }
  // Noise of variance s^2 has the density s / sqrt(rate / 2).
  signal += fmt::format("offset {} + white {}", source.offset, source.noise_rms / std::sqrt(rate / 2));
  for (const Tone& tone : source.tones)
    signal += fmt::format(" + tone {}Hz {} phase {}", tone.frequency_hz, tone.peak, tone.phase_deg);
  return made(signal + more, samples, rate, start_s, seed);
}

// --- drive-scope.csv
// -------------------------------------------------------------------------------------------------

constexpr double scope_rate = 1e6, scope_start = -0.01;
constexpr std::size_t scope_samples = 20000;
constexpr double probe = 10;

const std::vector<Source>& scope_sources() {
  static const std::vector<Source> sources = {
      {"phase U",
       "V",
       {{262.0, 36.0, 20, "motor field"},
        {20008.0, 12.0, -35, "switching"},
        {20008.0 - 524.0, 5.0, 70, "switching, lower sideband"},
        {20008.0 + 524.0, 5.0, 130, "switching, upper sideband"},
        {40016.0, 3.0, 10, "switching, second harmonic"}},
       0.05},
      {"motor current",
       "A",
       {{49.98, 0.80, -60, "mains hum"},
        {149.94, 0.25, 15, "mains hum, third harmonic"},
        {249.90, 0.20, 100, "mains hum, fifth harmonic"},
        {349.86, 0.14, -20, "mains hum, seventh harmonic"},
        {20008.0, 0.20, 50, "switching ripple"}},
       0.003},
  };
  return sources;
}

std::string scope_file() {
  std::vector<double> voltage = synthesise(scope_sources()[0], scope_samples, scope_rate, scope_start, 101);
  std::string spikes;
  for (const std::size_t n : {3011u, 7450u, 9120u, 14873u, 18202u})
    spikes += fmt::format(" + impulse {}s {}", scope_start + static_cast<double>(n) / scope_rate,
                          n % 2 == 0 ? 4.5 : -4.5);
  std::vector<double> current =
      synthesise(scope_sources()[1], scope_samples, scope_rate, scope_start, 102, spikes);
  const std::vector<std::string> beside = {"Instrument,Tern Point bench scope,",
                                           "Record length,20000,points",
                                           "Sample interval,1e-06,s",
                                           "Trigger time,0,s",
                                           "phase U coupling,DC,",
                                           "phase U probe,x10,not applied",
                                           "motor current clamp,100 mV/A,applied"};
  std::string out = "Setting,Value,Unit,Time (s),phase U (V),motor current (A)\r\n";
  for (std::size_t n = 0; n < scope_samples; ++n)
    out += fmt::format("{},{:.6f},{:.4f},{:.4f}\r\n", n < beside.size() ? beside[n] : ",,",
                       scope_start + static_cast<double>(n) / scope_rate, voltage[n] / probe, current[n]);
  return out;
}

// --- mount-daq.wav
// ---------------------------------------------------------------------------------------------------

constexpr int daq_rate = 4096;
constexpr std::size_t daq_samples = 24 * daq_rate;
constexpr double daq_sensitivity = 0.1;  // V per m/s^2

const std::vector<Source>& daq_sources() {
  constexpr double cooler = 31.2, fan = 24.3, gear = 412.7, pinion = 6.9;
  static const std::vector<Source> sources = {
      {"mirror cell",
       "m/s^2",
       {{cooler, 0.080, 25, "cooler"},
        {2 * cooler, 0.018, 80, "cooler, second harmonic"},
        {fan, 0.012, 140, "fan"},
        {7 * fan, 0.020, -75, "fan, 7 blades"},
        {gear, 0.006, 33, "gear mesh"},
        {gear - pinion, 0.003, 90, "gear mesh, lower sideband"},
        {gear + pinion, 0.003, -30, "gear mesh, upper sideband"}},
       0.001,
       0.015},
      {"fork",
       "m/s^2",
       {{cooler, 0.030, -150, "cooler"},
        {fan, 0.009, 60, "fan"},
        {7 * fan, 0.014, 10, "fan, 7 blades"},
        {gear, 0.025, 0, "gear mesh"},
        {gear - pinion, 0.011, 45, "gear mesh, lower sideband"},
        {gear + pinion, 0.011, -45, "gear mesh, upper sideband"}},
       0.001,
       0.012},
      {"pier",
       "m/s^2",
       {{cooler, 0.004, 5, "cooler"}, {fan, 0.015, -100, "fan"}, {7 * fan, 0.003, 120, "fan, 7 blades"}},
       0.001,
       0.002},
      {"cryocooler head",
       "m/s^2",
       {{cooler, 0.900, 0, "cooler"},
        {2 * cooler, 0.240, 60, "cooler, second harmonic"},
        {3 * cooler, 0.110, -60, "cooler, third harmonic"},
        {4 * cooler, 0.050, 20, "cooler, fourth harmonic"}},
       0.002},
  };
  return sources;
}

std::string daq_file() {
  std::vector<std::vector<double>> channels;
  std::vector<std::string> names;
  for (std::size_t c = 0; c < daq_sources().size(); ++c) {
    channels.push_back(synthesise(daq_sources()[c], daq_samples, daq_rate, 0, 201 + c));
    for (double& x : channels.back()) x *= daq_sensitivity;
    names.push_back(std::string(daq_sources()[c].name) + " [V]");
  }
  return sound_file(names, channels, daq_rate);
}

// --- TRUTH.md
// --------------------------------------------------------------------------------------------------------

std::string tone_rows(const char* recording, const std::vector<Source>& sources) {
  std::string out;
  for (const Source& source : sources)
    for (const Tone& tone : source.tones)
      out +=
          fmt::format("| {} | {} | {} | {:.2f} | {:.6g} | {} | {:g} |\n", recording, source.name, tone.what,
                      tone.frequency_hz, tone.peak / std::numbers::sqrt2, source.unit, tone.phase_deg);
  return out;
}

std::string truth_file() {
  std::string out =
      "# What is in the recordings\n\n"
      "Made with the recordings by the program in this folder; tests hold Vast Prism's findings to it. "
      "Levels are in the physical unit, after\n"
      "calibration. The phase is that of a cosine at time 0 of the recording's own axis.\n\n"
      "Calibration of the recordings:\n\n";
  for (const std::string& rule : calibrations()) out += "- `--calibrate '" + rule + "'`\n";
  out +=
      "\n## Tones\n\n| recording | channel | what | frequency (Hz) | RMS | unit | phase (deg) "
      "|\n|---|---|---|---|---|---|---|\n";
  out += tone_rows("drive-scope.csv", scope_sources()) + tone_rows("mount-daq.wav", daq_sources());
  out += fmt::format(
      "\n## drive-scope.csv\n\n- Oscilloscope, {} points at 1 MS/s from {:g} s; the settings stand beside "
      "the first rows of data.\n- phase U was probed 1:10 and is stored without the factor.\n"
      "- motor current has five spikes of 4.5 A, one sample long, at points 3011, 7450, 9120, 14873 and "
      "18202 (from 0).\n- White noise: {:g} V and {:g} A RMS.\n",
      scope_samples, scope_start, scope_sources()[0].noise_rms, scope_sources()[1].noise_rms);
  out += fmt::format(
      "\n## mount-daq.wav\n\n- Four accelerometers stored in volts, 100 mV per m/s^2, {} Hz, {} samples.\n- "
      "A mount resonance at {:g} Hz, damping ratio {:g} (half-power width {:.2f} Hz), driven by white wind "
      "noise:\n",
      daq_rate, daq_samples, resonance_hz, resonance_damping, 2 * resonance_damping * resonance_hz);
  for (const Source& source : daq_sources())
    if (source.resonance_rms > 0)
      out += fmt::format("  - {}: {:g} {} RMS\n", source.name, source.resonance_rms, source.unit);
  out += "- White noise:\n";
  for (const Source& source : daq_sources())
    out += fmt::format("  - {}: {:g} {} RMS\n", source.name, source.noise_rms, source.unit);
  return out + amplifier_truth() + tap_truth() + fringe_truth() + beat_truth() + slew_truth() + dome_truth() +
         cell_truth();
}

}  // namespace

std::vector<std::string> calibrations() {
  std::vector<std::string> out = {"phase U: probe 10"};
  for (const Source& source : daq_sources())
    out.push_back(std::string(source.name) + ": sensitivity 100 mV/(m/s^2)");
  return out;
}

std::vector<DemoFile> make_files() {
  std::vector<DemoFile> files = {{"drive-scope.csv", scope_file()},
                                 {"mount-daq.wav", daq_file()},
                                 {"amp-sim.raw", amplifier_file()},
                                 {"tap-test.uff", tap_file()},
                                 {"fringe-scan.txt", fringe_file()}};
  for (DemoFile& file : beat_files()) files.push_back(std::move(file));
  files.push_back({"slew-runup.wav", slew_file()});
  files.push_back({"suspects.toml", suspects_file()});
  files.push_back({"jitter-limit.csv", limit_file()});
  files.push_back({"tern-point.toml", case_file()});
  files.push_back({"TRUTH.md", truth_file()});
  return files;
}

}  // namespace vprism::demo
