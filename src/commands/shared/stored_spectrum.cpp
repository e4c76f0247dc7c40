// stored_spectrum.cpp: see stored_spectrum.h.
#include "commands/shared/stored_spectrum.h"

#include <cmath>

#include "base/error.h"

namespace vprism {

bool holds_spectra(Input& input) {
  input.road().resolve();
  return input.road().recording().axis.domain == Axis::Domain::frequency;
}

std::vector<StoredSpectrum> read_stored_spectra(Input& input) {
  input.road().resolve();
  const Recording recording = input.road().recording();
  if (recording.samples > (std::int64_t{1} << 26))
    throw Error(Status::analysis,
                recording.file + ": a spectrum of more than 2^26 lines; export a part of it");
  const std::size_t count = recording.channels.size();
  std::vector<StoredSpectrum> out(count);
  double last = -1e300;
  input.road().run([&](Block& block) {
    for (std::size_t n = 0; n < block.size(); ++n) {
      const double at =
          block.stamped()
              ? block.stamps()[n]
              : recording.axis.start + recording.axis.interval *
                                           static_cast<double>(block.first() + static_cast<std::int64_t>(n));
      const double hz = recording.axis.unit.convert(at, Unit::parse("Hz"));
      if (!(hz > last))
        throw Error(Status::analysis, recording.file + ": the frequencies do not rise; sort the table");
      last = hz;
      for (std::size_t c = 0; c < count; ++c) {
        if (std::isnan(block.samples(c)[n])) continue;
        out[c].hz.push_back(hz);
        out[c].value.emplace_back(block.samples(c)[n], block.complex() ? block.imaginary(c)[n] : 0);
        out[c].level.push_back(block.complex() ? std::abs(out[c].value.back()) : block.samples(c)[n]);
      }
    }
  });
  for (std::size_t c = 0; c < count; ++c) {
    out[c].facts = input.facts();
    out[c].channel = recording.channels[c];
  }
  return out;
}

}  // namespace vprism
