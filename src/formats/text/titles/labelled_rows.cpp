// labelled_rows.cpp: see labelled_rows.h.
#include "formats/text/titles/labelled_rows.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "formats/text/titles/text_preamble.h"
#include "formats/text/titles/title_names.h"
#include "formats/text/titles/title_roles.h"

namespace vprism {

namespace {

bool is_label_letter(char c) { return ((c | 32) >= 'a' && (c | 32) <= 'z') || (c & 0x80) != 0; }

bool is_capital(char c) { return c >= 'A' && c <= 'Z'; }

/// What a label's words say its row holds: "Y_Unit_Label", "Signal names:", "Scale factor".
std::optional<LabelledRow::Kind> kind_of(const std::string& label) {
  static constexpr std::string_view units[] = {"unit", "units", "einheit", "einheiten", "unité", "eu"},
                                    names[] = {"name",        "names", "label",  "labels",
                                               "description", "title", "titles", "bezeichnung"},
                                    owners[] = {"signal", "signals", "sensor", "sensors"},
                                    scales[] = {"scale", "slope", "factor", "lsb", "multiplier", "offset"};
  std::optional<LabelledRow::Kind> out;
  const std::string low = lower_case(label);
  for (std::size_t i = 0; i < low.size();) {
    // "ChannelName", "VUnit": a capital behind a small letter, or before one, begins another word.
    std::string word;
    while (i < low.size() && is_label_letter(low[i]) &&
           (word.empty() || !is_capital(label[i]) ||
            (is_capital(label[i - 1]) && !(i + 1 < low.size() && label[i + 1] == low[i + 1]))))
      word += low[i++];
    // "HOffset", "X scale": of the axis.
    if (i <= 10 && (word == "h" || word == "x" || word == "t" || word == "horizontal" || word == "time"))
      return {};
    if (word.empty()) {
      if (is_digit(low[i])) return {};  // "Unit 2" is of one channel.
      ++i;
      continue;
    }
    const auto is_in = [&](const auto& words) {
      return std::find(std::begin(words), std::end(words), word) != std::end(words);
    };
    if (is_in(units)) return LabelledRow::Kind::units;
    if (is_in(names)) out = LabelledRow::Kind::names;
    if (!out && is_in(scales)) out = LabelledRow::Kind::scales;
    if (!out && is_in(owners) && word.size() == trimmed(low).size()) out = LabelledRow::Kind::names;
  }
  return out;
}

bool describes(const LabelledRow& row) { return lower_case(row.label).find("descr") != std::string::npos; }

/// Whether no cell of a column has more than digits and a sign.
bool holds_whole_numbers(const TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first,
                         std::size_t cell) {
  std::size_t seen = 0;
  for (std::size_t i = first; i < std::min(lines.size(), first + 64); ++i) {
    const auto cells = lines[i].cells(layout.delimiter);
    if (cell >= cells.size() || trimmed(cells[cell]).empty()) continue;
    if (unquoted_cell(cells[cell]).find_first_not_of("+-0123456789") != std::string::npos) return false;
    ++seen;
  }
  return seen > 2;
}

}  // namespace

std::optional<LabelledRow> labelled_row(const TextLayout& layout, std::string_view text) {
  if (layout.delimiter == ' ' || layout.delimiter == '(' || layout.dialect || layout.cells.size() < 2)
    return {};
  std::vector<std::string_view> cells;
  split_cells(without_marks(text), layout.delimiter, cells);
  while (!cells.empty() && trimmed(cells.back()).empty()) cells.pop_back();
  if (cells.size() < 3) return {};
  LabelledRow out;
  out.label = unquoted_cell(cells[0]);
  while (!out.label.empty() && (out.label.back() == ':' || out.label.back() == '=')) out.label.pop_back();
  const auto kind = kind_of(out.label);
  if (!kind || out.label.size() > 40) return {};
  out.kind = *kind;
  if (lower_case(out.label).find("offset") != std::string::npos) out.neutral = 0;
  std::vector<std::string> values;
  for (std::size_t c = 1; c < cells.size(); ++c) values.push_back(unquoted_cell(cells[c]));
  const std::size_t columns = layout.cells.size();
  if (values.size() + 1 == columns) values.insert(values.begin(), "");
  if (values.size() != columns) return {};
  double number = 0;
  std::size_t filled = 0, numbers = 0, units = 0;
  for (const std::string& value : values) {
    if (value.empty()) continue;
    ++filled;
    numbers += parse_any_cell(value, layout.decimal, number) ? 1 : 0;
    units += Unit::try_parse(without_brackets(value)) ? 1 : 0;
  }
  const bool fits = out.kind == LabelledRow::Kind::scales  ? numbers == filled
                    : out.kind == LabelledRow::Kind::units ? numbers == 0 && units > 0
                                                           : numbers == 0;
  if (!fits || filled == 0) return {};
  out.of_columns = std::move(values);
  return out;
}

namespace {

/// The row that names the channels: the first, but rather a name than what describes it.
const LabelledRow* naming_row(const std::vector<LabelledRow>& rows) {
  const LabelledRow* out = nullptr;
  for (const LabelledRow& row : rows) {
    if (row.kind != LabelledRow::Kind::names) continue;
    if (out == nullptr || (describes(*out) && !describes(row))) out = &row;
  }
  return out;
}

void take_unit_of_row(Channel& column, const std::string& text) {
  if (column.unit.text() != "1" || text.empty()) return;
  const std::string unit = without_brackets(text);
  column.unit = Unit::try_parse(unit).value_or(Unit::opaque(unit));
  column.quantity = quantity_of(column.unit);
}

}  // namespace

void take_labelled_rows(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first) {
  std::vector<LabelledRow> rows;
  for (std::size_t i = 0; i < first; ++i)
    if (auto row = labelled_row(layout, lines[i].text)) rows.push_back(std::move(*row));
  const bool named = std::any_of(layout.columns.begin(), layout.columns.end(),
                                 [](const Channel& column) { return !column.name.empty(); });
  if (const LabelledRow* const names = naming_row(rows); names != nullptr && !named)
    for (std::size_t c = 0; c < layout.columns.size(); ++c) {
      if (names->of_columns[c].empty()) continue;
      const Unit known = layout.columns[c].unit;
      layout.columns[c] = channel_from_title(names->of_columns[c]);
      if (known.text() != "1")
        layout.columns[c].unit = known, layout.columns[c].quantity = quantity_of(known);
    }
  for (const LabelledRow& row : rows) {
    std::string counts;
    for (std::size_t c = 0; c < layout.columns.size(); ++c) {
      const std::string& text = row.of_columns[c];
      double value = 0;
      if (row.kind == LabelledRow::Kind::units) take_unit_of_row(layout.columns[c], text);
      if (row.kind == LabelledRow::Kind::scales && parse_any_cell(text, layout.decimal, value) &&
          value != row.neutral && std::isfinite(value) &&
          holds_whole_numbers(layout, lines, first, layout.cells[c]))
        counts += (counts.empty() ? "" : ", ") + clean_text(text, 20);
    }
    if (!counts.empty())
      layout.cautions.push_back({"scale-not-applied", Severity::warning, "",
                                 "\"" + clean_text(row.label, 40) + "\" gives " + counts +
                                     " beside whole numbers, which may be counts: it is not applied",
                                 "apply it with --calibrate"});
  }
}

void doubt_counts(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first,
                  std::size_t last) {
  // Divisions from the middle of the screen to its edge, twice over.
  constexpr double beyond = 20;
  std::vector<double> scales;
  std::string said;
  for (const auto& [key, text] : layout.notes) {
    std::string name = lower_case(key);
    std::erase_if(name, [](char c) { return c == ' ' || c == '_' || c == '-'; });
    double value = 0;
    if ((name != "verticalscale" && name != "voltsperdivision" && name != "verticaldiv" &&
         name != "vscale") ||
        !parse_cell(trimmed(text).substr(0, trimmed(text).find_first_not_of("+-.0123456789eE")), '.', value))
      continue;
    scales.push_back(value);
    said = clean_text(key, 40) + " " + clean_text(text, 20);
  }
  std::vector<std::size_t> channels;
  for (std::size_t c = 0; c < layout.columns.size(); ++c)
    if (layout.time != c) channels.push_back(c);
  if (scales.size() != channels.size()) return;
  for (std::size_t k = 0; k < channels.size(); ++k) {
    const std::size_t c = channels[k];
    if (layout.columns[c].unit.text() == "1" || !holds_whole_numbers(layout, lines, first, layout.cells[c]))
      continue;
    double largest = 0;
    for (const double value : numbers_of_column(layout, lines, first, last, c))
      largest = std::max(largest, std::abs(value));
    if (!(largest > beyond * scales[k])) continue;
    const std::string unit = layout.columns[c].unit.text();
    layout.columns[c].unit = Unit::parse("1"), layout.columns[c].quantity = "";
    layout.cautions.push_back({"scale-not-applied", Severity::warning, "",
                               "whole numbers up to " + std::to_string(static_cast<long long>(largest)) +
                                   " lie far outside the screen (" + said + "): they are counts, not " +
                                   unit + ", and how many make a division is not said",
                               "give what a count is worth with --calibrate"});
  }
}

}  // namespace vprism
