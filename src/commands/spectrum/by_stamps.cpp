// by_stamps.cpp: spectra of samples without an even axis, see finish.h.
#include <cmath>

#include "base/error.h"
#include "commands/spectrum/finish.h"
#include "identify/findings/stamp_lines.h"

namespace vprism {

SpectrumResult compute_by_stamps(Input& input, const AnalysisSettings& settings, const Progress& progress) {
  input.road().resolve();
  const Recording recording = input.road().recording();
  if (recording.axis.domain != Axis::Domain::time || recording.complex || !(recording.axis.interval > 0))
    throw Error(Status::analysis, recording.file + ": --method stamps needs real samples over time");
  if (recording.samples > (std::int64_t{1} << 24))
    throw Error(Status::analysis, recording.file +
                                      ": too many samples to fit sines to one by one; put them on an "
                                      "even grid with --chain regrid");
  std::vector<StampedSamples> samples(recording.channels.size());
  input.road().run(
      [&](Block& block) {
        for (std::size_t c = 0; c < samples.size(); ++c)
          for (std::size_t n = 0; n < block.size(); ++n) {
            if (std::isnan(block.samples(c)[n])) continue;
            samples[c].value.push_back(block.samples(c)[n]);
            samples[c].time_s.push_back(
                block.stamped() ? block.stamps()[n]
                                : recording.axis.start +
                                      recording.axis.interval *
                                          static_cast<double>(block.first() + static_cast<std::int64_t>(n)));
          }
      },
      progress);
  SpectrumResult result{input.facts(), {}, {}};
  result.cautions = result.facts.recording.cautions;
  for (std::size_t c = 0; c < samples.size(); ++c) {
    ChannelSpectrum out{recording.channels[c], {}};
    const SpanRule* const rule = settings.span_of(recording, c);
    try {
      const StampPlan plan =
          plan_stamps(samples[c].time_s, rule != nullptr ? rule->range.low : std::nullopt,
                      rule != nullptr ? rule->range.high : std::nullopt, settings.spectrum.window);
      out.spectrum = stamp_spectrum(samples[c], plan, settings.spectrum.window);
      PeakSearch search = stamp_lines(samples[c], plan, out.spectrum, settings.peaks);
      out.floor = std::move(search.floor);
      out.peaks = std::move(search.peaks);
    } catch (const Error& error) {
      throw Error(error.status(), recording.file + ": " + error.what());
    }
    if (rule != nullptr) out.span = rule->range;
    finish_channel(out, settings, recording);
    result.channels.push_back(std::move(out));
  }
  return result;
}

}  // namespace vprism
