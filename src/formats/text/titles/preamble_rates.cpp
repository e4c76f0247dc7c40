// preamble_rates.cpp: see preamble_rates.h.
#include "formats/text/titles/preamble_rates.h"

#include <vector>

#include "base/text.h"
#include "base/units/unit.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

double samples_per_second(std::string unit) {
  constexpr std::string_view prefixes = "kKMG";
  constexpr double factors[] = {1e3, 1e3, 1e6, 1e9};
  double factor = 1;
  if (unit.size() > 2 && prefixes.find(unit[0]) != std::string_view::npos)
    factor = factors[prefixes.find(unit[0])], unit.erase(0, 1);
  unit = lower_case(trimmed(unit));
  // "samples/s", "scans per second", "pts/sec": what is counted over a second.
  const std::size_t slash = unit.find('/'), per = unit.find(" per ");
  const std::string counted = unit.substr(0, std::min(slash, per));
  const std::string over = slash != std::string::npos ? unit.substr(slash + 1)
                           : per != std::string::npos ? unit.substr(per + 5)
                                                      : "";
  if (unit == "sps") return factor;
  if (over != "s" && over != "sec" && over != "second") return 0;
  for (const char* known : {"s", "sa", "sample", "samples", "smp", "smpl", "pts", "points", "scan", "scans",
                            "readings", "frames", "lines", "values"})
    if (counted == known) return factor;
  return 0;
}

void join_threes(std::string& text) {
  const auto digit = [&](std::size_t i) { return i < text.size() && text[i] >= '0' && text[i] <= '9'; };
  std::size_t lead = 0;
  while (digit(lead)) ++lead;
  if (lead == 0 || lead > 3) return;
  while (lead < text.size() && text[lead] == ' ' && digit(lead + 1) && digit(lead + 2) && digit(lead + 3) &&
         !digit(lead + 4))
    text.erase(lead, 1), lead += 3;
}

std::string rate_among_words(std::string_view text) {
  std::vector<std::string_view> words;
  split_cells(text, ' ', words);
  // A frequency with nothing beside it says no less; nor does "data file created ... at 30 Hz".
  const std::string low = lower_case(text);
  const bool recorded =
      (low.find("data file") != std::string::npos || low.find("recorded") != std::string::npos ||
       low.find("logged") != std::string::npos || low.find("acquired") != std::string::npos) &&
      low.find(" at ") != std::string::npos;
  if (low.find("sampl") == std::string::npos && words.size() > 2 && !recorded) return "";
  std::string found;
  double number = 0;
  for (std::size_t i = 0; i < words.size(); ++i) {
    const std::size_t behind = words[i].find_first_not_of("0123456789.");
    if (behind == 0 || !parse_cell(words[i].substr(0, behind), '.', number)) continue;
    std::string_view unit = behind == std::string_view::npos ? "" : words[i].substr(behind);
    if (unit.empty() && i + 1 < words.size()) unit = words[i + 1];
    while (!unit.empty() && (unit.back() == ',' || unit.back() == ';')) unit.remove_suffix(1);
    const bool hertz =
        unit.size() > 1 && lower_case(unit).find("hz") != std::string::npos && Unit::try_parse(unit);
    if (recorded && low.find("sampl") == std::string::npos && (i == 0 || lower_case(words[i - 1]) != "at"))
      continue;
    if (!hertz && samples_per_second(std::string(unit)) == 0) continue;
    if (!found.empty()) return "";
    found = std::string(words[i].substr(0, behind)) + " " + std::string(unit);
  }
  return found;
}

bool is_worth_of_a_count(std::string_view value) {
  const std::size_t slash = value.rfind('/');
  double number = 0;
  if (slash == std::string_view::npos || value.size() > 40 ||
      !parse_cell(value.substr(0, value.find_first_not_of("+-.0123456789eE")), '.', number))
    return false;
  const std::string per = lower_case(trimmed(value.substr(slash + 1)));
  for (const char* word : {"lsb", "count", "counts", "bit", "digit", "code", "adu", "ct", "cts"})
    if (per == word) return true;
  return false;
}

}  // namespace vprism
