// stated_heads.cpp: see stated_heads.h.
#include "formats/text/heads/stated_heads.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "base/text.h"
#include "formats/text/clock/clock.h"
#include "formats/text/clock/serial_values.h"
#include "formats/text/heads/plain_heads.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

/// What a statement says of one direction of a wave.
struct Scaling {
  enum class Second { step, last, end } second = Second::end;  ///< What the second number is.
  double start = 0, number = 0;
  std::string unit;
  /// From one sample to the next; `end` is one step behind the last.
  double step(std::size_t rows) const {
    const auto n = static_cast<double>(rows);
    return second == Second::step ? number : (number - start) / (second == Second::last ? n - 1 : n);
  }
};
struct WaveScalings {
  std::optional<Scaling> x;
  std::string unit;
};

bool is_name_letter(char c) { return ((c | 32) >= 'a' && (c | 32) <= 'z') || is_digit(c) || c == '_'; }

/// Names one behind the other, of letters, digits and _, or of anything between single quotes.
std::vector<std::string> names_in(std::string_view text) {
  std::vector<std::string> out;
  for (std::size_t at = 0; at < text.size();) {
    const bool quoted = text[at] == '\'';
    if (!quoted && !is_name_letter(text[at])) {
      ++at;
      continue;
    }
    const std::size_t from = quoted ? at + 1 : at;
    std::size_t end = from;
    while (end < text.size() && (quoted ? text[end] != '\'' : is_name_letter(text[end]))) ++end;
    out.push_back(clean_text(utf8_from_any(text.substr(from, end - from)), 100));
    at = end + (quoted ? 1 : 0);
  }
  return out;
}

/// "SetScale/P x 0,0.0005,"s", vib0, vib1": for each of the waves.
void take_scaling(std::string_view said, std::map<std::string, WaveScalings>& of) {
  const std::size_t word = lower_case(said).find("setscale");
  if (word == std::string::npos) return;
  said = trimmed(said.substr(word + 8));
  Scaling scaling;
  const std::string how = lower_case(said.substr(0, 2));
  if (how == "/p") scaling.second = Scaling::Second::step;
  if (how == "/i") scaling.second = Scaling::Second::last;
  if (how.starts_with('/')) said = trimmed(said.substr(2));
  if (said.empty()) return;
  const char along = static_cast<char>(said[0] | 32);
  std::vector<std::string_view> cells;
  split_cells(said.substr(1), ',', cells);
  if (cells.size() < 4 || !parse_cell(cells[0], '.', scaling.start) ||
      !parse_cell(cells[1], '.', scaling.number))
    return;
  scaling.unit = unquoted_cell(cells[2]);
  for (std::size_t c = 3; c < cells.size(); ++c)
    for (const std::string& name : names_in(cells[c])) {
      WaveScalings& wave = of[name];
      if (along == 'x')
        wave.x = scaling;
      else if (along == 'y' || along == 'd')
        wave.unit = scaling.unit;
    }
}

/// The names behind "WAVES/D/N=(400)".
std::vector<std::string> wave_names(std::string_view text) {
  const std::size_t at = text.find_first_of(" \t,");
  return at == std::string_view::npos ? std::vector<std::string>() : names_in(text.substr(at));
}

/// The number that all cells of a line hold; nothing where they differ, or one holds none.
std::optional<double> same_in_all(std::string_view line, std::size_t& cells) {
  const std::vector<double> numbers = numbers_in_line(line);
  cells = numbers.size();
  if (numbers.empty() ||
      std::any_of(numbers.begin(), numbers.end(), [&](double v) { return v != numbers[0]; }))
    return {};
  return numbers[0];
}

}  // namespace

void write_waves(std::vector<TextLine>& lines, std::deque<std::string>& kept) {
  const auto said = [&](std::size_t at, const char* word) {
    return at < lines.size() && lower_case(trimmed(lines[at].text)).starts_with(word);
  };
  std::size_t lead = 0;
  while (lead < lines.size() && trimmed(lines[lead].text).empty()) ++lead;
  std::size_t next = lead + 1;
  while (next < lines.size() && trimmed(lines[next].text).empty()) ++next;
  if (next + 2 > lines.size() || numbers_in_line(lines[lead].text).size() > 0 ||
      trimmed(lines[lead].text).find(' ') != std::string_view::npos ||
      !(said(next, "waves") || said(next, "x ")))
    return;
  std::map<std::string, WaveScalings> scalings;
  std::vector<std::pair<std::size_t, std::vector<std::string>>> waves;
  lines[lead].text = {};
  for (std::size_t i = lead + 1; i < lines.size(); ++i) {
    const std::string_view text = trimmed(lines[i].text);
    if (text.empty() || is_digit(text[0]) || text[0] == '-' || text[0] == '.') continue;
    const std::string low = lower_case(text.substr(0, 8));
    if (low.starts_with("waves")) waves.emplace_back(i, wave_names(text));
    if (low.starts_with("x ")) {
      std::vector<std::string_view> parts;
      split_cells(text.substr(2), ';', parts);
      for (const std::string_view part : parts) take_scaling(part, scalings);
      lines[i].text = {};
    }
    if (low == "end") lines[i].text = {};
  }
  for (const auto& [at, names] : waves) {
    if (names.empty() || !said(at + 1, "begin")) continue;
    std::size_t rows = 0;
    while (at + 2 + rows < lines.size() && !numbers_in_line(lines[at + 2 + rows].text).empty()) ++rows;
    std::vector<std::string> titles;
    for (const std::string& name : names)
      titles.push_back(scalings[name].unit.empty() ? name : name + " [" + scalings[name].unit + "]");
    const auto& x = scalings[names[0]].x;
    // Waves of one block may each lie elsewhere: then none of them speaks for the others.
    const bool alike = std::all_of(names.begin(), names.end(), [&](const std::string& name) {
      const auto& other = scalings[name].x;
      return !other || (x && other->start == x->start && other->step(rows) == x->step(rows));
    });
    const double step = x && alike && rows > 1 ? x->step(rows) : 0;
    kept.push_back(step > 0 ? fmt::format("start: {0} {2};interval: {1} {2}", x->start, step,
                                          x->unit.empty() ? "s" : x->unit)
                            : "");
    lines[at].text = kept.back();
    // Rows may begin with a tab, and their titles then do.
    const bool tab = names.size() > 1 && at + 2 < lines.size() && lines[at + 2].text.starts_with('\t');
    kept.push_back((tab ? "\t" : "") + title_row(titles));
    lines[at + 1].text = kept.back();
  }
}

void write_start_and_rate(std::vector<TextLine>& lines, std::deque<std::string>& kept,
                          std::vector<Caution>& cautions) {
  constexpr std::size_t fewest = 16;
  if (lines.size() < fewest) return;
  std::size_t columns = 0, second = 0;
  const auto start = same_in_all(lines[0].text, columns), rate = same_in_all(lines[1].text, second);
  // From the year 2000 to 2040, in seconds.
  if (!start || !rate || columns != second || *start < 946684800 || *start > 2208988800 || !(*rate > 0) ||
      *rate > 1e6)
    return;
  for (std::size_t i = 2; i < fewest; ++i) {
    const std::vector<double> row = numbers_in_line(lines[i].text);
    if (row.size() != columns ||
        std::any_of(row.begin(), row.end(), [](double v) { return std::abs(v) > 1e8; }))
      return;
  }
  kept.push_back("start time: " +
                 utc_text(static_cast<std::int64_t>(std::llround(*start * 1e3)) * 1'000'000));
  lines[0].text = kept.back();
  kept.push_back(fmt::format("sampling rate: {} Hz", *rate));
  lines[1].text = kept.back();
  cautions.push_back(
      {"numbers-above-the-rows", Severity::warning, "",
       fmt::format("the first two rows hold one number each in all columns: taken as the start in "
                   "seconds since 1970, and as {} samples a second",
                   *rate),
       "--header-rows 0 takes them as samples"});
}

void write_names_by_turns(std::vector<TextLine>& lines, std::deque<std::string>& kept) {
  constexpr std::size_t furthest = 40, most = 256;
  std::size_t count = 0, at = 0;
  for (; at < std::min(lines.size(), furthest) && count == 0; ++at) {
    const std::string_view text = trimmed(lines[at].text);
    const std::size_t blank = text.find(' ');
    if (blank == std::string_view::npos || lower_case(trimmed(text.substr(blank))) != "channels") continue;
    double value = 0;
    if (parse_cell(text.substr(0, blank), '.', value) && value >= 1 && value <= most &&
        value == std::floor(value))
      count = static_cast<std::size_t>(value);
  }
  if (count == 0 || at + 2 * count + 2 > lines.size()) return;
  const std::size_t heads = at + 2 * count;
  const char mark = lines[heads].text.find('\t') != std::string_view::npos ? '\t' : ',';
  const auto filled = [&](std::size_t line) {
    std::vector<std::string> out;
    std::vector<std::string_view> cells;
    split_cells(lines[line].text, mark, cells);
    for (const std::string_view cell : cells) out.push_back(unquoted_cell(cell));
    while (!out.empty() && out.back().empty()) out.pop_back();
    return out;
  };
  // "min,CH1,CH2": the unit of the times in front, where there are times.
  const std::vector<std::string> tops = filled(heads), counts = filled(heads + 1);
  if ((tops.size() != count && tops.size() != count + 1) || counts.size() != tops.size()) return;
  const bool timed = tops.size() == count + 1;
  double number = 0;
  for (std::size_t c = timed ? 1 : 0; c < counts.size(); ++c)
    if (!parse_cell(counts[c], '.', number) || number != std::floor(number) ||
        parse_cell(tops[c], '.', number))
      return;
  std::vector<std::string> titles;
  if (timed) titles.push_back("time [" + tops[0] + "]");
  for (std::size_t c = 0; c < count; ++c) {
    const std::string name = unquoted_cell(lines[at + 2 * c].text),
                      unit = unquoted_cell(lines[at + 2 * c + 1].text);
    if (name.empty() || parse_cell(name, '.', number)) return;
    titles.push_back(unit.empty() ? name : name + " [" + unit + "]");
  }
  for (std::size_t i = at; i <= heads; ++i) lines[i].text = {};
  kept.push_back(title_row(titles));
  lines[heads + 1].text = kept.back();
}

void write_start_and_step(std::vector<TextLine>& lines, std::deque<std::string>& kept) {
  for (std::size_t i = 0; i + 1 < lines.size() && i < 400; ++i) {
    if (lower_case(lines[i].text.substr(0, 7)) != "\"start\"") continue;
    const std::vector<double> numbers = numbers_in_line(lines[i].text.substr(7));
    if (numbers.size() != 2 || !(numbers[1] > 0)) continue;
    kept.push_back(fmt::format("start: {} s;interval: {} s", numbers[0], numbers[1]));
    // The channel's own lines lie between.
    std::size_t above = i;
    while (above > 0 && i - above < 12 && lower_case(lines[above].text.substr(0, 9)) != "\"channel\"")
      --above;
    lines[above].text = kept.back();
  }
}

}  // namespace vprism
