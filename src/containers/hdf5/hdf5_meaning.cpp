// hdf5_meaning.cpp: see hdf5_meaning.h.
#include "containers/hdf5/hdf5_meaning.h"

#include <cmath>
#include <vector>

#include "base/text.h"

namespace vprism {

namespace {

using M = Hdf5Meaning;

struct Wanted {
  Hdf5Meaning meaning;
  std::optional<Hdf5Said> found;
};

herr_t look(hid_t object, const char* name, const H5A_info_t*, void* data) {
  auto& wanted = *static_cast<Wanted*>(data);
  double factor = 1;
  if (meaning_of_key(name, factor) != wanted.meaning) return 0;
  const bool words = wanted.meaning == M::unit || wanted.meaning == M::name;
  if (const auto text = hdf5_text(object, name)) {
    const auto value = words ? std::optional<double>(0) : number_of_key(*text, wanted.meaning);
    if (!value || trimmed(*text).empty()) return 0;
    wanted.found = Hdf5Said{name, *value * factor, std::string(trimmed(*text))};
    return 1;
  }
  const auto value = hdf5_number(object, name);
  if (words || !value || (!std::isfinite(*value) && wanted.meaning != M::fill)) return 0;
  wanted.found = Hdf5Said{name, *value * factor, ""};
  return 1;
}

}  // namespace

std::optional<Hdf5Said> hdf5_said(hid_t object, Hdf5Meaning meaning) {
  Wanted wanted{meaning, {}};
  hsize_t at = 0;
  H5Aiterate2(object, H5_INDEX_NAME, H5_ITER_INC, &at, look, &wanted);
  return wanted.found;
}

namespace {

struct Inner {
  Hdf5Meaning meaning;
  std::size_t seen = 0;
  std::optional<Hdf5Said> found = {};
};

/// Of a group without members.
herr_t look_inside(hid_t group, const char* name, const H5L_info_t* info, void* data) {
  auto& inner = *static_cast<Inner*>(data);
  constexpr std::size_t most = 256;
  if (++inner.seen > most) return 1;
  if (info->type != H5L_TYPE_HARD) return 0;
  const Hdf5Handle object(H5Oopen(group, name, H5P_DEFAULT));
  H5G_info_t held = {};
  if (!object || H5Iget_type(object.get()) != H5I_GROUP || H5Gget_info(object.get(), &held) < 0 ||
      held.nlinks > 0)
    return 0;
  inner.found = hdf5_said(object.get(), inner.meaning);
  return inner.found ? 1 : 0;
}

}  // namespace

std::optional<Hdf5Said> hdf5_said_around(hid_t file, std::string group, Hdf5Meaning meaning) {
  for (;;) {
    const Hdf5Handle open(H5Gopen2(file, group.c_str(), H5P_DEFAULT));
    if (open) {
      if (auto said = hdf5_said(open.get(), meaning)) return said;
      Inner inner{meaning};
      hsize_t at = 0;
      H5Literate(open.get(), H5_INDEX_NAME, H5_ITER_INC, &at, look_inside, &inner);
      if (inner.found) return inner.found;
    }
    if (group.empty() || group == "/") return {};
    const std::size_t slash = group.find_last_of('/');
    group = slash == 0 || slash == std::string::npos ? "/" : group.substr(0, slash);
  }
}

std::string hdf5_dimension_scale(hid_t set, unsigned dimension) {
  if (H5Aexists(set, "DIMENSION_LIST") <= 0) return "";
  const Hdf5Handle attribute(H5Aopen(set, "DIMENSION_LIST", H5P_DEFAULT));
  if (!attribute) return "";
  const Hdf5Handle type(H5Aget_type(attribute.get())), space(H5Aget_space(attribute.get()));
  const hssize_t count = space ? H5Sget_simple_extent_npoints(space.get()) : 0;
  if (!type || H5Tget_class(type.get()) != H5T_VLEN || count <= static_cast<hssize_t>(dimension) ||
      count > 32)
    return "";
  const Hdf5Handle base(H5Tget_super(type.get()));
  if (!base || H5Tget_class(base.get()) != H5T_REFERENCE || H5Tequal(base.get(), H5T_STD_REF_OBJ) <= 0)
    return "";
  std::vector<hvl_t> lists(static_cast<std::size_t>(count));
  if (H5Aread(attribute.get(), type.get(), lists.data()) < 0) return "";
  std::string out;
  if (lists[dimension].len > 0 && lists[dimension].p != nullptr) {
    const Hdf5Handle scale(H5Rdereference2(set, H5P_DEFAULT, H5R_OBJECT, lists[dimension].p));
    char name[1024] = {};
    if (scale && H5Iget_type(scale.get()) == H5I_DATASET && H5Iget_name(scale.get(), name, sizeof name) > 0)
      out = name;
  }
  H5Dvlen_reclaim(type.get(), space.get(), H5P_DEFAULT, lists.data());
  return out;
}

}  // namespace vprism
