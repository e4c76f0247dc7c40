// netcdf_head.h: whether the head of a classic netCDF file is sound, before the library believes its counts.
#pragma once

#include <string>
#include <string_view>

namespace vprism {

/// By the grammar of the netCDF classic format specification (CDF-1, -2, -5): every count, length and place
/// within the `size` bytes of the file, of which `head` are the first. "" or what is wrong.
std::string netcdf_head_fault(std::string_view head, std::uint64_t size);

}  // namespace vprism
