// block.h: the same stretch of time of all channels, as it travels along the road.
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace vprism {

/// Samples of a stretch of time: one contiguous span of doubles for each channel, all of the same length.
/// Stamped recordings carry one time per sample as well. Complex recordings have twice the columns: the real
/// parts of all channels, then their imaginary parts. A missing sample is NaN, and `gaps()` is then set.
class Block {
 public:
  Block() = default;
  Block(std::size_t channels, std::size_t capacity, bool stamped = false, bool complex = false)
      : channels_(channels),
        columns_(complex ? 2 * channels : channels),
        capacity_(capacity),
        data_(columns_ * capacity),
        stamps_(stamped ? capacity : 0) {}

  /// Samples per channel that keep a block of this many channels near two megabytes of doubles.
  static std::size_t good_capacity(std::size_t channels) {
    const std::size_t wanted = (std::size_t{1} << 18) / (channels == 0 ? 1 : channels);
    return wanted < 64 ? 64 : wanted > 65536 ? 65536 : wanted;
  }

  std::size_t channels() const { return channels_; }
  bool complex() const { return columns_ != channels_; }
  /// Spans in all: column c is the real part of channel c, column channels() + c its imaginary part.
  std::size_t columns() const { return columns_; }
  std::size_t capacity() const { return capacity_; }
  std::size_t size() const { return size_; }
  bool stamped() const { return !stamps_.empty(); }
  bool gaps() const { return gaps_; }
  void set_gaps(bool gaps) { gaps_ = gaps; }
  /// Index in the recording of the block's first sample.
  std::int64_t first() const { return first_; }
  void set(std::int64_t first, std::size_t size) { first_ = first, size_ = size; }

  /// Becomes these channels of another block, as many as it has room for.
  void take_channels(const Block& all, std::span<const std::size_t> which) {
    set(all.first_, all.size_);
    gaps_ = all.gaps_;
    for (std::size_t c = 0; c < columns_; ++c) {
      const auto x = all.samples(c < channels_ ? which[c] : all.channels_ + which[c - channels_]);
      std::copy(x.begin(), x.end(), room(c).begin());
    }
    std::copy_n(all.stamps_.begin(), stamps_.empty() ? 0 : size_, stamps_.begin());
  }

  /// Becomes samples `from` .. from + count - 1 of another block, with all its columns.
  void take_part(const Block& all, std::size_t from, std::size_t count) {
    if (columns_ != all.columns_ || capacity_ < count || stamps_.empty() != all.stamps_.empty())
      *this = Block(all.channels_, std::max(count, all.size_), all.stamped(), all.complex());
    set(all.first_ + static_cast<std::int64_t>(from), count);
    gaps_ = all.gaps_;
    for (std::size_t c = 0; c < columns_; ++c)
      std::copy_n(all.samples(c).begin() + static_cast<std::ptrdiff_t>(from), count, room(c).begin());
    if (!stamps_.empty())
      std::copy_n(all.stamps().begin() + static_cast<std::ptrdiff_t>(from), count, stamps_.begin());
  }

  /// Room for `capacity()` samples of column c.
  std::span<double> room(std::size_t c) { return {data_.data() + c * capacity_, capacity_}; }
  std::span<double> stamp_room() { return stamps_; }
  std::span<double> samples(std::size_t c) { return {data_.data() + c * capacity_, size_}; }
  std::span<const double> samples(std::size_t c) const { return {data_.data() + c * capacity_, size_}; }
  std::span<const double> imaginary(std::size_t c) const { return samples(channels_ + c); }
  std::span<const double> stamps() const { return {stamps_.data(), stamps_.empty() ? 0 : size_}; }

 private:
  std::size_t channels_ = 0, columns_ = 0, capacity_ = 0, size_ = 0;
  std::int64_t first_ = 0;
  bool gaps_ = false;
  std::vector<double> data_, stamps_;
};

}  // namespace vprism
