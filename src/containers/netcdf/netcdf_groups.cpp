// netcdf_groups.cpp: see netcdf_groups.h.
#include "containers/netcdf/netcdf_groups.h"

#include <algorithm>
#include <set>
#include <tuple>

#include "base/text.h"
#include "base/units/unit.h"
#include "formats/text/clock/clock.h"

namespace vprism {

namespace {

std::vector<NetcdfGroup> groups_by_dimension(const NetcdfFile& file, const NetcdfFile::Counts& counts,
                                             const std::string& axis) {
  std::vector<NetcdfGroup> out;
  for (int d = 0; d < counts.dimensions; ++d) {
    NetcdfGroup group;
    group.dimension = d, group.length = file.length_of(d), group.name = file.dimension_name(d);
    out.push_back(std::move(group));
  }
  for (int v = 0; v < counts.variables; ++v) {
    const std::vector<int> along = file.dimensions_of(v);
    if (along.size() != 1 || file.type_of(v) == NC_CHAR) continue;
    NetcdfGroup& group = out[static_cast<std::size_t>(along[0])];
    if (!axis.empty()) {
      if (file.name_of(v) == axis) group.axis = v;
      continue;
    }
    if (file.name_of(v) == group.name)
      group.axis = v;
    else if (group.axis < 0 && is_counted_since(file.text_of(v, "units")))
      group.axis = v;  // "time" along a dimension called "obs".
  }
  return out;
}

/// No more is promised than the file may hold.
void check_size(const NetcdfFile& file, int variable, double values, std::uint64_t bytes) {
  static constexpr double size[] = {1, 1, 1, 2, 4, 4, 8, 1, 2, 4, 8, 8};
  const nc_type type = file.type_of(variable);
  const double each = type > 0 && type < 12 ? size[type] : 1;
  if (values * each > static_cast<double>(bytes))
    file.damaged("variable \"" + file.name_of(variable) + "\" is said to be longer than the file");
}

/// What is stored for a number that is missing, and the range outside of which none is valid.
void take_missing(const NetcdfFile& file, NetcdfSet& set) {
  const nc_type type = file.type_of(set.id);
  for (const char* name : {"_FillValue", "missing_value"}) {
    const std::vector<double> fills = file.numbers_of(set.id, name);
    set.fills.insert(set.fills.end(), fills.begin(), fills.end());
  }
  // What the library puts where nothing was written. Short integers may well reach theirs.
  if (file.type_of(set.id, "_FillValue") == NC_NAT) {
    if (type == NC_FLOAT) set.fills.push_back(static_cast<double>(NC_FILL_FLOAT));
    if (type == NC_DOUBLE) set.fills.push_back(NC_FILL_DOUBLE);
    if (type == NC_INT) set.fills.push_back(NC_FILL_INT);
  }
  constexpr double far = 1e308;
  std::vector<double> range = file.numbers_of(set.id, "valid_range");
  const char* key = "valid_range";
  if (range.size() != 2) {
    const auto low = file.numbers_of(set.id, "valid_min"), high = file.numbers_of(set.id, "valid_max");
    key = low.empty() ? "valid_max" : "valid_min";
    range = {low.empty() ? -far : low[0], high.empty() ? far : high[0]};
    if (low.empty() && high.empty()) return;
  }
  set.lowest = range[0], set.highest = range[1];
  // In the type of the numbers that are packed, the range is one of those; in the type of what they are
  // turned into, it holds for that.
  const nc_type scaled_type = file.type_of(set.id, "scale_factor");
  set.valid_scaled = scaled_type != NC_NAT && scaled_type != type && file.type_of(set.id, key) == scaled_type;
}

}  // namespace

bool is_netcdf_time(const NetcdfFile& file, int variable) {
  const std::string unit = file.text_of(variable, "units");
  if (is_counted_since(unit)) return true;
  const auto known = Unit::try_parse(unit);
  return known && !known->dimensionless() && known->converts_to(Unit::parse("s"));
}

NetcdfLayout netcdf_layout(const NetcdfFile& file, std::uint64_t bytes, const std::string& axis) {
  const NetcdfFile::Counts counts = file.counts();
  NetcdfLayout out;
  std::vector<NetcdfGroup> groups = groups_by_dimension(file, counts, axis);
  std::vector<bool> axes(static_cast<std::size_t>(counts.variables));
  for (const NetcdfGroup& group : groups)
    if (group.axis >= 0) axes[static_cast<std::size_t>(group.axis)] = true;
  std::vector<std::tuple<int, int, std::size_t>> texts;  // Variable, first dimension, how many.
  const auto timed = [&](const NetcdfGroup& g) { return g.axis >= 0 && is_netcdf_time(file, g.axis); };
  for (int v = 0; v < counts.variables; ++v) {
    if (axes[static_cast<std::size_t>(v)]) continue;
    NetcdfSet set;
    set.id = v, set.name = file.name_of(v), set.along = file.dimensions_of(v);
    const bool text = file.type_of(v) == NC_CHAR;
    double values = 1;
    for (const int d : set.along) {
      set.extent.push_back(groups[static_cast<std::size_t>(d)].length);
      values *= static_cast<double>(set.extent.back());
    }
    if (values == 0) continue;
    if (values == 1 || (text && set.along.size() == 1)) {
      out.settings.push_back(v);
      continue;
    }
    if (text) {
      texts.emplace_back(v, set.along[0], set.along.size());
      continue;
    }
    for (std::size_t k = 1; k < set.along.size(); ++k) {
      const NetcdfGroup &lead = groups[static_cast<std::size_t>(set.along[set.lead])],
                        &other = groups[static_cast<std::size_t>(set.along[k])];
      if (timed(other) != timed(lead) ? timed(other) : other.length > lead.length) set.lead = k;
    }
    NetcdfGroup& group = groups[static_cast<std::size_t>(set.along[set.lead])];
    check_size(file, v, values, bytes);
    set.columns = static_cast<std::size_t>(values / static_cast<double>(group.length));
    if (group.channels() + set.columns > most_channels) {
      out.left_out.push_back(set.name);
      continue;
    }
    if (const auto scale = file.numbers_of(v, "scale_factor"); !scale.empty()) set.scale = scale[0];
    if (const auto offset = file.numbers_of(v, "add_offset"); !offset.empty()) set.offset = offset[0];
    if (lower_case(file.text_of(v, "_Unsigned")) == "true") {
      const nc_type type = file.type_of(v);
      set.wrap = type == NC_BYTE ? 256 : type == NC_SHORT ? 65536 : type == NC_INT ? 4294967296.0 : 0;
    }
    take_missing(file, set);
    group.sets.push_back(std::move(set));
  }
  // Labels of places across; others are columns of words.
  std::set<int> across;
  for (const NetcdfGroup& group : groups)
    for (const NetcdfSet& set : group.sets)
      for (std::size_t k = 0; k < set.along.size(); ++k)
        if (k != set.lead) across.insert(set.along[k]);
  for (const auto& [v, dimension, rank] : texts)
    if (rank != 2 || across.count(dimension) == 0) out.left_out.push_back(file.name_of(v));
  double heaviest = -1;
  for (NetcdfGroup& group : groups) {
    if (group.sets.empty() || group.length == 0) continue;
    if (group.axis >= 0) check_size(file, group.axis, static_cast<double>(group.length), bytes);
    const double weight = (timed(group)                          ? 1e18
                           : group.dimension == counts.unlimited ? 1e15
                                                                 : 0) +
                          static_cast<double>(group.length) * static_cast<double>(group.channels());
    if (weight > heaviest) heaviest = weight, out.best = out.groups.size();
    out.groups.push_back(std::move(group));
  }
  return out;
}

std::vector<std::string> netcdf_column_names(const NetcdfFile& file, const NetcdfSet& set) {
  std::vector<std::string> out{""};
  const NetcdfFile::Counts counts = file.counts();
  for (std::size_t k = 0; k < set.along.size(); ++k) {
    if (k == set.lead || set.extent[k] == 1) continue;
    const int dimension = set.along[k];
    int labels = -1, coordinate = -1;
    for (int v = 0; v < counts.variables; ++v) {
      const std::vector<int> along = file.dimensions_of(v);
      if (along.empty() || along[0] != dimension) continue;
      if (file.type_of(v) == NC_CHAR && along.size() == 2 && labels < 0) labels = v;
      if (file.type_of(v) != NC_CHAR && along.size() == 1 &&
          file.name_of(v) == file.dimension_name(dimension))
        coordinate = v;
    }
    std::vector<double> places(set.extent[k]);
    if (coordinate >= 0) file.read(coordinate, {0}, {set.extent[k]}, places.data());
    std::vector<std::string> next;
    for (const std::string& before : out)
      for (std::size_t n = 0; n < set.extent[k]; ++n) {
        std::string label = " " + std::to_string(n + 1);
        if (labels >= 0) {
          const std::string read =
              file.read_text(labels, {n, 0}, {1, file.length_of(file.dimensions_of(labels)[1])});
          if (!read.empty()) label = " " + read;
        } else if (coordinate >= 0) {
          label = " " + file.dimension_name(dimension) + " " + format_number(places[n], 6);
          const std::string unit = clean_text(file.text_of(coordinate, "units"), 16);
          if (!unit.empty() && unit != "1") label += " " + unit;
        }
        next.push_back(before + label);
      }
    out = std::move(next);
  }
  return out;
}

}  // namespace vprism
