// keyed_lines.h: lines that name each of their values.
#pragma once

#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace vprism {

/// Names and what stands behind them, in the line's order.
using KeyedLine = std::vector<std::pair<std::string, std::string>>;

/// "t=0.01 x=1.5", "t: 0.01, x: 1.5", a date and words in front as logs have them, and "rig,hall=2 temp=20.5
/// 1465839830100400200"; empty where the line is anything else.
KeyedLine pairs_of(std::string_view line);
/// An object of numbers and texts, with objects and short lists within; empty where the line is anything
/// else.
KeyedLine object_of(std::string_view line);

}  // namespace vprism
