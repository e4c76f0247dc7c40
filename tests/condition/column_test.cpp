// Columns side by side: outlets, series of workers, reflected ends, dot products.
#include "condition/column.h"

#include <gtest/gtest.h>

#include <cmath>

#include "condition/filters/reflected_ends.h"
#include "condition/filters/sections.h"
#include "condition/steps/decimator.h"

namespace vprism::column_test {
namespace {

Recording two_channels(bool complex = false) {
  Recording r;
  r.channels.resize(2);
  r.complex = complex;
  return r;
}

TEST(Outlet, HandsOnWhatAllColumnsHave) {
  Outlet outlet;
  outlet.start(two_channels());
  std::vector<std::size_t> sizes;
  std::vector<std::int64_t> firsts;
  const Sink sink = [&](Block& block) {
    sizes.push_back(block.size());
    firsts.push_back(block.first());
    EXPECT_EQ(block.channels(), 2u);
    EXPECT_EQ(block.samples(0)[0], block.samples(1)[0]);
  };
  outlet.column(0) = {1, 2, 3};
  outlet.column(1) = {1, 2};
  outlet.flush(sink);
  outlet.column(1).push_back(3);
  outlet.column(1).push_back(4);
  outlet.flush(sink);
  outlet.flush(sink);  // Nothing is ready.
  EXPECT_EQ(sizes, (std::vector<std::size_t>{2, 1}));
  EXPECT_EQ(firsts, (std::vector<std::int64_t>{0, 2}));
  EXPECT_EQ(outlet.column(1), std::vector<double>{4});
}

TEST(Outlet, CutsLongQueuesIntoBlocksAndMarksGaps) {
  Outlet outlet;
  outlet.start(two_channels(true));
  ASSERT_EQ(outlet.columns(), 4u);
  for (std::size_t c = 0; c < 4; ++c) outlet.column(c).assign(200000, static_cast<double>(c));
  outlet.set_gaps();
  std::size_t seen = 0;
  outlet.flush([&](Block& block) {
    EXPECT_TRUE(block.complex());
    EXPECT_TRUE(block.gaps());
    EXPECT_EQ(block.imaginary(1)[0], 3);
    EXPECT_LE(block.size(), Block::good_capacity(2));
    EXPECT_EQ(block.first(), static_cast<std::int64_t>(seen));
    seen += block.size();
  });
  EXPECT_EQ(seen, 200000u);
}

TEST(ReflectedEndsOfARecord, AreOddAboutItsFirstAndLastSample) {
  for (const std::size_t block : {1u, 2u, 5u, 100u}) {
    ReflectedEnds ends(3);
    std::vector<double> out;
    const std::vector<double> x = {10, 11, 13, 16, 20};
    for (std::size_t at = 0; at < x.size(); at += block)
      ends.add(std::span(x).subspan(at, std::min(block, x.size() - at)), out);
    ends.finish(out);
    EXPECT_EQ(out, (std::vector<double>{4, 7, 9, 10, 11, 13, 16, 20, 24, 27, 29})) << block;
  }
  // Shorter than the reach: the farthest sample is repeated.
  ReflectedEnds ends(3);
  std::vector<double> out;
  ends.add(std::vector<double>{1, 2}, out);
  ends.finish(out);
  EXPECT_EQ(out, (std::vector<double>{0, 0, 0, 1, 2, 3, 3, 3}));
}

TEST(WorkerSeriesOfTwo, IsOneAfterTheOther) {
  std::vector<double> x(1000);
  for (std::size_t n = 0; n < x.size(); ++n) x[n] = std::sin(0.05 * static_cast<double>(n)) + 0.3;
  const auto run = [&](ColumnWorker& worker, const std::vector<double>& in, std::size_t block) {
    std::vector<double> out;
    for (std::size_t at = 0; at < in.size(); at += block)
      worker.add(std::span(in).subspan(at, std::min(block, in.size() - at)), out);
    worker.finish(out);
    return out;
  };
  const auto first = make_decimator(2), second = make_decimator(3);
  const auto expected = run(*second, run(*first, x, 1000), 1000);
  std::vector<std::unique_ptr<ColumnWorker>> both;
  both.push_back(make_decimator(2));
  both.push_back(make_decimator(3));
  WorkerSeries series(std::move(both));
  const auto made = run(series, x, 17);
  ASSERT_EQ(made.size(), expected.size());
  for (std::size_t n = 0; n < made.size(); ++n) EXPECT_NEAR(made[n], expected[n], 1e-14);
}

TEST(Sections, RunAsTheirRecursionSays) {
  const std::vector<Section> sections = {
      {0.5, 0.2, -0.1, -0.9, 0.4}, {1, -0.3, 0, 0.5, 0}, {0.7, 0, 0.1, -0.2, 0.6}};
  std::vector<double> x(200);
  for (std::size_t n = 0; n < x.size(); ++n) x[n] = std::cos(0.4 * static_cast<double>(n * n));
  std::vector<double> expected = x;
  for (const Section& s : sections) {
    const std::vector<double> in = expected;
    for (std::size_t n = 0; n < in.size(); ++n) {
      const auto at = [&](const std::vector<double>& v, std::size_t back) {
        return n >= back ? v[n - back] : 0.0;
      };
      expected[n] = s.b0 * in[n] + s.b1 * at(in, 1) + s.b2 * at(in, 2) - s.a1 * at(expected, 1) -
                    s.a2 * at(expected, 2);
    }
  }
  SectionRunner runner(sections);
  runner.settle(0);
  for (std::size_t at = 0; at < x.size(); at += 7)
    runner.run(x.data() + at, std::min<std::size_t>(7, x.size() - at));
  for (std::size_t n = 0; n < x.size(); ++n) EXPECT_NEAR(x[n], expected[n], 1e-12) << n;
  // Settled to a level, it gives that level times its gain at 0 at once.
  SectionRunner level(sections);
  std::vector<double> flat(50, 3.0);
  level.run(flat.data(), flat.size());
  for (const double v : flat) EXPECT_NEAR(v, 3 * response(sections, 0).real(), 1e-12);
}

TEST(Sections, SettlingCoversTheirMemory) {
  const std::vector<Section> slow =
      FilterDesign{FilterKind::butterworth, FilterBand::lowpass, 6, 0, 0.01, 0}.sections();
  const std::size_t settling = settling_samples(slow);
  std::vector<double> x(settling + 10, 0.0);
  x[0] = 1;
  SectionRunner runner(slow);
  runner.settle(0);
  runner.run(x.data(), x.size());
  EXPECT_LT(std::abs(x.back()), 1e-12);
  EXPECT_GT(*std::max_element(x.begin(), x.end()), 1e-3);
}

}  // namespace
}  // namespace vprism::column_test
