// array_file.h: named arrays of numbers in one HDF5 file: what is no recording.
#pragma once

#include <string>
#include <utility>
#include <vector>

namespace vprism {

struct NamedArray {
  std::string name;                ///< "shapes", "/group/x"; groups are made as needed.
  std::vector<std::size_t> shape;  ///< Row by row.
  std::vector<double> values;
  bool single = false;                                     ///< Stored as f32.
  std::vector<std::pair<std::string, std::string>> texts;  ///< Attributes.
  std::vector<std::pair<std::string, double>> numbers;
};

/// Writes them to `path`, the same bytes for the same arrays. Throws Error(output).
void write_arrays_hdf5(const std::string& path, const std::vector<NamedArray>& arrays,
                       const std::vector<std::pair<std::string, std::string>>& texts = {});

/// Those of the names that are there, as doubles. Throws Error(input).
std::vector<NamedArray> read_arrays_hdf5(const std::string& path, const std::vector<std::string>& names);

}  // namespace vprism
