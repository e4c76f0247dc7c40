// segments.h: overlapped segments of what passes by, without copying more than the ends of blocks.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "base/baton.h"
#include "signal/block.h"

namespace vprism {

/// Some segments one after the other, of all columns that were asked for.
struct SegmentBatch {
  std::int64_t first = 0;   ///< Number of the first one since the beginning.
  std::int64_t sample = 0;  ///< Where it begins, in samples since the beginning, those missing counted.
  std::size_t count = 0, hop = 0;
  std::vector<const double*> columns;
  const double* samples(std::size_t column, std::size_t segment) const {
    return columns[column] + segment * hop;
  }
};

/// Hands on every segment once, in order. No segment reaches over a missing sample of any column: segments
/// start anew behind it. Memory: two segments for each column; of many or long ones, one.
class SegmentFeed {
 public:
  /// Every column of a block, real and imaginary parts.
  static std::vector<std::size_t> all_columns(const Block& block);
  using Work = std::function<void(const SegmentBatch&)>;
  /// `columns` of the blocks to come; `expected` segments, for what room to make.
  /// `together`: so many are handed on at once where the record has them, held back meanwhile (`flush` ends
  /// that): for who works on them side by side. Memory: so many hops more for each column.
  SegmentFeed(std::vector<std::size_t> columns, std::size_t segment, std::size_t hop, std::int64_t expected,
              std::size_t together = 1);
  void add(const Block& block, const Work& work);
  /// Samples that lie in memory: one span of the same length for each of the feed's columns, none missing.
  void add(std::span<const std::span<const double>> columns, const Work& work);
  /// Hands on what is held back; what comes next is another stretch.
  void flush(const Work& work);
  /// Mean and variance are added up apart for the parts of the record that begin at these samples, the first
  /// at 0, and joined in their order. Blocks end where a part does.
  void part_at(std::vector<std::int64_t> starts) { parts_ = std::move(starts); }
  /// Only the segments that begin in these samples; what comes begins at `from`, where a part does.
  void keep_to(std::int64_t from, std::int64_t to);
  /// Samples of a baton's feeds before, and this one's; of all feeds, see parted_sink.h.
  void pass_on(Baton& before, Baton& after);
  void take(Baton& all);
  /// Segments in a batch, at most: no more than stays near the cores.
  static std::size_t most_at_once(std::size_t hop);
  std::int64_t segments() const { return done_; }
  /// Whether gaps parted what passed.
  bool parted() const { return parted_; }
  /// Mean of all samples that passed, those missing left out.
  double mean(std::size_t column);
  /// Their mean square about that mean.
  double variance(std::size_t column);
  /// Lets go of the samples held; only for the last batch, which has them in hand.
  void release();

 private:
  void add_stretch(const std::vector<const double*>& columns, std::size_t count, const Work& work);
  void add_squares(std::size_t column, const double* x, std::size_t count);
  void close_part();
  /// Those that begin where the samples are.
  void begin_parts();
  /// How many of so many segments are still to be handed on.
  std::size_t wanted(std::size_t segments) const;
  void part_here(std::int64_t place, const Work& work);
  /// Whole segments in what is held, which ends at `place`.
  void hand_on_held(std::int64_t place, const Work& work);

  std::vector<std::size_t> columns_;
  std::size_t segment_, hop_, together_;
  std::size_t at_once_;                    ///< Segments that begin in what is held, at most.
  std::vector<std::vector<double>> held_;  ///< From the start of the next segment on.
  /// Number, mean and summed squares about it, of samples.
  struct Moments {
    double count = 0, mean = 0, squares = 0;
    void join(const Moments& other);
  };
  /// All parts of a column, joined in their order.
  Moments joined(std::size_t column) const;
  std::vector<double> sums_, squares_;  ///< Of the part's samples, and of their squares about `shifts_`.
  std::vector<std::optional<double>> shifts_;
  std::vector<std::vector<Moments>> closed_;  ///< By column; parts that are done.
  std::vector<std::int64_t> parts_;
  std::size_t next_part_ = 1;
  std::int64_t samples_ = 0, done_ = 0, first_ = 0;
  std::int64_t end_ = INT64_MAX, last_ = INT64_MAX;  ///< Of samples and segments that are wanted.
  std::size_t skip_ = 0;                             ///< Samples before the first segment.
  std::int64_t place_ = 0;  ///< Samples before the stretch in hand, those missing counted.
  bool parted_ = false;
};

/// A feed for each channel: a channel's segments lie between its own gaps, whatever the others have.
class ChannelFeeds {
 public:
  using Work = std::function<void(const SegmentBatch&, std::size_t channel)>;
  /// For blocks like this one; a batch has one column, or real and imaginary part.
  ChannelFeeds(const Block& like, std::size_t segment, std::size_t hop, std::int64_t expected);
  /// `side_by_side`: channels on all threads; a channel's batches come in order all the same.
  void add(const Block& block, const Work& work, bool side_by_side = false);
  std::int64_t segments(std::size_t channel) const { return feeds_[channel].segments(); }
  /// That of the channel with most segments.
  const SegmentFeed& fullest() const;

 private:
  std::vector<SegmentFeed> feeds_;
};

/// Throws Error(analysis) unless a segment has come; null for a feed that has not begun.
void require_a_segment(const SegmentFeed* feed, std::size_t segment);
inline void require_a_segment(const std::optional<SegmentFeed>& feed, std::size_t segment) {
  require_a_segment(feed ? &*feed : nullptr, segment);
}
inline void require_a_segment(const std::optional<ChannelFeeds>& feeds, std::size_t segment) {
  require_a_segment(feeds ? &feeds->fullest() : nullptr, segment);
}

}  // namespace vprism
