// legacy_text.cpp: see legacy_text.h.
//
// In Western text bytes beyond ASCII stand alone among letters of it, and those from 0x80 to 0x9F are rare:
// marks of quotation and dashes. In Shift-JIS they lead most characters; in GBK characters are pairs of bytes
// from 0xA1 on; Cyrillic words are whole runs of bytes from 0xC0 on.
#include "formats/text/tables/legacy_text.h"

#include <iconv.h>

#include <algorithm>
#include <cstdint>
#include <vector>

namespace vprism {

namespace {

std::uint8_t byte_at(std::string_view text, std::size_t i) { return static_cast<std::uint8_t>(text[i]); }

bool is_shift_jis(std::string_view text) {
  std::size_t pairs = 0, early = 0, high_trails = 0, single = 0;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const std::uint8_t lead = byte_at(text, i);
    if (lead < 0x80) continue;
    if (lead >= 0xA1 && lead <= 0xDF) {  // Katakana of half width.
      ++single;
      continue;
    }
    if (lead == 0x80 || lead == 0xA0 || lead > 0xFC || i + 1 == text.size()) return false;
    const std::uint8_t trail = byte_at(text, ++i);
    if (trail < 0x40 || trail == 0x7F || trail > 0xFC) return false;
    ++pairs, early += lead <= 0x9F ? 1 : 0, high_trails += trail >= 0x80 ? 1 : 0;
  }
  return pairs > 0 && 2 * early >= pairs && high_trails > 0 && single <= pairs;
}

/// Runs of bytes beyond ASCII.
std::vector<std::string_view> runs_of(std::string_view text) {
  std::vector<std::string_view> out;
  for (std::size_t i = 0; i < text.size();) {
    std::size_t end = i;
    while (end < text.size() && byte_at(text, end) >= 0x80) ++end;
    if (end > i) out.push_back(text.substr(i, end - i));
    i = end + 1;
  }
  return out;
}

bool is_gbk(const std::vector<std::string_view>& runs) {
  bool word = false;
  for (const std::string_view run : runs) {
    if (run.size() % 2 != 0) return false;
    word = word || run.size() >= 4;
    for (std::size_t i = 0; i < run.size(); i += 2) {
      const std::uint8_t lead = byte_at(run, i), trail = byte_at(run, i + 1);
      // Signs and the characters in common use.
      if (lead < 0xA1 || (lead > 0xA9 && lead < 0xB0) || lead > 0xD7 || trail < 0xA1 || trail == 0xFF)
        return false;
    }
  }
  return word;
}

bool is_cyrillic(const std::vector<std::string_view>& runs) {
  std::size_t letters = 0, small = 0, longest = 0;
  for (const std::string_view run : runs) {
    longest = std::max(longest, run.size());
    for (const char c : run) {
      const auto u = static_cast<std::uint8_t>(c);
      if (u < 0xC0 && u != 0xA8 && u != 0xB8 && u != 0xB0) return false;
      // Units and marks of one letter or two are capitals as often.
      if (run.size() >= 3) ++letters, small += u >= 0xE0 ? 1 : 0;
    }
  }
  return longest >= 3 && 2 * small >= letters;
}

std::string converted(std::string_view text, const char* coding) {
  const iconv_t open = iconv_open("UTF-8", coding);
  if (open == reinterpret_cast<iconv_t>(-1)) return "";
  std::string from(text), out(4 * text.size() + 4, '\0');
  char *in = from.data(), *to = out.data();
  std::size_t left = from.size(), room = out.size();
  const bool done = iconv(open, &in, &left, &to, &room) != static_cast<std::size_t>(-1);
  iconv_close(open);
  if (!done) return "";
  out.resize(out.size() - room);
  return out;
}

/// Nothing where only Western text is left.
const char* coding_by_bytes(std::string_view text) {
  const std::vector<std::string_view> runs = runs_of(text);
  return is_gbk(runs)         ? "GBK"
         : is_cyrillic(runs)  ? "WINDOWS-1251"
         : is_shift_jis(text) ? "SHIFT_JIS"
                              : nullptr;
}

thread_local const char* coding_of_file = nullptr;

}  // namespace

LegacyCodingOf::LegacyCodingOf(std::string_view text) : before_(coding_of_file) {
  coding_of_file = coding_by_bytes(text);
}
LegacyCodingOf::LegacyCodingOf(const char* coding) : before_(coding_of_file) { coding_of_file = coding; }
const char* LegacyCodingOf::coding() const { return coding_of_file; }
LegacyCodingOf::~LegacyCodingOf() { coding_of_file = before_; }

std::string utf8_from_legacy(std::string_view text) {
  const char* coding = coding_of_file != nullptr ? coding_of_file : coding_by_bytes(text);
  if (coding == nullptr) coding = "WINDOWS-1252";
  if (std::string out = converted(text, coding); !out.empty()) return out;
  // Five bytes of Windows-1252 stand for nothing; and a machine may lack the coding's table.
  std::string out;
  for (const char c : text) {
    const auto u = static_cast<std::uint8_t>(c);
    const std::string one = converted(std::string_view(&c, 1), "WINDOWS-1252");
    if (!one.empty())
      out += one;
    else if (u >= 0xA0)
      (out += static_cast<char>(0xC0 | u >> 6)) += static_cast<char>(0x80 | (u & 63));
    else
      out += u < 0x80 ? std::string(1, c) : "\xEF\xBF\xBD";
  }
  return out;
}

}  // namespace vprism
