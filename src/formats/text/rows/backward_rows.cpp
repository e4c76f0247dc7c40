// backward_rows.cpp: see backward_rows.h.
#include "formats/text/rows/backward_rows.h"

#include <algorithm>

#include "base/error.h"
#include "base/text.h"
#include "formats/text/rows/text_end.h"

namespace vprism {

namespace {

constexpr std::uint64_t most_bytes_turned = std::uint64_t{1} << 30;

std::string whole_text(const FileHead& head) {
  if (head.size > most_bytes_turned)
    throw Error(Status::input, head.path +
                                   ": to put its numbers in order it would have to be held in memory, and "
                                   "it is larger than 1 GB; export it in pieces");
  const InputFile file = text_file(head);
  std::string bytes(file.text(0, static_cast<std::size_t>(file.size())));
  const TextCoding coding = coding_of(bytes);
  std::size_t used = 0;
  if (coding != TextCoding::utf8) bytes = utf8_from_utf16(bytes, coding == TextCoding::utf16_big, used);
  if (has_bare_returns(bytes)) std::replace(bytes.begin(), bytes.end(), '\r', '\n');
  return bytes;
}

std::vector<std::string_view> lines_of_text(std::string_view text) {
  std::vector<std::string_view> out;
  while (!text.empty()) {
    const std::size_t end = std::min(text.find('\n'), text.size());
    std::string_view line = text.substr(0, end);
    if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
    out.push_back(line);
    text.remove_prefix(std::min(text.size(), end + 1));
  }
  return out;
}

}  // namespace

TurnedTable last_row_first(const FileHead& head, const TextLayout& layout) {
  const std::string text = whole_text(head);
  std::vector<std::string_view> lines = lines_of_text(text);
  TurnedTable out;
  out.kind = TurnedTable::Kind::backwards;
  out.delimiter = layout.delimiter;
  out.above = static_cast<std::size_t>(layout.data_line - 1);
  out.lines = {layout.data_line, static_cast<std::int64_t>(lines.size())};
  // What stands behind the rows stays there.
  std::vector<std::string_view> cells;
  std::size_t end = lines.size();
  double value = 0;
  const auto is_row = [&](std::string_view line) {
    split_cells(line, layout.delimiter, cells);
    return layout.cells.back() < cells.size() &&
           parse_any_cell(cells[layout.cells.back()], layout.decimal, value);
  };
  while (end > out.above && !is_row(lines[end - 1])) --end;
  std::reverse(lines.begin() + static_cast<std::ptrdiff_t>(std::min(out.above, end)),
               lines.begin() + static_cast<std::ptrdiff_t>(end));
  out.text.reserve(text.size() + 1);
  for (const std::string_view line : lines) (out.text += line) += '\n';
  return out;
}

}  // namespace vprism
