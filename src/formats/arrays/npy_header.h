// npy_header.h: the header of an NPY array: elements, order, shape (npy.cpp says what it looks like).
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace vprism {

struct NpyElement {
  std::string name;
  char kind = 'f';
  bool big = false;
  std::size_t size = 8;
  double unit_s = 0;  ///< Of dates and lengths of time: what they count.
};

struct NpyHeader {
  std::vector<NpyElement> elements;
  bool fortran = false;
  std::vector<std::uint64_t> shape;
  std::uint64_t data = 0;  ///< Offset of the numbers.
};

/// From the array's first bytes. `texts`: elements may be texts, of kind U or S. Throws Error(input).
NpyHeader parse_npy_header(const std::string& file, const std::string& bytes, bool texts = false);

[[noreturn]] void refuse_npy_header(const std::string& file, const std::string& what);

}  // namespace vprism
