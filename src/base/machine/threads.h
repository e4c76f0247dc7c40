// threads.h: threads where the system gives them; limits of a user or of a container may leave none.
#pragma once

#include <cstddef>
#include <future>
#include <system_error>
#include <utility>

namespace vprism {

/// How many threads can run at one time, this one among them: `wanted` at most, one at least. They are begun
/// to find out, and have ended when this returns.
std::size_t startable_threads(std::size_t wanted);

/// Work beside this thread or, where there is no other, on this one when its result is asked for.
template <typename Work>
auto in_background(Work work) -> std::future<decltype(work())> {
  try {
    return std::async(std::launch::async, work);
  } catch (const std::system_error&) {
    return std::async(std::launch::deferred, std::move(work));
  }
}

}  // namespace vprism
