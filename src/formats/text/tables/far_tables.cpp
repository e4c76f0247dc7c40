// far_tables.cpp: see far_tables.h.
//
// Only what lies around the lines that begin with a word is looked at: a piece of text before and behind
// each, put together as if the rows between were not there.
#include "formats/text/tables/far_tables.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cstring>

#include "base/text.h"
#include "formats/files/input_file.h"
#include "formats/text/rows/text_end.h"
#include "formats/text/rows/text_stream.h"
#include "formats/text/tables/table_guess.h"
#include "formats/text/tables/text_evidence.h"

namespace vprism {

Part table_part(const std::string& name, std::size_t index, std::size_t rows, std::size_t line) {
  return {name.empty() ? "table " + std::to_string(index + 1) : name,
          std::to_string(rows) + " rows from line " + std::to_string(line)};
}

Caution tables_caution(std::size_t tables, std::size_t line) {
  return {"tables", Severity::note, "",
          "the file holds " + std::to_string(tables) + " tables one below the other; the one from line " +
              std::to_string(line) + " is taken",
          "choose another with --part; inspect lists them"};
}

namespace {

struct Mark {
  std::uint64_t offset = 0;
  std::size_t line = 0;  ///< From 0.
};

struct Scan {
  std::vector<Mark> words;  ///< Lines that begin with a word.
  Mark end;                 ///< Behind the last line.
};

/// Titles are few; rows may begin with words.
constexpr std::size_t most_words = 2000;

bool begins_with_word(const char* at, const char* end) {
  while (at < end && std::strchr(" \t\"[<#%", *at) != nullptr && *at != '\0') ++at;
  // Where the block ends among them it may well.
  return at == end || (*at & 0x80) != 0 || ((*at | 32) >= 'a' && (*at | 32) <= 'z');
}

/// Line ends among these bytes, and whether a line that may begin with a word follows one of them: the byte
/// behind the last is looked at as well.
struct Look {
  std::size_t ends = 0;
  bool words = false;
};
Look look_at(const char* at, std::size_t count) {
  // Eight bytes at once: the highest bit of each says whether it is one of those.
  constexpr std::uint64_t ones = 0x0101010101010101, low = 0x7F * ones, high = 0x80 * ones;
  const auto eight = [](const char* from) {
    std::uint64_t out = 0;
    std::memcpy(&out, from, sizeof out);
    return out;
  };
  const auto equal = [](std::uint64_t bytes, char c) {
    const std::uint64_t other = bytes ^ (static_cast<unsigned char>(c) * ones);
    return ~(((other & low) + low) | other | low);
  };
  Look out;
  std::uint64_t words = 0;
  std::size_t i = 0;
  for (; i + 9 <= count; i += 8) {
    const std::uint64_t ends = equal(eight(at + i), '\n'), next = eight(at + i + 1);
    out.ends += ((ends >> 7) * ones) >> 56;
    // Signs, points and digits lie below '@'.
    words |= ends & (((next << 1) & high) | (next & high) | equal(next, ' ') | equal(next, '\t') |
                     equal(next, '"') | equal(next, '<') | equal(next, '#') | equal(next, '%'));
  }
  for (; i < count; ++i)
    if (at[i] == '\n') ++out.ends, words |= at[i + 1] < '0' || at[i + 1] > '9' ? 1 : 0;
  out.words = words != 0;
  return out;
}

/// The bytes [from, from + count) and one behind them, which is a digit at the file's end; how many there
/// are.
std::size_t read_block(const InputFile& file, std::uint64_t from, std::size_t count, std::vector<char>& to) {
  to.resize(count + 2);
  const std::size_t got = file.read_some(from, std::span(to.data(), count + 1));
  to[got] = '0';
  return std::min(got, count);
}

/// Nothing where there are too many, or none below rows.
std::optional<Scan> scan_lines(const InputFile& file) {
  constexpr std::size_t at_once = 256 * 1024;
  std::vector<Look> looks(static_cast<std::size_t>((file.size() + at_once - 1) / at_once));
  oneapi::tbb::parallel_for(oneapi::tbb::blocked_range<std::size_t>(0, looks.size(), 16),
                            [&](const auto& range) {
                              std::vector<char> buffer;
                              for (std::size_t b = range.begin(); b < range.end(); ++b) {
                                const std::size_t count = read_block(file, b * at_once, at_once, buffer);
                                looks[b] = look_at(buffer.data(), count);
                              }
                            });
  Scan out;
  bool below = false;
  std::vector<char> buffer;
  for (std::size_t b = 0; b < looks.size(); ++b) {
    const std::uint64_t from = b * at_once;
    const std::size_t first_line = out.end.line;
    out.end.line += looks[b].ends;
    if (!looks[b].words && b > 0) continue;
    const std::size_t got = read_block(file, from, at_once, buffer);
    const char *const begin = buffer.data(), *const end = begin + got;
    std::size_t line = first_line;
    const auto look = [&](const char* at) {
      if (!begins_with_word(at, end + 1)) return true;
      below = below || (!out.words.empty() && line > out.words.back().line + 3);
      out.words.push_back({from + static_cast<std::uint64_t>(at - begin), line});
      return out.words.size() <= most_words;
    };
    if (b == 0 && !look(begin)) return {};
    for (const char* at = begin; at < end;) {
      const void* stop = std::memchr(at, '\n', static_cast<std::size_t>(end - at));
      if (stop == nullptr) break;
      at = static_cast<const char*>(stop) + 1, ++line;
      if (!look(at)) return {};
    }
  }
  out.end.offset = file.size();
  return below ? std::optional(std::move(out)) : std::nullopt;
}

/// Lines around the marks, and the place of each in the file.
struct Skeleton {
  std::vector<std::string> texts;  ///< Pieces of the file.
  std::vector<TextLine> lines;
  std::vector<std::size_t> numbers;  ///< Of the lines in the file, from 0.
};

/// The lines of a piece of the file: `mark` is one of them, or the file's end. A first line that is cut is
/// left out, and a last one.
void add_piece(Skeleton& to, const InputFile& file, Mark mark, std::size_t before, std::size_t behind) {
  const std::uint64_t from = mark.offset - std::min<std::uint64_t>(before, mark.offset);
  to.texts.push_back(file.text(from, static_cast<std::size_t>(mark.offset - from) + behind));
  const std::string& text = to.texts.back();
  const bool whole = from + text.size() >= file.size();
  std::vector<TextLine> lines;
  std::size_t at = from == 0 ? 0 : text.find('\n') + 1, above = 0;
  while (at < text.size()) {
    std::size_t end = text.find('\n', at);
    if (end == std::string::npos && !whole) break;
    if (end == std::string::npos) end = text.size();
    std::string_view line = std::string_view(text).substr(at, end - at);
    if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
    lines.push_back({line, static_cast<std::size_t>(from) + at});
    above += from + at < mark.offset ? 1 : 0;
    at = end + 1;
  }
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const std::size_t number = mark.line + i - above;
    if (!to.numbers.empty() && number <= to.numbers.back()) continue;
    to.lines.push_back(lines[i]), to.numbers.push_back(number);
  }
}

}  // namespace

std::optional<TablePlace> find_far_table(const FileHead& head, const ReadSettings& settings) {
  if (head.size <= head.bytes.size() || settings.header_rows || !settings.axis.empty() || settings.rows ||
      coding_of(head.bytes) != TextCoding::utf8 || has_bare_returns(head.bytes))
    return {};
  // Above the first rows there must be lines that may come again.
  constexpr std::size_t piece = 8192;
  const InputFile file = text_file(head);
  const auto scan = scan_lines(file);
  if (!scan || scan->words.front().offset > head.bytes.size()) return {};
  Skeleton found;
  found.texts.reserve(scan->words.size() + 2);  // The lines are views of them.
  add_piece(found, file, {}, 0, head.bytes.size() / 4);
  for (const Mark& mark : scan->words) add_piece(found, file, mark, piece, piece);
  add_piece(found, file, scan->end, piece, 0);
  const TableGuess guess = guess_table(found.lines, settings);
  if (guess.cells.empty() || guess.delimiter == '(') return {};
  const std::vector<TableLines> tables = find_tables(found.lines, guess.delimiter, guess.decimal);
  if (tables.size() < 2) return {};
  TablePlace out;
  const auto rows_of = [&](const TableLines& t) {
    return found.numbers[t.end - 1] + 1 - found.numbers[t.data];
  };
  std::size_t longest = 0;
  for (std::size_t t = 0; t < tables.size(); ++t) {
    out.parts.push_back(table_part(table_name(found.lines, tables, t), t, rows_of(tables[t]),
                                   found.numbers[tables[t].data] + 1));
    if (rows_of(tables[t]) > rows_of(tables[longest])) longest = t;
  }
  out.part = choose_part(head.path, out.parts, settings, longest);
  const TableLines& chosen = tables[out.part];
  if (settings.part.empty())
    out.cautions.push_back(tables_caution(tables.size(), found.numbers[chosen.data] + 1));
  out.offset = found.lines[chosen.first].offset, out.lines_above = found.numbers[chosen.first];
  if (chosen.end < found.lines.size()) out.end = found.lines[chosen.end].offset;
  const std::uint64_t size = (out.end > 0 ? out.end : head.size) - out.offset;
  out.head = {
      head.path,
      file.text(out.offset, static_cast<std::size_t>(std::min<std::uint64_t>(size, FileHead::head_bytes))),
      size};
  return out;
}

}  // namespace vprism
