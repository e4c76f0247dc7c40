// axis_words.h: what the key of a setting above a table says of the table's axis, in the words of several
// languages: which words it has decides, together with the kind of unit, not which phrase it is.
#pragma once

#include <string_view>

namespace vprism {

enum class AxisWord { none, rate, interval, start, duration, count };
/// The unit at the key or behind the value.
enum class AxisUnit { none, time, frequency, other };

AxisWord axis_word(std::string_view key, AxisUnit unit);

}  // namespace vprism
