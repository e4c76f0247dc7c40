// strongest-line: the strongest line of a made-up signal, with its uncertainty, by the core library alone.
#include <cstdio>

#include "generate/generator.h"
#include "identify/lines/peaks.h"
#include "transform/spectra/spectrum_estimator.h"

int main() {
  using namespace vprism;
  GeneratorSettings made;
  made.channels = {parse_channel_description("mast (m/s^2): tone 31.2Hz 0.5 + white 1e-3")};
  made.rate_hz = 4096;
  made.samples = 40960;
  const auto source = make_generator(made);

  SpectrumSettings settings;
  settings.resolution_hz = 0.5;
  SpectrumEstimator estimator(plan_spectrum(settings, made.samples, made.rate_hz), settings);
  Block block = source->make_block();
  while (source->read(block) > 0) estimator.add(block);

  const PeakSearch found = find_peaks(estimator.result().front());
  if (found.peaks.empty()) return 1;
  const Peak& line = found.peaks.front();
  std::printf("%.4f Hz +- %.4f Hz, %.4f m/s^2 RMS\n", line.frequency_hz, line.frequency_std_hz, line.rms);
}
