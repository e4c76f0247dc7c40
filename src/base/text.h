// text.h: text as people read it: cleaning of untrusted text, numbers with prefixes, aligned tables.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"

namespace vprism {

std::string lower_case(std::string_view text);
std::string_view trimmed(std::string_view text);
std::vector<std::string> split(std::string_view text, char separator);
bool starts_with(std::string_view text, std::string_view head);
/// Of ASCII, whatever the locale.
constexpr bool is_digit(char c) { return c >= '0' && c <= '9'; }

/// Untrusted text made safe to print: control characters become blanks, broken UTF-8 becomes U+FFFD, runs of
/// more than `longest` characters end in "...". What it means to a shell, gnuplot or HTML is left as it is:
/// quoting belongs to whoever writes for them.
std::string clean_text(std::string_view text, std::size_t longest = 200);

/// A name for a file made from untrusted text: letters, digits, '-' and '_' stay, all else becomes '-';
/// never empty, never with a leading dot or a path in it.
std::string clean_file_name(std::string_view text);

/// Columns a terminal needs for UTF-8 text, counting one per code point.
std::size_t display_width(std::string_view text);

/// Whether a spreadsheet would take a cell for something to work out: text behind =, +, - or @.
bool runs_in_spreadsheet(std::string_view text);

/// As a cell of a comma-separated table (RFC 4180): in quotes, with quotes doubled, where it holds a
/// delimiter, quote or line end. Before text that would run in a spreadsheet an apostrophe stands; readers of
/// ours take it off again.
std::string csv_cell(const std::string& text);

/// Number with `digits` significant digits, without trailing zeros; "0" for zero, "nan" and "inf" as such.
std::string format_number(double value, int digits = 5);

/// Number with its unit under an engineering prefix: (2500, "Hz") -> "2.5 kHz", (2e-5, "s") -> "20 us". Units
/// that can't take a prefix (with '/', '^', blanks, "dB", "%", "1", or none) get the plain number and unit.
std::string format_quantity(double value, std::string_view unit, int digits = 5);

/// Value and standard uncertainty with the digits that the uncertainty allows: (49.98312, 0.0042, "Hz") ->
/// "49.9831 +- 0.0042 Hz" with a plus-minus sign. An uncertainty of 0 or below 1e-12 of the value shows no
/// sign.
std::string format_uncertain(double value, double uncertainty, std::string_view unit);

/// The prefix ("", "k", "m", "u", ...) and its factor under which `largest` reads as 1 to 999.
struct Prefix {
  std::string symbol;
  double factor = 1;
};
Prefix prefix_for(double largest, std::string_view unit);
bool takes_prefix(std::string_view unit);

/// "a", "b" in quotation marks, and "..." for those behind the first `most`.
std::string quoted_names(const std::vector<std::string>& names, std::size_t most = 100);

/// A line of `width` block characters whose heights follow the largest value of each stretch of `values`,
/// from `low` to `high`; a blank where there is none.
std::string bar_line(const std::vector<double>& values, double low, double high, std::size_t width);

/// A table of text; column widths follow the contents, numbers are set to the right.
class TextTable {
 public:
  enum class Align { left, right };
  struct Column {
    std::string title;
    Align align = Align::right;
  };

  TextTable() = default;
  explicit TextTable(std::vector<Column> columns) : columns_(std::move(columns)) {}
  void add(std::vector<std::string> cells);
  const std::vector<Column>& columns() const { return columns_; }
  const std::vector<std::vector<std::string>>& rows() const { return rows_; }
  /// Lines of equal layout, a rule under the titles, each line behind `indent`.
  std::string text(std::string_view indent = "  ") const;

 private:
  std::vector<Column> columns_;
  std::vector<std::vector<std::string>> rows_;
};

/// The entry of a table whose `name` is `text`. Throws Error(usage) with the nearest name of its kind.
template <typename Table>
const auto& entry_named(const std::string& what, std::string_view text, const Table& table) {
  std::vector<std::string> names;
  for (const auto& entry : table) {
    if (text == entry.name) return entry;
    names.emplace_back(entry.name);
  }
  throw Error(Status::usage, unknown_name(what, text, names));
}

}  // namespace vprism
