// map_writer.h: a table of numbers over two axes, as a file that other programs read.
#pragma once

#include <string>
#include <vector>

namespace vprism {

/// Values over x (columns) and y (rows, from the lowest), row by row. Names go in as text.
struct MapTable {
  std::string x_name, y_name, value_name;  ///< With units, "frequency (Hz)".
  std::vector<double> x, y;
  std::vector<double> values;
};

/// CSV: the first line holds x, the first column y. Bytes.
std::string map_csv(const MapTable& map);
/// NPY, float64 of rows by columns; axes are not in it. Bytes.
std::string map_npy(const MapTable& map);
/// HDF5 at `path`: data sets "x", "y" and "values" with an attribute "name" each. Throws Error(output).
void write_map_hdf5(const std::string& path, const MapTable& map);

}  // namespace vprism
