// bus_frames.h: logs of frames on a vehicle's or a machine's bus, one in each line.
#pragma once

#include <string_view>

#include "formats/text/cells/keyed_lines.h"

namespace vprism {

/// "(1436509052.249713) can0 123#DEADBEEF", or "(0.002) can0 123 [4] DE AD BE EF": the time in seconds, and
/// "channel", the identifier, and each byte, "byte 1"; empty where the line is anything else,
/// a frame without data among them.
KeyedLine bus_frame_of(std::string_view line);

}  // namespace vprism
