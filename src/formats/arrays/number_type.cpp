// number_type.cpp: see number_type.h.
#include "formats/arrays/number_type.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <limits>
#include <string>

#include "base/machine/clones.h"

namespace vprism {

namespace {

template <typename T, bool big>
void decode(const char* from, std::size_t stride, std::size_t count, double* to) {
  constexpr bool swap = big == (std::endian::native == std::endian::little);
  if constexpr (!swap || sizeof(T) == 1) {
    if (stride == sizeof(T)) {  // A loop the compiler makes vectors of.
      for (std::size_t n = 0; n < count; ++n) {
        T value;
        std::memcpy(&value, from + n * sizeof(T), sizeof(T));
        to[n] = static_cast<double>(value);
      }
      return;
    }
  }
  for (std::size_t n = 0; n < count; ++n, from += stride) {
    char bytes[sizeof(T)];
    std::memcpy(bytes, from, sizeof(T));
    if constexpr (swap && sizeof(T) > 1) std::reverse(bytes, bytes + sizeof(T));
    T value;
    std::memcpy(&value, bytes, sizeof(T));
    to[n] = static_cast<double>(value);
  }
}

template <bool big>
void decode_distances(const char* from, std::size_t stride, std::size_t count, std::int64_t base,
                      double* to) {
  constexpr bool swap = big == (std::endian::native == std::endian::little);
  for (std::size_t n = 0; n < count; ++n, from += stride) {
    char bytes[8];
    std::memcpy(bytes, from, 8);
    if constexpr (swap) std::reverse(bytes, bytes + 8);
    std::uint64_t value;
    std::memcpy(&value, bytes, 8);
    to[n] = static_cast<double>(static_cast<std::int64_t>(value - static_cast<std::uint64_t>(base)));
  }
}

/// IEEE 754 binary16: sign, 5 bits of exponent (bias 15), 10 of fraction.
template <bool big>
void decode_half(const char* from, std::size_t stride, std::size_t count, double* to) {
  for (std::size_t n = 0; n < count; ++n, from += stride) {
    const auto low = static_cast<unsigned char>(from[big ? 1 : 0]);
    const auto high = static_cast<unsigned char>(from[big ? 0 : 1]);
    const int exponent = (high >> 2) & 31, fraction = (high & 3) << 8 | low;
    double value = exponent == 0    ? std::ldexp(fraction, -24)
                   : exponent == 31 ? (fraction ? std::nan("") : std::numeric_limits<double>::infinity())
                                    : std::ldexp(1024 + fraction, exponent - 25);
    to[n] = (high & 128) ? -value : value;
  }
}

template <typename T, bool big>
NumberType row(const char* name) {
  if constexpr (std::is_integral_v<T>)
    return {name,
            sizeof(T),
            decode<T, big>,
            static_cast<double>(std::numeric_limits<T>::min()),
            static_cast<double>(std::numeric_limits<T>::max()),
            sizeof(T) == 8 ? decode_distances<big> : nullptr};
  else
    return {name, sizeof(T), decode<T, big>, 0, 0, nullptr};
}

/// x * 0 is NaN for NaN and infinity alone.
VPRISM_WIDE bool all_finite(const double* x, std::size_t count) {
  double check[8] = {};
  std::size_t n = 0;
  for (; n + 8 <= count; n += 8)
    for (std::size_t k = 0; k < 8; ++k) check[k] += x[n + k] * 0;
  for (; n < count; ++n) check[0] += x[n] * 0;
  for (std::size_t k = 1; k < 8; ++k) check[0] += check[k];
  return !std::isnan(check[0]);
}

}  // namespace

bool mark_missing(double* values, std::size_t count) {
  if (all_finite(values, count)) return false;
  for (std::size_t n = 0; n < count; ++n)
    if (!std::isfinite(values[n])) values[n] = std::nan("");
  return true;
}

const std::vector<NumberType>& number_types() {
  static const std::vector<NumberType> table = {row<std::uint8_t, false>("u8"),
                                                row<std::int8_t, false>("i8"),
                                                row<std::uint16_t, false>("u16le"),
                                                row<std::uint16_t, true>("u16be"),
                                                row<std::int16_t, false>("i16le"),
                                                row<std::int16_t, true>("i16be"),
                                                row<std::uint32_t, false>("u32le"),
                                                row<std::uint32_t, true>("u32be"),
                                                row<std::int32_t, false>("i32le"),
                                                row<std::int32_t, true>("i32be"),
                                                row<std::uint64_t, false>("u64le"),
                                                row<std::uint64_t, true>("u64be"),
                                                row<std::int64_t, false>("i64le"),
                                                row<std::int64_t, true>("i64be"),
                                                {"f16le", 2, decode_half<false>, 0, 0, nullptr},
                                                {"f16be", 2, decode_half<true>, 0, 0, nullptr},
                                                row<float, false>("f32le"),
                                                row<float, true>("f32be"),
                                                row<double, false>("f64le"),
                                                row<double, true>("f64be")};
  return table;
}

const NumberType* find_number_type(std::string_view name) {
  for (const NumberType& type : number_types())
    if (name == type.name) return &type;
  return nullptr;
}

const NumberType* find_number_type(char kind, std::size_t size, bool big) {
  return find_number_type(kind + std::to_string(8 * size) + (size == 1 ? "" : big ? "be" : "le"));
}

}  // namespace vprism
