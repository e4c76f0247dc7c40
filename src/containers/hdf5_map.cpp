// hdf5_map.cpp: a table of numbers over two axes as HDF5 (formats/map_writer.h).
#include "base/error.h"
#include "containers/entries.h"
#include "containers/hdf5_file.h"

namespace vprism {

void write_hdf5_map(const std::string& path, const MapTable& map) {
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
