// keyed_lines.cpp: see keyed_lines.h.
#include "formats/text/cells/keyed_lines.h"

#include <nlohmann/json.hpp>

#include "base/text.h"
#include "formats/text/clock/clock.h"
#include "formats/text/clock/clock_words.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

bool is_decimal_digit(char c) { return c >= '0' && c <= '9'; }

/// "rig,hall=2 temp=20.5,hum=50i 1465839830100400200": a series with its tags, its fields, and a count of
/// nanoseconds (or microseconds, ...) since 1970; empty where the line is anything else.
KeyedLine tagged_line_of(std::string_view line) {
  const std::size_t first = line.find(' '), last = line.rfind(' ');
  if (first == std::string_view::npos || last == first) return {};
  const std::string_view series = line.substr(0, first), stamp = trimmed(line.substr(last + 1));
  std::string_view fields = trimmed(line.substr(first, last - first));
  if (stamp.size() < 10 || stamp.find_first_not_of("0123456789") != std::string_view::npos ||
      fields.find(' ') != std::string_view::npos || series.find('=') < series.find(','))
    return {};
  KeyedLine out = {{"time", std::string(stamp)}};
  const auto take_pairs = [&out](std::string_view list) {
    for (const std::string& pair : split(list, ',')) {
      const std::size_t mark = pair.find('=');
      if (mark == std::string::npos || mark == 0 || mark + 1 == pair.size()) return false;
      std::string value = pair.substr(mark + 1);
      if (value.size() > 1 && value.back() == 'i' && is_decimal_digit(value[value.size() - 2]))
        value.pop_back();
      out.emplace_back(clean_text(pair.substr(0, mark)), unquoted_cell(value));
    }
    return true;
  };
  if (!take_pairs(fields)) return {};
  const std::size_t comma = series.find(',');
  if (comma != std::string_view::npos && !take_pairs(series.substr(comma + 1))) return {};
  return out;
}

/// What a member holds: numbers and texts, those of objects and short lists within by their places, "a.x",
/// "a 1". False for what is none of these.
bool take_member(const std::string& key, const nlohmann::ordered_json& value, KeyedLine& out, int depth) {
  constexpr std::size_t longest_list = 64;
  if (depth > 8) return false;
  if (value.is_number() || value.is_boolean()) {
    out.emplace_back(key, value.is_boolean() ? (value.get<bool>() ? "1" : "0") : value.dump());
  } else if (value.is_string()) {
    out.emplace_back(key, clean_text(value.get<std::string>()));
  } else if (value.is_null()) {
    out.emplace_back(key, "nan");
  } else if (value.is_object()) {
    for (const auto& [name, inner] : value.items())
      if (!take_member(key + "." + clean_text(name), inner, out, depth + 1)) return false;
  } else {
    if (value.size() > longest_list) return false;
    for (std::size_t k = 0; k < value.size(); ++k)
      if (!take_member(key + " " + std::to_string(k + 1), value[k], out, depth + 1)) return false;
  }
  return true;
}

/// How many characters behind a number are a blank and its unit, no next key: "0.25 V; ...".
std::size_t unit_behind(std::string_view number, std::string_view rest) {
  double value = 0;
  const std::size_t begin = rest.find_first_not_of(" \t");
  if (begin == 0 || begin == std::string_view::npos || !parse_cell(number, '.', value)) return 0;
  const std::size_t end = std::min(rest.find_first_of(" ,;\t=:", begin), rest.size());
  const std::size_t next = rest.find_first_not_of(" \t", end);
  if (end == begin || end - begin > 8 ||
      (next != std::string_view::npos && (rest[next] == '=' || rest[next] == ':')))
    return 0;
  return Unit::try_parse(rest.substr(begin, end - begin)) ? end : 0;
}

}  // namespace

namespace {

/// How many digits stand in parentheses behind the letter of a level: "I (1020) ADC: raw=996"; 0 where none
/// do.
std::size_t level_and_count(std::string_view line) {
  if (line.size() < 6 || std::string_view("IWEDV").find(line[0]) == std::string_view::npos ||
      line[1] != ' ' || line[2] != '(')
    return 0;
  std::size_t digits = 0;
  while (3 + digits < line.size() && is_decimal_digit(line[3 + digits])) ++digits;
  return 3 + digits < line.size() && line[3 + digits] == ')' && digits < 16 ? digits : 0;
}

/// "Mar  5 10:00:01", "5 Mar 10:00:01".
bool has_month_word(std::string_view text) {
  if (month_word(text) > 0) return true;
  text.remove_prefix(std::min(text.find_first_not_of("0123456789 -."), text.size()));
  return month_word(text) > 0;
}

}  // namespace

std::optional<StampedLine> stamp_in_front(std::string_view line) {
  line = trimmed(line);
  std::string_view words = line;
  if (line.empty() || (!is_decimal_digit(line[0]) && month_word(words) == 0)) return {};
  std::vector<std::size_t> ends;
  for (std::size_t at = line.find_first_of(" \t"); at != std::string_view::npos && ends.size() < 4;) {
    ends.push_back(at);
    at = line.find_first_not_of(" \t", at);
    if (at != std::string_view::npos) at = line.find_first_of(" \t", at);
  }
  for (auto end = ends.rbegin(); end != ends.rend(); ++end) {
    const std::string_view stamp = line.substr(0, *end);
    // A time of day alone stands in front of much that is no log.
    if (parse_date_time(stamp) || (has_month_word(stamp) && parse_time_of_day(stamp)))
      return StampedLine{stamp, trimmed(line.substr(*end))};
  }
  return {};
}

KeyedLine pairs_of(std::string_view line) {
  KeyedLine out;
  line = trimmed(line);
  if (KeyedLine tagged = tagged_line_of(line); !tagged.empty()) return tagged;
  // A mark that says what kind of line it is: ">t:10,u:1.5".
  if (line.size() > 1 && (line[0] == '>' || line[0] == '$' || line[0] == '*')) line = trimmed(line.substr(1));
  // An entry of a list: "- {t: 0.01, x: 1.5}".
  if (starts_with(line, "- ")) line = trimmed(line.substr(2));
  if (line.size() > 2 && line.front() == '{' && line.back() == '}')
    line = trimmed(line.substr(1, line.size() - 2));
  // A time in brackets in front, or a date, as logs have it, and words before the first name.
  const std::size_t equals = line.find('=');
  const std::size_t arrow = line.find(" -> ");
  if (double number = 0; arrow != std::string_view::npos && arrow < 48) {
    // "10:00:01.5 -> a:1.5,b:2": as terminals write what comes in.
    const std::string_view before = trimmed(line.substr(0, arrow));
    if (!parse_time_of_day(before) && !parse_date_time(before) && !parse_cell(before, '.', number)) return {};
    out.emplace_back("time", std::string(before));
    line = trimmed(line.substr(arrow + 4));
  } else if (const std::size_t close = line.find(']'); !line.empty() && line[0] == '[' && close < equals) {
    const std::string_view inside = trimmed(line.substr(1, close - 1));
    double seconds = 0;
    if (!parse_time_of_day(inside) && !parse_date_time(inside) && !parse_cell(inside, '.', seconds))
      return {};
    out.emplace_back("time", std::string(inside));
    line = trimmed(line.substr(close + 1));
    if (line.empty()) return {};
    // "INFO adc: ch0=1.5": words in front of the first name.
    const std::size_t first = line.find('='), colon = line.substr(0, first).rfind(": ");
    if (first != std::string_view::npos && colon != std::string_view::npos)
      line = trimmed(line.substr(colon + 2));
    for (const char* level : {"INFO ", "DEBUG ", "TRACE ", "WARN ", "WARNING ", "ERROR ", "NOTICE ", "DATA "})
      if (starts_with(line, level)) line = trimmed(line.substr(std::string_view(level).size()));
  } else if (const std::size_t count = level_and_count(line); count > 0) {
    // "I (1020) ADC: raw=996": milliseconds since the program began.
    out.emplace_back("time (ms)", std::string(line.substr(3, count)));
    line = trimmed(line.substr(count + 4));
    const std::size_t first = line.find('='), colon = line.substr(0, first).rfind(": ");
    if (first != std::string_view::npos && colon != std::string_view::npos)
      line = trimmed(line.substr(colon + 2));
  } else if (const auto stamped = stamp_in_front(line)) {
    // Behind it a host, a program with its number, a level, and words.
    line = stamped->rest;
    if (const std::size_t mark = line.find("]: "); mark != std::string_view::npos)
      line = trimmed(line.substr(mark + 3));
    if (line.empty() || is_decimal_digit(line[0])) return {};
    out.emplace_back("time", std::string(stamped->stamp));
    const std::size_t first = line.find('=');
    const std::size_t blank = first == std::string_view::npos
                                  ? std::string_view::npos
                                  : trimmed(line.substr(0, first)).find_last_of(" \t");
    if (blank != std::string_view::npos) line = line.substr(blank + 1);
  } else if (!line.empty() && is_decimal_digit(line[0]) && equals != std::string_view::npos) {
    return {};
  }
  while (!line.empty()) {
    const std::size_t mark = line.find_first_of("=:");
    if (mark == std::string_view::npos || mark == 0 || mark > 60) return {};
    const std::string_view key = trimmed(line.substr(0, mark));
    const bool worded = !key.empty() && ((key[0] | 32) >= 'a' && (key[0] | 32) <= 'z');
    if (!worded || key.find_first_of(",;\t\"") != std::string_view::npos) return {};
    line = trimmed(line.substr(mark + 1));
    std::string value;
    std::size_t end = 0;
    if (!line.empty() && line[0] == '"') {
      end = line.find('"', 1);
      if (end == std::string_view::npos) return {};
      value = std::string(line.substr(1, end - 1));
      ++end;
    } else {
      // Up to the next mark's word: a unit or a time of day may stand behind a blank.
      end = line.find_first_of(" ,;\t");
      end = std::min(end, line.size());
      value = std::string(line.substr(0, end));
      end += unit_behind(value, line.substr(end));
      value = std::string(line.substr(0, end));
    }
    if (value.empty()) return {};
    out.emplace_back(clean_text(key), value);
    line = line.substr(end);
    const std::size_t next = line.find_first_not_of(" ,;\t");
    line = next == std::string_view::npos ? std::string_view() : line.substr(next);
  }
  return out.size() > 1 ? out : KeyedLine();
}

KeyedLine object_of(std::string_view line) {
  line = trimmed(line);
  if (!line.empty() && line.back() == ',') line = trimmed(line.substr(0, line.size() - 1));
  if (line.size() < 5 || line.front() != '{' || line.back() != '}') return {};
  const auto object = nlohmann::ordered_json::parse(line, nullptr, false);
  if (!object.is_object()) return {};
  KeyedLine out;
  for (const auto& [key, value] : object.items())
    if (!take_member(clean_text(key), value, out, 0)) return {};
  return out;
}

}  // namespace vprism
