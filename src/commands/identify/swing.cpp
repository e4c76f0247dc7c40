// swing.cpp: what is reported of a carrier whose frequency swings.
#include <fmt/format.h>

#include "base/units/quantity.h"
#include "commands/identify/identify.h"

namespace vprism {

Finding report_swing(const Recording& r, const ChannelSpectrum& c, const FrequencySwing& swing) {
  const Modulation& course = swing.course;
  Finding f;
  f.kind = "frequency-modulated";
  f.recording = r.file, f.channel = c.channel.name, f.unit = c.channel.unit.label();
  f.frequency_hz = course.carrier_hz, f.frequency_std_hz = course.carrier_std_hz;
  f.level_rms = swing.rms;
  f.text = fmt::format("a carrier at {}, {} RMS, whose frequency moves between {} and {}",
                       format_uncertain(course.carrier_hz, course.carrier_std_hz, "Hz"),
                       format_quantity(swing.rms, f.unit, 4), format_quantity(course.lowest_hz, "Hz", 5),
                       format_quantity(course.highest_hz, "Hz", 5));
  f.evidence = {
      fmt::format("its amplitude {}scatters by {:.2g}% (noise: 52%), and yet no line of the spectrum "
                  "holds more than {:.2g}% of the power",
                  course.amplitude.empty() ? "" : "beside its swings ", 100 * swing.fluctuation,
                  100 * swing.greatest_line)};
  f.numbers = {
      {"low_hz", course.lowest_hz}, {"high_hz", course.highest_hz}, {"amplitude_scatter", swing.fluctuation}};
  for (std::size_t i = 0; i < course.frequency.size() && i < 3; ++i) {
    const Swing& s = course.frequency[i];
    f.text += fmt::format(", swinging by ±{} at {} ({})", format_uncertain(s.peak, s.peak_std, "Hz"),
                          format_uncertain(s.rate_hz, s.rate_std_hz, "Hz"), s.shape);
    const std::string name = fmt::format("swing_{}", i + 1);
    f.numbers.emplace_back(name + "_rate_hz", s.rate_hz);
    f.numbers.emplace_back(name + "_rate_std_hz", s.rate_std_hz);
    f.numbers.emplace_back(name + "_deviation_hz", s.peak);
    f.numbers.emplace_back(name + "_deviation_std_hz", s.peak_std);
  }
  for (std::size_t i = 0; i < course.amplitude.size() && i < 3; ++i) {
    const Swing& s = course.amplitude[i];
    f.text += fmt::format("{} {} at {} ({})", i == 0 ? ", its amplitude by" : ",",
                          format_uncertain(100 * s.peak / course.level, 100 * s.peak_std / course.level, "%"),
                          format_uncertain(s.rate_hz, s.rate_std_hz, "Hz"), s.shape);
    const std::string name = fmt::format("am_{}", i + 1);
    f.numbers.emplace_back(name + "_rate_hz", s.rate_hz);
    f.numbers.emplace_back(name + "_rate_std_hz", s.rate_std_hz);
    f.numbers.emplace_back(name + "_depth", s.peak / course.level);
    f.numbers.emplace_back(name + "_depth_std", s.peak_std / course.level);
  }
  for (std::size_t i = 0; i < course.jumps.size() && i < 3; ++i)
    f.evidence.push_back(fmt::format(
        "it jumps by {} at {}", format_uncertain(course.jumps[i].step_hz, course.jumps[i].step_std_hz, "Hz"),
        format_quantity(r.axis.start + course.jumps[i].time_s, "s", 6)));
  f.evidence.push_back(fmt::format(
      "what swings, drift and jumps leave of the course of its frequency: {} RMS; modulation shows it",
      format_quantity(course.frequency_noise_hz, "Hz", 3)));
  f.evidence.push_back(
      fmt::format("lines from {} to {} of less than a hundredth of its level are taken for its sidebands",
                  format_quantity(swing.band_low_hz, "Hz", 4), format_quantity(swing.band_high_hz, "Hz", 4)));
  return f;
}

}  // namespace vprism
