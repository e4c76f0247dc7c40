// burst_rows.cpp: see burst_rows.h.
#include "formats/text/cells/burst_rows.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "formats/text/tables/text_columns.h"
#include "formats/text/tables/text_layout.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

/// "v[07]" as "v[]" and 7: the last run of digits apart.
std::optional<std::pair<std::string, std::size_t>> counted_title(const std::string& title) {
  std::size_t end = title.size();
  while (end > 0 && !is_digit(title[end - 1])) --end;
  std::size_t begin = end;
  while (begin > 0 && is_digit(title[begin - 1])) --begin;
  if (begin == end || begin == 0 || end - begin > 4) return {};
  return std::pair(title.substr(0, begin) + title.substr(end),
                   static_cast<std::size_t>(std::stoul(title.substr(begin, end - begin))));
}

/// What all titles behind the first share, if they count on by one.
std::string common_title(const std::vector<std::string>& titles) {
  std::string stem;
  std::size_t before = 0;
  for (std::size_t c = 1; c < titles.size(); ++c) {
    const auto counted = counted_title(titles[c]);
    if (!counted || (c > 1 && (counted->first != stem || counted->second != before + 1))) return "";
    if (c == 1 && counted->second > 1) return "";
    stem = counted->first, before = counted->second;
  }
  for (const std::string_view marks : {"[]", "()"})
    if (const std::size_t at = stem.find(marks); at != std::string::npos) stem.erase(at, 2);
  while (!stem.empty() && (stem.back() == '_' || stem.back() == ' ' || stem.back() == '.')) stem.pop_back();
  return stem;
}

std::vector<std::string> burst_cells(std::string_view line, char delimiter) {
  std::vector<std::string_view> cells;
  split_cells(trimmed(line), delimiter, cells);
  std::vector<std::string> out;
  for (const std::string_view cell : cells) out.push_back(unquoted_cell(cell));
  return out;
}

/// From the last sample of a row to the first of the next as within a row, and far less than from row to row.
bool go_on_behind(const std::vector<std::vector<double>>& rows) {
  double within = 0, across = 0, between = 0;
  const std::size_t n = rows[0].size() - 1;
  for (std::size_t k = 0; k < rows.size(); ++k) {
    for (std::size_t j = 2; j <= n; ++j) within += std::pow(rows[k][j] - rows[k][j - 1], 2);
    if (k == 0) continue;
    across += std::pow(rows[k][1] - rows[k - 1][n], 2);
    for (std::size_t j = 1; j <= n; ++j) between += std::pow(rows[k][j] - rows[k - 1][j], 2);
  }
  const auto count = static_cast<double>(rows.size()), each = static_cast<double>(n);
  within /= count * (each - 1), across /= count - 1, between /= (count - 1) * each;
  return within > 0 && across < 3 * within && between > 8 * within;
}

}  // namespace

std::optional<BurstRows> BurstRows::found_in(const std::vector<std::string_view>& lines, char delimiter) {
  constexpr std::size_t least_rows = 8, most_rows = 400, least_samples = 4;
  for (const char mark : {',', ';', '\t'}) {
    if (delimiter != 0 && mark != delimiter) continue;
    std::vector<std::string> titles;
    std::vector<std::vector<double>> rows;
    std::size_t above = 0;
    constexpr std::size_t most_above = 200;
    for (const std::string_view line : lines) {
      if (rows.size() >= most_rows || (rows.empty() && ++above > most_above)) break;
      if (trimmed(line).empty()) continue;
      const std::vector<std::string> cells = burst_cells(line, mark);
      std::vector<double> row(cells.size());
      bool numbers = cells.size() > least_samples;
      for (std::size_t c = 0; c < cells.size() && numbers; ++c)
        numbers =
            parse_cell(cells[c], mark == ';' && line.find('.') == std::string_view::npos ? ',' : '.', row[c]);
      // The titles stand right above.
      if (!numbers && rows.empty())
        titles = cells;
      else if (!numbers || row.size() != titles.size() || (rows.empty() && common_title(titles).empty()))
        break;
      else
        rows.push_back(std::move(row));
    }
    if (rows.size() < least_rows || titles.size() != rows[0].size()) continue;
    const std::string stem = common_title(titles);
    const double first = rows[0][0], last = rows.back()[0],
                 step = (last - first) / static_cast<double>(rows.size() - 1);
    // A count of rows is no time.
    bool even = step > 0 && !is_count_title(channel_from_title(titles[0]));
    for (std::size_t k = 0; k < rows.size() && even; ++k)
      even = std::abs(rows[k][0] - first - step * static_cast<double>(k)) < 0.05 * step;
    if (!even || !go_on_behind(rows)) continue;
    return BurstRows{mark, titles[0], stem, rows[0].size() - 1,
                     step / static_cast<double>(rows[0].size() - 1)};
  }
  return {};
}

LineRewriter BurstRows::rewriter() const {
  return [rows = *this](std::string_view line, std::string& out) {
    const std::vector<std::string> cells = burst_cells(line, rows.delimiter);
    if (cells.size() != rows.samples + 1) {
      out += line;
      return;
    }
    const bool comma = rows.delimiter == ';' && line.find('.') == std::string_view::npos;
    double time = 0;
    if (!parse_cell(cells[0], comma ? ',' : '.', time)) {
      out += rows.time;
      out += '\t';
      out += rows.name + "\n";
      return;
    }
    for (std::size_t j = 0; j < rows.samples; ++j) {
      fmt::format_to(std::back_inserter(out), "{:.15g}\t", time + static_cast<double>(j) * rows.step);
      std::string value = cells[j + 1];
      if (comma) std::replace(value.begin(), value.end(), ',', '.');
      out += value;
      out += '\n';
    }
  };
}

}  // namespace vprism
