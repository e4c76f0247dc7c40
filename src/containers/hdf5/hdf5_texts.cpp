// hdf5_texts.cpp: lists of texts that name the columns of a data set, or their units; see hdf5_sets.h.
#include "base/text.h"
#include "containers/hdf5/hdf5_sets.h"

namespace vprism {

namespace {

/// Without case, blanks and underscores.
std::string plain_spelling(std::string_view name) {
  std::string out;
  for (const char c : lower_case(name))
    if (c != '_' && c != ' ' && c != '-') out += c;
  return out;
}

/// The attribute of this name, whatever its spelling: "ChannelNames" for "channel_names"; "" where there is
/// none.
std::string attribute_spelt(hid_t set, const char* wanted) {
  if (H5Aexists(set, wanted) > 0) return wanted;
  struct Look {
    std::string wanted, found;
  } look{plain_spelling(wanted), ""};
  hsize_t at = 0;
  H5Aiterate2(
      set, H5_INDEX_NAME, H5_ITER_INC, &at,
      [](hid_t, const char* name, const H5A_info_t*, void* data) -> herr_t {
        auto& into = *static_cast<Look*>(data);
        if (plain_spelling(name) != into.wanted) return 0;
        into.found = name;
        return 1;
      },
      &look);
  return look.found;
}

}  // namespace

std::vector<std::string> hdf5_texts_beside(hid_t file, const Hdf5Set& set,
                                           const std::vector<std::string>& names,
                                           std::vector<std::string>& used) {
  const std::string folder = hdf5_folder(set.path);
  for (const std::string& name : names) {
    const std::string path = (folder == "/" ? "" : folder) + "/" + name;
    if (name.empty() || H5Lexists(file, path.c_str(), H5P_DEFAULT) <= 0) continue;
    const Hdf5Handle data(H5Dopen2(file, path.c_str(), H5P_DEFAULT));
    if (!data || !hdf5_outside(data.get(), "", {}).empty()) continue;
    const Hdf5Handle space(H5Dget_space(data.get()));
    if (H5Sget_simple_extent_npoints(space.get()) != static_cast<hssize_t>(set.columns)) continue;
    std::vector<std::string> out = hdf5_set_texts(data.get(), 0, static_cast<std::size_t>(set.columns));
    if (out.empty()) continue;
    used.push_back(path);
    return out;
  }
  return {};
}

std::vector<std::string> hdf5_column_titles(hid_t set, std::uint64_t columns) {
  return hdf5_column_texts(set, columns, {"channels", "channel_names", "names", "columns", "labels"});
}

std::vector<std::string> hdf5_column_texts(hid_t set, std::uint64_t columns,
                                           std::initializer_list<const char*> attributes) {
  std::vector<std::string> out;
  for (const char* wanted : attributes) {
    const std::string name = attribute_spelt(set, wanted);
    if (columns < 2 || name.empty()) continue;
    const Hdf5Handle attribute(H5Aopen(set, name.c_str(), H5P_DEFAULT));
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
