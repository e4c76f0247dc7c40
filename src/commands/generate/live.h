// live.h: a made-up signal sent at its true rate: a stand-in for a device.
#pragma once

#include <string>

#include "condition/road.h"

namespace vprism {

/// Sends the road's blocks as their time comes, to standard output ("stdout") or to whoever connects to
/// 127.0.0.1 at a port ("tcp:PORT"; 0 takes a free one, told on standard error). Text lines with a time
/// column or, with `binary`, frames of numbers of that type ("f32", "f64", "i16", ...). Ends when all is sent
/// or the other side goes away. Throws Error(usage) for another place, Error(output) when it can't listen.
void send_live(Road& road, const std::string& where, const std::string& binary);
/// Throws Error(usage).
void check_live(const std::string& where);

}  // namespace vprism
