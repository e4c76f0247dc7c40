// finish.h: what is made of a channel's spectrum once its peaks are known.
#pragma once

#include "commands/spectrum/spectrum.h"

namespace vprism {

/// Phases of the peaks, the span asked for, another quantity, as many peaks as asked for, bands.
void finish_channel(ChannelSpectrum& c, const AnalysisSettings& settings, const Recording& recording);

/// Sines fitted to the stamps, channel by channel.
SpectrumResult compute_by_stamps(Input& input, const AnalysisSettings& settings, const Progress& progress);

}  // namespace vprism
