// json_series.h: one array of numbers, or of instants, in a JSON document.
#pragma once

#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

namespace vprism {

struct JsonSeries {
  std::string key, unit;
  std::vector<double> values;  ///< NaN where one is missing.
  /// Of texts that are dates: the first, from which `values` count in seconds.
  std::optional<std::int64_t> zero_ns;
  /// Of whole numbers, none missing: the first.
  std::optional<std::int64_t> whole_from;
  bool assumed_axis = false;      ///< Whether it is taken for the axis though no name says so.
  bool no_axis = false;           ///< Called "x" where a rate is given: a channel.
  std::vector<double> distances;  ///< From that, where the numbers themselves have more digits than a double.
};

/// Numbers and truth values; null, "" and "NaN" are missing. Or texts that are all dates. Nothing where
/// anything else stands among them, or fewer than two. Null pointers are missing, too.
std::optional<JsonSeries> json_series(const std::vector<const nlohmann::ordered_json*>& cells);
std::optional<JsonSeries> json_series(const nlohmann::ordered_json& array);

}  // namespace vprism
