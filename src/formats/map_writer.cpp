// map_writer.cpp: see map_writer.h.
#include "formats/map_writer.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/text.h"
#include "formats/hdf5_file.h"

namespace vprism {

std::string map_csv(const MapTable& map) {
  std::string out = csv_cell(map.value_name + "; " + map.y_name + " down and " + map.x_name + " across");
  for (const double x : map.x) out += fmt::format(",{:.10g}", x);
  out += "\n";
  for (std::size_t r = 0; r < map.y.size(); ++r) {
    out += fmt::format("{:.10g}", map.y[r]);
    for (std::size_t c = 0; c < map.x.size(); ++c)
      out += fmt::format(",{:.6g}", map.values[r * map.x.size() + c]);
    out += "\n";
  }
  return out;
}

std::string map_npy(const MapTable& map) {
  std::string head = fmt::format("{{'descr': '<f8', 'fortran_order': False, 'shape': ({}, {}), }}",
                                 map.y.size(), map.x.size());
  head.append(64 - (10 + head.size() + 1) % 64, ' ');
  head += '\n';
  std::string out("\x93NUMPY\x01\x00", 8);
  out += static_cast<char>(head.size() & 0xff);
  out += static_cast<char>(head.size() >> 8);
  out += head;
  out.append(reinterpret_cast<const char*>(map.values.data()), map.values.size() * sizeof(double));
  return out;
}

void write_map_hdf5(const std::string& path, const MapTable& map) {
  const std::lock_guard guard(hdf5_lock());
  H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr);
  const auto check = [&](bool good) {
    if (!good) throw Error(Status::output, path + ": the map could not be written");
  };
  const Hdf5Handle file(H5Fcreate(path.c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT));
  check(static_cast<bool>(file));
  set_hdf5_text(file.get(), "layout", "vprism map 1");
  const auto put = [&](const char* name, const std::vector<double>& values, const std::string& title,
                       const std::vector<hsize_t>& shape) {
    const Hdf5Handle space(H5Screate_simple(static_cast<int>(shape.size()), shape.data(), nullptr));
    const Hdf5Handle set(
        H5Dcreate2(file.get(), name, H5T_IEEE_F64LE, space.get(), H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT));
    check(set && H5Dwrite(set.get(), H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, values.data()) >= 0);
    set_hdf5_text(set.get(), "name", title);
  };
  put("x", map.x, map.x_name, {map.x.size()});
  put("y", map.y, map.y_name, {map.y.size()});
  put("values", map.values, map.value_name, {map.y.size(), map.x.size()});
}

}  // namespace vprism
