// threads.cpp: see threads.h.
#include "base/machine/threads.h"

#include <condition_variable>
#include <mutex>
#include <thread>
#include <vector>

namespace vprism {

std::size_t startable_threads(std::size_t wanted) {
  std::mutex lock;
  std::condition_variable changed;
  bool enough = false;
  std::vector<std::thread> others;
  try {
    while (others.size() + 1 < wanted)
      others.emplace_back([&] {
        std::unique_lock guard(lock);
        changed.wait(guard, [&] { return enough; });
      });
  } catch (const std::system_error&) {
    // No more than these.
  }
  {
    const std::lock_guard guard(lock);
    enough = true;
  }
  changed.notify_all();
  for (std::thread& other : others) other.join();
  return others.size() + 1;
}

}  // namespace vprism
