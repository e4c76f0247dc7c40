// excitation.h: ratios from a record that is one excitation, a transient, a step or an impulse.
#pragma once

#include <vector>

#include "identify/response.h"

namespace vprism {

/// Whether a record moves once, within a short time, from one level to another.
bool looks_like_step(const std::vector<double>& x, double rate_hz);

/// One transform of each channel, no window: exact where all has died away within the record. With
/// `differences`, of those from sample to sample: a step that stays is then a pulse, and the ratio the same.
CrossSpectra whole_record_spectra(const std::vector<std::vector<double>>& columns,
                                  const std::vector<std::size_t>& references, double rate_hz,
                                  bool differences);

/// The channels are impulse responses: their transforms, times the interval, are the ratios.
ResponseSet responses_of_impulses(const std::vector<std::vector<double>>& columns, double rate_hz);

}  // namespace vprism
