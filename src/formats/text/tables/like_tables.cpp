// like_tables.cpp: see like_tables.h.
#include "formats/text/tables/like_tables.h"

#include <algorithm>

#include "formats/files/input_file.h"
#include "formats/text/rows/text_rows.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

/// What is above the rows, with a sign for each digit; and the layout.
struct LikeTables::Known {
  TextLayout layout;
  std::vector<std::string> above;
  Recording recording;
};

namespace {

/// Lines in front of the rows of numbers, without their numbers.
std::vector<std::string> lines_above(std::string_view text, std::size_t end) {
  std::vector<std::string> out;
  text = text.substr(0, end);
  while (!text.empty()) {
    const std::size_t stop = std::min(text.size(), text.find('\n'));
    std::string line(text.substr(0, stop));
    for (char& c : line)
      if (c >= '0' && c <= '9') c = '0';
    out.push_back(std::move(line));
    text.remove_prefix(std::min(text.size(), stop + 1));
  }
  return out;
}

/// Where the line behind so many others begins; npos where there are fewer.
std::size_t behind_lines(std::string_view text, std::size_t lines) {
  std::size_t at = 0;
  for (std::size_t n = 0; n < lines; ++n) {
    at = text.find('\n', at);
    if (at == std::string_view::npos) return at;
    ++at;
  }
  return at;
}

LikeTable read_as_any(const std::string& path, const ReadSettings& settings) {
  LikeTable out;
  const auto source = open_recording(path, settings);
  out.columns = all_samples(*source);
  out.recording = source->recording();
  return out;
}

/// A layout by which a further file's rows can be parsed as they stand.
bool is_plain(const TextLayout& l) {
  return l.coding == TextCoding::utf8 && !l.complex && !l.dialect && !l.bare_returns && !l.clock && !l.time &&
         !l.tag_cell && l.unit_of_cell.empty() && l.prefixed.empty() && l.parts.empty() && l.every == 1 &&
         l.skipped_first == 0 && !l.backwards && l.data_end == 0 && !l.one_run;
}

}  // namespace

LikeTables::LikeTables(const std::string& first, const ReadSettings& settings) : settings_(settings) {
  const FileHead head = read_head(first);
  for (const Format& format : format_table()) {
    if (!format.recognises(head)) continue;
    if (std::string_view(format.name) != "delimited text") return;
    break;
  }
  auto known = std::make_unique<Known>();
  known->layout = find_text_layout(head, settings);
  if (!is_plain(known->layout)) return;
  known->above = lines_above(head.bytes, known->layout.data_offset);
  known->recording = read_as_any(first, settings).recording;
  if (known->recording.channels.size() == known->layout.columns.size()) known_ = std::move(known);
}

LikeTables::~LikeTables() = default;

LikeTable LikeTables::read(const std::string& path) const {
  if (!known_) return read_as_any(path, settings_);
  const InputFile file(path);
  const std::string text = file.text(0, static_cast<std::size_t>(file.size()));
  const std::size_t from = behind_lines(text, known_->above.size());
  if (from == std::string::npos || lines_above(text, from) != known_->above)
    return read_as_any(path, settings_);
  TextPiece piece;
  parse_text_piece(std::string_view(text).substr(from), known_->layout, true, piece);
  // What is not as plain as that gets the whole reader, its cautions and its errors.
  if (piece.bad_rows > 0 || piece.rows == 0 || piece.any_missing()) return read_as_any(path, settings_);
  LikeTable out;
  out.recording = known_->recording;
  out.recording.file = path;
  if (!out.recording.notes.empty()) {
    TextLayout notes;
    notes.delimiter = known_->layout.delimiter, notes.decimal = known_->layout.decimal;
    std::string_view above = std::string_view(text).substr(0, from);
    while (!above.empty()) {
      const std::size_t end = std::min(above.size(), above.find('\n'));
      read_preamble_line(notes, above.substr(0, end));
      above.remove_prefix(std::min(above.size(), end + 1));
    }
    out.recording.notes = std::move(notes.notes);
  }
  out.columns = std::move(piece.columns);
  for (std::vector<double>& column : out.columns) column.resize(piece.rows);
  return out;
}

}  // namespace vprism
