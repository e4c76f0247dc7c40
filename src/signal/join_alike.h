// join_alike.h: what both ways of joining ask of the files, and when they began.
#pragma once

#include <memory>
#include <vector>

#include "signal/source.h"

namespace vprism {

using JoinedSources = std::vector<std::unique_ptr<SampleSource>>;

/// Resolves all; Error(analysis) unless they have one kind of axis and rate. `stamps`: whether uneven ones
/// will do.
void require_alike(JoinedSources& sources, bool stamps);

/// Cautions of all parts, each under its file's name.
void gather_cautions(const JoinedSources& sources, Recording& joined);

/// Seconds from the first file's time 0 to each one's first sample: by absolute clocks where all have them.
struct JoinedStarts {
  bool dated = false;
  std::vector<double> at_s;
};
JoinedStarts starts_of(const JoinedSources& sources);

/// "2.5 ms (5 samples)".
std::string span_of_samples(double samples, double interval_s);

}  // namespace vprism
