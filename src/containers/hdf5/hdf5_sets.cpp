// hdf5_sets.cpp: see hdf5_sets.h.
#include "containers/hdf5/hdf5_sets.h"

#include <algorithm>
#include <map>
#include <tuple>

#include "base/text.h"
#include "containers/hdf5/hdf5_meaning.h"
#include "formats/documents/key_meaning.h"
#include "formats/text/clock/clock.h"
#include "signal/stamps.h"

namespace vprism {

std::string hdf5_folder(const std::string& path) {
  const std::size_t slash = path.find_last_of('/');
  return slash == 0 || slash == std::string::npos ? "/" : path.substr(0, slash);
}

std::string hdf5_leaf(const std::string& path) { return path.substr(path.find_last_of('/') + 1); }

std::string Hdf5Set::leaf() const { return member.empty() ? hdf5_leaf(path) : member; }
std::string Hdf5Set::folder() const { return member.empty() ? hdf5_folder(path) : path; }

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
  const std::string& file_path;
  const ReadSettings& settings;
  std::vector<Hdf5Refused>& refused;
  std::vector<Hdf5Set> sets;
  std::vector<std::string> others;
  std::string folder = {};  ///< The last that was asked for its interval.
  double folder_interval = 0;
};

double own_interval(hid_t set) {
  if (const auto rate = hdf5_said(set, Hdf5Meaning::rate); rate && rate->value > 0) return 1 / rate->value;
  if (const auto step = hdf5_said(set, Hdf5Meaning::interval); step && step->value > 0) return step->value;
  return 0;
}

/// Of the group that a data set lies in.
double folder_interval(Walk& walk, const std::string& folder) {
  if (walk.folder != folder) {
    const Hdf5Handle group(H5Gopen2(walk.file, folder.c_str(), H5P_DEFAULT));
    walk.folder = folder, walk.folder_interval = group ? own_interval(group.get()) : 0;
  }
  return walk.folder_interval;
}

/// A measured frequency goes up and down; those of a spectrum rise. `by_one`: from row to row is enough.
bool rises(hid_t set, std::uint64_t rows, bool by_one = true, bool evenly = false) {
  std::vector<double> first(static_cast<std::size_t>(std::min<std::uint64_t>(rows, 1024)));
  const hsize_t start = 0, size = first.size();
  const Hdf5Handle space(H5Dget_space(set)), memory(H5Screate_simple(1, &size, nullptr));
  if (size < 3 || H5Sselect_hyperslab(space.get(), H5S_SELECT_SET, &start, nullptr, &size, nullptr) < 0 ||
      H5Dread(set, H5T_NATIVE_DOUBLE, memory.get(), space.get(), H5P_DEFAULT, first.data()) < 0)
    return false;
  if (evenly && !rises_evenly(first)) return false;
  bool counts = true;
  for (std::size_t i = 1; i < first.size(); ++i) {
    if (!(first[i] > first[i - 1])) return false;
    counts = counts && first[i] == first[i - 1] + 1;
  }
  return by_one || !counts;
}

/// Texts that are dates: the clock of what lies beside them.
bool are_dates(hid_t set, std::uint64_t rows) {
  const std::vector<std::string> first = hdf5_set_texts(set, 0, 1), last = hdf5_set_texts(set, rows - 1, 1);
  return rows > 1 && first.size() == 1 && last.size() == 1 && parse_date_time(first[0]) &&
         parse_date_time(last[0]);
}

/// A table of records: each field of numbers is a column.
void look_at_records(Walk& walk, const std::string& path, hid_t type, hid_t space) {
  hsize_t rows = 0;
  if (H5Sget_simple_extent_ndims(space) != 1 || H5Sget_simple_extent_dims(space, &rows, nullptr) != 1 ||
      rows == 0)
    return;
  const int members = H5Tget_nmembers(type);
  for (int m = 0; m < std::min(members, 4096); ++m) {
    const H5T_class_t kind = H5Tget_member_class(type, static_cast<unsigned>(m));
    char* name = H5Tget_member_name(type, static_cast<unsigned>(m));
    if (name == nullptr) continue;
    Hdf5Set out;
    out.path = path, out.member = name, out.rows = rows, out.shape.size = {rows};
    H5free_memory(name);
    if (kind == H5T_FLOAT || kind == H5T_INTEGER) walk.sets.push_back(std::move(out));
  }
}

herr_t look_at(Walk& walk, const char* name) {
  if (walk.sets.size() >= 100000) return 1;
  const Hdf5Handle set(H5Dopen2(walk.file, name, H5P_DEFAULT));
  if (!set) return 0;
  if (const std::string other = hdf5_outside(set.get(), walk.file_path, walk.settings.allow_external);
      !other.empty()) {
    walk.refused.push_back({std::string("/") + name, other});
    return 0;
  }
  const Hdf5Handle type(H5Dget_type(set.get())), space(H5Dget_space(set.get()));
  if (!type || !space) return 0;
  Hdf5Set out;
  std::string real, imaginary;
  const H5T_class_t kind = H5Tget_class(type.get());
  out.complex = hdf5_complex_members(type.get(), real, imaginary);
  const int rank = H5Sget_simple_extent_ndims(space.get());
  if (kind == H5T_COMPOUND && !out.complex) {
    look_at_records(walk, std::string("/") + name, type.get(), space.get());
    return 0;
  }
  hsize_t length = 0;
  if (kind == H5T_STRING && rank == 1 && H5Sget_simple_extent_dims(space.get(), &length, nullptr) == 1 &&
      length > 1 && are_dates(set.get(), length)) {
    out.path = std::string("/") + name, out.rows = length, out.dates = true, out.shape.size = {length};
    walk.sets.push_back(std::move(out));
    return 0;
  }
  const bool numbers = is_hdf5_number(type.get()) || out.complex;
  if (!numbers && H5Sget_simple_extent_npoints(space.get()) > 2 && walk.others.size() < 100)
    walk.others.push_back(std::string("/") + name);
  if (!numbers || rank < 0) return 0;
  std::vector<hsize_t> size(static_cast<std::size_t>(rank));
  H5Sget_simple_extent_dims(space.get(), size.data(), nullptr);
  out.path = std::string("/") + name;
  out.shape.size.assign(size.begin(), size.end());
  for (unsigned d = 0; d < static_cast<unsigned>(rank); ++d)
    out.scales.push_back(hdf5_dimension_scale(set.get(), d));
  out.rows = rank == 0 ? 1 : *std::max_element(size.begin(), size.end());
  out.columns = rank < 2 ? 1 : 2;  // Until all are known: settle_shapes.
  if (const auto kept = hdf5_text(set.get(), "CLASS"); kept && *kept == "DIMENSION_SCALE") {
    out.is_scale = true;
    // What netCDF writes for a dimension without a variable.
    if (const auto text = hdf5_text(set.get(), "NAME");
        text && starts_with(*text, "This is a netCDF dimension"))
      return 0;
  }
  out.interval = own_interval(set.get());
  if (out.interval == 0) out.interval = folder_interval(walk, hdf5_folder(out.path));
  if (const auto start = hdf5_said(set.get(), Hdf5Meaning::start)) out.start = start->value;
  out.frequencies = rank == 1 && !out.complex &&
                    (is_frequency_key(hdf5_leaf(out.path)) || hdf5_leaf(out.path) == "f") &&
                    rises(set.get(), out.rows);
  const std::string leaf = lower_case(hdf5_leaf(out.path));
  out.index = rank == 1 && !out.complex &&
              (((leaf == "index" || leaf == "axis1") && rises(set.get(), out.rows, false)) ||
               (is_abscissa_key(leaf) && rises(set.get(), out.rows, true, true)));
  double factor = 1;
  const Hdf5Meaning meaning = meaning_of_key(hdf5_leaf(out.path), factor);
  out.setting =
      H5Sget_simple_extent_npoints(space.get()) == 1 &&
      (meaning == Hdf5Meaning::rate || meaning == Hdf5Meaning::interval || meaning == Hdf5Meaning::start);
  if (rank == 0 && !out.setting) return 0;
  if (H5Sget_simple_extent_npoints(space.get()) > 0) walk.sets.push_back(std::move(out));
  return 0;
}

herr_t visit(hid_t, const char* name, const H5O_info_t* info, void* data) {
  return info->type == H5O_TYPE_DATASET ? look_at(*static_cast<Walk*>(data), name) : 0;
}

/// The dimension that the samples of each run along: by its scales, of which time goes before frequency, by a
/// time or frequencies beside it, or by its own lengths.
void settle_shapes(Walk& walk) {
  const auto is_axis = [](const std::string& leaf, bool times) {
    return times ? is_time_key(leaf) : is_frequency_key(leaf);
  };
  for (Hdf5Set& set : walk.sets) {
    if (!set.member.empty() || set.shape.size.empty()) continue;
    std::optional<std::uint64_t> axis;
    std::optional<std::size_t> scaled;
    for (const bool times : {true, false}) {
      for (std::size_t d = 0; d < set.scales.size() && !scaled; ++d)
        if (is_axis(hdf5_leaf(set.scales[d]), times)) scaled = d;
      for (const Hdf5Set& other : walk.sets)
        if (!axis && other.shape.size.size() == 1 && other.folder() == set.folder() &&
            (is_axis(other.leaf(), times) || (times && (other.dates || other.index))))
          axis = other.rows;
    }
    ReadSettings settings = walk.settings;
    // A set of fewer dimensions may lie beside the one that is meant.
    if (settings.samples_along > set.shape.size.size()) settings.samples_along = 0;
    if (settings.samples_along == 0 && scaled)
      set.shape.along = *scaled;
    else
      set.shape = settle_shape(set.shape.size, false, settings, axis,
                               "\"" + clean_text(hdf5_leaf(set.path)) + "\"", set.cautions);
    set.rows = set.shape.samples(), set.columns = set.shape.channels();
    if (set.shape.along < set.scales.size()) set.scale = set.scales[set.shape.along];
  }
  std::erase_if(walk.sets, [&](const Hdf5Set& set) {
    if (set.columns <= most_channels) return false;
    if (walk.others.size() < 100) walk.others.push_back(set.path);
    return true;
  });
}

/// External links, which the walk over objects passes by.
herr_t visit_link(hid_t group, const char* name, const H5L_info_t* info, void* data) {
  if (info->type != H5L_TYPE_EXTERNAL || info->u.val_size > 65536) return 0;
  auto& walk = *static_cast<Walk*>(data);
  std::vector<char> value(info->u.val_size + 1);
  const char *file = nullptr, *path = nullptr;
  unsigned flags = 0;
  if (H5Lget_val(group, name, value.data(), info->u.val_size, H5P_DEFAULT) < 0 ||
      H5Lunpack_elink_val(value.data(), info->u.val_size, &flags, &file, &path) < 0 || file == nullptr)
    return 0;
  if (!hdf5_name_allowed(file, walk.file_path, walk.settings.allow_external)) {
    walk.refused.push_back({std::string("/") + name, file});
    return 0;
  }
  const Hdf5Handle object(H5Oopen(group, name, H5P_DEFAULT));
  return object && H5Iget_type(object.get()) == H5I_DATASET ? look_at(walk, name) : 0;
}

}  // namespace

std::optional<std::vector<Hdf5Set>> hdf5_sets(hid_t file, const std::string& file_path,
                                              const ReadSettings& settings, std::vector<Hdf5Refused>& refused,
                                              std::vector<std::string>* others) {
  Walk walk{file, file_path, settings, refused, {}, {}};
  if (H5Ovisit(file, H5_INDEX_NAME, H5_ITER_INC, visit, &walk) < 0) return {};
  H5Lvisit(file, H5_INDEX_NAME, H5_ITER_INC, visit_link, &walk);
  settle_shapes(walk);
  if (others != nullptr) *others = std::move(walk.others);
  return std::move(walk.sets);
}

namespace {

bool is_stamps(const Hdf5Group& group, const Hdf5Set& set) {
  return set.path == group.stamps && set.member == group.stamps_member;
}

void take_stamps(Hdf5Group& group, const Hdf5Set& set) {
  group.stamps = set.path, group.stamps_member = set.member, group.stamps_dates = set.dates;
}

/// A group for each channel, "/ch1/data" beside "/ch2/data": one part, the channels named after the groups.
void join_groups_of_one(std::vector<Hdf5Group>& groups, const std::vector<Hdf5Set>& sets) {
  const auto alone = [&](const Hdf5Group& g) {
    return g.sets.size() == 1 && g.stamps.empty() && g.sets[0].member.empty() && !g.sets[0].is_array() &&
           g.name == g.sets[0].folder() && g.name != "/" &&
           std::none_of(sets.begin(), sets.end(),
                        [&](const Hdf5Set& s) { return s.setting && s.folder() == g.name; });
  };
  std::map<std::tuple<std::string, std::string, std::uint64_t, double, double, bool>, std::size_t> known;
  for (std::size_t g = 0; g < groups.size(); ++g) {
    if (!alone(groups[g])) continue;
    const Hdf5Set set = groups[g].sets[0];
    const std::string parent = hdf5_folder(groups[g].name);
    const auto [entry, fresh] =
        known.try_emplace({parent, set.leaf(), set.rows, set.interval, set.start, set.complex}, g);
    if (fresh) continue;
    Hdf5Group& first = groups[entry->second];
    first.sets.front().by_group = true, first.name = parent;
    first.sets.push_back(set);
    first.sets.back().by_group = true;
    groups[g].sets.clear();
  }
  std::erase_if(groups, [](const Hdf5Group& g) { return g.sets.empty(); });
}

}  // namespace

std::vector<Hdf5Group> group_hdf5_sets(const std::vector<Hdf5Set>& sets, const std::string& axis) {
  std::vector<Hdf5Group> groups;
  std::map<std::tuple<std::string, std::uint64_t, double, double>, std::size_t> known;
  for (const Hdf5Set& set : sets) {
    if (set.rows * set.columns == 1 && set.setting) continue;  // A rate by itself.
    if (set.is_array()) {
      groups.push_back({set.path, {set}, ""});
      continue;
    }
    const auto [entry, fresh] =
        known.try_emplace({set.folder(), set.rows, set.interval, set.start}, groups.size());
    if (fresh) groups.push_back({set.folder(), {}, ""});
    groups[entry->second].sets.push_back(set);
  }
  for (Hdf5Group& group : groups) {
    // Times go before frequencies.
    const auto found = [&](const Hdf5Set& set, bool times) {
      return times ? is_time_key(set.leaf()) || set.dates || set.index : set.frequencies;
    };
    for (const bool times : {true, false})
      for (const Hdf5Set& set : group.sets)
        if (group.stamps.empty() && axis != "none" &&
            (axis.empty() ? found(set, times) : set.leaf() == axis || set.path == axis))
          take_stamps(group, set);
    const auto serves = [&](const Hdf5Set& set) {
      return !set.is_array() && set.shape.size.size() <= 2 && set.rows == group.sets.front().rows &&
             (set.path != group.sets.front().path || set.member != group.sets.front().member);
    };
    // A time beside a table of two dimensions, or the scale of a dimension.
    if (group.stamps.empty() && axis != "none")
      for (const Hdf5Set& set : sets) {
        if (!serves(set)) continue;
        const std::string leaf = set.leaf();
        const bool beside = group.sets.front().is_array() && set.folder() == hdf5_folder(group.name) &&
                            (axis.empty() ? is_time_key(leaf) || set.frequencies || set.dates || set.index
                                          : leaf == axis || set.path == axis);
        if (beside || (axis.empty() && set.path == group.sets.front().scale)) take_stamps(group, set);
      }
    // Times in a folder above serve all below: "/time" beside "/signals/force".
    if (group.stamps.empty() && axis.empty() && group.sets.front().interval == 0 && group.name != "/")
      for (std::string above = hdf5_folder(group.sets.front().folder()); group.stamps.empty();
           above = hdf5_folder(above)) {
        for (const Hdf5Set& set : sets)
          if (serves(set) && set.folder() == above && (is_time_key(set.leaf()) || set.dates))
            take_stamps(group, set);
        if (above.empty() || above == "/") break;
      }
    if (group.sets.size() > 1)
      std::erase_if(group.sets, [&](const Hdf5Set& set) { return is_stamps(group, set); });
    else if (is_stamps(group, group.sets.front()))
      group.stamps.clear();
    std::erase_if(group.sets, [](const Hdf5Set& set) { return set.dates; });
    if (group.sets.empty()) continue;
    // Scales of other dimensions are no channels.
    if (std::any_of(group.sets.begin(), group.sets.end(), [](const Hdf5Set& set) { return !set.is_scale; }))
      std::erase_if(group.sets, [](const Hdf5Set& set) { return set.is_scale; });
  }
  std::erase_if(groups, [](const Hdf5Group& group) { return group.sets.empty(); });
  join_groups_of_one(groups, sets);
  // Times alone that serve a table elsewhere are no signal.
  std::erase_if(groups, [&](const Hdf5Group& group) {
    return group.sets.size() == 1 &&
           (std::any_of(groups.begin(), groups.end(),
                        [&](const Hdf5Group& g) { return is_stamps(g, group.sets[0]); }) ||
            (group.sets[0].is_scale && std::any_of(groups.begin(), groups.end(), [](const Hdf5Group& g) {
               return !g.sets.front().is_scale;
             })));
  });
  return groups;
}

}  // namespace vprism
