// json_shapes.cpp: see json_shapes.h.
#include "formats/json_shapes.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/text.h"
#include "formats/json_series.h"
#include "formats/key_meaning.h"
#include "formats/title_names.h"

namespace vprism {

namespace {
using Document = nlohmann::ordered_json;
}

std::vector<std::string> json_texts(const Document& value) {
  std::vector<std::string> out;
  if (!value.is_array()) return out;
  for (const Document& x : value) {
    if (!x.is_string()) return {};
    out.push_back(x.get<std::string>());
  }
  return out;
}

void described_columns(const Document& value, std::vector<std::string>& names,
                       std::vector<std::string>& units) {
  std::vector<std::string> found, with;
  for (const Document& x : value) {
    if (!x.is_object()) return;
    std::string name, unit;
    for (const auto& [key, y] : x.items()) {
      double factor = 1;
      const KeyMeaning meaning = meaning_of_key(key, factor);
      if (y.is_structured()) return;
      if (!y.is_string()) continue;
      if (name.empty() && (meaning == KeyMeaning::name || lower_case(key) == "id"))
        name = y.get<std::string>();
      if (unit.empty() && meaning == KeyMeaning::unit) unit = y.get<std::string>();
    }
    if (name.empty()) return;
    found.push_back(std::move(name)), with.push_back(std::move(unit));
  }
  names = std::move(found), units = std::move(with);
}

std::vector<JsonMember> json_channels_by_key(const Document& value) {
  static constexpr std::string_view plain[] = {"data", "values", "value",  "samples", "points",
                                               "y",    "signal", "counts", "waveform"};
  std::vector<JsonMember> out;
  for (const auto& [key, x] : value.items()) {
    if (x.is_array()) return {};
    if (!x.is_object()) continue;
    std::size_t arrays = 0;
    bool apart = true;
    for (const auto& [inner, y] : x.items()) {
      if (y.is_object()) apart = false;
      if (!y.is_array()) continue;
      ++arrays;
      apart = apart && std::find(std::begin(plain), std::end(plain), lower_case(inner)) != std::end(plain);
    }
    if (arrays > 1 || (arrays == 1 && !apart)) return {};
    if (arrays == 1) out.push_back({key, key, &x});
  }
  return out;
}

void join_alike(std::vector<JsonTable>& tables) {
  std::vector<JsonTable> out;
  for (JsonTable& table : tables) {
    const auto same = std::find_if(out.begin(), out.end(), [&](const JsonTable& other) {
      return !table.axis.empty() && other.axis == table.axis && other.zero_ns == table.zero_ns &&
             other.frequencies == table.frequencies &&
             other.columns.size() + table.columns.size() <= most_channels;
    });
    if (same == out.end()) {
      out.push_back(std::move(table));
      continue;
    }
    const std::size_t dot = same->name.find_last_of("[.");
    same->name = dot == std::string::npos ? "" : same->name.substr(0, dot);
    for (Channel& channel : table.channels) same->channels.push_back(std::move(channel));
    for (auto& column : table.columns) same->columns.push_back(std::move(column));
  }
  tables = std::move(out);
}

Channel json_channel(const JsonSeries& series, const std::string& usual) {
  Channel channel = channel_from_title(series.key);
  const std::string& unit = series.unit.empty() && channel.unit.text() == "1" ? usual : series.unit;
  if (!unit.empty()) channel.unit = Unit::try_parse(unit).value_or(Unit::opaque(clean_text(unit, 24)));
  channel.quantity = quantity_of(channel.unit);
  return channel;
}

bool json_rises(const std::vector<double>& values) {
  // Not greater than the one before: also where either is missing.
  const auto stalls = [](double a, double b) { return !(b > a); };
  return std::adjacent_find(values.begin(), values.end(), stalls) == values.end();
}

void take_units_beside(const Document& value, std::vector<JsonSeries>& found) {
  // {"time": [...]} with a unit for each by name: "units": {"a": "V"}.
  for (const char* where : {"units", "unit"})
    if (const auto at = value.find(where); at != value.end() && at->is_object())
      for (JsonSeries& series : found)
        if (const auto unit = at->find(series.key); unit != at->end() && unit->is_string())
          series.unit = unit->get<std::string>();
  // Or beside each: "y_unit": "g".
  for (JsonSeries& series : found)
    for (const std::string& key : {series.key + "_unit", series.key + "_units", series.key + "Unit",
                                   series.key + "Units", "unit_" + series.key, series.key + " unit"})
      if (const auto unit = value.find(key); unit != value.end() && unit->is_string() && series.unit.empty())
        series.unit = unit->get<std::string>();
}

}  // namespace vprism
