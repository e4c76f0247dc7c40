// map_writer.cpp: see map_writer.h; HDF5 is written in containers/hdf5/hdf5_map.cpp.
#include "formats/files/map_writer.h"

#include <fmt/format.h>

#include <cmath>

#include "base/text.h"
#include "formats/files/output_file.h"

namespace vprism {

namespace {

class MapCsv : public MapWriter {
 public:
  MapCsv(const std::string& path, const MapAxes& axes) : file_(path) {
    std::string line =
        csv_cell(axes.value_name + "; " + axes.y_name + " down and " + axes.x_name + " across");
    for (const double x : axes.x) line += fmt::format(",{:.10g}", x);
    file_.write(line + "\n");
  }
  void row(double y, std::span<const double> values) override {
    fmt::memory_buffer line;
    fmt::format_to(std::back_inserter(line), "{:.10g}", y);
    for (const double value : values) {
      line.push_back(',');
      if (!std::isnan(value)) fmt::format_to(std::back_inserter(line), "{:.6g}", value);
    }
    line.push_back('\n');
    file_.write({line.data(), line.size()});
  }
  void finish() override { file_.finish(); }

 private:
  OutputFile file_;
};

class MapNpy : public MapWriter {
 public:
  MapNpy(const std::string& path, const MapAxes& axes, std::size_t rows)
      : file_(path), columns_(axes.x.size()), left_(rows) {
    std::string head =
        fmt::format("{{'descr': '<f8', 'fortran_order': False, 'shape': ({}, {}), }}", rows, columns_);
    head.append(64 - (10 + head.size() + 1) % 64, ' ');
    head += '\n';
    std::string start("\x93NUMPY\x01\x00", 8);
    append_bytes(start, static_cast<std::uint16_t>(head.size()));
    file_.write(start + head);
  }
  void row(double, std::span<const double> values) override {
    file_.write({reinterpret_cast<const char*>(values.data()), values.size() * sizeof(double)});
    --left_;
  }
  void finish() override {
    const std::vector<double> nothing(columns_, std::nan(""));
    while (left_ > 0) row(0, nothing);
    file_.finish();
  }

 private:
  OutputFile file_;
  std::size_t columns_, left_;
};

}  // namespace

std::unique_ptr<MapWriter> write_map_csv(const std::string& path, const MapAxes& axes, std::size_t) {
  return std::make_unique<MapCsv>(path, axes);
}

std::unique_ptr<MapWriter> write_map_npy(const std::string& path, const MapAxes& axes, std::size_t rows) {
  return std::make_unique<MapNpy>(path, axes, rows);
}

const std::vector<MapFormat>& map_format_table() {
  static const std::vector<MapFormat> table = {
      {"hdf5", ".h5", write_map_hdf5}, {"csv", "-map.csv", write_map_csv}, {"npy", ".npy", write_map_npy}};
  return table;
}

}  // namespace vprism
