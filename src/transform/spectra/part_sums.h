// part_sums.h: what adds up over the segments of a record, part by part.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "base/baton.h"

namespace vprism {

/// Rows of numbers, each a slot of its own, that segments are put to in the order of their numbers. What a
/// part of the record has come to is joined with the parts before it, here or, where another rank has those,
/// once they come: with the same bytes.
class PartSums {
 public:
  /// Puts a part to all before it, both of one length and neither empty.
  using Join = void (*)(const std::vector<double>& part, std::vector<double>& all);
  void begin(std::size_t slots, Join join);
  /// Part i begins with segment `first_segments[i]`; before the first segment comes.
  void part_at(std::vector<std::int64_t> first_segments);
  /// Other ranks have the parts before.
  void begin_later() { from_start_ = false; }
  std::size_t slots() const { return now_.size(); }
  /// What the slot has of the part in which the segment begins; empty before the first one of it. Slots may
  /// be asked for side by side.
  std::vector<double>& at(std::size_t slot, std::int64_t segment);
  void pass_on(Baton& before, Baton& after);
  void take(Baton& all);
  /// All parts of each slot, empty where nothing came; to be asked once.
  std::vector<std::vector<double>> result();

 private:
  void settle(std::size_t slot);
  void put_to(const std::vector<double>& part, std::vector<double>& all) const;

  Join join_ = nullptr;
  std::vector<std::int64_t> first_segments_;
  std::vector<std::vector<double>> now_, joined_;          ///< The part in hand, and all before it.
  std::vector<std::vector<std::vector<double>>> waiting_;  ///< For the parts before them.
  std::vector<std::size_t> part_;                          ///< That of `now_`.
  bool from_start_ = true;
};

}  // namespace vprism
