// complex_cells.cpp: see complex_cells.h. Parentheses and quotes keep a cell together, whatever stands
// within.
#include "formats/text/cells/complex_cells.h"

#include <fast_float/fast_float.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/text.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

namespace {

/// Blanks, quotes and one pair of parentheses around it taken away; signs in ASCII.
std::string stripped(std::string_view cell, bool& parenthesised) {
  cell = trimmed(cell);
  if (cell.size() >= 2 && cell.front() == '"' && cell.back() == '"')
    cell = trimmed(cell.substr(1, cell.size() - 2));
  parenthesised = cell.size() >= 2 && cell.front() == '(' && cell.back() == ')';
  if (parenthesised) cell = cell.substr(1, cell.size() - 2);
  static constexpr std::pair<std::string_view, std::string_view> signs[] = {
      {"\xE2\x88\x92", "-"}, {"\xE2\x88\xA0", "<"}, {"\xC2\xB0", "deg"}, {"\xC2\xA0", ""}, {"\xB0", "deg"}};
  std::string out;
  for (std::size_t i = 0; i < cell.size();) {
    const auto sign = std::find_if(std::begin(signs), std::end(signs),
                                   [&](const auto& s) { return starts_with(cell.substr(i), s.first); });
    if (sign != std::end(signs)) {
      out += sign->second;
      i += sign->first.size();
    } else {
      if (cell[i] != ' ' && cell[i] != '\t') out += cell[i];
      ++i;
    }
  }
  return out;
}

/// A number at the front of `text`, which is then shorter by it.
std::optional<double> take_number(std::string_view& text, char decimal) {
  const bool plus = !text.empty() && text.front() == '+';
  const std::string_view from = text.substr(plus ? 1 : 0);
  if (from.empty() || (plus && (from.front() == '-' || from.front() == '+'))) return {};
  double value = 0;
  const auto [end, code] =
      fast_float::from_chars_advanced(from.data(), from.data() + from.size(), value,
                                      fast_float::parse_options{fast_float::chars_format::general, decimal});
  if (code != std::errc() || !std::isfinite(value)) return {};
  text = from.substr(static_cast<std::size_t>(end - from.data()));
  return value;
}

bool is_imaginary_mark(std::string_view text) {
  return text == "i" || text == "j" || text == "*i" || text == "*j";
}

/// The imaginary part with its mark behind or before it: "-0.3j", "+j0.3", "+i*0.3", "-j".
std::optional<double> imaginary_part(std::string_view text, char decimal) {
  if (text.empty()) return {};
  double sign = 1;
  std::string_view bare = text;
  if (bare.front() == '+' || bare.front() == '-') sign = bare.front() == '-' ? -1 : 1, bare.remove_prefix(1);
  if (bare == "i" || bare == "j") return sign;
  if (!bare.empty() && (bare.front() == 'i' || bare.front() == 'j')) {
    bare.remove_prefix(1);
    if (!bare.empty() && bare.front() == '*') bare.remove_prefix(1);
    const auto value = take_number(bare, decimal);
    return value && bare.empty() && *value >= 0 ? std::optional(sign * *value) : std::nullopt;
  }
  const auto value = take_number(text, decimal);
  return value && is_imaginary_mark(text) ? value : std::nullopt;
}

std::optional<std::complex<double>> polar_number(double size, std::string_view rest, bool decibels,
                                                 char decimal) {
  const auto angle = take_number(rest, decimal);
  if (!angle) return {};
  const bool radians = rest == "rad";
  if (!rest.empty() && !radians && rest != "deg") return {};
  if (decibels) size = std::pow(10, size / 20);
  if (size < 0) return {};
  const double turn = *angle * (radians ? 1 : std::numbers::pi / 180);
  return size * std::complex(std::cos(turn), std::sin(turn));
}

/// Cells between delimiters that stand in no parentheses and no quotes; ' ' stands for runs of blanks.
void split_around(std::string_view line, char delimiter, std::vector<std::string_view>& cells) {
  cells.clear();
  const auto parts = [&](char c) { return delimiter == ' ' ? c == ' ' || c == '\t' : c == delimiter; };
  int depth = 0;
  bool quoted = false;
  std::size_t from = 0;
  for (std::size_t i = 0; i <= line.size(); ++i) {
    const char c = i < line.size() ? line[i] : delimiter;
    if (i < line.size() && c == '"') quoted = !quoted;
    if (!quoted && c == '(') ++depth;
    if (!quoted && c == ')' && depth > 0) --depth;
    if (i < line.size() && (quoted || depth > 0 || !parts(c))) continue;
    if (delimiter != ' ' || i > from) cells.push_back(line.substr(from, i - from));
    from = i + 1;
  }
}

std::string_view without_end(std::string_view line) {
  while (!line.empty() && (line.back() == '\r' || line.back() == '\n')) line.remove_suffix(1);
  return line;
}

}  // namespace

std::optional<std::complex<double>> parse_complex(std::string_view cell, char decimal) {
  if (cell.size() < 2 || cell.size() > 120) return {};
  bool parenthesised = false;
  const std::string text = stripped(cell, parenthesised);
  std::string_view rest = text;
  if (const auto alone = imaginary_part(rest, decimal)) return std::complex<double>(0, *alone);
  const auto first = take_number(rest, decimal);
  if (!first || rest.empty()) return {};
  if (rest.front() == '<') return polar_number(*first, rest.substr(1), false, decimal);
  if (starts_with(lower_case(rest), "db")) {
    rest.remove_prefix(2);
    if (rest.size() < 2 || (rest.front() != ',' && rest.front() != ';' && rest.front() != '<')) return {};
    return polar_number(*first, rest.substr(1), true, decimal);
  }
  if (parenthesised && (rest.front() == ',' || rest.front() == ';') && rest.front() != decimal) {
    rest.remove_prefix(1);
    const auto second = take_number(rest, decimal);
    return second && rest.empty() ? std::optional(std::complex<double>(*first, *second)) : std::nullopt;
  }
  if (rest.front() != '+' && rest.front() != '-') return {};
  const auto second = imaginary_part(rest, decimal);
  return second ? std::optional(std::complex<double>(*first, *second)) : std::nullopt;
}

std::optional<ComplexCells> ComplexCells::found_in(const std::vector<std::string_view>& lines, char delimiter,
                                                   char decimal) {
  constexpr std::size_t looked_at = 24;
  std::vector<std::string_view> last, cells;
  for (std::size_t i = lines.size(); i-- > 0 && last.size() < looked_at;)
    if (const std::string_view line = without_end(lines[i]); !trimmed(line).empty()) last.push_back(line);
  ComplexCells best;
  double most = 0;
  for (const char d : {',', ';', '\t', '|', ' '}) {
    if (delimiter != 0 && d != delimiter) continue;
    for (const char mark : {'.', ','}) {
      if ((decimal != 0 && mark != decimal) || mark == d) continue;
      // As many cells as the last line but one has: the last may be a note.
      split_around(last.empty() ? std::string_view() : last[last.size() > 1 ? 1 : 0], d, cells);
      const std::size_t count = cells.size();
      std::vector<std::size_t> complex(count);
      std::size_t alike = 0, numbers = 0, all = 0;
      double ignored = 0;
      for (const std::string_view line : last) {
        split_around(line, d, cells);
        all += cells.size();
        if (cells.size() != count) continue;
        ++alike;
        for (std::size_t c = 0; c < count; ++c) {
          const bool is_complex = parse_complex(cells[c], mark).has_value();
          complex[c] += is_complex ? 1 : 0;
          numbers += is_complex || parse_any_cell(cells[c], mark, ignored) ? 1 : 0;
        }
      }
      ComplexCells found;
      found.delimiter_ = d, found.decimal_ = mark, found.cells_ = count;
      for (std::size_t c = 0; c < count; ++c)
        // Titles may be among so few lines.
        if (complex[c] >= 2 && 10 * complex[c] >= 7 * std::min(alike, last.size()))
          found.complex_.push_back(c);
      // A wrong mark leaves cells that are no numbers.
      const double pure = static_cast<double>(numbers) / static_cast<double>(std::max<std::size_t>(1, all));
      const double score = static_cast<double>(alike * found.complex_.size()) * std::pow(pure, 4);
      if (!found.complex_.empty() && score > most) most = score, best = found;
    }
  }
  return most > 0 ? std::optional(best) : std::nullopt;
}

void ComplexCells::rewrite(std::string_view line, std::string& out) const {
  thread_local std::vector<std::string_view> cells;
  std::string_view bare = without_end(line);
  const std::string_view end = line.substr(bare.size());
  // A mark before titles is no cell of theirs.
  std::string_view lead;
  if (const std::string_view text = trimmed(bare); !text.empty() && (text[0] == '#' || text[0] == '%'))
    lead = bare.substr(0, static_cast<std::size_t>(text.data() - bare.data()) + 1);
  split_around(bare.substr(lead.size()), delimiter_, cells);
  if (cells.size() != cells_) {
    out += line;
    return;
  }
  out += lead;
  std::size_t next = 0;
  for (std::size_t c = 0; c < cells.size(); ++c) {
    if (c > 0) out += delimiter_;
    if (next == complex_.size() || complex_[next] != c) {
      out += cells[c];
      continue;
    }
    ++next;
    const auto value = parse_complex(cells[c], decimal_);
    if (!value) {
      // A title, a unit, or a cell without a number: it holds for both.
      out += cells[c];
      out += delimiter_;
      out += cells[c];
      continue;
    }
    const std::size_t from = out.size();
    fmt::format_to(std::back_inserter(out), "{}{}{}", value->real(), delimiter_, value->imag());
    if (decimal_ == ',') std::replace(out.begin() + static_cast<std::ptrdiff_t>(from), out.end(), '.', ',');
  }
  out += end;
}

std::vector<std::size_t> ComplexCells::real_cells() const {
  std::vector<std::size_t> out;
  for (std::size_t i = 0; i < complex_.size(); ++i) out.push_back(complex_[i] + i);
  return out;
}

}  // namespace vprism
