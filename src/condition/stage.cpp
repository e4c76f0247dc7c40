// stage.cpp: see stage.h.
#include "condition/stage.h"

#include "base/error.h"

namespace vprism {

void require_real(const Recording& passing, const char* step) {
  if (passing.complex)
    throw Error(Status::analysis,
                passing.file + ": " + step + ": complex channels have none; see modulation");
}

void require_even_time(const Recording& passing, const char* step) {
  const Axis& axis = passing.axis;
  if (!(axis.interval > 0))
    throw Error(Status::analysis, passing.file + ": " + step +
                                      " needs a rate, and there is no time column and no rate; give --rate, "
                                      "--interval or --duration");
  if (axis.domain != Axis::Domain::time)
    throw Error(Status::analysis, passing.file + ": " + step + " works along time, and the axis is \"" +
                                      axis.name + "\" in " + axis.unit.text());
  if (axis.stamped)
    throw NeedsGrid(Status::analysis, passing.file + ": " + step +
                                          " needs evenly spaced samples, and these are at uneven steps; put "
                                          "\"regrid\" before it in the chain");
}

}  // namespace vprism
