// serial_values.cpp: see serial_values.h.
#include "formats/text/clock/serial_values.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

std::vector<double> numbers_in_line(std::string_view line) {
  std::string text(line.substr(0, line.find_first_of("\r\n")));
  for (std::size_t i = 1; i < text.size(); ++i) {
    const char before = text[i - 1];
    if ((text[i] == '-' || text[i] == '+') && before >= '0' && before <= '9') text.insert(i++, 1, ' ');
    if (text[i] == ',') text[i] = ' ';
    if ((text[i] | 32) == 'd' && ((before >= '0' && before <= '9') || before == '.')) text[i] = 'E';
  }
  std::vector<std::string_view> cells;
  split_cells(text, ' ', cells);
  std::vector<double> out;
  double value = 0;
  for (const std::string_view cell : cells) {
    if (!parse_cell(cell, '.', value)) return {};
    out.push_back(value);
  }
  return out;
}

namespace {

struct SerialHeader {
  std::int64_t count = 0;
  std::string name, unit;
  double scale = 1;
};

/// "UNITS OF G", "UNITS: CM/S/S": the unit behind the word, if it is one.
std::string unit_in(const std::string& line) {
  const std::string low = lower_case(line);
  const std::size_t at = low.find("unit");
  if (at == std::string::npos) return "";
  std::string_view rest = std::string_view(line).substr(at);
  rest.remove_prefix(std::min(rest.find_first_of(" :=("), rest.size()));
  for (const char* skip : {"of ", "is ", "are ", "in "}) {
    rest.remove_prefix(std::min(rest.find_first_not_of(" :=("), rest.size()));
    if (lower_case(rest.substr(0, std::string_view(skip).size())) == skip)
      rest.remove_prefix(std::string_view(skip).size());
  }
  rest = trimmed(rest.substr(0, rest.find_first_of(" ,;)")));
  std::string text(rest);
  // "CM/SEC/SEC" and "G" are shouted.
  std::string quiet = lower_case(text);
  for (std::size_t sec = quiet.find("sec"); sec != std::string::npos; sec = quiet.find("sec"))
    quiet.replace(sec, 3, "s");
  if (const auto unit = Unit::try_parse(quiet)) return quiet;
  return Unit::try_parse(text) ? text : "";
}

/// "300 points", "4000 DATA POINTS": how many, in a sentence; 0 without.
std::int64_t count_in(const std::string& line) {
  std::vector<std::string_view> words;
  split_cells(line, ' ', words);
  static constexpr std::string_view counted[] = {"points", "samples", "values", "data", "pts", "readings"};
  for (std::size_t w = 0; w + 1 < words.size(); ++w) {
    const std::string_view number = trimmed(words[w]);
    if (number.empty() || number.size() > 12 || !std::all_of(number.begin(), number.end(), is_digit))
      continue;
    const std::string word = lower_case(words[w + 1].substr(0, words[w + 1].find_first_of(",;.:)")));
    // "100 samples/s" is a rate.
    if (words[w + 1].find('/') == std::string_view::npos &&
        std::find(std::begin(counted), std::end(counted), word) != std::end(counted) &&
        (w + 2 == words.size() || lower_case(words[w + 2]) != "per"))
      return std::stoll(std::string(number));
  }
  return 0;
}

/// "2000(gal)/8388608": what a count is worth.
void take_scale(SerialHeader& header, std::string_view value) {
  double above = 0, below = 0;
  const std::size_t open = value.find('('), close = value.find(")/");
  if (open == std::string_view::npos || close == std::string_view::npos || close < open) return;
  if (!parse_cell(value.substr(0, open), '.', above) || !parse_cell(value.substr(close + 2), '.', below) ||
      !(above > 0 && below > 0))
    return;
  header.scale = above / below;
  header.unit = std::string(trimmed(value.substr(open + 1, close - open - 1)));
}

SerialHeader read_header(const std::vector<TextLine>& lines, std::size_t first) {
  SerialHeader out;
  TextLayout notes;
  notes.delimiter = ' ';
  for (std::size_t i = 0; i < first; ++i) {
    read_preamble_line(notes, lines[i].text);
    const std::string text(lines[i].text);
    if (out.unit.empty()) out.unit = unit_in(text);
    if (out.count == 0) out.count = count_in(text);
    for (const char* quantity : {"acceleration", "velocity", "displacement"})
      if (out.name.empty() && lower_case(text).find(quantity) != std::string::npos) out.name = quantity;
  }
  for (const auto& [key, value] : notes.notes) {
    const std::string low = lower_case(key);
    if (low.find("scale") != std::string::npos) take_scale(out, value);
    for (const char* known : {"dir.", "direction", "component", "channel"})
      if (low == known && !value.empty()) out.name = value;
  }
  if (notes.declared > 0) out.count = notes.declared;
  if (out.count <= 0 && notes.interval_s > 0 && notes.total_s > 0)
    out.count = std::llround(notes.total_s / notes.interval_s);
  return out;
}

/// As many words right above as there are numbers are the titles of a table.
bool is_title_row(std::string_view text, std::size_t each) {
  std::vector<std::string_view> words;
  split_cells(text, ' ', words);
  return words.size() == each && std::none_of(words.begin(), words.end(), [](std::string_view word) {
           double number = 0;
           return word.find('=') != std::string_view::npos || parse_any_cell(word, '.', number);
         });
}

}  // namespace

std::optional<LineDialect> serial_values(const std::vector<TextLine>& lines, std::uint64_t size, bool whole,
                                         const ReadSettings& settings) {
  if (settings.rows || settings.no_rows || settings.header_rows || settings.delimiter != 0 ||
      !settings.columns.empty() || !settings.axis.empty())
    return {};
  std::size_t first = 0;
  while (first < lines.size() && numbers_in_line(lines[first].text).size() < 2) ++first;
  if (first == 0 || first + 2 > lines.size()) return {};
  const std::size_t each = numbers_in_line(lines[first].text).size();
  constexpr std::size_t most_in_line = 64;
  if (each > most_in_line) return {};
  const SerialHeader header = read_header(lines, first);
  if (header.count < static_cast<std::int64_t>(each) + 1 || is_title_row(lines[first - 1].text, each))
    return {};
  // All lines are full but the file's last.
  std::uint64_t seen = 0;
  std::size_t rows = 0;
  for (std::size_t i = first; i < lines.size(); ++i) {
    if (trimmed(lines[i].text).empty()) continue;
    const std::size_t count = numbers_in_line(lines[i].text).size();
    if (count == 0 || count > each || seen % each != 0) return {};
    seen += count, ++rows;
  }
  const auto bytes =
      static_cast<double>(lines.back().offset + lines.back().text.size() + 1 - lines[first].offset);
  const double expected =
      whole ? static_cast<double>(seen)
            : static_cast<double>(size - lines[first].offset) / bytes * static_cast<double>(seen);
  const double slack = static_cast<double>(each) + (whole ? 0 : 0.02 * static_cast<double>(header.count));
  if (std::abs(expected - static_cast<double>(header.count)) > slack) return {};
  LineDialect out;
  out.kind = LineDialect::Kind::values, out.delimiter = '\t';
  out.each = each, out.count = header.count, out.scale = header.scale;
  out.keys = {(header.name.empty() ? "values" : header.name) +
              (header.unit.empty() ? "" : " (" + header.unit + ")")};
  return out;
}

}  // namespace vprism
