// span_cautions.h: what is asked for and is not there.
#pragma once

#include <vector>

#include "frame/analysis_options.h"

namespace vprism {

/// One caution for each span that reaches beyond what a channel's rate leaves.
std::vector<Caution> span_cautions(const AnalysisSettings& settings, const Recording& recording);

}  // namespace vprism
