// netcdf_groups.h: which variables of a netCDF file are read together: those that run along one dimension.
#pragma once

#include <string>
#include <vector>

#include "containers/netcdf/netcdf_file.h"

namespace vprism {

/// A variable with numbers along the group's dimension; all other dimensions make columns.
struct NetcdfSet {
  int id = 0;
  std::string name;
  std::vector<int> along;           ///< Its dimensions.
  std::vector<std::size_t> extent;  ///< Their lengths.
  std::size_t lead = 0;             ///< Which of them is the group's.
  std::size_t columns = 1;
  double scale = 1, offset = 0;
  double wrap = 0;  ///< Added to negative numbers: they were stored as if they had a sign.
  std::vector<double> fills;
  double lowest = 0, highest = 0;  ///< What is valid, if `lowest` < `highest`.
  bool valid_scaled = false;       ///< Those two hold after scale and offset.
};

struct NetcdfGroup {
  int dimension = 0;
  std::size_t length = 0;
  std::string name;
  int axis = -1;  ///< Its coordinate variable.
  std::vector<NetcdfSet> sets;
  std::size_t channels() const {
    std::size_t out = 0;
    for (const NetcdfSet& set : sets) out += set.columns;
    return out;
  }
};

struct NetcdfLayout {
  std::vector<NetcdfGroup> groups;  ///< Those with numbers.
  std::size_t best = 0;             ///< What is measured over time goes before what is longer.
  std::vector<int> settings;        ///< Variables of a single number or a text.
  std::vector<std::string> left_out;
};

/// Throws Error(input) on lengths beyond `bytes`, the file's size. `axis`: the variable that is the axis of
/// its dimension, "none", or "" for coordinate variables and what counts since a date.
NetcdfLayout netcdf_layout(const NetcdfFile& file, std::uint64_t bytes, const std::string& axis);

/// Seconds by its unit: "s", "hours since ...".
bool is_netcdf_time(const NetcdfFile& file, int variable);

/// What tells the set's columns apart: labels or coordinates of the dimensions across, else their number.
std::vector<std::string> netcdf_column_names(const NetcdfFile& file, const NetcdfSet& set);

}  // namespace vprism
