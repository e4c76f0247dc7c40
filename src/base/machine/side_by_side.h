// side_by_side.h: where work is shared out among the threads: by channels where those suffice, else within
// each.
#pragma once

#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/task_arena.h>

#include <cstddef>

namespace vprism {

/// Whether so many pieces of like work keep all threads busy, each done by one of them.
inline bool fill_all_threads(std::size_t pieces) {
  const auto threads = static_cast<std::size_t>(oneapi::tbb::this_task_arena::max_concurrency());
  return pieces > 1 && (pieces == threads || pieces >= 2 * threads);
}

/// `work(i)` for i from 0 to `count`, on all threads or one after the other on this one.
template <typename Work>
void for_all(bool on_all_threads, std::size_t count, const Work& work) {
  if (on_all_threads && count > 1)
    oneapi::tbb::parallel_for(std::size_t{0}, count, work);
  else
    for (std::size_t i = 0; i < count; ++i) work(i);
}

}  // namespace vprism
