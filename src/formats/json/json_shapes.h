// json_shapes.h: forms in which JSON documents name and part their arrays.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "formats/json/json_series.h"
#include "formats/json/json_tables.h"

namespace vprism {

/// A key that says that an array stands there, and not of what: "data", "values".
bool says_no_more(const std::string& key);

/// A list of nothing but texts; empty for anything else.
std::vector<std::string> json_texts(const nlohmann::ordered_json& value);

/// [{"name": "t", "unit": "s"}, {"name": "a"}, ...]: what stands in the columns of a list beside it. Both are
/// left as they are where it is anything else.
void described_columns(const nlohmann::ordered_json& value, std::vector<std::string>& names,
                       std::vector<std::string>& units);

/// An object of a channel, and what it is called unless it says so itself.
struct JsonMember {
  std::string place, name;
  const nlohmann::ordered_json* value;
};
/// {"ch1": {"unit": "V", "data": [...]}, "ch2": {...}}: those members that are objects with one array each,
/// under a key that says no more than that. Empty where there are arrays beside them.
std::vector<JsonMember> json_channels_by_key(const nlohmann::ordered_json& value);

/// Objects in objects as "acc.x"; times under their own name alone.
nlohmann::ordered_json json_flat_rows(const nlohmann::ordered_json& rows);

/// [{"t": 0, "sensor": "a", "value": 1.5}, {"t": 0, "sensor": "b", "value": 8}, ...]: rows that say whose
/// they are, apart. Empty where no member of texts parts them into times that rise.
struct JsonNamedRows {
  std::string name, unit;
  std::vector<std::vector<const nlohmann::ordered_json*>> columns;
  std::size_t of_name, of_unit, of_value;  ///< Members; size_t(-1) for none.
};
std::vector<JsonNamedRows> json_named_rows(
    const std::vector<std::string>& keys,
    const std::vector<std::vector<const nlohmann::ordered_json*>>& columns);

/// {"name": "a", "values": [...]}: one array beside a name, under a key that says no more than that it is
/// one, is called so.
void take_name_beside(const nlohmann::ordered_json& object, std::vector<JsonSeries>& found);

/// Tables of the same times, or of one rate, start and length, are one.
void join_alike(std::vector<JsonTable>& tables);

/// Name and unit of a series; `usual`: the unit where it has none.
Channel json_channel(const JsonSeries& series, const std::string& usual = "");
/// Each greater than the one before, none missing.
bool json_rises(const std::vector<double>& values);

/// An "x" that rises by even steps beside others is their axis.
void assume_abscissa(const std::vector<JsonSeries*>& beside_each_other);

/// Units that stand in the object of these arrays: {"units": {"a": "V"}}, or "a_unit": "V".
void take_units_beside(const nlohmann::ordered_json& object, std::vector<JsonSeries>& found);

}  // namespace vprism
