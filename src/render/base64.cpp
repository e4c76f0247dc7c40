// base64.cpp: see base64.h.
#include "render/base64.h"

#include <cstdint>

#include "base/error.h"

namespace vprism {

namespace {

constexpr std::string_view digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

}  // namespace

std::string to_base64(std::string_view bytes) {
  std::string out;
  out.reserve((bytes.size() + 2) / 3 * 4);
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    std::uint32_t group = 0;
    for (std::size_t b = 0; b < 3; ++b)
      group = group << 8 | (i + b < bytes.size() ? static_cast<unsigned char>(bytes[i + b]) : 0u);
    for (int d = 3; d >= 0; --d) out += digits[group >> (6 * d) & 63];
    if (i + 1 >= bytes.size()) out[out.size() - 2] = '=';
    if (i + 2 >= bytes.size()) out.back() = '=';
  }
  return out;
}

std::string from_base64(std::string_view text) {
  const auto wrong = [] { return Error(Status::input, "damaged base64 text; make it again"); };
  if (text.size() % 4 != 0) throw wrong();
  std::string out;
  out.reserve(text.size() / 4 * 3);
  for (std::size_t i = 0; i < text.size(); i += 4) {
    std::uint32_t group = 0;
    std::size_t kept = 3;
    for (std::size_t d = 0; d < 4; ++d) {
      const char c = text[i + d];
      if (c == '=' && i + 4 == text.size() && d >= 2) {
        kept = std::min(kept, d - 1);
        group <<= 6;
        continue;
      }
      const std::size_t value = digits.find(c);
      if (value == std::string_view::npos || kept < 3) throw wrong();
      group = group << 6 | static_cast<std::uint32_t>(value);
    }
    for (std::size_t b = 0; b < kept; ++b) out += static_cast<char>(group >> (16 - 8 * b) & 255);
  }
  return out;
}

}  // namespace vprism
