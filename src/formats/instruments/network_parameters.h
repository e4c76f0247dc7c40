// network_parameters.h: S, Y, Z, G and H parameters of networks of any number of ports, in the text format of
// the IBIS Open Forum, versions 1 and 2 (.s1p, .s2p, ...).
#pragma once

#include <memory>

#include "formats/format.h"

namespace vprism {

bool recognises_network_parameters(const FileHead& head);
std::unique_ptr<SampleSource> open_network_parameters(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
