// large_pages.cpp: see large_pages.h.
#include "base/machine/large_pages.h"

#include <sys/mman.h>

#include <cstdint>

namespace vprism {

void in_large_pages(void* memory, std::size_t bytes) {
  constexpr std::uintptr_t page = 4096;
  const std::uintptr_t from = (reinterpret_cast<std::uintptr_t>(memory) + page - 1) / page * page;
  const std::uintptr_t end = (reinterpret_cast<std::uintptr_t>(memory) + bytes) / page * page;
  if (bytes >= large_memory && end > from)
    (void)::madvise(reinterpret_cast<void*>(from), end - from, MADV_HUGEPAGE);
}

}  // namespace vprism
