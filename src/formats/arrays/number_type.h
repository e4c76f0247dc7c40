// number_type.h: numbers as files store them: integers and floats of 1 to 8 bytes, either byte order.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string_view>
#include <vector>

namespace vprism {

/// Decodes `count` numbers that lie `stride` bytes apart. 64-bit integers beyond 2^53 lose their last digits.
using Decode = void (*)(const char* from, std::size_t stride, std::size_t count, double* to);

/// The same for 64-bit integers, as distances from `base`, of which no digit is lost.
using DecodeDistances = void (*)(const char* from, std::size_t stride, std::size_t count, std::int64_t base,
                                 double* to);

struct NumberType {
  const char* name;  ///< "f32le"; 8-bit types have no byte order: "u8".
  std::size_t size;
  Decode decode;
  double least, greatest;               ///< Of integers; 0, 0 for floats.
  DecodeDistances distances = nullptr;  ///< Of integers of 64 bits alone.
};

/// Floats that are NaN or infinite are no samples: all become NaN. Whether there were some.
bool mark_missing(double* values, std::size_t count);

const std::vector<NumberType>& number_types();
/// nullptr when there is none of this name.
const NumberType* find_number_type(std::string_view name);
/// "i", 2, big -> i16be. nullptr when there is none: kinds are 'i', 'u', 'f'.
const NumberType* find_number_type(char kind, std::size_t size, bool big);

}  // namespace vprism
