// memory.cpp: large pieces of memory beyond some hundred megabytes lie in a mapped file
// (base/machine/spill.h), for every command. Not in sanitized builds.
#include <malloc.h>

#include <atomic>
#include <cstdlib>
#include <new>

#include "base/machine/spill.h"

namespace {

/// Bytes of large pieces that are not in files.
std::atomic<std::size_t> held{0};
[[maybe_unused]] const bool arrays_too = (vprism::spill_arrays_from(std::size_t{32} << 20), true);

}  // namespace

void* operator new(std::size_t bytes) {
  constexpr vprism::SpillLimits limits;
  // What is handed out may be a little larger than asked for; both ends go by what it is.
  const bool large = bytes + 4096 >= limits.large;
  if (large && held.load(std::memory_order_relaxed) + bytes >
                   (bytes < limits.long_from ? limits.held : limits.held_long))
    if (void* const memory = vprism::take_spilled(bytes)) return memory;
  void* const memory = std::malloc(bytes == 0 ? 1 : bytes);
  if (memory == nullptr) throw std::bad_alloc();
  if (large && malloc_usable_size(memory) >= limits.large) held += malloc_usable_size(memory);
  return memory;
}

void operator delete(void* memory) noexcept {
  if (memory == nullptr || vprism::give_back_spilled(memory)) return;
  const std::size_t bytes = malloc_usable_size(memory);
  if (bytes >= vprism::spill_limits.large) held -= bytes;
  std::free(memory);
}
void operator delete(void* memory, std::size_t) noexcept { operator delete(memory); }
