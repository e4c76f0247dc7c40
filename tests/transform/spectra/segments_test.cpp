// Segments as they are cut out of blocks, medians over them, transforms in place: against the plain way.
#include "transform/spectra/segments.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <map>
#include <numbers>
#include <random>

#include "base/fft.h"
#include "transform/spectra/segment_medians.h"

namespace vprism::segments_test {
namespace {

/// The first sample of every segment that is handed on, by its number; samples count up from 0.
std::map<std::int64_t, double> starts_of(std::size_t samples, std::size_t segment, std::size_t hop,
                                         std::size_t block_size,
                                         const std::vector<std::size_t>& missing = {}) {
  SegmentFeed feed({0}, segment, hop, 100);
  std::map<std::int64_t, double> starts;
  Block block(1, block_size);
  for (std::size_t at = 0; at < samples; at += block_size) {
    const std::size_t count = std::min(block_size, samples - at);
    bool gaps = false;
    for (std::size_t n = 0; n < count; ++n) {
      const bool gone = std::find(missing.begin(), missing.end(), at + n) != missing.end();
      block.room(0)[n] = gone ? std::nan("") : static_cast<double>(at + n);
      gaps = gaps || gone;
    }
    block.set(static_cast<std::int64_t>(at), count);
    block.set_gaps(gaps);
    feed.add(block, [&](const SegmentBatch& batch) {
      for (std::size_t s = 0; s < batch.count; ++s) {
        const double* const x = batch.samples(0, s);
        starts[batch.first + static_cast<std::int64_t>(s)] = x[0];
        for (std::size_t n = 0; n < segment; ++n) EXPECT_EQ(x[n], x[0] + static_cast<double>(n));
      }
    });
  }
  EXPECT_EQ(feed.segments(), static_cast<std::int64_t>(starts.size()));
  return starts;
}

TEST(SegmentFeed, HandsOnEverySegmentOnceWhereverBlocksEnd) {
  for (const std::size_t segment : {5u, 16u, 50u})
    for (const std::size_t hop : {std::size_t{1}, segment / 3 + 1, segment})
      for (const std::size_t block : {1u, 7u, 16u, 64u, 1000u}) {
        const auto starts = starts_of(333, segment, hop, block);
        ASSERT_EQ(starts.size(), 1 + (333 - segment) / hop) << segment << " " << hop << " " << block;
        for (const auto& [number, start] : starts)
          ASSERT_EQ(start, static_cast<double>(number) * static_cast<double>(hop));
      }
}

// So long that no more than one is held.
TEST(SegmentFeed, HandsOnLongSegmentsOneByOne) {
  const std::size_t segment = (std::size_t{1} << 21) + 3, hop = segment / 3, samples = 3 * segment;
  for (const std::size_t block_size : {hop / 2 - 5, 2 * segment + 11}) {
    SegmentFeed feed({0}, segment, hop, 100);
    Block block(1, block_size);
    std::int64_t number = 0;
    for (std::size_t at = 0; at < samples; at += block_size) {
      const std::size_t count = std::min(block_size, samples - at);
      for (std::size_t n = 0; n < count; ++n) block.room(0)[n] = static_cast<double>(at + n);
      block.set(static_cast<std::int64_t>(at), count);
      feed.add(block, [&](const SegmentBatch& batch) {
        for (std::size_t s = 0; s < batch.count; ++s, ++number) {
          ASSERT_EQ(batch.first + static_cast<std::int64_t>(s), number);
          const auto start = static_cast<double>(number) * static_cast<double>(hop);
          ASSERT_EQ(batch.samples(0, s)[0], start);
          ASSERT_EQ(batch.samples(0, s)[segment / 2], start + static_cast<double>(segment / 2));
          ASSERT_EQ(batch.samples(0, s)[segment - 1], start + static_cast<double>(segment - 1));
        }
      });
    }
    EXPECT_EQ(number, static_cast<std::int64_t>(1 + (samples - segment) / hop));
  }
}

TEST(SegmentFeed, StartsAnewBehindAMissingSample) {
  for (const std::size_t block : {3u, 10u, 40u, 200u}) {
    const auto starts = starts_of(100, 10, 5, block, {23, 24, 60});
    std::vector<double> all;
    for (const auto& entry : starts) all.push_back(entry.second);
    // 0 to 22, 25 to 59, 61 to 99.
    EXPECT_EQ(all, (std::vector<double>{0, 5, 10, 25, 30, 35, 40, 45, 50, 61, 66, 71, 76, 81, 86})) << block;
  }
}

TEST(SegmentFeed, TellsTheMeanOfAllThatPassed) {
  SegmentFeed feed({0, 1}, 8, 4, 10);
  const std::vector<double> a{1, 2, 3, 4, 5}, b{-1, -1, -1, -1, 4};
  const std::span<const double> columns[] = {a, b};
  feed.add(columns, [](const SegmentBatch&) { FAIL() << "too short for a segment"; });
  EXPECT_DOUBLE_EQ(feed.mean(0), 3);
  EXPECT_DOUBLE_EQ(feed.mean(1), 0);
  EXPECT_EQ(feed.segments(), 0);
}

/// Medians of rows of one channel, taken in any order within what there is room for.
std::vector<double> medians_of_rows(const std::vector<std::vector<double>>& rows, std::size_t expected) {
  const std::size_t bins = rows[0].size();
  SegmentMedians medians(1, bins, expected);
  for (std::size_t at = 0; at < rows.size();) {
    const std::size_t count = std::min(medians.room(), rows.size() - at);
    for (std::size_t r = count; r-- > 0;) {
      std::vector<double> parts(2 * bins);
      for (std::size_t k = 0; k < bins; ++k) parts[2 * k] = std::sqrt(rows[at + r][k]);
      medians.take(parts.data(), 0, static_cast<std::int64_t>(at + r));
    }
    medians.filled(count);
    at += count;
  }
  return medians.result(0);
}

TEST(SegmentMedians, AreExactForUpToAThousandRows) {
  std::mt19937 dice(1);
  std::uniform_real_distribution<double> level(0, 10);
  for (const std::size_t count : {1u, 2u, 7u, 600u, 1001u}) {
    std::vector<std::vector<double>> rows(count, std::vector<double>(5));
    for (auto& row : rows)
      for (double& x : row) x = level(dice);
    const auto found = medians_of_rows(rows, count);
    for (std::size_t k = 0; k < 5; ++k) {
      std::vector<double> column;
      for (const auto& row : rows) column.push_back(row[k]);
      std::sort(column.begin(), column.end());
      const double expected =
          count % 2 == 1 ? column[count / 2] : (column[count / 2 - 1] + column[count / 2]) / 2;
      EXPECT_NEAR(found[k], expected, 1e-5) << count;
    }
  }
}

TEST(SegmentMedians, OfManyRowsLeaveOutWhatIsRare) {
  // One row in ten is a thousand times as high; the rest is uniform over 1 to 3.
  std::mt19937 dice(2);
  std::uniform_real_distribution<double> level(1, 3);
  std::vector<std::vector<double>> rows(20000, std::vector<double>(2));
  for (std::size_t r = 0; r < rows.size(); ++r)
    for (double& x : rows[r]) x = r % 10 == 3 ? 2000 : level(dice);
  for (const double m : medians_of_rows(rows, rows.size())) {
    EXPECT_NEAR(m, 1 + 2 * 0.5 / 0.9, 0.02);  // The middle of all, nine tenths of which are uniform.
  }
}

TEST(RealFft, InPlaceIsTheSameTransform) {
  for (const std::size_t size : {8u, 15u, 1000u, 4097u}) {
    const RealFft fft(size);
    FftArray<double> in(size);
    FftArray<std::complex<double>> out(fft.bins());
    std::vector<std::complex<double>> place(fft.bins() + 1);
    // At both alignments that a vector may have.
    for (const std::size_t shift : {0u, 1u}) {
      auto* const line = reinterpret_cast<double*>(place.data() + shift);
      for (std::size_t n = 0; n < size; ++n)
        line[n] = in.data()[n] = std::sin(0.1 * static_cast<double>(n * n));
      fft.run(in, out);
      fft.run_in_place(place.data() + shift);
      for (std::size_t k = 0; k < fft.bins(); ++k)
        EXPECT_NEAR(std::abs(place[k + shift] - out.data()[k]), 0, 1e-10) << size;
    }
  }
}

TEST(ComplexFft, ThereAndBackIsNTimesTheSame) {
  const ComplexFft fft(60);
  FftArray<std::complex<double>> x(60), bins(60), again(60);
  for (std::size_t n = 0; n < 60; ++n)
    x.data()[n] = std::polar(1.0, 2 * std::numbers::pi * 7 * static_cast<double>(n) / 60);
  fft.run(x, bins);
  for (std::size_t k = 0; k < 60; ++k) EXPECT_NEAR(std::abs(bins.data()[k]), k == 7 ? 60 : 0, 1e-11);
  fft.back(bins, again);
  for (std::size_t n = 0; n < 60; ++n) EXPECT_NEAR(std::abs(again.data()[n] - 60.0 * x.data()[n]), 0, 1e-10);
}

TEST(FftArrays, BeginZeroedSmallOrLarge) {
  for (const std::size_t size : {std::size_t{10}, std::size_t{1} << 21}) {
    FftArray<double> array(size);
    EXPECT_EQ(std::count(array.span().begin(), array.span().end(), 0.0), static_cast<std::ptrdiff_t>(size));
    array.data()[size - 1] = 1;
    FftArray<double> moved(std::move(array));
    EXPECT_EQ(moved.data()[size - 1], 1);
  }
}

}  // namespace
}  // namespace vprism::segments_test
