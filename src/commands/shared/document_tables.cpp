// document_tables.cpp: see document_tables.h.
#include "commands/shared/document_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>

#include "base/text.h"

namespace vprism {

namespace {

constexpr std::size_t table_rows = 12, table_columns = 8;

struct Ending {
  const char *key, *unit;
};
constexpr Ending endings[] = {{"_hz", "Hz"},     {"_s", "s"}, {"_db", "dB"},           {"_deg", "deg"},
                              {"_percent", "%"}, {"_m", "m"}, {"_samples", "samples"}, {"_bins", "bins"}};

std::string unit_of(const std::string& key) {
  for (const Ending& e : endings)
    if (key.ends_with(e.key)) return e.unit;
  return "";
}

/// "frequency_hz" for "frequency_std_hz", "level" for "level_std"; "" for what is no uncertainty.
std::string certain_key(const std::string& key) {
  if (key.ends_with("_std")) return key.substr(0, key.size() - 4);
  const std::size_t at = key.find("_std_");
  return at == std::string::npos ? "" : key.substr(0, at) + key.substr(at + 4);
}

std::string value_text(const Json& object, const std::string& key) {
  const auto found = object.find(key);
  if (found == object.end() || found->is_null()) return "";
  if (found->is_boolean()) return found->get<bool>() ? "yes" : "no";
  if (found->is_string()) return clean_text(found->get<std::string>());
  if (!found->is_number()) return "";
  const double value = found->get<double>();
  for (const auto& [other, std] : object.items())
    if (certain_key(other) == key && std.is_number() && std.get<double>() > 0)
      return format_uncertain(value, std.get<double>(), "");
  if (key.ends_with("_db")) return fmt::format("{:.2f}", value);
  return format_number(value, 6);
}

/// Unit of an entry's levels.
std::string text_of_level(const Json& entry) {
  for (const char* key : {"level_unit", "unit"})
    if (const auto at = entry.find(key); at != entry.end() && at->is_string())
      return clean_text(at->get<std::string>());
  return "";
}

bool plain(const Json& value) { return value.is_number() || value.is_string() || value.is_boolean(); }

/// Keys of a list's objects that hold single values, in their order.
std::vector<std::string> columns_of(const std::vector<const Json*>& rows) {
  std::vector<std::string> keys;
  for (const Json* row : rows)
    for (const auto& [key, value] : row->items())
      if (plain(value) && certain_key(key).empty() && std::find(keys.begin(), keys.end(), key) == keys.end())
        keys.push_back(key);
  if (keys.size() > table_columns) keys.resize(table_columns);
  return keys;
}

ReportTable table_of(const std::string& title, const std::vector<const Json*>& rows,
                     const std::vector<std::string>& keys, const std::string& level_unit) {
  ReportTable out;
  out.title = title;
  std::vector<TextTable::Column> columns;
  for (const std::string& key : keys) {
    const bool text = std::any_of(rows.begin(), rows.end(), [&](const Json* row) {
      const auto at = row->find(key);
      return at != row->end() && (at->is_string() || at->is_boolean());
    });
    std::string words = key_words(key);
    const bool level = key == "level" || key == "amplitude" || key == "limit" || key.ends_with("_level");
    if (level && unit_of(key).empty() && !level_unit.empty() && !text) words += " (" + level_unit + ")";
    columns.push_back({words, text ? TextTable::Align::left : TextTable::Align::right});
  }
  out.table = TextTable(columns);
  for (std::size_t r = 0; r < std::min(table_rows, rows.size()); ++r) {
    std::vector<std::string> cells;
    for (const std::string& key : keys) cells.push_back(value_text(*rows[r], key));
    out.table.add(cells);
  }
  if (rows.size() > table_rows)
    out.note = fmt::format("The first {} of {}; all are in the step's document.", table_rows, rows.size());
  for (std::size_t c = 0; c < keys.size(); ++c) {
    const std::string unit = unit_of(keys[c]);
    if (unit != "Hz" && unit != "s") continue;
    for (std::size_t r = 0; r < std::min(table_rows, rows.size()); ++r) {
      const auto at = rows[r]->find(keys[c]);
      out.places.push_back(at != rows[r]->end() && at->is_number() ? at->get<double>() : std::nan(""));
    }
    out.place_column = c, out.place_unit = unit;
    break;
  }
  return out;
}

bool results_of(const Json& document) {
  return document.is_object() && document.contains("results") && document["results"].is_array();
}

/// Told once for all: the same in every entry, where there are several.
bool shared(const Json& results, const std::string& key) {
  return std::all_of(results.begin(), results.end(), [&](const Json& entry) {
    const auto at = entry.find(key);
    return at != entry.end() && *at == *results.front().find(key);
  });
}

bool is_setting(const std::string& key) {
  static const std::vector<std::string> keys = {
      "rate_hz", "segment", "bin_hz",     "rbw_hz", "averages", "average",         "window",  "scale",
      "samples", "unit",    "level_unit", "file",   "detector", "rows_per_octave", "wavelet", "reference"};
  return std::find(keys.begin(), keys.end(), key) != keys.end();
}

}  // namespace

std::string key_words(const std::string& key) {
  std::string words = key;
  for (const Ending& e : endings)
    if (key.ends_with(e.key) && key.size() > std::string(e.key).size()) {
      words = key.substr(0, key.size() - std::string(e.key).size()) + " (" + e.unit + ")";
      break;
    }
  std::replace(words.begin(), words.end(), '_', ' ');
  return words;
}

std::vector<ReportTable> document_tables(const Json& document) {
  std::vector<ReportTable> out;
  if (!results_of(document) || document["results"].empty()) return out;
  const Json& results = document["results"];
  std::vector<const Json*> rows;
  for (const Json& entry : results)
    if (entry.is_object()) rows.push_back(&entry);
  if (rows.size() != results.size()) return out;
  std::vector<std::string> keys;
  for (const auto& [key, value] : results.front().items())
    if (plain(value) && certain_key(key).empty() && !is_setting(key) &&
        (key == "channel" || value.is_number() || !shared(results, key) || key == "verdict"))
      keys.push_back(key);
  if (keys.size() > table_columns) keys.resize(table_columns);
  if (keys.size() > 1) {
    out.push_back(table_of("In figures", rows, keys, text_of_level(results.front())));
    out.back().places.clear();
  }
  for (const Json& entry : results) {
    const std::string channel = entry.contains("channel") && entry["channel"].is_string()
                                    ? clean_text(entry["channel"].get<std::string>())
                                    : "";
    for (const auto& [key, value] : entry.items()) {
      // A single object is a list of one.
      std::vector<const Json*> list;
      if (value.is_object() &&
          std::any_of(value.begin(), value.end(), [](const Json& v) { return v.is_number(); }))
        list.push_back(&value);
      else if (value.is_array())
        for (const Json& one : value)
          if (one.is_object()) list.push_back(&one);
      // The whole span as the only band says what is told above.
      if (list.empty() || (key == "bands" && list.size() == 1)) continue;
      const std::vector<std::string> columns = columns_of(list);
      if (columns.empty()) continue;
      std::string words = key_words(key);
      words[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(words[0])));
      out.push_back(table_of(channel.empty() || results.size() == 1 ? words : words + ": " + channel, list,
                             columns, text_of_level(entry)));
      out.back().panel = channel;
    }
  }
  return out;
}

std::string document_setting(const Json& document) {
  std::string out;
  if (!results_of(document) || document["results"].empty() || !document["results"].front().is_object())
    return out;
  const Json& results = document["results"];
  for (const auto& [key, value] : results.front().items()) {
    if (!plain(value) || !is_setting(key) || key == "unit" || key == "file" || !shared(results, key))
      continue;
    std::string text = value_text(results.front(), key);
    const std::string unit = unit_of(key);
    if (!unit.empty() && value.is_number()) text = format_quantity(value.get<double>(), unit, 6);
    std::string words =
        unit.empty() ? key_words(key) : key_words(key.substr(0, key.size() - unit.size() - 1));
    if (text.empty()) continue;
    out += (out.empty() ? "" : ", ") + words + " " + text;
  }
  return out;
}

Json document_value(const Json& document, const std::string& path) {
  const auto follow = [](const Json* at, const std::vector<std::string>& steps) -> const Json* {
    for (const std::string& step : steps) {
      if (at->is_array()) {
        if (step.empty() || step.size() > 6 || step.find_first_not_of("0123456789") != std::string::npos)
          return nullptr;
        const std::size_t i = std::stoul(step);
        if (i >= at->size()) return nullptr;
        at = &(*at)[i];
      } else if (at->is_object()) {
        const auto found = at->find(step);
        if (found == at->end()) return nullptr;
        at = &*found;
      } else {
        return nullptr;
      }
    }
    return at;
  };
  const std::vector<std::string> steps = split(path, '.');
  const Json* found = nullptr;
  if (results_of(document) && !document["results"].empty())
    found = follow(&document["results"].front(), steps);
  if (found == nullptr) found = follow(&document, steps);
  return found == nullptr ? Json(nullptr) : *found;
}

}  // namespace vprism
