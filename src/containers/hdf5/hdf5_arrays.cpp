// hdf5_arrays.cpp: see formats/array_file.h.
#include "base/error.h"
#include "containers/hdf5/hdf5_file.h"
#include "containers/hdf5/hdf5_probe.h"
#include "containers/packages/entries.h"

namespace vprism {

void write_hdf5_arrays(const std::string& path, const std::vector<NamedArray>& arrays,
                       const std::vector<std::pair<std::string, std::string>>& texts) {
  const std::lock_guard guard(hdf5_lock());
  H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr);
  const auto check = [&](bool good) {
    if (!good) throw Error(Status::output, path + ": the file could not be written");
  };
  Hdf5Handle file(H5Fcreate(path.c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT));
  check(static_cast<bool>(file));
  for (const auto& [key, text] : texts) set_hdf5_text(file.get(), key.c_str(), text);
  const Hdf5Handle groups(H5Pcreate(H5P_LINK_CREATE));
  H5Pset_create_intermediate_group(groups.get(), 1);
  for (const NamedArray& array : arrays) {
    const std::vector<hsize_t> shape(array.shape.begin(), array.shape.end());
    const Hdf5Handle space(H5Screate_simple(static_cast<int>(shape.size()), shape.data(), nullptr));
    // Without times, so that the same arrays are the same bytes.
    const Hdf5Handle plain(H5Pcreate(H5P_DATASET_CREATE));
    H5Pset_obj_track_times(plain.get(), false);
    if (array.values.empty())
      H5Pset_alloc_time(plain.get(), H5D_ALLOC_TIME_EARLY),
          H5Pset_fill_time(plain.get(), H5D_FILL_TIME_NEVER);
    const Hdf5Handle set(H5Dcreate2(file.get(), array.name.c_str(),
                                    array.single ? H5T_IEEE_F32LE : H5T_IEEE_F64LE, space.get(), groups.get(),
                                    plain.get(), H5P_DEFAULT));
    check(static_cast<bool>(set) &&
          (array.values.empty() ||
           H5Dwrite(set.get(), H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, array.values.data()) >= 0));
    for (const auto& [key, text] : array.texts) set_hdf5_text(set.get(), key.c_str(), text);
    for (const auto& [key, value] : array.numbers) set_hdf5_number(set.get(), key.c_str(), value);
  }
  check(H5Fflush(file.get(), H5F_SCOPE_GLOBAL) >= 0);
}

std::optional<ArrayPlace> place_hdf5_array(const FileHead& head, const std::string& name) {
  const std::lock_guard guard(hdf5_lock());
  const Hdf5Handle file = open_hdf5_file_safely(head.path, head.size, {});
  const Hdf5Handle set = open_hdf5_set(file.get(), name, head.path, {});
  if (!set) return std::nullopt;
  const Hdf5Handle space(H5Dget_space(set.get())), type(H5Dget_type(set.get()));
  const int rank = H5Sget_simple_extent_ndims(space.get());
  if (rank < 1 || rank > 4 || H5Tequal(type.get(), H5T_IEEE_F64LE) <= 0) return std::nullopt;
  std::vector<hsize_t> shape(static_cast<std::size_t>(rank));
  H5Sget_simple_extent_dims(space.get(), shape.data(), nullptr);
  ArrayPlace place;
  place.shape.assign(shape.begin(), shape.end());
  const haddr_t at = H5Dget_offset(set.get());
  double bytes = 8;
  for (const hsize_t n : shape) bytes *= static_cast<double>(n);
  if (at != HADDR_UNDEF && static_cast<double>(at) + bytes <= static_cast<double>(head.size))
    place.offset = at;
  place.about = hdf5_text(set.get(), "about").value_or("");
  return place;
}

std::vector<NamedArray> read_hdf5_arrays(const FileHead& head, const std::vector<std::string>& names) {
  const std::lock_guard guard(hdf5_lock());
  const Hdf5Handle file = open_hdf5_file_safely(head.path, head.size, {});
  std::vector<NamedArray> out;
  for (const std::string& name : names) {
    const Hdf5Handle set = open_hdf5_set(file.get(), name, head.path, {});
    if (!set) continue;
    const Hdf5Handle space(H5Dget_space(set.get()));
    const int rank = H5Sget_simple_extent_ndims(space.get());
    if (rank < 1 || rank > 4 || !hdf5_plausible(set.get(), head.size)) continue;
    std::vector<hsize_t> shape(static_cast<std::size_t>(rank));
    H5Sget_simple_extent_dims(space.get(), shape.data(), nullptr);
    NamedArray array;
    array.name = name;
    array.shape.assign(shape.begin(), shape.end());
    array.values.resize(static_cast<std::size_t>(H5Sget_simple_extent_npoints(space.get())));
    if (H5Dread(set.get(), H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, array.values.data()) < 0)
      throw Error(Status::input,
                  head.path + ": damaged HDF5 file: data set \"" + name + "\" can't be read; copy it again");
    if (const auto unit = hdf5_text(set.get(), "unit")) array.texts.emplace_back("unit", *unit);
    out.push_back(std::move(array));
  }
  return out;
}

}  // namespace vprism
