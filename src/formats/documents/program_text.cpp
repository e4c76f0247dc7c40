// program_text.cpp: see program_text.h.
#include "formats/documents/program_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdint>
#include <optional>

#include "base/text.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

bool is_word_letter(char c) { return ((c | 32) >= 'a' && (c | 32) <= 'z') || c == '_'; }

std::string_view without_remark(std::string_view line) {
  return line.substr(0, std::min({line.find("//"), line.find("/*"), line.find_first_of("#%")}));
}

/// "[12] = 1.5," without the place.
std::string without_places(std::string_view line) {
  std::string out;
  std::size_t taken = 0;
  for (std::size_t at = 0; (at = line.find('[', at)) != std::string_view::npos;) {
    const std::size_t close = std::min(line.find_first_not_of("0123456789", at + 1), line.size());
    const std::size_t equals = std::min(line.find_first_not_of(" \t", close + 1), line.size());
    if (close == at + 1 || equals == line.size() || line[close] != ']' || line[equals] != '=') {
      ++at;
      continue;
    }
    out += line.substr(taken, at - taken);
    at = taken = equals + 1;
  }
  return out += line.substr(taken);
}

/// Numbers, brackets, and what parts them; at least one number.
bool is_of_values(std::string_view whole) {
  std::string line = without_places(without_remark(whole));
  // Where missing numbers come from.
  for (const std::string_view from : {"numpy.", "np.", "math."})
    for (std::size_t at; (at = line.find(from)) != std::string::npos;) line.erase(at, from.size());
  return line.find_first_not_of("0123456789+-.,;eEdDfFlLuUxXabcABCnNo{}[]() \t\r\n") == std::string::npos &&
         line.find_first_of("0123456789") != std::string::npos;
}

/// How many bits a whole number of this type has, its sign among them; 0 for all that is no such type.
int signed_bits(const std::string& type) {
  if (type.find("unsigned") != std::string::npos || type.find("uint") != std::string::npos) return 0;
  static constexpr std::pair<std::string_view, int> types[] = {
      {"int8", 8}, {"int16", 16}, {"int32", 32}, {"short", 16}, {"signed char", 8}, {"int ", 32}};
  for (const auto& [word, bits] : types)
    if (type.find(word) != std::string::npos) return bits;
  return 0;
}

}  // namespace

std::optional<ArrayOpening> array_opening(std::string_view line) {
  line = trimmed(line);
  const std::size_t mark = line.find('=');
  if (mark == std::string_view::npos || mark == 0 || mark > 120 || !is_word_letter(line[0])) return {};
  std::string_view behind = trimmed(line.substr(mark + 1));
  // The name of a function, "np.array(", may stand before the bracket.
  const std::size_t bracket = behind.find_first_of("[{");
  if (bracket == std::string_view::npos ||
      behind.substr(0, bracket).find_first_of("\"',;=") != std::string_view::npos)
    return {};
  behind = behind.substr(bracket);
  std::string_view left = trimmed(line.substr(0, mark));
  if (const std::size_t size = left.find('['); size != std::string_view::npos)
    left = trimmed(left.substr(0, size));
  const std::size_t blank = left.find_last_of(" \t*&");
  const std::string_view name = blank == std::string_view::npos ? left : left.substr(blank + 1);
  if (name.empty() || !is_word_letter(name[0])) return {};
  const std::string type = lower_case(left.substr(0, left.size() - name.size()));
  return ArrayOpening{clean_text(std::string(name)), behind, signed_bits(type)};
}

std::optional<double> program_value(std::string_view cell, int bits) {
  double value = 0;
  if (cell.size() > 2 && cell[0] == '0' && (cell[1] | 32) == 'x') {
    char* end = nullptr;
    const std::string text(cell);
    std::uint64_t whole = std::strtoull(text.c_str() + 2, &end, 16);
    while (*end != '\0' && std::string_view("uUlL").find(*end) != std::string_view::npos) ++end;
    if (*end != '\0') return {};
    // "int16_t u[] = {0xFFFE": -2.
    if (bits > 0 && bits < 64 && (whole >> bits) == 0 && (whole >> (bits - 1)) != 0)
      return static_cast<double>(static_cast<std::int64_t>(whole) - (std::int64_t{1} << bits));
    return static_cast<double>(whole);
  }
  while (!cell.empty() && std::string_view("fFlLuU").find(cell.back()) != std::string_view::npos)
    cell.remove_suffix(1);
  return parse_cell(cell, '.', value) ? std::optional(value) : std::nullopt;
}

std::optional<ProgramSetting> program_setting(std::string_view line) {
  line = trimmed(line);
  std::string_view name, text;
  if (starts_with(line, "#define ")) {
    line = trimmed(without_remark(line.substr(8)));
    const std::size_t blank = line.find_first_of(" \t");
    if (blank == std::string_view::npos) return {};
    name = line.substr(0, blank), text = trimmed(line.substr(blank));
  } else {
    line = trimmed(without_remark(line));
    const std::size_t mark = line.find('=');
    if (mark == std::string_view::npos || mark == 0 || !is_word_letter(line[0])) return {};
    name = trimmed(line.substr(0, mark)), text = trimmed(line.substr(mark + 1));
    if (const std::size_t blank = name.find_last_of(" \t*&"); blank != std::string_view::npos)
      name = name.substr(blank + 1);
    text = trimmed(text.substr(0, text.find_first_of(";#%")));
  }
  if (name.empty() || !is_word_letter(name[0]) || text.empty() || text.size() > 200) return {};
  ProgramSetting out{clean_text(std::string(name)), "", program_value(text)};
  if (text.size() > 1 && (text[0] == '"' || text[0] == '\'') && text.back() == text[0])
    text = text.substr(1, text.size() - 2);
  out.text = clean_text(std::string(text));
  return out;
}

bool is_program_text(const std::vector<std::string_view>& lines, bool plain) {
  std::size_t open = lines.size();
  for (std::size_t i = 0; i < lines.size() && open == lines.size(); ++i)
    if (array_opening(lines[i])) open = i;
  if (open == lines.size()) return false;
  // Plain rows between brackets are read as a table's.
  std::size_t all = 0, good = 0, marked = 0;
  for (std::size_t i = open; i < lines.size(); ++i) {
    const auto first = array_opening(lines[i]);
    const std::string_view text = trimmed(without_remark(first ? first->behind : lines[i]));
    if (text.find_first_of("0123456789") == std::string_view::npos) continue;  // Brackets alone.
    ++all;
    good += is_of_values(text) ? 1 : 0;
    marked += text.find_first_of("{}[]();fFuUlLx") != std::string_view::npos || text.back() == ',' ? 1 : 0;
  }
  return all > 0 && 10 * good >= 9 * all && (plain || 2 * marked >= all);
}

void rewrite_program_line(std::string_view line, std::string& out, int bits) {
  const auto first = array_opening(line);
  const std::string placed = without_places(without_remark(first ? first->behind : line));
  std::string_view text = trimmed(placed);
  const std::string_view whole = trimmed(line);
  const bool brackets = text.find_first_not_of("{}[]();, \t") == std::string_view::npos;
  if (text.empty() || (!first && !is_of_values(text) && !brackets)) {
    // A remark, a setting, or anything else.
    const std::size_t begin = whole.find_first_not_of("/*%# \t");
    if (begin != std::string_view::npos && begin > 0) {
      std::string_view remark = trimmed(whole.substr(begin));
      if (remark.ends_with("*/")) remark = trimmed(remark.substr(0, remark.size() - 2));
      out += "# ";
      out += remark;
    } else if (begin == 0) {
      out += whole.substr(0, whole.size() - (whole.back() == ';' ? 1 : 0));
    }
    out += '\n';
    return;
  }
  if (first) out += first->name + " = [\n";
  // Inner brackets and semicolons part rows; the outer bracket opens the list.
  if (first && !text.empty()) text.remove_prefix(1);
  const bool in_rows = text.find_first_of("{[(;") != std::string_view::npos &&
                       text.find_first_not_of("}]); \t,") != std::string_view::npos;
  const bool blanks =
      text.find(',') == std::string_view::npos && text.find_first_of(" \t") != std::string_view::npos;
  std::vector<std::string> row;
  const auto end_row = [&] {
    for (std::size_t i = 0; i < row.size(); ++i) out += (i > 0 ? "\t" : "") + row[i];
    if (!row.empty()) out += '\n';
    row.clear();
  };
  std::string cell;
  const auto end_cell = [&] {
    if (cell.empty()) return;
    const auto value = program_value(cell, bits);
    row.push_back(value ? fmt::format("{}", *value) : cell);
    cell.clear();
    if (!in_rows && !blanks) end_row();
  };
  for (const char c : text) {
    if (std::string_view(",; \t\r{}[]()").find(c) == std::string_view::npos) {
      cell += c;
      continue;
    }
    end_cell();
    if (c == ';' || c == '}' || c == ']' || c == ')') end_row();
  }
  end_cell();
  end_row();
}

}  // namespace vprism
