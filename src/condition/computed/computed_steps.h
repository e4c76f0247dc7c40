// computed_steps.h: computed channels in which steps of the chain stand as functions: lowpass(x, 2 kHz),
// integrate("motor current"), rms(a - b, 125 ms). Each call becomes a channel of its own on the way, which is
// not handed on.
#pragma once

#include "condition/chain.h"
#include "condition/computed/computed.h"

namespace vprism {

/// The stages that the rules come to, in order. `channels` as for make_compute_stage. Throws Error(usage).
Chain make_compute_stages(std::vector<ComputeRule> rules, std::vector<std::string> channels);

}  // namespace vprism
