// transmission_report.h: a recording over another one: ratio, delay, usable band, and what follows of a slab.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "commands/response/transfer_response.h"
#include "commands/shared/input.h"
#include "identify/responses/transmission.h"

namespace vprism {

struct ComparedChannel {
  std::string name;
  Unit unit;         ///< Of the ratio.
  Unit sample_unit;  ///< Of the sample's channel.
  Transmission ratio;
  std::optional<SlabFigures> slab;
};

struct TransmissionResult {
  InputFacts sample, reference;
  std::vector<ComparedChannel> channels;
  std::vector<Caution> cautions;
  std::optional<double> thickness_m;
};

/// Channels of the same name, or the only ones of each, put on even grids where they are not, on their own
/// times. Throws Error(usage) where none go together.
TransmissionResult compute_transmission(Input& sample, Input& reference, std::optional<double> thickness_m,
                                        const Progress& progress);

void report_transmission(const TransmissionResult& result, const TransferSettings& settings,
                         Delivery& delivery);
std::string transmission_csv(const TransmissionResult& result);
Figure transmission_figure(const TransmissionResult& result);

}  // namespace vprism
