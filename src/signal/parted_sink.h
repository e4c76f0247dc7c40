// parted_sink.h: what adds up over a record, and can be added up in parts of it by several ranks.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

#include "base/baton.h"
#include "signal/block.h"

namespace vprism {

/// Sums are made apart for each part and joined in the order of the parts, by one process as by many: the
/// bytes of the result do not depend on how many there are.
class PartedSink {
 public:
  virtual ~PartedSink() = default;
  /// Before the first block. `starts`: where the record may be parted, in samples, the first at 0; none: it
  /// may not. Returns into how many parts this sink has it: one of `part_counts` that divides all larger
  /// ones, part i of n beginning at starts[i * starts.size() / n].
  virtual std::size_t part(std::span<const std::int64_t> starts, std::size_t channels, bool complex) = 0;
  /// Only what begins from sample `from` on and before `to`, both where parts begin or the record ends.
  /// Blocks then come from `from` on, and go on for `reach` samples behind `to`.
  virtual void keep_to(std::int64_t from, std::int64_t to) = 0;
  virtual std::int64_t reach() const = 0;
  virtual void add(const Block& block) = 0;
  /// All has been added: what the parts before these have come to (nothing for the first ones) goes on with
  /// these put to it.
  virtual void pass_on(Baton& before, Baton& after) = 0;
  /// What all parts have come to.
  virtual void take(Baton& all) = 0;
};

/// Into how many parts a record is cut at most, and the smaller numbers that share its cuts.
inline constexpr std::size_t part_counts[] = {60, 12, 4, 1};

}  // namespace vprism
