// stepped_lines.cpp: see stepped_lines.h.
#include "formats/text/cells/stepped_lines.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/text.h"
#include "formats/text/clock/serial_values.h"
#include "formats/text/titles/text_preamble.h"

namespace vprism {

namespace {

/// "##DELTAX= 2" as "DELTAX" and "2"; labels without blanks and marks, as the standard compares them.
std::pair<std::string, std::string> stepped_label(std::string_view line) {
  line = trimmed(line);
  if (!starts_with(line, "##")) return {};
  const std::size_t mark = line.find('=');
  if (mark == std::string_view::npos) return {};
  std::string key;
  for (const char c : line.substr(2, mark - 2))
    if (std::string_view(" -/_").find(c) == std::string_view::npos)
      key += static_cast<char>(c >= 'a' && c <= 'z' ? c - 32 : c);
  const std::string_view value = line.substr(mark + 1);
  return {key, clean_text(trimmed(value.substr(0, value.find("$$"))))};
}

bool is_stepped_form(std::string value) {
  std::erase(value, ' ');
  return value == "(X++(Y..Y))";
}

std::string stepped_title(const char* name, const std::string& unit) {
  const std::string low = lower_case(unit);
  if (low == "1/cm") return "wavenumber (1/cm)";
  if (low == "hz" || low == "hertz") return "frequency (Hz)";
  if (low == "seconds" || low == "s") return "time (s)";
  if (low == "nanometers" || low == "micrometers")
    return std::string("wavelength (") + (low[0] == 'n' ? "nm" : "um") + ")";
  return unit.empty() ? name : lower_case(unit);
}

}  // namespace

void SteppedLines::settle() {
  const auto number = [&](const char* key) -> std::optional<double> {
    double value = 0;
    const auto at = labels.find(key);
    return at != labels.end() && parse_cell(at->second, '.', value) ? std::optional(value) : std::nullopt;
  };
  const auto first = number("FIRSTX"), last = number("LASTX"), count = number("NPOINTS");
  // The ends and the count are required; the step is not, and is often rounded.
  step =
      first && last && count && *count > 1 ? (*last - *first) / (*count - 1) : number("DELTAX").value_or(0);
  x_factor = number("XFACTOR").value_or(1), y_factor = number("YFACTOR").value_or(1);
  abscissa = stepped_title("x", labels["XUNITS"]), ordinate = stepped_title("y", labels["YUNITS"]);
}

std::optional<SteppedLines> SteppedLines::found_in(const std::vector<std::string_view>& lines) {
  SteppedLines out;
  std::size_t data = lines.size();
  for (std::size_t i = 0; i < lines.size() && data == lines.size(); ++i) {
    const auto [key, value] = stepped_label(lines[i]);
    if (is_stepped_form(value)) data = i;
    if (!key.empty()) out.labels[key] = value;
  }
  if (data == lines.size()) return {};
  out.settle();
  if (out.step == 0) return {};
  for (std::size_t i = data + 1; i < lines.size() && !starts_with(trimmed(lines[i]), "##"); ++i) {
    const std::string_view text = lines[i].substr(0, lines[i].find("$$"));
    if (out.packed_line == 0 && !trimmed(text).empty() && numbers_in_line(text).empty())
      out.packed_line = i + 1;
  }
  return out;
}

LineRewriter SteppedLines::rewriter() const {
  return [lines = *this](std::string_view line, std::string& out) mutable {
    const auto [key, value] = stepped_label(line);
    if (!key.empty()) lines.labels[key] = value;
    if (is_stepped_form(value)) {
      lines.settle();  // Each block has labels of its own.
      out += lines.abscissa + "\t" + lines.ordinate + "\n";
      return;
    }
    if (key == "NPOINTS") {
      out += "Samples: " + value + "\n";
      return;
    }
    const std::vector<double> numbers = numbers_in_line(line.substr(0, line.find("$$")));
    if (numbers.size() < 2) {
      out += starts_with(trimmed(line), "##") ? "\n" : line;
      return;
    }
    for (std::size_t k = 1; k < numbers.size(); ++k)
      fmt::format_to(std::back_inserter(out), "{:.15g}\t{:.15g}\n",
                     numbers[0] * lines.x_factor + lines.step * static_cast<double>(k - 1),
                     numbers[k] * lines.y_factor);
  };
}

}  // namespace vprism
