// array_file.h: named arrays of numbers in one HDF5 file: what is no recording.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace vprism {

struct NamedArray {
  std::string name;                ///< "shapes", "/group/x"; groups are made as needed.
  std::vector<std::size_t> shape;  ///< Row by row.
  std::vector<double> values;      ///< None: room is made for them, to be written later.
  bool single = false;             ///< Stored as f32.
  std::vector<std::pair<std::string, std::string>> texts;  ///< Attributes.
  std::vector<std::pair<std::string, double>> numbers;
};

/// Writes them to `path`, the same bytes for the same arrays. Throws Error(output).
void write_arrays_hdf5(const std::string& path, const std::vector<NamedArray>& arrays,
                       const std::vector<std::pair<std::string, std::string>>& texts = {});

/// Where an array's numbers lie in a file, for those who write or read them piece by piece.
struct ArrayPlace {
  std::vector<std::size_t> shape;
  std::uint64_t offset = 0;  ///< Of doubles, little-endian, row by row; 0: they do not lie in one piece.
  std::string about;         ///< The attribute of that name.
};
/// Nothing where there is no such array of doubles. Throws Error(input).
std::optional<ArrayPlace> array_place_hdf5(const std::string& path, const std::string& name);

/// Those of the names that are there, as doubles. Throws Error(input).
std::vector<NamedArray> read_arrays_hdf5(const std::string& path, const std::vector<std::string>& names);

}  // namespace vprism
