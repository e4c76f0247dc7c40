// hdf5_probe.h: whether the HDF5 library survives a file.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace vprism {

/// The packaged library may crash, run for ever or take all memory on damaged files. A child process walks
/// through the file first: all groups, attributes, and the data (all of a file up to 64 MB, the ends of each
/// data set of a larger one), each chunk once. It may take 512 MB more than the program has, and any time as
/// long as it gets on: 4 s (10 s for files of 60 MB and more) without a further object or piece of data is
/// too long. Numbers that lie in other files are read only if these are allowed. Throws Error(input) when it
/// does not come back; what the library merely complains of is left to the reader to tell.
void probe_hdf5(const std::string& path, std::uint64_t size, const std::vector<std::string>& allowed_outside);

}  // namespace vprism
