// text_stream.cpp: see text_stream.h.
#include "formats/text/rows/text_stream.h"

#include <algorithm>
#include <span>

#include "formats/text/tables/legacy_text.h"

namespace vprism {

namespace {

void put(std::string& out, unsigned code) {
  const auto byte = [&](unsigned b) { out += static_cast<char>(b); };
  if (code < 0x80) {
    byte(code);
  } else if (code < 0x800) {
    byte(0xC0 | code >> 6), byte(0x80 | (code & 63));
  } else if (code < 0x10000) {
    byte(0xE0 | code >> 12), byte(0x80 | ((code >> 6) & 63)), byte(0x80 | (code & 63));
  } else {
    byte(0xF0 | code >> 18), byte(0x80 | ((code >> 12) & 63)), byte(0x80 | ((code >> 6) & 63)),
        byte(0x80 | (code & 63));
  }
}

bool valid_utf8(std::string_view text) {
  for (std::size_t i = 0; i < text.size();) {
    const auto c = static_cast<unsigned char>(text[i]);
    const std::size_t length = c < 0x80 ? 1 : (c >> 5) == 6 ? 2 : (c >> 4) == 14 ? 3 : (c >> 3) == 30 ? 4 : 0;
    if (length == 0 || i + length > text.size()) return false;
    for (std::size_t k = 1; k < length; ++k)
      if ((static_cast<unsigned char>(text[i + k]) & 0xC0) != 0x80) return false;
    i += length;
  }
  return true;
}

}  // namespace

TextCoding coding_of(std::string_view head) {
  if (head.substr(0, 2) == "\xFF\xFE") return TextCoding::utf16_little;
  if (head.substr(0, 2) == "\xFE\xFF") return TextCoding::utf16_big;
  std::size_t even = 0, odd = 0;
  const std::size_t look = std::min<std::size_t>(head.size(), 512);
  for (std::size_t i = 0; i < look; ++i) (i % 2 == 0 ? even : odd) += head[i] == '\0';
  if (look >= 16 && odd * 10 >= look * 4 && even * 50 <= look) return TextCoding::utf16_little;
  if (look >= 16 && even * 10 >= look * 4 && odd * 50 <= look) return TextCoding::utf16_big;
  return TextCoding::utf8;
}

bool has_bare_returns(std::string_view head) {
  return head.find('\n') == std::string_view::npos && std::count(head.begin(), head.end(), '\r') > 1;
}

std::string utf8_from_utf16(std::string_view bytes, bool big, std::size_t& used) {
  std::string out;
  out.reserve(bytes.size() / 2 + 16);
  const auto unit = [&](std::size_t i) {
    const auto a = static_cast<unsigned char>(bytes[i]), b = static_cast<unsigned char>(bytes[i + 1]);
    return static_cast<unsigned>(big ? a << 8 | b : b << 8 | a);
  };
  for (used = 0; used + 2 <= bytes.size(); used += 2) {
    unsigned code = unit(used);
    if (code >= 0xD800 && code < 0xDC00) {
      if (used + 4 > bytes.size()) break;
      const unsigned low = unit(used + 2);
      if (low >= 0xDC00 && low < 0xE000) {
        code = 0x10000 + ((code - 0xD800) << 10) + (low - 0xDC00);
        used += 2;
      } else {
        code = 0xFFFD;
      }
    } else if (code >= 0xDC00 && code < 0xE000) {
      code = 0xFFFD;
    }
    if (code != 0xFEFF) put(out, code);
  }
  return out;
}

std::string utf8_from_any(std::string_view text) {
  if (valid_utf8(text)) return std::string(text);
  return utf8_from_legacy(text);
}

std::string rewritten_lines(std::string_view text, const LineRewriter& rewrite) {
  std::string out;
  out.reserve(text.size() + text.size() / 2);
  while (!text.empty()) {
    const std::size_t end = std::min(text.size(), text.find('\n')) + (text.find('\n') < text.size() ? 1 : 0);
    rewrite(text.substr(0, end), out);
    text.remove_prefix(end);
  }
  return out;
}

void TextStream::seek(std::uint64_t offset) {
  raw_.clear(), cut_.clear(), decoded_.clear();
  at_ = as_it_is() ? offset : 0;
  skip_ = as_it_is() ? 0 : offset;
}

bool TextStream::decode_more() {
  const std::size_t kept = raw_.size();
  raw_.resize(kept + (std::size_t{1} << 20));
  const std::size_t got = file_.read_some(at_, std::span(raw_).subspan(kept));
  raw_.resize(kept + got);
  at_ += got;
  if (got == 0 && cut_.empty()) return false;
  std::string text;
  if (coding_ == TextCoding::utf8) {
    text = std::move(raw_);
    raw_.clear();
  } else {
    std::size_t used = 0;
    text = utf8_from_utf16(raw_, coding_ == TextCoding::utf16_big, used);
    raw_.erase(0, used);
  }
  if (bare_returns_) std::replace(text.begin(), text.end(), '\r', '\n');
  if (rewrite_) {
    cut_ += text;
    // Whole lines; at the end, what is left.
    const std::size_t end = got == 0 ? cut_.size() : cut_.rfind('\n') + 1;
    text = rewritten_lines(std::string_view(cut_).substr(0, end), rewrite_);
    cut_.erase(0, end);
  }
  const auto drop = static_cast<std::size_t>(std::min<std::uint64_t>(skip_, text.size()));
  skip_ -= drop;
  decoded_ = text.substr(drop);
  return true;
}

std::size_t TextStream::read(std::span<char> to) {
  if (as_it_is()) {
    const std::size_t got = file_.read_some(at_, to);
    at_ += got;
    return got;
  }
  while (decoded_.empty())
    if (!decode_more()) return 0;
  const std::size_t count = std::min(to.size(), decoded_.size());
  std::copy_n(decoded_.begin(), count, to.begin());
  decoded_.erase(0, count);
  return count;
}

}  // namespace vprism
