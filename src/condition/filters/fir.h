// fir.h: linear-phase filters without feedback: design, and running them centred, so that nothing is delayed.
#pragma once

#include <complex>
#include <functional>
#include <memory>
#include <vector>

#include "condition/column.h"

namespace vprism {

/// Kaiser's parameter for a stop band `attenuation_db` down (Kaiser 1974).
double kaiser_beta(double attenuation_db);
/// Number of taps, one more than a multiple of 8, for a transition `width` wide (in cycles per sample).
std::size_t kaiser_taps(double attenuation_db, double width);
/// Kaiser's window at u = -1 .. 1.
double kaiser_window(double beta, double u);

/// Windowed ideal low pass with its -6 dB point at `cutoff` cycles per sample; taps odd, gain 1 at 0.
std::vector<double> lowpass_taps(double cutoff, std::size_t taps, double attenuation_db);

/// Real gain of symmetrical taps (odd count) at `cycles` per sample, the centre taken as time 0.
double centred_gain(const std::vector<double>& taps, double cycles);

/// Symmetrical taps whose gain follows `gain(cycles per sample)`, 0 to 0.5, by windowed frequency sampling.
/// Even counts are centred half a sample off, and have no gain at 0.5.
std::vector<double> taps_from_gain(const std::function<double(double)>& gain, std::size_t taps, double beta);

/// Runs taps of odd length 2 H + 1 centred on every `step`-th sample: as many samples come out as go in (or
/// one for each `step` of them, begun or not), none delayed. Ends are continued by odd reflection, so that
/// levels and slopes go on. A missing sample makes H around it missing. Long filters at step 1 run by
/// overlapped transforms.
std::unique_ptr<ColumnWorker> make_centred_fir(std::vector<double> taps, std::size_t step = 1);

/// Two samples for each, the first at its time, by taps of odd length 4 H + 1 at the doubled rate.
std::unique_ptr<ColumnWorker> make_doubling_fir(std::vector<double> taps);

}  // namespace vprism
