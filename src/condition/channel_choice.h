// channel_choice.h: which channels are handed on, and in which order.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "condition/stage.h"

namespace vprism {

/// Leaves out the channels named `hidden`, puts those of `last` behind the others in that order, and hands on
/// what `channels` names of them (empty: all).
std::unique_ptr<Stage> make_choice_stage(std::vector<std::string> last, std::vector<std::string> hidden,
                                         std::vector<std::string> channels);

}  // namespace vprism
