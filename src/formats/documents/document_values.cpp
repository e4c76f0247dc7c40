// document_values.cpp: see document_values.h.
#include "formats/documents/document_values.h"

#include <charconv>
#include <cmath>
#include <cstdint>
#include <nlohmann/json.hpp>

#include "base/text.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

using Document = nlohmann::ordered_json;

Document document_value(std::string_view text) {
  text = trimmed(text);
  const std::string_view digits = text.substr(!text.empty() && text[0] == '+' ? 1 : 0);
  std::int64_t whole = 0;
  if (const auto [end, code] = std::from_chars(digits.data(), digits.data() + digits.size(), whole);
      code == std::errc() && end == digits.data() + digits.size())
    return whole;
  double value = 0;
  if (parse_cell(text, '.', value) && std::isfinite(value)) return value;
  const std::string low = lower_case(text);
  if (low.empty() || low == "nan" || low == ".nan" || low == "null" || low == "~") return nullptr;
  return std::string(text);
}

Document document_numbers(std::string_view text) {
  const bool semicolons = text.find(';') != std::string_view::npos;
  const char decimal = semicolons && text.find('.') == std::string_view::npos ? ',' : '.';
  const std::string_view between = semicolons ? "; \t\r\n" : ", \t\r\n";
  Document out = Document::array();
  std::size_t missing = 0;
  for (std::size_t at = text.find_first_not_of(between); at != std::string_view::npos;) {
    const std::size_t end = std::min(text.size(), text.find_first_of(between, at));
    const std::string_view cell = text.substr(at, end - at);
    double value = 0;
    if (parse_cell(cell, decimal, value)) {
      out.push_back(value);
    } else {
      out.push_back(nullptr);
      missing += document_value(cell).is_null() ? 0 : 1;
    }
    at = text.find_first_not_of(between, end);
  }
  return out.size() > 1 && 10 * missing <= out.size() ? out : Document(nullptr);
}

}  // namespace vprism
