// ini_sections.cpp: see ini_sections.h.
#include "formats/documents/ini_sections.h"

#include <algorithm>

#include "base/text.h"

namespace vprism {

namespace {

/// "sampling" of "[Sampling]"; "" for any other line.
std::string section_of(std::string_view line) {
  line = trimmed(line);
  if (line.size() < 3 || line.size() > 60 || line.front() != '[' || line.back() != ']') return "";
  const std::string name = lower_case(line.substr(1, line.size() - 2));
  return name.find_first_of("[]=:,;0123456789") == std::string::npos ? name : "";
}

bool holds(const std::string& text, std::initializer_list<std::string_view> words) {
  return std::any_of(words.begin(), words.end(),
                     [&](std::string_view word) { return text.find(word) != std::string::npos; });
}

}  // namespace

void name_by_sections(std::vector<TextLine>& lines, std::size_t first, std::deque<std::string>& kept) {
  std::string section;
  for (std::size_t i = 0; i < first; ++i) {
    const std::string_view line = trimmed(lines[i].text);
    if (const std::string name = section_of(line); !name.empty()) {
      section = name;
      continue;
    }
    const std::size_t mark = line.find_first_of("=:");
    if (section.empty() || mark == std::string_view::npos || mark == 0) continue;
    const std::string key = lower_case(trimmed(line.substr(0, mark)));
    const std::string_view value = trimmed(line.substr(mark + 1));
    const bool numbered = key.find_first_not_of("0123456789") == std::string::npos && key.size() < 5;
    if (holds(section, {"channel", "signal", "sensor", "kan"}) && numbered && !value.empty()) {
      // "Force,N,0.5": name and unit.
      const std::size_t comma = value.find_first_of(",;|\t");
      std::string said(trimmed(value.substr(0, comma)));
      if (comma != std::string_view::npos) {
        const std::string_view rest = value.substr(comma + 1);
        const std::string unit(trimmed(rest.substr(0, rest.find_first_of(",;|\t"))));
        double number = 0;
        if (!unit.empty() && !parse_cell(unit, '.', number) && Unit::try_parse(unit))
          said += " [" + unit + "]";
      }
      kept.push_back("channel " + key + "=" + said);
    } else if (holds(section, {"sampl", "acqui", "timebase", "time base", "scan", "abtast"}) &&
               (key == "frequency" || key == "freq" || key == "rate" || key == "interval" ||
                key == "period" || key == "step" || key == "clock" || key == "frequenz")) {
      kept.push_back("sampling " +
                     std::string(key == "step" || key == "period"      ? "interval"
                                 : key == "clock" || key == "frequenz" ? "frequency"
                                                                       : key) +
                     "=" + std::string(value));
    } else {
      continue;
    }
    lines[i].text = kept.back();
  }
}

}  // namespace vprism
