// excitation.h: what drives a system, recognised by its record; ratios of a step or an impulse response.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "identify/responses/response.h"

namespace vprism {

/// What drives the reference, and so how ratios are made.
enum class Excitation {
  automatic,
  noise,       ///< Averages over overlapped, windowed segments.
  sweep,       ///< One tone whose frequency moves on: the whole record, see local_ratios.
  multi_sine,  ///< Repeats: averages over whole periods without a window.
  blows,       ///< A hammer: one segment for each blow.
  transient,   ///< Rest, something, rest: the whole record.
  step,        ///< The same of the differences from sample to sample.
  impulse      ///< No reference: the channels are impulse responses themselves.
};
inline const std::vector<std::string> excitation_names = {"auto",  "noise",     "sweep", "multi-sine",
                                                          "blows", "transient", "step",  "impulse"};

/// What a reference's record shows of it.
struct Recognised {
  Excitation kind = Excitation::noise;
  std::size_t period = 0;         ///< Of a multi-sine, in samples.
  double from_hz = 0, to_hz = 0;  ///< Of a sweep: where it begins and ends.
};

/// Step and blows first, then what repeats (three periods or more, alike to 2%), a sweep, a transient; the
/// rest is noise.
Recognised recognise_excitation(const std::vector<double>& x, double rate_hz);

/// Samples after which the record repeats, at least three times; 0: it does not.
std::size_t period_of(const std::vector<double>& x);

/// Whether a record moves once, within a short time, from one level to another.
bool looks_like_step(const std::vector<double>& x, double rate_hz);

/// The channels are impulse responses: their transforms, times the interval, are the ratios.
ResponseSet responses_of_impulses(const std::vector<std::vector<double>>& columns, double rate_hz);

}  // namespace vprism
