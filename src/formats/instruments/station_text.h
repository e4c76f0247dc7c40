// station_text.h: the text form that seismic data centres give time series in. Above each stretch of one
// channel stands "TIMESERIES NAME, COUNT samples, RATE sps, START, SLIST|TSPAIR, TYPE, UNIT"; below it the
// samples, several on a line (SLIST), or a time and a sample on each (TSPAIR). Names end in _ and a letter
// for the quality. Source: IRIS/EarthScope "TIMESERIES" ASCII formats, as documented for the timeseries
// services.
#pragma once

#include <memory>

#include "formats/format.h"

namespace vprism {

bool recognises_station_text(const FileHead& head);
/// Channels of one rate are a part; stretches lie on one even grid from the earliest start on, what none
/// covers is a gap. Held in memory.
std::unique_ptr<SampleSource> open_station_text(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
