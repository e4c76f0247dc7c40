// json_shapes.cpp: see json_shapes.h.
#include "formats/json/json_shapes.h"

#include <algorithm>
#include <nlohmann/json.hpp>
#include <unordered_map>

#include "base/text.h"
#include "formats/documents/key_meaning.h"
#include "formats/json/json_series.h"
#include "formats/text/titles/title_names.h"
#include "signal/stamps.h"

namespace vprism {

namespace {
using Document = nlohmann::ordered_json;
}  // namespace

bool says_no_more(const std::string& key) {
  static constexpr std::string_view plain[] = {"data", "values", "value",  "samples", "points",
                                               "y",    "signal", "counts", "waveform"};
  return std::find(std::begin(plain), std::end(plain), lower_case(key)) != std::end(plain);
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
      apart = apart && says_no_more(inner);
    }
    if (arrays > 1 || (arrays == 1 && !apart)) return {};
    if (arrays == 1) out.push_back({key, key, &x});
  }
  return out;
}

namespace {

constexpr std::size_t none = static_cast<std::size_t>(-1), most_names = 256;
using Cells = std::vector<const Document*>;

/// A text, or a whole number as one.
std::string label_of(const Document* x) {
  if (x == nullptr) return "";
  if (x->is_string()) return x->get<std::string>();
  return x->is_number_integer() ? std::to_string(x->get<std::int64_t>()) : "";
}

/// Each row's place among the names that stand in a column; empty where they are no names of rows.
std::vector<std::size_t> groups_of(const std::string& key, const Cells& cells,
                                   std::vector<std::string>& names) {
  static constexpr std::string_view meant[] = {"channel", "sensor", "signal", "tag",   "name",     "id",
                                               "ch",      "probe",  "series", "point", "sensor_id"};
  const bool says_so = std::find(std::begin(meant), std::end(meant), lower_case(key)) != std::end(meant);
  std::unordered_map<std::string, std::size_t> known;
  std::vector<std::size_t> out, counts;
  for (const Document* x : cells) {
    if (x != nullptr && !x->is_string() && !says_so) return {};
    std::string label = label_of(x);
    if (label.empty()) return {};
    const auto [at, fresh] = known.try_emplace(label, names.size());
    if (fresh) names.push_back(std::move(label)), counts.push_back(0);
    if (names.size() > most_names) return {};
    ++counts[at->second];
    out.push_back(at->second);
  }
  const bool recur = std::all_of(counts.begin(), counts.end(), [](std::size_t count) { return count > 1; });
  return names.size() > 1 && recur ? out : std::vector<std::size_t>();
}

Cells cells_of(const Cells& cells, const std::vector<std::size_t>& groups, std::size_t group) {
  Cells out;
  for (std::size_t n = 0; n < cells.size(); ++n)
    if (groups[n] == group) out.push_back(cells[n]);
  return out;
}

}  // namespace

namespace {

void flatten(const Document& object, const std::string& place, Document& into) {
  for (const auto& [key, x] : object.items()) {
    const std::string here = place.empty() ? key : place + "." + key;
    if (x.is_object())
      flatten(x, here, into);
    else
      into[is_time_key(key) && !into.contains(key) ? key : here] = x;
  }
}

}  // namespace

Document json_flat_rows(const Document& rows) {
  Document out = Document::array();
  for (const Document& row : rows) {
    out.push_back(Document::object());
    flatten(row, "", out.back());
  }
  return out;
}

std::vector<JsonNamedRows> json_named_rows(const std::vector<std::string>& keys,
                                           const std::vector<Cells>& columns) {
  std::size_t time = none;
  for (std::size_t c = 0; c < keys.size() && time == none; ++c)
    if (is_time_key(keys[c])) time = c;
  if (time == none) return {};
  const auto rises = [](const Cells& cells) {
    const auto series = json_series(cells);
    return series && json_rises(series->values);
  };
  // One recording's rows follow one another.
  if (rises(columns[time])) return {};
  for (std::size_t c = 0; c < keys.size(); ++c) {
    std::vector<std::string> names;
    const std::vector<std::size_t> groups =
        c == time ? groups_of("", {}, names) : groups_of(keys[c], columns[c], names);
    if (groups.empty()) continue;
    std::vector<JsonNamedRows> out;
    for (std::size_t g = 0; g < names.size(); ++g) {
      JsonNamedRows one{names[g], "", {}, c, none, none};
      for (const Cells& column : columns) one.columns.push_back(cells_of(column, groups, g));
      if (!rises(one.columns[time])) break;
      std::size_t values = 0;
      for (std::size_t k = 0; k < keys.size(); ++k) {
        if (k == c || k == time) continue;
        double factor = 1;
        const Cells& cells = one.columns[k];
        if (meaning_of_key(keys[k], factor) == KeyMeaning::unit && cells[0] != nullptr &&
            cells[0]->is_string())
          one.of_unit = k, one.unit = cells[0]->get<std::string>();
        else if (json_series(cells))
          ++values, one.of_value = k;
      }
      if (values != 1) one.of_value = none;
      out.push_back(std::move(one));
    }
    if (out.size() == names.size()) return out;
  }
  return {};
}

void take_name_beside(const Document& value, std::vector<JsonSeries>& found) {
  JsonSeries* alone = nullptr;
  for (JsonSeries& series : found) {
    if (series.zero_ns || is_time_key(series.key) || is_frequency_key(series.key)) continue;
    if (alone != nullptr) return;
    alone = &series;
  }
  if (alone == nullptr || !says_no_more(alone->key)) return;
  for (const auto& [key, x] : value.items())
    if (double factor = 1; x.is_string() && meaning_of_key(key, factor) == KeyMeaning::name)
      alone->key = x.get<std::string>();
}

void join_alike(std::vector<JsonTable>& tables) {
  std::vector<JsonTable> out;
  for (JsonTable& table : tables) {
    const auto same = std::find_if(out.begin(), out.end(), [&](const JsonTable& other) {
      const bool timed = !table.axis.empty() && other.axis == table.axis && other.zero_ns == table.zero_ns &&
                         other.frequencies == table.frequencies;
      const bool rated = table.axis.empty() && other.axis.empty() && table.interval_s > 0 &&
                         other.interval_s == table.interval_s && other.start_s == table.start_s &&
                         other.length() == table.length();
      return (timed || rated) && other.columns.size() + table.columns.size() <= most_channels;
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

void assume_abscissa(const std::vector<JsonSeries*>& beside_each_other) {
  if (beside_each_other.size() < 2) return;
  for (JsonSeries* const series : beside_each_other)
    if (is_abscissa_key(series->key) && rises_evenly(series->values)) {
      series->assumed_axis = true;
      return;
    }
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
  // Or behind the last underscore of each, the time's as well.
  std::vector<std::string> titles;
  for (const JsonSeries& series : found) titles.push_back(series.key);
  if (!underscored_units(titles)) return;
  for (std::size_t i = 0; i < found.size(); ++i)
    if (time_unit_of_key(found[i].key).empty() && found[i].unit.empty()) found[i].key = titles[i];
}

}  // namespace vprism
