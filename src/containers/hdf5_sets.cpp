// hdf5_sets.cpp: see hdf5_sets.h.
#include "containers/hdf5_sets.h"

#include <algorithm>
#include <map>

#include "base/text.h"

namespace vprism {

std::string hdf5_folder(const std::string& path) {
  const std::size_t slash = path.find_last_of('/');
  return slash == 0 || slash == std::string::npos ? "/" : path.substr(0, slash);
}

std::string hdf5_leaf(const std::string& path) { return path.substr(path.find_last_of('/') + 1); }

bool hdf5_complex_members(hid_t type, std::string& real, std::string& imaginary) {
  if (H5Tget_class(type) != H5T_COMPOUND || H5Tget_nmembers(type) != 2) return false;
  for (unsigned m = 0; m < 2; ++m) {
    if (H5Tget_member_class(type, m) != H5T_FLOAT) return false;
    char* name = H5Tget_member_name(type, m);
    if (name == nullptr) return false;
    (lower_case(name)[0] == 'r' ? real : imaginary) = name;
    H5free_memory(name);
  }
  return !real.empty() && !imaginary.empty() && lower_case(imaginary)[0] == 'i';
}

namespace {

struct Walk {
  hid_t file;
  std::vector<Hdf5Set> sets;
};

herr_t visit(hid_t, const char* name, const H5O_info_t* info, void* data) {
  auto& walk = *static_cast<Walk*>(data);
  if (info->type != H5O_TYPE_DATASET) return 0;
  if (walk.sets.size() >= 100000) return 1;
  const Hdf5Handle set(H5Dopen2(walk.file, name, H5P_DEFAULT));
  if (!set) return 0;
  const Hdf5Handle type(H5Dget_type(set.get())), space(H5Dget_space(set.get()));
  if (!type || !space) return 0;
  Hdf5Set out;
  std::string real, imaginary;
  const H5T_class_t kind = H5Tget_class(type.get());
  out.complex = hdf5_complex_members(type.get(), real, imaginary);
  const int rank = H5Sget_simple_extent_ndims(space.get());
  if ((kind != H5T_FLOAT && kind != H5T_INTEGER && !out.complex) || rank < 1 || rank > 2) return 0;
  hsize_t size[2] = {0, 1};
  H5Sget_simple_extent_dims(space.get(), size, nullptr);
  out.path = std::string("/") + name;
  out.two_dimensional = rank == 2;
  out.transposed = rank == 2 && size[1] > size[0];
  out.rows = size[out.transposed ? 1 : 0];
  out.columns = rank == 2 ? size[out.transposed ? 0 : 1] : 1;
  if (out.rows > 0 && out.columns > 0 && out.columns <= 4096) walk.sets.push_back(std::move(out));
  return 0;
}

bool is_time_name(const std::string& leaf) {
  const std::string name = lower_case(leaf);
  return name == "time" || name == "t" || name == "times" || name == "timestamps" || name == "time_s" ||
         name == "stamps";
}

}  // namespace

std::optional<std::vector<Hdf5Set>> hdf5_sets(hid_t file) {
  Walk walk{file, {}};
  if (H5Ovisit(file, H5_INDEX_NAME, H5_ITER_INC, visit, &walk) < 0) return {};
  return std::move(walk.sets);
}

std::vector<Hdf5Group> group_hdf5_sets(const std::vector<Hdf5Set>& sets, const std::string& axis) {
  std::vector<Hdf5Group> groups;
  std::map<std::pair<std::string, std::uint64_t>, std::size_t> known;
  for (const Hdf5Set& set : sets) {
    if (set.two_dimensional) {
      groups.push_back({set.path, {set}, ""});
      continue;
    }
    const auto [entry, fresh] = known.try_emplace({hdf5_folder(set.path), set.rows}, groups.size());
    if (fresh) groups.push_back({hdf5_folder(set.path), {}, ""});
    groups[entry->second].sets.push_back(set);
  }
  for (Hdf5Group& group : groups) {
    for (const Hdf5Set& set : group.sets)
      if (axis == "none" ? false
          : axis.empty() ? is_time_name(hdf5_leaf(set.path))
                         : hdf5_leaf(set.path) == axis || set.path == axis)
        group.stamps = set.path;
    // A time beside a table of two dimensions.
    if (group.stamps.empty() && group.sets.front().two_dimensional && axis != "none")
      for (const Hdf5Set& set : sets)
        if (!set.two_dimensional && set.rows == group.sets.front().rows &&
            hdf5_folder(set.path) == hdf5_folder(group.name) && is_time_name(hdf5_leaf(set.path)))
          group.stamps = set.path;
    if (group.sets.size() > 1)
      std::erase_if(group.sets, [&](const Hdf5Set& set) { return set.path == group.stamps; });
    else if (group.sets.front().path == group.stamps)
      group.stamps.clear();
  }
  // Times alone that serve a table elsewhere are no signal.
  std::erase_if(groups, [&](const Hdf5Group& group) {
    return group.sets.size() == 1 && is_time_name(hdf5_leaf(group.sets[0].path)) &&
           std::any_of(groups.begin(), groups.end(),
                       [&](const Hdf5Group& g) { return g.stamps == group.sets[0].path; });
  });
  return groups;
}

std::vector<std::string> hdf5_column_titles(hid_t set, std::uint64_t columns) {
  std::vector<std::string> out;
  for (const char* name : {"channels", "channel_names", "names", "columns", "labels"}) {
    if (columns < 2 || H5Aexists(set, name) <= 0) continue;
    const Hdf5Handle attribute(H5Aopen(set, name, H5P_DEFAULT));
    const Hdf5Handle type(H5Aget_type(attribute.get())), space(H5Aget_space(attribute.get()));
    if (!type || !space || H5Tget_class(type.get()) != H5T_STRING ||
        H5Sget_simple_extent_npoints(space.get()) != static_cast<hssize_t>(columns))
      continue;
    if (H5Tis_variable_str(type.get()) > 0) {
      std::vector<char*> texts(static_cast<std::size_t>(columns), nullptr);
      if (H5Aread(attribute.get(), type.get(), texts.data()) < 0) continue;
      for (char* text : texts) {
        out.emplace_back(text == nullptr ? "" : text);
        if (text != nullptr) H5free_memory(text);
      }
    } else {
      const std::size_t size = H5Tget_size(type.get());
      if (size == 0 || size > 4096) continue;
      std::string all(size * static_cast<std::size_t>(columns), '\0');
      if (H5Aread(attribute.get(), type.get(), all.data()) < 0) continue;
      for (std::size_t k = 0; k < columns; ++k) {
        const std::string text = all.substr(k * size, size);
        out.push_back(text.substr(0, text.find('\0')));
      }
    }
    return out;
  }
  return out;
}

}  // namespace vprism
