// host.h: the machine's name.
#pragma once

#include <string>

namespace vprism {

std::string host_name();

}  // namespace vprism
