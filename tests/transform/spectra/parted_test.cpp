// Sums over parts of a record, by one process and by several: the same bytes.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "transform/spectra/spectrum_estimator.h"

namespace vprism::parted_test {
namespace {

constexpr std::size_t block_size = 1000;

struct Record {
  std::vector<std::vector<double>> columns;
  bool complex = false;
  std::size_t samples() const { return columns.front().size(); }
  std::size_t channels() const { return columns.size() / (complex ? 2 : 1); }
};

Record made(std::size_t channels, std::size_t samples, bool complex) {
  std::mt19937 random(7);
  std::normal_distribution<double> noise;
  Record record{std::vector(channels * (complex ? 2 : 1), std::vector<double>(samples)), complex};
  for (std::size_t c = 0; c < record.columns.size(); ++c)
    for (std::size_t n = 0; n < samples; ++n)
      record.columns[c][n] = 1e3 * static_cast<double>(c + 1) + noise(random) +
                             std::cos(0.3 * static_cast<double>(n) + static_cast<double>(c));
  return record;
}

std::vector<std::int64_t> starts_of(const Record& record) {
  std::vector<std::int64_t> starts;
  for (std::size_t i = 0; i < 60; ++i)
    starts.push_back(static_cast<std::int64_t>(record.samples() / 60 * i / block_size * block_size));
  return starts;
}

void feed(PartedSink& sink, const Record& record, std::int64_t from, std::int64_t to) {
  Block block(record.channels(), block_size, false, record.complex);
  for (auto at = static_cast<std::size_t>(from);
       at < std::min<std::size_t>(static_cast<std::size_t>(to), record.samples()); at += block_size) {
    const std::size_t count = std::min(block_size, record.samples() - at);
    for (std::size_t c = 0; c < record.columns.size(); ++c)
      std::copy_n(record.columns[c].begin() + static_cast<std::ptrdiff_t>(at), count, block.room(c).begin());
    block.set(static_cast<std::int64_t>(at), count);
    sink.add(block);
  }
}

struct Made {
  std::size_t parts = 0;
  std::vector<Spectrum> spectra;
};

Made by_one(const Record& record, const SpectrumSettings& settings, bool parted) {
  SpectrumEstimator one(plan_spectrum(settings, static_cast<std::int64_t>(record.samples()), 1000), settings);
  const std::vector<std::int64_t> starts = parted ? starts_of(record) : std::vector<std::int64_t>();
  Made made;
  made.parts = one.part(starts, record.channels(), record.complex);
  feed(one, record, 0, INT64_MAX);
  made.spectra = one.result();
  return made;
}

/// As ranks do it, one after the other; what the last but one has in the end.
Made by_ranks(std::size_t ranks, const Record& record, const SpectrumSettings& settings) {
  const std::vector<std::int64_t> starts = starts_of(record);
  std::vector<SpectrumEstimator> all;
  Made made;
  Baton baton;
  for (std::size_t r = 0; r < ranks; ++r) {
    all.emplace_back(plan_spectrum(settings, static_cast<std::int64_t>(record.samples()), 1000), settings);
    made.parts = all[r].part(starts, record.channels(), record.complex);
    const auto begin = [&](std::size_t rank) {
      const std::size_t part = rank * made.parts / ranks;
      return part < made.parts ? starts[part * 60 / made.parts] : static_cast<std::int64_t>(record.samples());
    };
    all[r].keep_to(begin(r), begin(r + 1));
    if (begin(r) < begin(r + 1)) feed(all[r], record, begin(r), begin(r + 1) + all[r].reach());
    Baton after;
    all[r].pass_on(baton, after);
    baton = Baton(after.bytes());
  }
  SpectrumEstimator& one = all[ranks > 1 ? ranks - 2 : 0];
  one.take(baton);
  made.spectra = one.result();
  return made;
}

void expect_same(const Made& a, const Made& b) {
  ASSERT_EQ(a.parts, b.parts);
  ASSERT_EQ(a.spectra.size(), b.spectra.size());
  for (std::size_t c = 0; c < a.spectra.size(); ++c) {
    EXPECT_EQ(a.spectra[c].power, b.spectra[c].power);
    EXPECT_EQ(a.spectra[c].first, b.spectra[c].first);
    EXPECT_EQ(a.spectra[c].stretches, b.spectra[c].stretches);
    EXPECT_EQ(a.spectra[c].mean, b.spectra[c].mean);
    EXPECT_EQ(a.spectra[c].variance, b.spectra[c].variance);
    EXPECT_EQ(a.spectra[c].plan.averages, b.spectra[c].plan.averages);
    EXPECT_EQ(a.spectra[c].noise_averages, b.spectra[c].noise_averages);
  }
}

SpectrumSettings cut(std::size_t segment, Average average = Average::mean) {
  SpectrumSettings settings;
  settings.segment = segment;
  settings.average = average;
  return settings;
}

TEST(PartedSpectrum, HasTheSameBytesByAnyNumberOfRanks) {
  const Record record = made(3, 400'321, false);
  for (const Average average : {Average::mean, Average::amplitude, Average::peak_hold, Average::min_hold}) {
    const Made whole = by_one(record, cut(512, average), true);
    EXPECT_EQ(whole.parts, 60U);
    for (const std::size_t ranks : {1U, 2U, 3U, 5U, 7U, 61U}) {
      SCOPED_TRACE(ranks);
      expect_same(whole, by_ranks(ranks, record, cut(512, average)));
    }
  }
}

TEST(PartedSpectrum, OfLongSegmentsHasFewerPartsAndLeavesRanksIdle) {
  const Record record = made(1, 400'321, false);
  const Made whole = by_one(record, cut(8192), true);
  EXPECT_EQ(whole.parts, 4U);
  for (const std::size_t ranks : {2U, 3U, 5U, 6U}) expect_same(whole, by_ranks(ranks, record, cut(8192)));
}

TEST(PartedSpectrum, OfComplexChannelsAndByTapersToo) {
  const Record record = made(2, 300'000, true);
  SpectrumSettings settings = cut(500);
  expect_same(by_one(record, settings, true), by_ranks(3, record, settings));
  settings.tapers = 4;
  expect_same(by_one(record, settings, true), by_ranks(2, record, settings));
}

TEST(PartedSpectrum, IsThatOfTheUnpartedRecord) {
  const Record record = made(2, 400'321, false);
  for (const std::size_t segment : {512U, 1000U, 4096U}) {
    const Made plain = by_one(record, cut(segment), false), parted = by_one(record, cut(segment), true);
    EXPECT_EQ(plain.parts, 1U);
    EXPECT_GT(parted.parts, 1U);
    for (std::size_t c = 0; c < 2; ++c) {
      const Spectrum &a = plain.spectra[c], &b = parted.spectra[c];
      ASSERT_EQ(a.power.size(), b.power.size());
      for (std::size_t k = 0; k < a.power.size(); ++k) EXPECT_NEAR(b.power[k] / a.power[k], 1, 1e-12);
      EXPECT_NEAR(b.mean / a.mean, 1, 1e-12);
      EXPECT_NEAR(b.variance / a.variance, 1, 1e-9);
    }
  }
}

TEST(PartedSpectrum, IsNotMadeWhereTheOrderOfSegmentsCounts) {
  const Record record = made(1, 400'321, false);
  EXPECT_EQ(by_one(record, cut(512, Average::exponential), true).parts, 1U);
  EXPECT_EQ(by_one(record, cut(512, Average::median), true).parts, 1U);
}

TEST(Baton, ThatEndsEarlyIsRefused) {
  Baton written;
  written.put(std::vector<double>{1, 2, 3});
  Baton whole(written.bytes()), cut(written.bytes().substr(0, 20));
  EXPECT_EQ(whole.numbers(), (std::vector<double>{1, 2, 3}));
  EXPECT_THROW(cut.numbers(), std::logic_error);
}

}  // namespace
}  // namespace vprism::parted_test
