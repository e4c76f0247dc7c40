// frequency_axis.cpp: see frequency_axis.h.
#include "formats/text/axis/frequency_axis.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "formats/text/cells/complex_pairs.h"

namespace vprism {

bool is_frequency_title(const Channel& column) {
  const std::string name = lower_case(column.name);
  return name == "f" || name.find("freq") != std::string::npos;
}

std::optional<Unit> frequency_unit_as_title(const Channel& column) {
  if (column.unit.text() != "1" || column.name.size() < 2) return {};
  const auto unit = Unit::try_parse(column.name);
  return unit && unit->converts_to(Unit::parse("Hz")) && lower_case(column.name).ends_with("hz")
             ? unit
             : std::nullopt;
}

namespace {

/// From row to row by the same ratio, up or down, each within a share `slack` of it.
bool equal_ratios(const std::vector<double>& numbers, double slack) {
  constexpr std::size_t fewest = 8;
  if (numbers.size() < fewest || *std::min_element(numbers.begin(), numbers.end()) <= 0) return false;
  const double mean = std::log(numbers.back() / numbers.front()) / static_cast<double>(numbers.size() - 1);
  if (std::abs(mean) < 1e-3) return false;
  for (std::size_t n = 1; n < numbers.size(); ++n)
    if (std::abs(std::log(numbers[n] / numbers[n - 1]) / mean - 1) > slack) return false;
  return true;
}

}  // namespace

bool are_frequencies(const TextLayout& layout, const std::vector<double>& numbers) {
  if (equal_ratios(numbers, 0.01) && numbers.back() >= 10 * numbers.front()) return true;
  for (const auto& [key, text] : layout.notes) {
    std::string name = lower_case(channel_from_title(key).name);
    std::erase_if(name, [](char c) { return c == ' ' || c == '_' || c == '-'; });
    static constexpr std::string_view words[] = {
        "df",          "deltaf",           "frequencyresolution", "freqresolution",
        "linespacing", "frequencyspacing", "frequencystep"};
    double step = 0;
    if (std::find(std::begin(words), std::end(words), name) != std::end(words) &&
        parse_cell(std::string_view(text).substr(0, text.find_first_not_of("+-.0123456789eE")), '.', step) &&
        step > 0 && numbers.size() > 2 && std::abs((numbers[1] - numbers[0]) / step - 1) < 1e-3 &&
        std::abs((numbers.back() - numbers[0]) / (step * static_cast<double>(numbers.size() - 1)) - 1) < 1e-3)
      return true;
  }
  return false;
}

std::optional<std::size_t> column_of_response(const TextLayout& layout, std::span<const TextLine> lines,
                                              std::size_t first, std::size_t last) {
  std::size_t parts = 0;
  for (const Channel& column : layout.columns)
    parts += part_of_title(column.name).kind != TitlePart::Kind::none ? 1 : 0;
  for (std::size_t c = 0; c < layout.columns.size() && parts > 1; ++c) {
    const Channel& column = layout.columns[c];
    const bool hertz = column.unit.text() != "1" && column.unit.converts_to(Unit::parse("Hz"));
    if (!hertz && !(is_frequency_title(column) && column.unit.text() == "1")) continue;
    // Frequencies may be written to a few digits.
    if (equal_ratios(numbers_of_column(layout, lines, first, last, c), 0.5)) return c;
  }
  return {};
}

std::optional<std::pair<double, double>> swept_frequencies(const TextLayout& layout) {
  const auto hertz = [&](std::initializer_list<std::string_view> keys) -> std::optional<double> {
    for (const auto& [key, text] : layout.notes) {
      const Channel title = channel_from_title(key);
      std::string name = lower_case(title.name);
      std::replace(name.begin(), name.end(), '_', ' ');
      if (std::find(keys.begin(), keys.end(), name) == keys.end()) continue;
      // "1000000000,Hz", "1.2 GHz".
      const std::size_t behind = text.find_first_not_of("+-.0123456789eE");
      double number = 0;
      if (!parse_cell(std::string_view(text).substr(0, behind), '.', number)) continue;
      std::string_view unit =
          behind == std::string::npos ? std::string_view() : std::string_view(text).substr(behind);
      while (!unit.empty() && std::string_view(" ,;\t").find(unit.front()) != std::string_view::npos)
        unit.remove_prefix(1);
      const auto known = unit.empty() ? std::optional(title.unit) : Unit::try_parse(unit);
      if (known && known->converts_to(Unit::parse("Hz"))) return known->convert(number, Unit::parse("Hz"));
      if (unit.empty() && title.unit.text() == "1") return number;
    }
    return {};
  };
  const auto centre = hertz(
                 {"center frequency", "centre frequency", "center freq", "centre freq", "center", "centre"}),
             span = hertz({"span", "frequency span", "freq span"});
  if (centre && span && *span > 0) return std::pair{*centre - *span / 2, *centre + *span / 2};
  const auto start = hertz({"start frequency", "start freq", "freq start", "frequency start"}),
             stop = hertz({"stop frequency", "stop freq", "freq stop", "frequency stop", "end frequency"});
  if (start && stop && *stop > *start) return std::pair{*start, *stop};
  return {};
}

bool is_swept(const TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
              std::size_t last) {
  const auto swept = swept_frequencies(layout);
  if (!swept || layout.columns.empty()) return false;
  const std::vector<double> numbers = numbers_of_column(layout, lines, first, last, 0);
  const double slack = 1e-3 * (swept->second - swept->first);
  return numbers.size() > 2 && std::abs(numbers.front() - swept->first) <= slack &&
         numbers.back() <= swept->second + slack;
}

void leave_out_times_of_response(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                                 std::size_t last) {
  if (!layout.time || column_of_response(layout, lines, first, last) != layout.time) return;
  std::vector<std::size_t> others;
  std::vector<std::string> names;
  for (std::size_t c = 0; c < layout.columns.size(); ++c)
    if (c != *layout.time && is_axis_column(layout, c))
      others.push_back(c), names.push_back(column_name(layout, c));
  if (others.empty()) return;
  layout.cautions.push_back({"axis-left-out", Severity::note, "",
                             "the rows are points of a response over \"" + column_name(layout, *layout.time) +
                                 "\"; their times, " + quoted_names(names) + ", are left out",
                             "--axis with its name takes the rows in time"});
  leave_out_columns(layout, others);
}

}  // namespace vprism
