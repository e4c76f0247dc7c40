// hdf5_probe.h: whether the HDF5 library survives a file.
#pragma once

#include <cstdint>
#include <string>

namespace vprism {

/// The packaged library may crash or run for ever on damaged files. A child process walks through the file
/// first: all groups, attributes, and the data (all of a file up to 64 MB, the ends of each data set of a
/// larger one), with 2 s of processor time and one more for every 20 MB. Throws Error(input) when it does not
/// come back; what the library merely complains of is left to the reader to tell.
void probe_hdf5(const std::string& path, std::uint64_t size);

}  // namespace vprism
