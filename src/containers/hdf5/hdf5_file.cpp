// hdf5_file.cpp: see hdf5_file.h.
#include "containers/hdf5/hdf5_file.h"

#include <algorithm>
#include <filesystem>

#include "base/error.h"
#include "base/text.h"
#include "containers/hdf5/hdf5_probe.h"

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

bool hdf5_name_allowed(const std::string& name, const std::string& file_path,
                       const std::vector<std::string>& allowed_outside) {
  namespace fs = std::filesystem;
  std::error_code code;
  const fs::path meant = fs::path(file_path).parent_path() / name;
  return std::any_of(allowed_outside.begin(), allowed_outside.end(), [&](const std::string& allowed) {
    return allowed == name || fs::equivalent(allowed, meant, code);
  });
}

std::string hdf5_outside(hid_t set, const std::string& file_path,
                         const std::vector<std::string>& allowed_outside) {
  const hid_t plain = H5Dget_create_plist(set);
  if (plain < 0) return "";
  std::vector<std::string> names;
  char name[4096];
  const int external = H5Pget_external_count(plain);
  for (int i = 0; i < external; ++i) {
    off_t offset = 0;
    hsize_t size = 0;
    name[0] = '\0';
    H5Pget_external(plain, static_cast<unsigned>(i), sizeof name - 1, name, &offset, &size);
    name[sizeof name - 1] = '\0';
    names.emplace_back(name[0] == '\0' ? "a file without a name" : name);
  }
  if (H5Pget_layout(plain) == H5D_VIRTUAL) {
    std::size_t count = 0;
    H5Pget_virtual_count(plain, &count);
    for (std::size_t i = 0; i < count; ++i) {
      name[0] = '\0';
      H5Pget_virtual_filename(plain, i, name, sizeof name - 1);
      if (std::string(name) != ".") names.emplace_back(name);
    }
  }
  H5Pclose(plain);
  for (const std::string& one : names)
    if (!hdf5_name_allowed(one, file_path, allowed_outside)) return one;
  return "";
}

Hdf5Handle open_hdf5_file_safely(const std::string& path, std::uint64_t size,
                                 const std::vector<std::string>& allowed_outside) {
  H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr);
  probe_hdf5(path, size, allowed_outside);
  Hdf5Handle file(H5Fopen(path.c_str(), H5F_ACC_RDONLY, H5P_DEFAULT));
  if (!file) throw Error(Status::input, path + ": damaged HDF5 file: it can't be opened; copy it again");
  return file;
}

std::size_t hdf5_chunk_bytes(hid_t set) {
  const hid_t plain = H5Dget_create_plist(set), type = H5Dget_type(set);
  hsize_t chunk[H5S_MAX_RANK] = {};
  double bytes = 0;
  if (H5Pget_layout(plain) == H5D_CHUNKED) {
    const int rank = H5Pget_chunk(plain, H5S_MAX_RANK, chunk);
    bytes = static_cast<double>(H5Tget_size(type));
    for (int i = 0; i < rank; ++i) bytes *= static_cast<double>(chunk[i]);
  }
  H5Tclose(type);
  H5Pclose(plain);
  return bytes < 4e9 ? static_cast<std::size_t>(bytes) : 0;
}

namespace {

/// Asked before the other file would be opened.
herr_t refuse_link(const char*, const char*, const char*, const char*, unsigned*, hid_t, void*) { return -1; }

}  // namespace

Hdf5Handle open_hdf5_set(hid_t file, const std::string& path, const std::string& file_path,
                         const std::vector<std::string>& allowed_outside) {
  constexpr std::size_t usual = 1 << 20, most = std::size_t{64} << 20;
  const Hdf5Handle access(H5Pcreate(H5P_DATASET_ACCESS));
  const bool outside = !allowed_outside.empty();
  if (outside)
    H5Pset_efile_prefix(access.get(), "${ORIGIN}");
  else
    H5Pset_elink_cb(access.get(), refuse_link, nullptr);
  Hdf5Handle set(H5Dopen2(file, path.c_str(), access.get()));
  if (!set) return set;
  if (const std::string other = hdf5_outside(set.get(), file_path, allowed_outside); !other.empty())
    throw Error(Status::input, file_path + ": data set \"" + clean_text(path) +
                                   "\" lies in another file, \"" + clean_text(other) +
                                   "\", which is not opened unless named by --allow-external");
  const std::size_t chunk = hdf5_chunk_bytes(set.get());
  if (chunk <= usual || chunk > most) return set;
  H5Pset_chunk_cache(access.get(), 521, chunk + usual, 1);
  set = {};
  return Hdf5Handle(H5Dopen2(file, path.c_str(), access.get()));
}

bool is_hdf5_number(hid_t type) {
  const H5T_class_t kind = H5Tget_class(type);
  return kind == H5T_FLOAT || kind == H5T_INTEGER || (kind == H5T_ENUM && H5Tget_nmembers(type) == 2);
}

namespace {

/// Takes no lock: a child process that was made under it calls this.
std::vector<std::string> texts_of(hid_t set, hid_t type, hid_t space, hid_t memory, std::size_t count) {
  std::vector<std::string> out;
  if (H5Tis_variable_str(type) > 0) {
    std::vector<char*> texts(count, nullptr);
    if (H5Dread(set, type, memory, space, H5P_DEFAULT, texts.data()) < 0) return {};
    for (char* text : texts) out.emplace_back(text == nullptr ? "" : text);
    H5Dvlen_reclaim(type, memory, H5P_DEFAULT, texts.data());
    return out;
  }
  const std::size_t each = H5Tget_size(type);
  if (each == 0 || each > 4096) return {};
  std::string all(each * count, '\0');
  if (H5Dread(set, type, memory, space, H5P_DEFAULT, all.data()) < 0) return {};
  for (std::size_t k = 0; k < count; ++k) {
    const std::string text = all.substr(k * each, each);
    out.push_back(text.substr(0, text.find('\0')));
  }
  return out;
}

}  // namespace

std::vector<std::string> hdf5_set_texts(hid_t set, std::uint64_t at, std::size_t count) {
  const hsize_t start = at, size = count;
  const hid_t type = H5Dget_type(set), space = H5Dget_space(set);
  std::vector<std::string> out;
  if (count > 0 && type >= 0 && space >= 0 && H5Tget_class(type) == H5T_STRING &&
      H5Sget_simple_extent_ndims(space) == 1 &&
      H5Sselect_hyperslab(space, H5S_SELECT_SET, &start, nullptr, &size, nullptr) >= 0) {
    const hid_t memory = H5Screate_simple(1, &size, nullptr);
    out = texts_of(set, type, space, memory, count);
    H5Sclose(memory);
  }
  H5Sclose(space);
  H5Tclose(type);
  return out;
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
