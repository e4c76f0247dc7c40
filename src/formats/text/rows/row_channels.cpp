// row_channels.cpp: see row_channels.h.
#include "formats/text/rows/row_channels.h"

#include <sys/mman.h>
#include <unistd.h>

#include <algorithm>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "formats/text/rows/block_text.h"
#include "formats/text/rows/text_end.h"
#include "formats/text/tables/text_columns.h"
#include "formats/text/tables/text_layout.h"
#include "formats/text/titles/title_roles.h"

namespace vprism {

namespace {

constexpr std::uint64_t most_bytes = std::uint64_t{1} << 30;
constexpr std::size_t least_cells = 32, least_worded_cells = 8;

/// A line of the file, what parts it being known.
struct Row {
  std::int64_t line = 0;
  std::size_t cells = 0;  ///< Of any kind; none is kept, so that large files stay small in memory.
  std::size_t named = 0;  ///< Cells before the first number.
  std::size_t numbers = 0;
  std::string_view text;
};

struct Rows {
  char delimiter = ',', decimal = '.';
  std::vector<Row> rows, others;  ///< Rows of the table; all other lines that are not blank.
  std::size_t cells = 0;          ///< In the longest row.
  double score = 0;
};

Row measured(std::string_view text, std::int64_t line, char delimiter, char decimal,
             std::vector<std::string_view>& cells) {
  Row row;
  row.line = line, row.text = text;
  split_cells(text, delimiter, cells);
  while (!cells.empty() && trimmed(cells.back()).empty()) cells.pop_back();
  row.cells = cells.size();
  double value = 0;
  bool begun = false;
  for (std::size_t i = 0; i < cells.size(); ++i) {
    const bool number = parse_any_cell(cells[i], decimal, value);
    if (number && !begun) row.named = i, begun = true;
    row.numbers += number ? 1 : 0;
  }
  if (!begun) row.named = row.cells;
  return row;
}

std::vector<std::pair<std::int64_t, std::string_view>> lines_in(std::string_view text, bool whole) {
  std::vector<std::pair<std::int64_t, std::string_view>> out;
  if (starts_with(text, "\xEF\xBB\xBF")) text.remove_prefix(3);
  for (std::int64_t line = 1; !text.empty(); ++line) {
    const std::size_t end = text.find('\n');
    if (end == std::string_view::npos && !whole && line > 1) break;
    std::string_view one = text.substr(0, end);
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    if (!one.empty() && one.back() == '\r') one.remove_suffix(1);
    if (!trimmed(one).empty()) out.emplace_back(line, one);
  }
  return out;
}

/// Lines of at least half as many cells as the longest one are rows.
Rows rows_with(const std::vector<std::pair<std::int64_t, std::string_view>>& lines, char delimiter,
               char decimal) {
  Rows out;
  out.delimiter = delimiter, out.decimal = decimal;
  std::vector<std::string_view> cells;
  std::vector<Row> all;
  for (const auto& [line, text] : lines) all.push_back(measured(text, line, delimiter, decimal, cells));
  for (const Row& row : all)
    if (row.numbers > 0) out.cells = std::max(out.cells, row.cells);
  double numbers = 0;
  for (const Row& row : all) {
    const bool comment = row.text.front() == '#' || row.text.front() == '%';
    // Nearly all behind the names are numbers: other texts in one line are no table.
    const bool is_row = !comment && 2 * row.cells > out.cells && row.numbers > 0 &&
                        10 * row.numbers >= 9 * (row.cells - row.named);
    (is_row ? out.rows : out.others).push_back(row);
    if (is_row) numbers += static_cast<double>(row.numbers);
  }
  double wasted = 0;
  for (const Row& row : out.rows)
    wasted += static_cast<double>(row.cells - row.numbers - std::min(row.named, row.cells));
  out.score = numbers - 4 * wasted;
  return out;
}

Rows best_rows(std::string_view text, bool whole, const ReadSettings& settings) {
  const auto lines = lines_in(text, whole);
  Rows best;
  for (const auto& [delimiter, decimal] : std::vector<std::pair<char, char>>{{',', '.'},
                                                                             {';', '.'},
                                                                             {';', ','},
                                                                             {'\t', '.'},
                                                                             {'\t', ','},
                                                                             {'|', '.'},
                                                                             {' ', '.'},
                                                                             {' ', ','}}) {
    if (settings.delimiter != 0 && delimiter != settings.delimiter) continue;
    if (settings.decimal != 0 && decimal != settings.decimal) continue;
    Rows tried = rows_with(lines, delimiter, decimal);
    if (!tried.rows.empty() && tried.score > best.score) best = std::move(tried);
  }
  return best;
}

/// Cells that the longest line may have, whatever parts them.
std::size_t most_cells(std::string_view text) {
  std::size_t most = 0, here = 1;
  for (const char c : text) {
    here += c == ',' || c == ';' || c == '\t' || c == '|' || c == ' ' ? 1 : 0;
    if (c == '\n') most = std::max(most, here), here = 1;
  }
  return std::max(most, here);
}

std::string unquoted(std::string_view cell) {
  cell = trimmed(cell);
  if (cell.size() >= 2 && cell.front() == '"' && cell.back() == '"') cell = cell.substr(1, cell.size() - 2);
  return std::string(trimmed(cell));
}

/// By the head alone.
bool looks_turned(const FileHead& head, std::string_view text, bool whole, const ReadSettings& settings) {
  // A line that does not end within the head, or next to none that do.
  if (!whole && std::count(text.begin(), text.end(), '\n') < 2) return true;
  // Nearly all tables end here.
  const auto lines = static_cast<double>(std::count(text.begin(), text.end(), '\n')) *
                     static_cast<double>(head.size) /
                     static_cast<double>(std::max<std::size_t>(1, head.bytes.size()));
  if (static_cast<double>(most_cells(text)) <
      std::max<double>(least_worded_cells, std::min(2 * lines, 4096.0)))
    return false;
  const Rows rows = best_rows(text, whole, settings);
  // Where each row begins with a word, and the first with that for a time, fewer do.
  std::vector<std::string_view> lead;
  if (!rows.rows.empty()) split_cells(rows.rows.front().text, rows.delimiter, lead);
  const bool worded =
      rows.rows.size() > 1 && is_time_title(channel_from_title(unquoted(lead.front()))) &&
      std::all_of(rows.rows.begin(), rows.rows.end(), [](const Row& r) { return r.named > 0; });
  if (rows.rows.empty() || rows.cells < (worded ? least_worded_cells : least_cells)) return false;
  // As many rows as the whole file may have.
  double bytes = 0;
  for (const Row& row : rows.rows) bytes += static_cast<double>(row.text.size());
  const double expected =
      static_cast<double>(head.size) / std::max(1.0, bytes / static_cast<double>(rows.rows.size()));
  const auto cells = static_cast<double>(rows.cells);
  // A line that names each column says what the columns are.
  for (const Row& row : rows.others)
    if (2 * row.cells > rows.cells && row.numbers == 0) return false;
  if (rows.cells > most_channels + 1 || (whole && rows.rows.size() < 4)) return true;
  const auto named = static_cast<std::size_t>(std::count_if(
      rows.rows.begin(), rows.rows.end(), [](const Row& r) { return r.named > 0 && r.named <= 3; }));
  return 3 * named >= 2 * rows.rows.size() && cells > 4 * expected;
}

/// Name and unit from the cells before the numbers.
std::string title_of(std::span<const std::string_view> cells, std::size_t named) {
  std::string out = named > 0 ? unquoted(cells[0]) : "";
  while (!out.empty() && (out.back() == ':' || out.back() == '=')) out.pop_back();
  for (std::size_t i = 1; i < named; ++i) {
    std::string more = unquoted(cells[i]);
    if (more.size() > 2 && (more.front() == '(' || more.front() == '['))
      more = more.substr(1, more.size() - 2);
    // "Signal,Unit,0.00,0.01": the word over the units of the rows below.
    if (more.empty() || is_row_label(more)) continue;
    out += Unit::try_parse(more) ? " (" + more + ")" : " " + more;
  }
  return out;
}

/// Titles of the cells before the samples, from the line that ends in a word for them: "Name;Unit;Interval
/// (s);Values". Empty without one.
std::vector<std::string> lead_titles(const Rows& rows) {
  std::vector<std::string_view> cells;
  for (const Row& row : rows.others) {
    if (row.numbers > 0 || row.cells < 2 || row.cells > 12 || row.line > rows.rows.front().line) continue;
    split_cells(row.text, rows.delimiter, cells);
    while (!cells.empty() && trimmed(cells.back()).empty()) cells.pop_back();
    const std::string last = cells.empty() ? "" : lower_case(unquoted(cells.back()));
    for (const char* word : {"values", "value", "data", "samples", "y values", "werte", "daten", "signal"})
      if (last == word) {
        std::vector<std::string> out;
        for (std::size_t k = 0; k + 1 < cells.size(); ++k) out.push_back(unquoted(cells[k]));
        return out;
      }
  }
  return {};
}

/// 1, 2, 3, ... or 0, 1, 2, ...: a row that numbers the samples.
bool counts(std::span<const std::string_view> cells, std::size_t named, char decimal) {
  double first = 0, value = 0;
  if (cells.size() < named + 3 || !parse_cell(cells[named], decimal, first) || (first != 0 && first != 1))
    return false;
  for (std::size_t i = named; i < cells.size(); ++i)
    if (!parse_cell(cells[i], decimal, value) || value != first + static_cast<double>(i - named))
      return false;
  return true;
}

TurnedTable turn(const Rows& rows) {
  TurnedTable out;
  out.kind = TurnedTable::Kind::turned;
  // Names may hold blanks and commas.
  out.delimiter = rows.delimiter == ' ' || rows.delimiter == ',' ? '\t' : rows.delimiter;
  std::vector<std::vector<std::string_view>> cells(rows.rows.size());
  // As many as most rows have: a name may be a number.
  std::map<std::size_t, std::size_t> counted;
  for (const Row& row : rows.rows) ++counted[row.named];
  out.named = std::max_element(counted.begin(), counted.end(), [](const auto& a, const auto& b) {
                return a.second < b.second;
              })->first;
  for (std::size_t r = 0; r < cells.size(); ++r) {
    split_cells(rows.rows[r].text, rows.delimiter, cells[r]);
    while (!cells[r].empty() && trimmed(cells[r].back()).empty()) cells[r].pop_back();
    out.lines.push_back(rows.rows[r].line);
  }
  // Numbers that stand before the samples are settings: those that all rows share say something of them all.
  const std::size_t worded_cells = out.named;
  if (const std::vector<std::string> lead = lead_titles(rows); lead.size() > out.named) {
    const auto shared = [&](std::size_t k) {
      return std::all_of(cells.begin(), cells.end(), [&](const auto& row) {
        return k < row.size() && unquoted(row[k]) == unquoted(cells.front()[k]);
      });
    };
    for (std::size_t k = out.named; k < lead.size(); ++k)
      if (shared(k))
        out.text += lead[k] + out.delimiter + unquoted(cells.front()[k]) + '\n', ++out.above;
      else
        out.differing.push_back(lead[k]);
    out.named = lead.size();
  }
  std::vector<std::string_view> beside;
  for (const Row& row : rows.others) {
    // Keys and values are parted as the rows are.
    split_cells(row.text, rows.delimiter, beside);
    const bool plain = rows.delimiter == ' ' || row.text.front() == '#' || beside.size() > 4;
    for (std::size_t i = 0; i < beside.size() && !plain; ++i)
      out.text += (i > 0 ? std::string(1, out.delimiter) : "") + std::string(beside[i]);
    if (plain) out.text += row.text;
    out.text += '\n';
    ++out.above;
  }
  // A number alone would be no title.
  const auto worded = [&](std::string title) {
    double value = 0;
    return parse_cell(title, rows.decimal, value) ? "channel " + title : title;
  };
  bool titled = false;
  std::string titles;
  for (std::size_t r = 0; r < cells.size(); ++r) {
    std::string title = worded(title_of(cells[r], worded_cells));
    if (r == 0 && out.named > 0 && counts(cells[r], out.named, rows.decimal) &&
        !is_time_title(channel_from_title(title)))
      title = "sample";
    titled = titled || !title.empty();
    titles += (r > 0 ? std::string(1, out.delimiter) : "") +
              (title.empty() ? "row " + std::to_string(r + 1) : title);
    out.longest = std::max(out.longest, cells[r].size() - std::min(cells[r].size(), out.named));
  }
  if (titled) out.text += titles + '\n', ++out.above;
  out.channels = cells.size();
  for (std::size_t n = 0; n < out.longest; ++n) {
    for (std::size_t r = 0; r < cells.size(); ++r) {
      if (r > 0) out.text += out.delimiter;
      if (out.named + n < cells[r].size()) out.text += trimmed(cells[r][out.named + n]);
    }
    out.text += '\n';
  }
  return out;
}

}  // namespace

std::vector<Caution> TurnedTable::cautions() const {
  if (kind == Kind::backwards)
    return {{"rows-reversed", Severity::note, "",
             "the times fall from row to row: the last row is taken as the first",
             "export it in order of time if it is large"}};
  std::vector<Caution> out;
  for (const std::string& title : differing)
    out.push_back(
        {"settings-differ", Severity::warning, "",
         "\"" + clean_text(title, 60) + "\" is not the same in all rows and is left out",
         "if it is the rate or the scale, export the channels apart or give --rate or --calibrate"});
  if (cut)
    out.push_back({"length-disagrees", Severity::warning, "",
                   "the head of the block says that more characters follow than are there",
                   "the export may be cut: export it again"});
  if (!asked)
    out.push_back({"channels-in-rows", Severity::warning, "",
                   "few long rows: each of " + std::to_string(channels) + " is taken as a channel of up to " +
                       std::to_string(longest) + " values",
                   "--no-rows takes each row as a sample of all channels"});
  return out;
}

InputFile TurnedTable::unnamed_file(const std::string& name) {
  const auto fail = [&] { throw Error(Status::input, name + ": no memory to turn the table over"); };
  const int descriptor = ::memfd_create("turned", MFD_CLOEXEC);
  if (descriptor < 0) fail();
  InputFile file(descriptor, name);
  for (std::size_t at = 0; at < text.size();) {
    const ssize_t count = ::write(descriptor, text.data() + at, text.size() - at);
    if (count <= 0) fail();
    at += static_cast<std::size_t>(count);
  }
  text = {};
  file.refresh();
  return file;
}

std::optional<TurnedTable> turned_over(const FileHead& head, const ReadSettings& settings) {
  if (settings.no_rows || has_bare_returns(head.bytes)) return {};
  const TextCoding coding = coding_of(head.bytes);
  bool cut = false;
  const auto decoded = [coding, &cut](std::string_view bytes) {
    std::size_t used = 0;
    return unfolded_block(coding == TextCoding::utf8
                              ? std::string(bytes)
                              : utf8_from_utf16(bytes, coding == TextCoding::utf16_big, used),
                          &cut);
  };
  const bool whole = head.size <= head.bytes.size();
  const std::string first = decoded(head.bytes);
  const bool block = coding == TextCoding::utf8 && first.size() != head.bytes.size();
  if (!settings.rows && !block && !looks_turned(head, first, whole, settings)) return {};
  // What parts the cells is told by the head.
  ReadSettings marks = settings;
  if (const Rows known = best_rows(first, true, settings); !known.rows.empty())
    marks.delimiter = known.delimiter, marks.decimal = known.decimal;
  if (head.size > most_bytes)
    throw Error(Status::input,
                head.path +
                    ": a text table with a channel in each row of more than 1 GB; export it with "
                    "rows and columns exchanged");
  const InputFile file = text_file(head);
  const std::string text = decoded(file.text(0, static_cast<std::size_t>(file.size())));
  const Rows rows = best_rows(text, true, marks);
  if (rows.rows.empty()) {
    if (!settings.rows) return {};
    throw Error(Status::usage, "--rows: " + head.path + " has no rows of numbers");
  }
  if (rows.rows.size() > most_channels + 1)
    throw Error(Status::input, head.path + ": " + std::to_string(rows.rows.size()) + " rows; at most " +
                                   std::to_string(most_channels) + " channels");
  TurnedTable out = turn(rows);
  out.asked = settings.rows, out.cut = cut;
  return out;
}

}  // namespace vprism
