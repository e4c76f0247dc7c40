// missing_marks.h: numbers that a file has where a value is missing: -9999, 999.25, 1e30, ...
#pragma once

#include <memory>
#include <vector>

#include "signal/source.h"

namespace vprism {

/// How such numbers are found.
struct MissingMarks {
  bool find = true;           ///< By what stands in the recording.
  std::vector<double> given;  ///< Always missing, in every channel.
};

/// Whether loggers and solvers write this number for "no value": three nines or more with or without a
/// decimal point, -99, x99.25; the fill value of netCDF; 1e20, 1e30, 1e31, 1e35 and the largest float and
/// double; the ends of the whole-number types.
bool may_stand_for_missing(double value);

/// The same recording with those numbers as gaps, in time recordings of real channels: what was given, and
/// what may stand for missing and lies farther from all other values of its channel than ten times their
/// range (at least eight of them differing). A caution for each channel tells which, how often and from where
/// on. One that lies outside, but not so far, and stands there twice or more, is only pointed out. The whole
/// recording is surveyed once, as soon as one that may be meant comes by.
std::unique_ptr<SampleSource> with_missing_marks(std::unique_ptr<SampleSource> source, MissingMarks marks);
/// The same for a source that passes by once: what was given alone, as it comes.
std::unique_ptr<SampleSource> with_missing_values(std::unique_ptr<SampleSource> source,
                                                  std::vector<double> given);

}  // namespace vprism
