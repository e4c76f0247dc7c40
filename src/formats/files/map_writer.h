// map_writer.h: a table of numbers over two axes, as a file that other programs read, written row by row.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

namespace vprism {

/// What a map's axes are called, with units, and where its columns are.
struct MapAxes {
  std::string x_name, y_name, value_name;  ///< "frequency (Hz)".
  std::vector<double> x;
};

/// Rows in order of y, as many values in each as there are columns.
class MapWriter {
 public:
  virtual ~MapWriter() = default;
  virtual void row(double y, std::span<const double> values) = 0;
  /// Nothing more will come; rows that were promised and did not come are NaN. Throws Error(output).
  virtual void finish() = 0;
};

/// `rows` that are to come at `path`:
///   csv   the first line holds x, the first column y
///   npy   float64 of rows by columns; the axes are not in it
///   hdf5  data sets "x", "y" and "values" with an attribute "name" each
std::unique_ptr<MapWriter> write_map_csv(const std::string& path, const MapAxes& axes, std::size_t rows);
std::unique_ptr<MapWriter> write_map_npy(const std::string& path, const MapAxes& axes, std::size_t rows);
std::unique_ptr<MapWriter> write_map_hdf5(const std::string& path, const MapAxes& axes, std::size_t rows);

/// One row for each way of writing a map.
struct MapFormat {
  const char* name;
  const char* ending;
  std::unique_ptr<MapWriter> (*open)(const std::string& path, const MapAxes& axes, std::size_t rows);
};
const std::vector<MapFormat>& map_format_table();

}  // namespace vprism
