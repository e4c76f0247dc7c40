// hdf5_file.cpp: see hdf5_file.h.
#include "containers/hdf5_file.h"

#include <algorithm>

#include "base/error.h"

namespace vprism {

std::recursive_mutex& hdf5_lock() {
  static std::recursive_mutex lock;
  return lock;
}

void Hdf5Handle::close() {
  if (id_ < 0) return;
  const std::lock_guard guard(hdf5_lock());
  switch (H5Iget_type(id_)) {
    case H5I_FILE:
      H5Fclose(id_);
      break;
    case H5I_GROUP:
      H5Gclose(id_);
      break;
    case H5I_DATASET:
      H5Dclose(id_);
      break;
    case H5I_DATASPACE:
      H5Sclose(id_);
      break;
    case H5I_DATATYPE:
      H5Tclose(id_);
      break;
    case H5I_ATTR:
      H5Aclose(id_);
      break;
    case H5I_GENPROP_LST:
      H5Pclose(id_);
      break;
    default:
      break;
  }
}

std::optional<std::string> hdf5_text(hid_t object, const char* name) {
  if (H5Aexists(object, name) <= 0) return std::nullopt;
  const Hdf5Handle attribute(H5Aopen(object, name, H5P_DEFAULT));
  if (!attribute) return std::nullopt;
  const Hdf5Handle type(H5Aget_type(attribute.get())), space(H5Aget_space(attribute.get()));
  if (!type || !space || H5Tget_class(type.get()) != H5T_STRING ||
      H5Sget_simple_extent_npoints(space.get()) != 1)
    return std::nullopt;
  if (H5Tis_variable_str(type.get()) > 0) {
    char* text = nullptr;
    if (H5Aread(attribute.get(), type.get(), &text) < 0 || text == nullptr) return std::nullopt;
    std::string out(text);
    H5free_memory(text);
    return out;
  }
  const std::size_t size = H5Tget_size(type.get());
  if (size == 0 || size > (1u << 16)) return std::nullopt;
  std::string out(size, '\0');
  if (H5Aread(attribute.get(), type.get(), out.data()) < 0) return std::nullopt;
  out.resize(std::min(out.find('\0'), out.size()));
  return out;
}

std::optional<double> hdf5_number(hid_t object, const char* name) {
  if (H5Aexists(object, name) <= 0) return std::nullopt;
  const Hdf5Handle attribute(H5Aopen(object, name, H5P_DEFAULT));
  if (!attribute) return std::nullopt;
  const Hdf5Handle type(H5Aget_type(attribute.get())), space(H5Aget_space(attribute.get()));
  if (!type || !space || H5Sget_simple_extent_npoints(space.get()) != 1) return std::nullopt;
  const H5T_class_t kind = H5Tget_class(type.get());
  double value = 0;
  if ((kind != H5T_FLOAT && kind != H5T_INTEGER) || H5Aread(attribute.get(), H5T_NATIVE_DOUBLE, &value) < 0)
    return std::nullopt;
  return value;
}

bool hdf5_plausible(hid_t set, std::uint64_t file_bytes) {
  // No handles here: they take the lock, which the child process of a probe does not own.
  const hid_t type = H5Dget_type(set), space = H5Dget_space(set);
  const hssize_t values = H5Sget_simple_extent_npoints(space);
  const double claimed = static_cast<double>(values) * static_cast<double>(H5Tget_size(type));
  const double stored = static_cast<double>(std::min<std::uint64_t>(H5Dget_storage_size(set), file_bytes));
  H5Sclose(space);
  H5Tclose(type);
  return values >= 0 && claimed <= 1100 * stored + 65536;
}

void set_hdf5_text(hid_t object, const char* name, const std::string& value) {
  const Hdf5Handle type(H5Tcopy(H5T_C_S1)), space(H5Screate(H5S_SCALAR));
  H5Tset_size(type.get(), H5T_VARIABLE);
  H5Tset_cset(type.get(), H5T_CSET_UTF8);
  const Hdf5Handle attribute(H5Acreate2(object, name, type.get(), space.get(), H5P_DEFAULT, H5P_DEFAULT));
  const char* text = value.c_str();
  if (!attribute || H5Awrite(attribute.get(), type.get(), &text) < 0)
    throw Error(Status::output, std::string("HDF5 attribute \"") + name + "\" can't be written");
}

void set_hdf5_number(hid_t object, const char* name, double value) {
  const Hdf5Handle space(H5Screate(H5S_SCALAR));
  const Hdf5Handle attribute(H5Acreate2(object, name, H5T_IEEE_F64LE, space.get(), H5P_DEFAULT, H5P_DEFAULT));
  if (!attribute || H5Awrite(attribute.get(), H5T_NATIVE_DOUBLE, &value) < 0)
    throw Error(Status::output, std::string("HDF5 attribute \"") + name + "\" can't be written");
}

}  // namespace vprism
