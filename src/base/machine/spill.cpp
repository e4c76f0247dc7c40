// spill.cpp: see spill.h.
//
// Memory that a shared mapping of a file takes up counts as the process's only while its pages are mapped;
// MADV_DONTNEED unmaps them and keeps what was written in the system's file cache, which the system writes
// out when it needs the room (madvise(2)). Pieces come in sizes of whole pages, eight to an octave; those
// given back wait, by size, for the next that asks. Nothing here may use `new`, which is built on it.
#include "base/machine/spill.h"

#include <fcntl.h>
#include <pthread.h>
#include <signal.h>
#include <sys/mman.h>
#include <sys/vfs.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <bit>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <mutex>

namespace vprism {

namespace {

constexpr std::size_t page = 4096, grow_by = std::size_t{32} << 20;

/// Pages of a size that holds so many: 1 to 8, then eight sizes to an octave.
std::size_t size_number(std::size_t pages) {
  if (pages <= 8) return pages - 1;
  const auto octave =
      static_cast<std::size_t>(std::bit_width(pages - 1)) - 4;  // pages - 1 in 8..15 << octave
  return 8 * (octave + 1) + ((pages - 1) >> octave) - 8;
}
std::size_t pages_of_size(std::size_t number) {
  if (number < 8) return number + 1;
  return (number % 8 + 9) << (number / 8 - 1);
}

/// Never destroyed: memory is given back until the very end.
struct Spill {
  std::mutex mutex;
  int file = -1;
  std::size_t grown = 0, in_pieces = 0;
  std::uint16_t* sizes = nullptr;  ///< Of the piece that begins on each page.
  void* free[512] = {};            ///< By size; each piece holds the place of the next.
  bool tried = false;
};
Spill spill;
std::atomic<char*> spill_base{nullptr};
std::atomic<std::size_t> spill_reach{0};  ///< Bytes of addresses set aside.
/// A child that was forked shares the file with its parent: it takes no pieces, and touches none to give it
/// back.
std::atomic<bool> spill_inherited{false};
std::atomic<std::size_t> arrays_from{SIZE_MAX};
std::atomic<std::size_t> spill_used{0};  ///< Bytes of them that pieces have lain in so far.

constexpr long in_memory_1 = 0x01021994, in_memory_2 = 0x858458f6;  // tmpfs, ramfs (statfs(2)).

int unnamed_file() {
  const char* const folders[] = {std::getenv("TMPDIR"), "/var/tmp", "/tmp"};
  for (const char* folder : folders) {
    if (folder == nullptr || *folder == '\0') continue;
    struct statfs facts;
    if (statfs(folder, &facts) != 0 || facts.f_type == in_memory_1 || facts.f_type == in_memory_2) continue;
    const int file = open(folder, O_TMPFILE | O_RDWR | O_CLOEXEC, 0600);
    if (file >= 0) return file;
  }
  return -1;
}

/// The process is larger than it is to be, and enough of that is files that something is won by letting go.
bool too_large() {
  static const int file = open("/proc/self/statm", O_RDONLY | O_CLOEXEC);
  char text[128];
  const ssize_t got = file < 0 ? -1 : pread(file, text, sizeof text - 1, 0);
  if (got <= 0) return false;
  text[got] = '\0';
  unsigned long all = 0, resident = 0, of_files = 0;
  if (std::sscanf(text, "%lu %lu %lu", &all, &resident, &of_files) != 3) return false;
  return resident * page > spill_limits.resident && of_files * page > spill_limits.of_files;
}

void let_go_while_too_large() {
  for (std::size_t left = spill_used.load() / grow_by + 1; left > 0 && too_large(); --left)
    let_go_of_spilled(grow_by);
}

void* watch_residence(void*) {
  for (;;) {
    usleep(4'000);
    let_go_while_too_large();
  }
}

/// Signals stay with the threads that expect them.
bool start_watch() {
  sigset_t all, before;
  sigfillset(&all);
  pthread_sigmask(SIG_SETMASK, &all, &before);
  pthread_t thread;
  const bool started = pthread_create(&thread, nullptr, watch_residence, nullptr) == 0;
  if (started) pthread_detach(thread);
  pthread_sigmask(SIG_SETMASK, &before, nullptr);
  return started;
}

/// Once: the file, its addresses, and who watches.
void begin() {
  spill.tried = true;
  if (pthread_atfork([] { spill.mutex.lock(); }, [] { spill.mutex.unlock(); },
                     [] {
                       spill_inherited = true;
                       spill.mutex.unlock();
                     }) != 0)
    return;
  const int file = unnamed_file();
  if (file < 0) return;
  constexpr std::size_t most = std::size_t{1} << 40, least = std::size_t{1} << 33;
  for (std::size_t reach = most; reach >= least; reach /= 4) {
    void* const base = mmap(nullptr, reach, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_NORESERVE, file, 0);
    if (base == MAP_FAILED) continue;
    void* const sizes = mmap(nullptr, reach / page * sizeof(std::uint16_t), PROT_READ | PROT_WRITE,
                             MAP_PRIVATE | MAP_ANONYMOUS | MAP_NORESERVE, -1, 0);
    if (sizes == MAP_FAILED || !start_watch()) {
      munmap(base, reach);
      continue;
    }
    spill.sizes = static_cast<std::uint16_t*>(sizes);
    spill.file = file;
    spill_reach = reach;
    spill_base = static_cast<char*>(base);
    return;
  }
  close(file);
}

}  // namespace

void* take_spilled(std::size_t bytes) {
  if (spill_inherited) return nullptr;
  // On a busy machine the watch comes late: who takes a lot looks as well.
  static std::atomic<std::size_t> taken{0};
  if (taken.fetch_add(bytes) / (grow_by / 2) != (taken.load() / (grow_by / 2))) let_go_while_too_large();
  const std::lock_guard lock(spill.mutex);
  if (!spill.tried) begin();
  char* const base = spill_base.load();
  if (base == nullptr || bytes == 0 || bytes > spill_reach.load() / 2) return nullptr;
  const std::size_t number = size_number((bytes + page - 1) / page), size = page * pages_of_size(number);
  char* piece = static_cast<char*>(spill.free[number]);
  if (piece != nullptr) {
    spill.free[number] = *reinterpret_cast<void**>(piece);
  } else {
    if (spill_used + size > spill_reach.load()) return nullptr;
    if (const std::size_t used = spill_used; used + size > spill.grown) {
      // Without room on the disk, a page that is touched would end the program.
      const std::size_t more = (used + size - spill.grown + grow_by - 1) / grow_by * grow_by;
      if (fallocate(spill.file, 0, static_cast<off_t>(spill.grown), static_cast<off_t>(more)) != 0)
        return nullptr;
      spill.grown += more;
    }
    piece = base + spill_used;
    spill_used += size;
  }
  spill.sizes[static_cast<std::size_t>(piece - base) / page] = static_cast<std::uint16_t>(number);
  spill.in_pieces += size;
  return piece;
}

bool give_back_spilled(void* memory) {
  char* const base = spill_base.load(std::memory_order_relaxed);
  if (base == nullptr || memory < base || memory >= base + spill_reach.load(std::memory_order_relaxed))
    return false;
  if (spill_inherited) return true;
  const std::lock_guard lock(spill.mutex);
  const std::size_t number = spill.sizes[static_cast<std::size_t>(static_cast<char*>(memory) - base) / page];
  *static_cast<void**>(memory) = spill.free[number];
  spill.free[number] = memory;
  spill.in_pieces -= page * pages_of_size(number);
  return true;
}

std::size_t spilled_bytes() {
  const std::lock_guard lock(spill.mutex);
  return spill.in_pieces;
}

void spill_arrays_from(std::size_t bytes) { arrays_from = bytes; }
std::size_t arrays_spilled_from() { return arrays_from; }

void keep_spilled_small() {
  if (spill_base.load(std::memory_order_relaxed) != nullptr) let_go_while_too_large();
}

void let_go_of_spilled(std::size_t bytes) {
  // Not behind the lock of those who may be waiting for the disk.
  static std::mutex turn;
  const std::lock_guard lock(turn);
  static std::size_t hand = 0;
  char* const base = spill_base.load();
  const std::size_t used = spill_used.load();
  for (std::size_t left = std::min(bytes, used); left > 0;) {
    if (hand >= used) hand = 0;
    const std::size_t some = std::min(left, used - hand);
    madvise(base + hand, some, MADV_DONTNEED);
    hand += some;
    left -= some;
  }
}

}  // namespace vprism
