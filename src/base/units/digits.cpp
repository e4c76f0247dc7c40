// digits.cpp: see digits.h.
#include "base/units/digits.h"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <cstdint>
#include <cstring>

namespace vprism {

namespace {

/// Powers of ten that 64 bits of mantissa hold exactly, and their products beyond.
const std::array<long double, 61>& powers() {
  static const std::array<long double, 61> table = [] {
    std::array<long double, 61> out{};
    out[0] = 1;
    for (std::size_t i = 1; i < out.size(); ++i) out[i] = i <= 27 ? out[i - 1] * 10 : out[27] * out[i - 27];
    return out;
  }();
  return table;
}

/// "00" to "99", one after the other.
const std::array<char, 200>& pairs() {
  static constexpr std::array<char, 200> table = [] {
    std::array<char, 200> out{};
    for (std::size_t i = 0; i < 100; ++i) {
      out[2 * i] = static_cast<char>('0' + i / 10);
      out[2 * i + 1] = static_cast<char>('0' + i % 10);
    }
    return out;
  }();
  return table;
}

}  // namespace

void append_ten_digits(std::string& out, double value) {
  constexpr int digits = 10;
  constexpr std::uint64_t least = 1000000000u, beyond = 10000000000u;  // 10^(digits - 1), 10^digits.
  const double size = std::abs(value);
  if (value == 0 || !(size >= 1e-40 && size < 1e40)) {
    fmt::format_to(std::back_inserter(out), "{:.10g}", value);
    return;
  }
  int exponent = static_cast<int>(std::floor(static_cast<double>(std::ilogb(size)) * 0.30102999566398120));
  const auto scaled = [&] {
    const int by = digits - 1 - exponent;
    const long double x = size;
    return static_cast<std::uint64_t>(llrintl(by >= 0 ? x * powers()[static_cast<std::size_t>(by)]
                                                      : x / powers()[static_cast<std::size_t>(-by)]));
  };
  std::uint64_t mantissa = scaled();
  if (mantissa >= beyond) ++exponent, mantissa = scaled();
  if (mantissa < least) --exponent, mantissa = scaled();
  if (mantissa >= beyond) ++exponent, mantissa /= 10;  // Rounded up to a one.
  // Two at a time, the last first.
  char figures[digits];
  for (int i = digits; i > 0; mantissa /= 100) {
    i -= 2;
    std::memcpy(figures + i, &pairs()[2 * (mantissa % 100)], 2);
  }
  int count = digits;
  while (count > 1 && figures[count - 1] == '0') --count;
  char text[32];
  char* at = text;
  const auto put = [&at](const char* from, int n) {
    std::memcpy(at, from, static_cast<std::size_t>(n));
    at += n;
  };
  if (value < 0) *at++ = '-';
  if (exponent < -4 || exponent >= digits) {
    *at++ = figures[0];
    if (count > 1) *at++ = '.', put(figures + 1, count - 1);
    *at++ = 'e';
    *at++ = exponent < 0 ? '-' : '+';
    const int power = std::abs(exponent);
    put(&pairs()[2 * static_cast<std::size_t>(power)], 2);
  } else if (exponent < 0) {
    put("0.0000", 1 - exponent);
    put(figures, count);
  } else {
    const int whole = exponent + 1;
    put(figures, std::min(whole, count));
    for (int i = count; i < whole; ++i) *at++ = '0';
    if (count > whole) *at++ = '.', put(figures + whole, count - whole);
  }
  out.append(text, static_cast<std::size_t>(at - text));
}

}  // namespace vprism
