// channel_values.h: values given on the command line in the unit of whichever channel they are for.
#pragma once

#include <string>

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"
#include "signal/recording.h"

namespace vprism {

/// In the channel's unit; a bare number is in it already. Throws Error(usage) for a unit that does not
/// convert.
inline double in_unit_of(const Channel& channel, const Quantity& asked, const char* option) {
  if (asked.unit.dimensionless() || asked.unit == channel.unit) return asked.value;
  if (!asked.unit.converts_to(channel.unit))
    throw Error(Status::usage, std::string(option) + ": channel \"" + clean_text(channel.name) + "\" is in " +
                                   (channel.unit.text() == "1" ? "no unit" : channel.unit.label()) +
                                   ", not in " + asked.unit.label());
  return asked.unit.convert(asked.value, channel.unit);
}

}  // namespace vprism
