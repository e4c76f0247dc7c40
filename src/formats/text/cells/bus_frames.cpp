// bus_frames.cpp: see bus_frames.h.
#include "formats/text/cells/bus_frames.h"

#include <algorithm>
#include <charconv>

#include "base/text.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

namespace {

bool is_hex(std::string_view text) {
  return !text.empty() && text.find_first_not_of("0123456789abcdefABCDEF") == std::string_view::npos;
}

/// The next word, taken off the front.
std::string_view word_of(std::string_view& line) {
  line = trimmed(line);
  const std::size_t end = std::min(line.find_first_of(" \t"), line.size());
  const std::string_view out = line.substr(0, end);
  line.remove_prefix(end);
  return out;
}

constexpr std::size_t most_frame_bytes = 64;

/// "0.001234 1 1A0x Rx d 2 0F FF": time, bus, identifier, direction, kind, how many, bytes.
KeyedLine listed_frame_of(std::string_view line) {
  double seconds = 0, number = 0;
  const std::string_view time = word_of(line), bus = word_of(line);
  std::string_view identifier = word_of(line);
  const std::string direction = lower_case(word_of(line)), kind = lower_case(word_of(line));
  if (!identifier.empty() && identifier.back() == 'x') identifier.remove_suffix(1);
  if (!parse_cell(time, '.', seconds) || !parse_cell(bus, '.', number) || !is_hex(identifier) ||
      identifier.size() > 8 || (direction != "rx" && direction != "tx") || kind != "d")
    return {};
  const std::string_view length = word_of(line);
  if (!parse_cell(length, '.', number) || !(number >= 0 && number <= most_frame_bytes)) return {};
  KeyedLine out = {{"time (s)", std::string(time)}, {"channel", "ID " + std::string(identifier)}};
  for (std::size_t i = 0; i < static_cast<std::size_t>(number); ++i) {
    const std::string_view byte = word_of(line);
    unsigned value = 0;
    if (byte.size() != 2 || !is_hex(byte)) return {};
    std::from_chars(byte.data(), byte.data() + 2, value, 16);
    out.emplace_back("byte " + std::to_string(i + 1), std::to_string(value));
  }
  return out;
}

}  // namespace

KeyedLine bus_frame_of(std::string_view line) {
  line = trimmed(line);
  const std::size_t close = line.find(')');
  double seconds = 0;
  if (!line.empty() && is_digit(line[0])) return listed_frame_of(line);
  if (line.empty() || line[0] != '(' || close == std::string_view::npos ||
      !parse_cell(line.substr(1, close - 1), '.', seconds))
    return {};
  KeyedLine out = {{"time (s)", std::string(trimmed(line.substr(1, close - 1)))}};
  line.remove_prefix(close + 1);
  const std::string_view bus = word_of(line);
  std::string_view identifier = word_of(line);
  if (bus.empty()) return {};
  std::string digits;
  if (const std::size_t mark = identifier.find('#'); mark != std::string_view::npos) {
    std::string_view data = identifier.substr(mark + 1);
    if (!data.empty() && data[0] == '#') data.remove_prefix(std::min<std::size_t>(2, data.size()));  // Flags.
    if (!data.empty() && (data[0] | 32) == 'r') data = {};  // A request: it has none.
    digits = std::string(data), identifier = identifier.substr(0, mark);
  } else {
    const std::string_view length = word_of(line);
    if (length.size() < 3 || length.front() != '[' || length.back() != ']') return {};
    for (std::string_view byte = word_of(line); byte.size() == 2 && is_hex(byte); byte = word_of(line))
      digits += byte;
  }
  if (!is_hex(identifier) || identifier.size() > 8 || (!digits.empty() && !is_hex(digits)) ||
      digits.size() % 2 != 0 || digits.size() > 2 * most_frame_bytes)
    return {};
  out.emplace_back("channel", "ID " + std::string(identifier));
  for (std::size_t i = 0; i < digits.size(); i += 2) {
    unsigned value = 0;
    std::from_chars(digits.data() + i, digits.data() + i + 2, value, 16);
    out.emplace_back("byte " + std::to_string(i / 2 + 1), std::to_string(value));
  }
  return out;
}

}  // namespace vprism
