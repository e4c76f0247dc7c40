// report.h: what `modulation` measures of a recording, and how that is reported.
#pragma once

#include "commands/shared/each_input.h"
#include "identify/swings/modulation.h"
#include "transform/bands/carrier_band.h"

namespace vprism {

struct ChannelModulation {
  CarrierBand band;
  Demodulated series;
  Modulation measured;
  double cut_sidebands = 0;  ///< Share of a deviation.
};

struct ModulationResult {
  InputFacts facts;
  std::vector<ChannelModulation> channels;
};

/// Cautions of a channel: what its span cuts off, jumps near its ends, a carrier that drops.
void warn_of_modulation(ModulationResult& result, std::size_t c);
/// For the terminal, in the document, a jump as a finding, and drawn: `c` is the channel's number.
std::string modulation_text(const ModulationResult& result, std::size_t c);
Json modulation_json(const ModulationResult& result, std::size_t c);
Finding jump_finding(const Recording& r, std::size_t c, const Jump& jump, double start_s);
Figure modulation_figure(const ModulationResult& result, std::size_t c);

}  // namespace vprism
