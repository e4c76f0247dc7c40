// segment_medians.h: the median over segments, bin by bin.
#pragma once

#include <cstdint>
#include <vector>

namespace vprism {

/// Powers of up to 1,001 segments are kept and their median is exact; of more, the median of each such group
/// is taken, and the median of those at the end (Rousseeuw & Bassett, J. Am. Stat. Assoc. 85 (1990) 97-104).
/// Fewer where spectra are long: about 16 million levels are kept for all channels, but no less than 31
/// segments.
class SegmentMedians {
 public:
  SegmentMedians(std::size_t channels, std::size_t bins, std::size_t expected);
  /// Segments that may be taken before `filled` is told of them.
  std::size_t room() const { return rows_ - used_; }
  /// |X|^2 of one segment; `parts` are real and imaginary parts in turn. Several threads may take segments of
  /// different numbers.
  void take(const double* parts, std::size_t channel, std::int64_t number);
  void filled(std::size_t segments);
  std::vector<double> result(std::size_t channel) const;

 private:
  void close_group();
  std::size_t channels_, bins_, rows_, used_ = 0;
  std::int64_t first_ = 0;
  std::vector<std::vector<float>> held_;                 ///< By channel: rows of bins.
  std::vector<std::vector<std::vector<float>>> groups_;  ///< By channel: medians of full groups.
};

}  // namespace vprism
