// json_plain.cpp: see json_plain.h.
#include "formats/json/json_plain.h"

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/text.h"
#include "formats/json/json_forms.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

namespace {

using Document = nlohmann::ordered_json;
constexpr std::size_t fewest_counted = 8, fewest_in_text = 16, fewest_texts = 8;
constexpr int deepest_made_plain = 32;

std::optional<double> number_in_text(const std::string& text) {
  double value = 0;
  return text.size() < 40 && parse_cell(text, '.', value) ? std::optional(value) : std::nullopt;
}

/// {"0": 1.5, "1": 1.4, ...}, from 0 or 1 on.
bool has_counting_keys(const Document& value) {
  if (!value.is_object() || value.size() < fewest_counted) return false;
  std::size_t next = value.begin().key() == "1" ? 1 : 0;
  for (const auto& [key, x] : value.items())
    if (key != std::to_string(next++) || !x.is_primitive()) return false;
  return true;
}

/// "0.5,0.25,...", "0.5 0.25 ...": many numbers in one text.
std::vector<double> numbers_in_text(const std::string& text) {
  std::vector<double> out;
  if (text.size() < 2 * fewest_in_text ||
      text.find_first_not_of("0123456789+-.eE,; \t\r\n") != std::string::npos)
    return out;
  for (std::size_t at = text.find_first_not_of(",; \t\r\n"); at != std::string::npos;) {
    const std::size_t end = std::min(text.find_first_of(",; \t\r\n", at), text.size());
    const auto number = number_in_text(text.substr(at, end - at));
    if (!number) return {};
    out.push_back(*number);
    at = text.find_first_not_of(",; \t\r\n", end);
  }
  return out.size() >= fewest_in_text ? out : std::vector<double>();
}

/// Texts that are numbers, all of them or beside numbers themselves, become numbers.
void take_texts_as_numbers(Document& list) {
  std::size_t texts = 0, numbers = 0;
  for (const Document& x : list) {
    if (x.is_string() && number_in_text(x.get_ref<const std::string&>()))
      ++texts;
    else if (x.is_number())
      ++numbers;
    else if (!x.is_null())
      return;
  }
  if (texts == 0 || (numbers == 0 && texts < fewest_texts)) return;
  for (Document& x : list)
    if (x.is_string()) x = *number_in_text(x.get_ref<const std::string&>());
}

using AxisLabels = std::map<std::string, std::string>;

/// "xlabel", "y_label", "xLabel": of which list, and what it says.
void take_label(const std::string& key, const Document& value, AxisLabels& labels) {
  if (!value.is_string() || value.get_ref<const std::string&>().empty()) return;
  std::string name = lower_case(key);
  std::erase(name, '_');
  std::erase(name, ' ');
  for (const char* axis : {"x", "y"})
    for (const char* word : {"label", "title", "axislabel", "axistitle"})
      if (name == std::string(axis) + word) labels[axis] = value.get<std::string>();
}

void make_plain_within(Document& value, AxisLabels labels, int depth) {
  if (depth > deepest_made_plain) return;
  if (value.is_array()) {
    take_texts_as_numbers(value);
    take_numbers_of_rows(value);
    for (Document& x : value)
      if (x.is_structured()) make_plain_within(x, labels, depth + 1);
    return;
  }
  take_known_forms(value);
  for (const auto& [key, x] : value.items()) take_label(key, x, labels);
  bool renamed = false;
  for (auto& [key, x] : value.items()) {
    if (has_counting_keys(x)) {
      Document list = Document::array();
      for (auto& inner : x) list.push_back(std::move(inner));
      x = std::move(list);
    } else if (x.is_string()) {
      if (const std::vector<double> numbers = numbers_in_text(x.get_ref<const std::string&>());
          !numbers.empty())
        x = numbers;
    }
    if (x.is_structured()) make_plain_within(x, labels, depth + 1);
    renamed = renamed || (x.is_array() && labels.count(key) > 0 && !value.contains(labels[key]));
  }
  if (!renamed) return;
  Document out = Document::object();
  for (auto& [key, x] : value.items()) {
    const auto label = labels.find(key);
    const bool takes = x.is_array() && label != labels.end() && !value.contains(label->second) &&
                       !out.contains(label->second);
    out[takes ? label->second : key] = std::move(x);
  }
  value = std::move(out);
}

}  // namespace

void make_plain(Document& document) {
  if (document.is_structured()) make_plain_within(document, {}, 0);
}

}  // namespace vprism
