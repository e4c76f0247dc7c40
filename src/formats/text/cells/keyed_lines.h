// keyed_lines.h: lines that name each of their values.
#pragma once

#include <optional>
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

/// A date with a time of day at the head of a line, as logs of systems have it: its text, and what stands
/// behind: "Mar  5 10:00:01 host logger[312]: x=1", with or without a year.
struct StampedLine {
  std::string_view stamp, rest;
};
std::optional<StampedLine> stamp_in_front(std::string_view line);

}  // namespace vprism
