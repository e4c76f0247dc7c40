// spill.h: what must be held but does not fit lies in a file that has no name, mapped into memory.
#pragma once

#include <cstddef>

namespace vprism {

struct SpillLimits {
  std::size_t large = std::size_t{1} << 14;       ///< Bytes from which on a piece may go into the file.
  std::size_t held = std::size_t{128} << 20;      ///< Bytes of such pieces in memory proper; more go into it.
  std::size_t long_from = std::size_t{4} << 20;   ///< Pieces of so many bytes, of one long record,
  std::size_t held_long = std::size_t{32} << 20;  ///< go into it from here on.
  std::size_t resident = std::size_t{160} << 20;  ///< Of the whole process, before pages are let go of,
  std::size_t of_files = std::size_t{96} << 20;   ///< as long as files make up so much of it.
};
inline constexpr SpillLimits spill_limits;

/// A piece of an unnamed file in TMPDIR, /var/tmp or /tmp, whichever first lies on a disk, with its room
/// taken up beforehand; null where there is no room, no such folder, or no leave. The system may write the
/// pages out and take them back at any time; while the process is too large, pages are let go of (what they
/// hold stays) by a thread of its own.
void* take_spilled(std::size_t bytes);
/// Arrays of transforms of so many bytes and more are such pieces, where there is room; none are until a
/// program asks for it, before the first is made.
void spill_arrays_from(std::size_t bytes);
std::size_t arrays_spilled_from();
/// Gives back a piece; false if `memory` is none.
bool give_back_spilled(void* memory);
/// Bytes that pieces take up now.
std::size_t spilled_bytes();
/// Lets go of some pages if the process is too large; for who touches many pieces one after the other, more
/// quickly than the thread looks.
void keep_spilled_small();
/// Lets go of the pages of the next `bytes` of the file, round and round; they come back when touched.
void let_go_of_spilled(std::size_t bytes);

}  // namespace vprism
