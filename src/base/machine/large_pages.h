// large_pages.h: memory that is touched quickly.
#pragma once

#include <cstddef>

namespace vprism {

/// Bytes from which on large pages are worth asking for.
inline constexpr std::size_t large_memory = std::size_t{1} << 23;

/// Asks the system for large pages where memory that is not touched yet lies, if it is that large; touching
/// it one small page at a time costs as much as a transform.
void in_large_pages(void* memory, std::size_t bytes);

/// Makes room for `count` values of a std::vector, in large pages where that is much.
template <typename Vector>
void reserve_large(Vector& values, std::size_t count) {
  if (values.capacity() >= count) return;
  values.reserve(count);
  in_large_pages(values.data(), count * sizeof(*values.data()));
}

}  // namespace vprism
