// labelled_arrays.cpp: see labelled_arrays.h.
//
//     # name: fs            # name: u              # name: unit
//     # type: scalar        # type: matrix         # type: string
//     1000                  # rows: 2              # elements: 1
//                           # columns: 1           # length: 1
//                            0.1                   V
//                            0.2
#include "formats/documents/labelled_arrays.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/text.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

using Document = nlohmann::ordered_json;

/// "name" and "u" of "# name: u"; empty for any other line.
std::pair<std::string, std::string> array_label(std::string_view line) {
  line = trimmed(line);
  if (line.empty() || (line[0] != '#' && line[0] != '%')) return {};
  line = trimmed(line.substr(1));
  const std::size_t mark = line.find(':');
  if (mark == std::string_view::npos || mark > 20) return {};
  return {lower_case(trimmed(line.substr(0, mark))), std::string(trimmed(line.substr(mark + 1)))};
}

/// A number; null for what is none.
Document array_cell(std::string_view cell) {
  double value = 0;
  if (parse_cell(cell, '.', value)) return value;
  return nullptr;
}

/// From "base, limit, increment".
Document array_range(const Document& row) {
  constexpr double most = 1 << 26;
  Document out = Document::array();
  if (row.size() < 3 || !row[0].is_number() || !row[1].is_number() || !row[2].is_number()) return out;
  const double base = row[0], step = row[2], count = std::floor((row[1].get<double>() - base) / step + 1e-9);
  if (!(count >= 0) || count > most) return out;
  for (std::size_t k = 0; k <= static_cast<std::size_t>(count); ++k)
    out.push_back(base + step * static_cast<double>(k));
  return out;
}

struct ArrayLabel {
  std::string name, type;
};

class ArrayLines {
 public:
  explicit ArrayLines(std::string_view text) : text_(text) {}
  bool next(std::string_view& line) {
    if (at_ >= text_.size()) return false;
    const std::size_t end = std::min(text_.find('\n', at_), text_.size());
    line = text_.substr(at_, end - at_);
    at_ = end + 1;
    return true;
  }

 private:
  std::string_view text_;
  std::size_t at_ = 0;
};

bool is_numeric_type(const std::string& type) {
  return type.find("matrix") != std::string::npos || type.find("scalar") != std::string::npos ||
         type.find("range") != std::string::npos || type == "bool";
}

}  // namespace

bool has_labelled_arrays(std::string_view text) {
  ArrayLines lines(text);
  std::string_view line;
  std::string name;
  std::size_t count = 0;
  while (count < 2 && lines.next(line)) {
    const auto [key, value] = array_label(line);
    if (key == "type" && !name.empty()) ++count;
    name = key == "name" ? value : "";
  }
  return count >= 2;
}

Document labelled_arrays(std::string_view text, std::vector<std::string>& left_out) {
  Document out = Document::object();
  ArrayLines lines(text);
  std::string_view line;
  ArrayLabel label;
  Document rows = Document::array();
  std::string words;
  std::vector<std::string_view> cells;
  const auto end_array = [&] {
    if (label.name.empty() || label.type.empty()) return;
    std::string name = label.name;
    while (out.contains(name)) name += "'";
    const bool complex = label.type.find("complex") != std::string::npos;
    if (is_numeric_type(label.type) && !complex && !rows.empty()) {
      const bool one_row = rows.size() == 1;
      if (label.type.find("range") != std::string::npos) {
        out[name] = array_range(rows[0]);
      } else if (one_row && rows[0].size() == 1) {
        out[name] = rows[0][0];
      } else if (one_row) {
        out[name] = rows[0];
      } else if (rows[0].size() == 1) {
        for (const Document& row : rows) out[name].push_back(row[0]);
      } else {
        out[name] = rows;
      }
    } else if (label.type.find("string") != std::string::npos) {
      out[name] = words;
    } else {
      left_out.push_back(name);
    }
  };
  while (lines.next(line)) {
    const auto [key, value] = array_label(line);
    if (key == "name") {
      end_array();
      label = {clean_text(value, 60), ""}, rows = Document::array(), words.clear();
    } else if (key == "type") {
      label.type = lower_case(value);
    } else if (key == "ndims") {
      label.type = "of several dimensions";
    } else if (key.empty() && !trimmed(line).empty() && trimmed(line)[0] != '#' && trimmed(line)[0] != '%' &&
               !label.type.empty()) {
      if (is_numeric_type(label.type)) {
        split_cells(trimmed(line), ' ', cells);
        Document row = Document::array();
        for (const std::string_view cell : cells) row.push_back(array_cell(cell));
        rows.push_back(std::move(row));
      } else if (words.empty()) {
        words = clean_text(trimmed(line), 200);
      }
    }
  }
  end_array();
  return out;
}

}  // namespace vprism
