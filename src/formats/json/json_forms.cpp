// json_forms.cpp: see json_forms.h.
#include "formats/json/json_forms.h"

#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/text.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

namespace {

using Document = nlohmann::ordered_json;
constexpr std::size_t fewest_form_rows = 8, most_members = 256;

std::optional<double> number_said(const Document& value) {
  double number = 0;
  if (!value.is_string()) return {};
  const std::string& text = value.get_ref<const std::string&>();
  return text.size() < 40 && parse_cell(text, '.', number) ? std::optional(number) : std::nullopt;
}

/// {"time": "iso8601", "u": "V"}: of which member what the unit is.
void take_units(Document& value) {
  std::vector<std::string> keys;
  for (const auto& [key, inner] : value.items()) keys.push_back(key);
  for (const std::string& key : keys) {
    if (!value[key].is_object() || !value.contains(key + "_units") || !value[key + "_units"].is_object())
      continue;
    const Document units = value[key + "_units"];
    Document out = Document::object();
    for (auto& [name, inner] : value[key].items()) {
      const std::string unit =
          units.contains(name) && units[name].is_string() ? units[name].get<std::string>() : "";
      const bool known = !unit.empty() && unit.size() < 24 && Unit::try_parse(unit).has_value();
      const std::string title = known && inner.is_array() ? name + " (" + unit + ")" : name;
      out[title] = std::move(inner);
    }
    value[key] = std::move(out);
    value.erase(key + "_units");
  }
}

/// {"schema": {"fields": [{"name": "u", "config": {"unit": "V"}}, ...]}, "data": {"values": [[...], ...]}}:
/// an array under each name.
void take_frame(Document& value) {
  if (!value.contains("schema") || !value.contains("data") || !value["schema"].is_object() ||
      !value["data"].is_object() || !value["schema"].contains("fields") || !value["data"].contains("values"))
    return;
  const Document fields = value["schema"]["fields"];
  Document& values = value["data"]["values"];
  if (!fields.is_array() || !values.is_array() || fields.size() != values.size() || fields.empty()) return;
  Document out = Document::object();
  for (std::size_t f = 0; f < fields.size(); ++f) {
    if (!fields[f].is_object() || !fields[f].contains("name") || !fields[f]["name"].is_string()) return;
    std::string name = fields[f]["name"].get<std::string>();
    if (fields[f].contains("config") && fields[f]["config"].is_object() &&
        fields[f]["config"].contains("unit") && fields[f]["config"]["unit"].is_string())
      name += " (" + fields[f]["config"]["unit"].get<std::string>() + ")";
    if (out.contains(name)) return;
    out[name] = values[f];
  }
  value = std::move(out);
}

/// {"metric": {"__name__": "acc", "axis": "x"}, "values": [[t, "1.5"], ...]}: times and values under the
/// series' name.
void take_series(Document& value) {
  if (!value.contains("metric") || !value["metric"].is_object() || !value.contains("values") ||
      !value["values"].is_array())
    return;
  std::string name;
  for (const auto& [key, text] : value["metric"].items())
    if (text.is_string()) {
      const std::string& said = text.get_ref<const std::string&>();
      const bool counts = said.find_first_not_of("0123456789") == std::string::npos;
      name += (name.empty() ? "" : " ") + (counts ? key + " " : "") + said;
    }
  Document times = Document::array(), numbers = Document::array();
  for (const Document& pair : value["values"]) {
    if (!pair.is_array() || pair.size() != 2 || !pair[0].is_number()) return;
    const auto said = number_said(pair[1]);
    if (!said && !pair[1].is_number() && !pair[1].is_string()) return;
    times.push_back(pair[0]);
    numbers.push_back(said ? Document(*said) : pair[1].is_number() ? pair[1] : Document(nullptr));
  }
  if (name.empty() || times.size() < 2) return;
  value = Document{{"time", std::move(times)}, {name, std::move(numbers)}};
}

}  // namespace

void take_numbers_of_rows(Document& list) {
  if (list.size() < fewest_form_rows || !list.front().is_object() || list.front().size() > most_members)
    return;
  std::vector<std::string> keys;
  for (const auto& [key, x] : list.front().items())
    if (number_said(x)) keys.push_back(key);
  for (const std::string& key : keys) {
    bool all = true, fraction = false;
    for (const Document& row : list) {
      all = all && row.is_object() && row.contains(key) && (row[key].is_null() || number_said(row[key]));
      if (!all) break;
      fraction = fraction || (row[key].is_string() && row[key].get_ref<const std::string&>().find_first_of(
                                                          ".eE") != std::string::npos);
    }
    // Whole numbers in quotation marks may be names.
    if (!all || !fraction) continue;
    for (Document& row : list)
      if (row[key].is_string()) row[key] = *number_said(row[key]);
  }
}

namespace {

/// {"channel": {"field1": "Temp"}, "feeds": [{"field1": 20.5}, ...]}.
void name_fields(Document& value) {
  if (!value.contains("channel") || !value["channel"].is_object() || !value.contains("feeds") ||
      !value["feeds"].is_array())
    return;
  const Document names = value["channel"];
  for (Document& row : value["feeds"]) {
    if (!row.is_object()) return;
    Document out = Document::object();
    for (auto& [key, x] : row.items()) {
      const bool named = key.starts_with("field") && names.contains(key) && names[key].is_string();
      const std::string title = named ? names[key].get<std::string>() : key;
      out[title] = std::move(x);
    }
    row = std::move(out);
  }
}

}  // namespace

void take_known_forms(Document& value) {
  take_units(value);
  take_frame(value);
  take_series(value);
  name_fields(value);
}

}  // namespace vprism
