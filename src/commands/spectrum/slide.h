// slide.h: the spectrum of a gate that is moved along the record.
#pragma once

#include "base/error.h"
#include "commands/spectrum/spectrum.h"

namespace vprism {

/// `spectrum --gate A..B --slide STEP`: a spectrum at each place of the gate, and which levels change.
Status run_slide(const std::vector<std::string>& files, const SpectrumTaskSettings& task,
                 const Json& settings);

}  // namespace vprism
