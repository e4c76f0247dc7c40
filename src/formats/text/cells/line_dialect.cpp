// line_dialect.cpp: see line_dialect.h.
#include "formats/text/cells/line_dialect.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "formats/documents/program_text.h"
#include "formats/text/cells/bus_frames.h"
#include "formats/text/cells/comma_pairs.h"
#include "formats/text/cells/keyed_lines.h"
#include "formats/text/clock/clock.h"
#include "formats/text/clock/serial_values.h"

namespace vprism {

namespace {

/// Where nearly all lines that are not blank have keys: all of these, in the order of their appearance. A key
/// may be absent from some lines, such as that of a slow channel.
template <typename Parse>
std::vector<std::string> keys_of(const std::vector<std::string_view>& lines, Parse parse) {
  constexpr std::size_t most = 4096;
  std::vector<std::string> out;
  std::set<std::string> known;
  std::size_t all = 0, keyed = 0, pairs = 0;
  for (const std::string_view line : lines) {
    const std::string_view text = trimmed(line);
    if (text.empty() || text[0] == '#' || text[0] == '%') continue;
    ++all;
    const KeyedLine found = parse(line);
    keyed += found.empty() ? 0 : 1, pairs += found.size();
    for (const auto& [key, value] : found)
      if (known.insert(key).second) out.push_back(key);
  }
  // Prose with colons has other words before them each time: a key stands in a third of the lines or more.
  if (keyed < 3 || 10 * keyed < 8 * all || out.size() > most || out.size() * keyed > 3 * pairs) return {};
  return out;
}

/// All cells in quotation marks, numbers with decimal commas among them.
bool has_quoted_commas(std::string_view line) {
  line = trimmed(line);
  if (line.size() < 5 || line.front() != '"' || line.back() != '"') return false;
  bool comma = false, inside = false;
  for (std::size_t i = 0; i < line.size(); ++i) {
    if (line[i] == '"') inside = !inside;
    if (inside && line[i] == ',') {
      if (i + 1 >= line.size() || !is_digit(line[i - 1]) || !is_digit(line[i + 1])) return false;
      comma = true;
    }
    if (inside && line[i] == '.') return false;
    if (!inside && line[i] != '"' && line[i] != ',' && line[i] != ' ') return false;
  }
  return comma && !inside;
}

/// A place in a line that is to be written otherwise: at `at`, `count` characters become `by`.
struct FortranMark {
  std::size_t at = std::string_view::npos, count = 0;
  char by = 'E';
};

/// The next place from `from` on where a D stands for E (1.5D-03), where E is left out (1.5-103, three digits
/// and nothing behind), or where a number begins right behind another (1.50-2.25).
FortranMark fortran_mark(std::string_view line, std::size_t from) {
  bool point = false;  // The number in hand has one: no date has.
  for (std::size_t i = line.find_last_of(" ,;\t", from) + 1; i + 2 < line.size(); ++i) {
    const char c = line[i];
    if (c == ' ' || c == ',' || c == ';' || c == '\t') point = false;
    if (c == '.') point = true;
    if (i < std::max<std::size_t>(from, 1) || !(is_digit(line[i - 1]) || line[i - 1] == '.')) continue;
    const bool sign_behind = line[i + 1] == '+' || line[i + 1] == '-';
    if ((c | 32) == 'd' && sign_behind && is_digit(line[i + 2])) return {i, 1, 'E'};
    if (!point || (c != '+' && c != '-')) continue;
    std::size_t end = i + 1;
    while (end < line.size() && is_digit(line[end])) ++end;
    const bool ends =
        end == line.size() || std::string_view(" ,;\t\r\n+-").find(line[end]) != std::string_view::npos;
    if (end == i + 4 && ends) return {i, 0, 'E'};
    if (end < line.size() && line[end] == '.') return {i, 0, ' '};
  }
  return {};
}

/// Nothing but numbers and what parts them: no remark in which a dash parts words.
bool is_of_numbers(std::string_view line) {
  return line.find_first_not_of("0123456789+-.,;eEdD \t\r\n") == std::string_view::npos;
}

/// A time with an arrow behind it, or in brackets, and what came at it; the time without blanks.
struct TimedLine {
  std::string time;
  std::string_view rest;
};
std::optional<TimedLine> timed_line(std::string_view line) {
  std::string_view time, rest;
  if (const std::size_t arrow = line.find(" -> "); arrow != std::string_view::npos && arrow > 3) {
    time = trimmed(line.substr(0, arrow)), rest = line.substr(arrow + 4);
  } else if (const std::size_t close = line.find(']'); starts_with(line, "[") && close < 48 && close > 4) {
    time = trimmed(line.substr(1, close - 1)), rest = line.substr(close + 1);
    const std::size_t begin = rest.find_first_not_of(" ,;\t:");
    if (begin == std::string_view::npos) return {};
    rest.remove_prefix(begin);
  } else if (const std::size_t colon = line.find(": "); colon != std::string_view::npos && colon < 24) {
    // "0.5: 1.2, 3.4": seconds.
    time = trimmed(line.substr(0, colon)), rest = line.substr(colon + 2);
    double value = 0;
    if (!parse_cell(time, '.', value) || rest.empty() ||
        std::string_view("0123456789+-.").find(rest[0]) == std::string_view::npos)
      return {};
    return TimedLine{std::string(time), rest};
  } else if (const auto stamped = stamp_in_front(line)) {
    // "Mar  5 10:00:01 host logger[312]: 1.25": numbers behind the program's name.
    const std::size_t mark = stamped->rest.find(": ");
    if (mark == std::string_view::npos || mark > 80) return {};
    // With the line's end.
    rest =
        line.substr(static_cast<std::size_t>(trimmed(stamped->rest.substr(mark + 2)).data() - line.data()));
    double value = 0;
    if (!parse_cell(rest.substr(0, rest.find_first_of(" ,;\t\r\n")), '.', value)) return {};
    if (const auto whole = parse_date_time(stamped->stamp)) return TimedLine{utc_text(*whole), rest};
    // Without a blank in it.
    const std::size_t time_of_day = stamped->stamp.find_last_of(' ');
    std::string joined;
    for (const char c : trimmed(stamped->stamp.substr(0, time_of_day)))
      if (c != ' ') joined += c;
    joined += '_';
    joined += stamped->stamp.substr(time_of_day + 1);
    return TimedLine{joined, rest};
  } else {
    return {};
  }
  // Whole numbers in brackets count the lines.
  if (double value = 0; time.find('.') != std::string_view::npos && parse_cell(time, '.', value))
    return TimedLine{std::string(time), rest};
  if (const auto whole = parse_date_time(time)) return TimedLine{utc_text(*whole), rest};
  if (!parse_time_of_day(time)) return {};
  return TimedLine{std::string(time), rest};
}

template <typename Fits>
bool most_lines(const std::vector<std::string_view>& lines, Fits fits) {
  std::size_t all = 0, good = 0;
  for (const std::string_view line : lines) {
    if (trimmed(line).empty()) continue;
    ++all;
    good += fits(line) ? 1 : 0;
  }
  return good >= 2 && 10 * good >= 7 * all;
}

void rewrite_pairs(const LineDialect& dialect, const KeyedLine& found, std::string_view line,
                   std::string& out) {
  if (found.empty()) {
    out += line;
    return;
  }
  // Nearly always in the order of the head.
  std::size_t next = 0, taken = 0;
  for (std::size_t k = 0; k < dialect.keys.size(); ++k) {
    if (k > 0) out += dialect.delimiter;
    const std::string& key = dialect.keys[k];
    const bool in_order = next < found.size() && found[next].first == key;
    const auto at = in_order ? found.begin() + static_cast<std::ptrdiff_t>(next)
                             : std::find_if(found.begin(), found.end(),
                                            [&](const auto& pair) { return pair.first == key; });
    if (at == found.end()) continue;
    next = static_cast<std::size_t>(at - found.begin()) + 1;
    out += at->second, ++taken;
  }
  constexpr std::size_t most_named = 8;
  if (taken < found.size())
    for (const auto& [key, value] : found)
      if (dialect.strange->size() < most_named &&
          std::find(dialect.keys.begin(), dialect.keys.end(), key) == dialect.keys.end())
        dialect.strange->insert(key);
  out += '\n';
}

/// "TIME = 0.001", "t: 0.001 s": a name, a number, and its unit.
struct BlockHead {
  std::string_view key, number, unit;
};
std::optional<BlockHead> block_head(std::string_view line) {
  line = trimmed(line);
  const std::size_t mark = line.find_first_of("=:");
  if (mark == std::string_view::npos || mark == 0 || mark > 40) return {};
  BlockHead out{trimmed(line.substr(0, mark)), trimmed(line.substr(mark + 1)), {}};
  if (out.key.empty() || ((out.key[0] | 32) < 'a' || (out.key[0] | 32) > 'z')) return {};
  const std::size_t end = out.number.find_first_of(" \t");
  if (end != std::string_view::npos)
    out.unit = trimmed(out.number.substr(end)), out.number = out.number.substr(0, end);
  double value = 0;
  if (!parse_cell(out.number, '.', value) || out.unit.size() > 12) return {};
  return out;
}

/// Blocks of as many values each, three at least, under lines of one name whose numbers rise; the names of
/// their columns.
std::vector<std::string> block_keys(const std::vector<std::string_view>& lines) {
  // The name is that of the last block; other settings may stand above the first one.
  std::string key, unit;
  for (std::size_t i = lines.size(); i-- > 0 && key.empty();)
    if (const auto head = block_head(lines[i])) key = head->key, unit = head->unit;
  std::size_t blocks = 0, values = 0, each = 0;
  double before = 0, value = 0;
  for (const std::string_view line : lines) {
    if (trimmed(line).empty()) continue;
    if (const auto head = block_head(line)) {
      if (head->key != key && blocks == 0) continue;
      if (head->key != key) return {};
      (void)parse_cell(head->number, '.', value);
      if (blocks > 0 && (value <= before || (each != 0 && values != each) || values == 0)) return {};
      if (blocks > 0) each = values;
      before = value, values = 0, ++blocks;
      continue;
    }
    const std::size_t numbers = numbers_in_line(line).size();
    if (numbers == 0 && blocks > 0) return {};
    values += numbers;
  }
  constexpr std::size_t most = 4095;
  if (blocks < 3 || each == 0 || each > most) return {};
  std::vector<std::string> out = {unit.empty() ? key : key + " (" + unit + ")"};
  for (std::size_t c = 0; c < each; ++c) out.push_back("value " + std::to_string(c + 1));
  return out;
}

void rewrite_quoted(std::string_view line, std::string& out) {
  bool inside = false;
  for (const char c : line) {
    if (c == '"')
      inside = !inside;
    else
      out += !inside && c == ',' ? ';' : c;
  }
}

}  // namespace

std::optional<LineDialect> LineDialect::found_in(const std::vector<std::string_view>& lines, char delimiter) {
  LineDialect out;
  out.delimiter = '\t';
  if (delimiter == 0) {
    out.kind = Kind::objects, out.keys = keys_of(lines, object_of);
    if (!out.keys.empty()) return out;
    out.kind = Kind::frames, out.keys = keys_of(lines, bus_frame_of);
    if (!out.keys.empty()) return out;
    out.kind = Kind::pairs, out.keys = keys_of(lines, pairs_of);
    if (!out.keys.empty()) return out;
  }
  if ((delimiter == 0 || delimiter == ',') && most_lines(lines, has_quoted_commas)) {
    out.kind = Kind::quoted_commas, out.delimiter = ';';
    return out;
  }
  if (delimiter == 0 &&
      most_lines(lines, [](std::string_view line) { return timed_line(line).has_value(); })) {
    out.kind = Kind::arrow, out.delimiter = ' ';
    for (const char mark : {',', ';', '\t'})
      if (out.delimiter == ' ' && most_lines(lines, [mark](std::string_view line) {
            return line.find(mark) != std::string_view::npos;
          }))
        out.delimiter = mark;
    return out;
  }
  const auto has_mark = [](std::string_view line) {
    return is_of_numbers(line) && fortran_mark(line, 0).at != std::string_view::npos;
  };
  if (most_lines(lines, is_of_numbers) && std::any_of(lines.begin(), lines.end(), has_mark)) {
    out.kind = Kind::fortran, out.delimiter = delimiter;
    return out;
  }
  return {};
}

std::optional<LineDialect> LineDialect::whole_in(const std::vector<std::string_view>& lines) {
  LineDialect out;
  if (is_program_text(lines)) {
    out.kind = Kind::program, out.delimiter = '\t';
    for (const std::string_view line : lines)
      if (const auto opening = array_opening(line); opening && out.bits == 0) out.bits = opening->bits;
    return out;
  }
  if (is_of_comma_pairs(lines)) {
    out.kind = Kind::comma_pairs, out.delimiter = ';';
    return out;
  }
  out.kind = Kind::blocks, out.delimiter = '\t', out.keys = block_keys(lines);
  return out.keys.empty() ? std::nullopt : std::optional(out);
}

void LineDialect::learn_keys(const std::vector<std::string_view>& lines) {
  std::vector<std::string> all;
  std::set<std::string> known;
  const std::set<std::string> own(keys.begin(), keys.end());
  for (const std::string_view line : lines) {
    const KeyedLine found = keyed(line);
    // A line of the preamble may have keys as well.
    if (std::none_of(found.begin(), found.end(), [&](const auto& pair) { return own.count(pair.first) > 0; }))
      continue;
    for (const auto& [key, value] : found)
      if (known.insert(key).second) all.push_back(key);
  }
  if (all.size() <= 4096) keys = std::move(all);
}

KeyedLine LineDialect::keyed(std::string_view line) const {
  return kind == Kind::objects ? object_of(line) : kind == Kind::frames ? bus_frame_of(line) : pairs_of(line);
}

LineRewriter LineDialect::rewriter() const {
  switch (kind) {
    case Kind::objects:
    case Kind::frames:
    case Kind::pairs:
      return [dialect = *this](std::string_view line, std::string& out) {
        const KeyedLine found = dialect.keyed(line);
        // A frame's time and identifier alone.
        if (dialect.kind == Kind::frames && found.size() == 2)
          dialect.strange->insert(found[1].second + " without data");
        else
          rewrite_pairs(dialect, found, line, out);
      };
    case Kind::values:
      return [factor = scale](std::string_view line, std::string& out) {
        const std::vector<double> numbers = numbers_in_line(line);
        for (const double x : numbers) fmt::format_to(std::back_inserter(out), "{}\n", x * factor);
        if (numbers.empty()) out += line;
      };
    case Kind::blocks:
      // A block is one line: each begins behind the end of the one before.
      return [mark = delimiter](std::string_view line, std::string& out) {
        if (const auto head = block_head(line)) {
          out += '\n';
          out += head->number;
          return;
        }
        for (const double x : numbers_in_line(line)) fmt::format_to(std::back_inserter(out), "{}{}", mark, x);
      };
    case Kind::arrow:
      return [mark = delimiter](std::string_view line, std::string& out) {
        const auto timed = timed_line(line);
        if (!timed) {
          out += line;
          return;
        }
        out += timed->time;
        out += mark;
        out += timed->rest;
      };
    case Kind::quoted_commas:
      return rewrite_quoted;
    case Kind::program:
      return
          [wide = bits](std::string_view line, std::string& out) { rewrite_program_line(line, out, wide); };
    case Kind::other:
      return by;
    case Kind::comma_pairs:
      return rewrite_comma_pairs;
    case Kind::fortran:
      break;
  }
  return [](std::string_view line, std::string& out) {
    std::size_t from = 0;
    if (is_of_numbers(line))
      for (FortranMark mark = fortran_mark(line, 0); mark.at != std::string_view::npos;
           mark = fortran_mark(line, mark.at + 1)) {
        out += line.substr(from, mark.at - from);
        out += mark.by;
        from = mark.at + mark.count;
      }
    out += line.substr(from);
  };
}

}  // namespace vprism
