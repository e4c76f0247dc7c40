// clock_words.cpp: see clock_words.h.
#include "formats/text/clock/clock_words.h"

#include <algorithm>
#include <string>
#include <utility>

#include "base/text.h"

namespace vprism {

int month_word(std::string_view& text) {
  std::size_t size = 0;
  while (size < text.size() &&
         (((text[size] | 32) >= 'a' && (text[size] | 32) <= 'z') || (text[size] & '\x80') != 0))
    ++size;
  if (size < 3) return 0;
  static constexpr std::string_view names[][12] = {
      {"january", "february", "march", "april", "may", "june", "july", "august", "september", "october",
       "november", "december"},
      {"januar", "februar", "m\xc3\xa4rz", "april", "mai", "juni", "juli", "august", "september", "oktober",
       "november", "dezember"},
      {"janvier", "f\xc3\xa9vrier", "mars", "avril", "mai", "juin", "juillet", "ao\xc3\xbbt", "septembre",
       "octobre", "novembre",
       "d\xc3\xa9"
       "cembre"},
      {"enero", "febrero", "marzo", "abril", "mayo", "junio", "julio", "agosto", "septiembre", "octubre",
       "noviembre", "diciembre"},
      {"gennaio", "febbraio", "marzo", "aprile", "maggio", "giugno", "luglio", "agosto", "settembre",
       "ottobre", "novembre", "dicembre"},
      {"januari", "februari", "maart", "april", "mei", "juni", "juli", "augustus", "september", "oktober",
       "november", "december"}};
  const std::string word = lower_case(text.substr(0, size));
  if (word == "jui") return 0;  // June or July.
  for (const auto& language : names)
    for (int m = 0; m < 12; ++m)
      if (starts_with(language[m], word) || (m == 8 && word == "sept")) {
        text.remove_prefix(size);
        return m + 1;
      }
  return 0;
}

std::optional<double> zone_word(std::string_view text) {
  if (text.size() < 3 || text.size() > 5) return {};
  for (const char c : text)
    if (c < 'A' || c > 'Z') return {};
  static constexpr std::pair<std::string_view, double> known[] = {
      {"CET", 1},  {"CEST", 2},  {"MEZ", 1},   {"MESZ", 2}, {"WET", 0},  {"WEST", 1},
      {"EET", 2},  {"EEST", 3},  {"BST", 1},   {"EST", -5}, {"EDT", -4}, {"CST", -6},
      {"CDT", -5}, {"MST", -7},  {"MDT", -6},  {"PST", -8}, {"PDT", -7}, {"JST", 9},
      {"KST", 9},  {"AEST", 10}, {"AEDT", 11}, {"MSK", 3}};
  for (const auto& [name, hours] : known)
    if (text == name) return hours;
  return 0;
}

std::string_view without_weekday(std::string_view text) {
  static constexpr std::string_view days[] = {"mon", "tue", "wed", "thu", "fri", "sat", "sun"};
  const std::size_t end = text.find_first_of(" ,");
  if (end == std::string_view::npos || end < 3 || end > 9) return text;
  const std::string word = lower_case(text.substr(0, 3));
  if (std::find(std::begin(days), std::end(days), word) == std::end(days)) return text;
  const std::size_t next = text.find_first_not_of(" ,", end);
  return next == std::string_view::npos ? text : text.substr(next);
}

std::optional<std::int64_t> parse_duration_words(std::string_view text) {
  static constexpr std::pair<std::string_view, std::int64_t> units[] = {
      {"d", 86400}, {"h", 3600}, {"hr", 3600}, {"min", 60}, {"m", 60}, {"sec", 1}, {"s", 1}};
  const bool standard = starts_with(text, "P");  // "PT1.5S", as ISO 8601 writes them.
  if (standard) text.remove_prefix(1);
  std::int64_t ns = 0, before = std::int64_t{1} << 40;
  std::size_t count = 0;
  while (!text.empty()) {
    if (text[0] == 'T' || text[0] == ' ') {
      text.remove_prefix(1);
      continue;
    }
    std::int64_t whole = 0, fraction = 0, scale = 1000000000;
    std::size_t at = 0;
    for (; at < text.size() && at < 9 && text[at] >= '0' && text[at] <= '9'; ++at)
      whole = whole * 10 + (text[at] - '0');
    if (at == 0) return {};
    const bool parted = at < text.size() && (text[at] == '.' || text[at] == ',');
    if (parted)
      for (++at; at < text.size() && text[at] >= '0' && text[at] <= '9'; ++at)
        if (scale > 1) scale /= 10, fraction += (text[at] - '0') * scale;
    text = trimmed(text.substr(at));
    std::size_t end = 0;
    while (end < text.size() && ((text[end] | 32) >= 'a' && (text[end] | 32) <= 'z') &&
           !(standard && text[end] == 'T'))
      ++end;
    const std::string word = lower_case(text.substr(0, end));
    const auto unit =
        std::find_if(std::begin(units), std::end(units), [&](const auto& u) { return u.first == word; });
    if (unit == std::end(units) || unit->second >= before || (parted && unit->second != 1)) return {};
    before = unit->second;
    ns += whole * unit->second * 1000000000 + fraction;
    text.remove_prefix(end);
    ++count;
  }
  return count > 1 || (standard && count == 1) ? std::optional(ns) : std::nullopt;
}

}  // namespace vprism
