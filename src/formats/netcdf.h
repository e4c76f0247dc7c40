// netcdf.h: netCDF files in the classic formats (CDF-1, -2 and -5), by libnetcdf; those of netCDF-4 are HDF5.
#pragma once

#include "formats/format.h"

namespace vprism {

bool recognises_netcdf(const FileHead& head);
std::unique_ptr<SampleSource> open_netcdf(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
