// identify_swing.cpp: what is reported of a carrier whose frequency swings.
#include <fmt/format.h>

#include "base/quantity.h"
#include "cli/identify.h"

namespace vprism {

Finding report_swing(const Recording& r, const ChannelSpectrum& c, const FrequencySwing& swing) {
  Finding f;
  f.kind = "frequency-modulated";
  f.recording = r.file, f.channel = c.channel.name, f.unit = c.channel.unit.label();
  f.frequency_hz = swing.frequency_hz, f.frequency_std_hz = swing.frequency_std_hz;
  f.level_rms = swing.rms;
  f.text = fmt::format("a carrier at {}, {} RMS, whose frequency ",
                       format_uncertain(swing.frequency_hz, swing.frequency_std_hz, "Hz"),
                       format_quantity(swing.rms, f.unit, 4));
  const bool regular = !swing.parts.empty() && swing.explained > 0.5;
  if (!regular)
    f.text += fmt::format("moves between {} and {}", format_quantity(swing.low_hz, "Hz", 5),
                          format_quantity(swing.high_hz, "Hz", 5));
  for (std::size_t i = 0; i < swing.parts.size() && i < 3 && regular; ++i) {
    const SwingPart& part = swing.parts[i];
    f.text += fmt::format("{}by ±{} at {}",
                          i == 0                        ? "swings "
                          : i + 1 == swing.parts.size() ? " and "
                                                        : ", ",
                          format_uncertain(part.deviation_hz, part.deviation_std_hz, "Hz"),
                          format_uncertain(part.rate_hz, part.rate_std_hz, "Hz"));
  }
  f.evidence = {
      fmt::format("its amplitude scatters by {:.2g}% (noise: 52%), and yet no line of the spectrum "
                  "holds more than {:.2g}% of the power",
                  100 * swing.fluctuation, 100 * swing.greatest_line)};
  if (regular)
    f.evidence.push_back(
        fmt::format("these swings and their multiples make {:.4g}% of the variance of its frequency",
                    100 * swing.explained));
  f.evidence.push_back(
      "the lines of its band are its sidebands; modulation shows the course of its frequency");
  f.numbers = {
      {"low_hz", swing.low_hz}, {"high_hz", swing.high_hz}, {"amplitude_scatter", swing.fluctuation}};
  for (std::size_t i = 0; i < swing.parts.size() && i < 3 && regular; ++i) {
    const std::string name = fmt::format("swing_{}", i + 1);
    f.numbers.emplace_back(name + "_rate_hz", swing.parts[i].rate_hz);
    f.numbers.emplace_back(name + "_rate_std_hz", swing.parts[i].rate_std_hz);
    f.numbers.emplace_back(name + "_deviation_hz", swing.parts[i].deviation_hz);
    f.numbers.emplace_back(name + "_deviation_std_hz", swing.parts[i].deviation_std_hz);
  }
  return f;
}

}  // namespace vprism
