// The inner loops in whole numbers, where every order of summing is exact, at lengths that fill no lane.
#include "field/field_kernels.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <vector>

namespace vprism::field_kernels_test {
namespace {

using Complex = std::complex<double>;

double number(std::size_t i) { return static_cast<double>(i * 7919 % 23) - 11; }

TEST(FieldKernels, RowsBecomeSeriesWhateverIsPicked) {
  constexpr std::size_t row = 40, frames = 75;
  std::vector<double> rows(frames * row);
  for (std::size_t i = 0; i < rows.size(); ++i) rows[i] = static_cast<double>(i);
  const std::vector<std::vector<std::size_t>> picks = {
      {0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11}, {5}, {3, 4, 5, 6, 7}, {30, 2, 3, 4, 5, 9, 8}, {36, 37, 38, 39}};
  for (const auto& series : picks)
    for (const std::size_t every : {1u, 3u})
      for (const std::size_t at : {0u, 2u}) {
        const std::size_t count = (frames - at + every - 1) / every, step = count + 5;
        std::vector<double> out(series.size() * step, -1);
        gather_series({rows.data(), 1, row}, series.data(), series.size(), at, every, count, out.data(),
                      step);
        for (std::size_t s = 0; s < series.size(); ++s) {
          for (std::size_t n = 0; n < count; ++n)
            ASSERT_EQ(out[s * step + n], static_cast<double>((at + n * every) * row + series[s]))
                << s << " " << n << " " << every;
          EXPECT_EQ(out[s * step + count], -1) << "nothing behind the series is touched";
        }
      }
}

TEST(FieldKernels, SeriesOneByOneArePickedToo) {
  const std::vector<double> columns = {0, 1, 2, 3, 10, 11, 12, 13, 20, 21, 22, 23};
  std::vector<double> out(4);
  const std::size_t series[] = {2, 0};
  gather_series({columns.data(), 4, 1}, series, 2, 1, 2, 2, out.data(), 2);
  EXPECT_EQ(out, (std::vector<double>{21, 23, 1, 3}));
}

TEST(FieldKernels, FourSeriesAreWeighedAsEachAlone) {
  for (const std::size_t frames : {3u, 8u, 61u}) {
    const std::size_t step = frames + 4;
    std::vector<double> x(4 * frames), window(frames), in_time(frames, 1.0), in_time_alone(frames, 1.0);
    for (std::size_t i = 0; i < x.size(); ++i) x[i] = number(i);
    for (std::size_t n = 0; n < frames; ++n) window[n] = static_cast<double>(n % 3);
    const double* const series[] = {x.data(), &x[frames], &x[2 * frames], &x[3 * frames]};
    const double mean[] = {1, -2, 0, 3};
    std::vector<double> out(4 * step, -77), alone(4 * step, -77);
    double squares[4], squares_alone[4];
    weigh_series(series, mean, 4, window.data(), frames, in_time.data(), out.data(), step, squares);
    for (std::size_t s = 0; s < 4; ++s)
      weigh_series(series + s, mean + s, 1, window.data(), frames, in_time_alone.data(), &alone[s * step],
                   step, squares_alone + s);
    EXPECT_EQ(out, alone);
    EXPECT_EQ(in_time, in_time_alone);
    for (std::size_t s = 0; s < 4; ++s) {
      double sum = 0;
      for (std::size_t n = 0; n < frames; ++n) {
        const double v = x[s * frames + n] - mean[s];
        sum += v * v;
        EXPECT_EQ(out[s * step + n], v * window[n]);
      }
      EXPECT_EQ(squares[s], sum);
      EXPECT_EQ(squares_alone[s], sum);
      EXPECT_EQ(out[s * step + frames], -77);
    }
  }
}

TEST(FieldKernels, TransformsAreFoldedWithWhoseTheGreatestIs) {
  constexpr std::size_t bins = 13, step = 16;
  std::vector<Complex> x(4 * step);
  for (std::size_t i = 0; i < x.size(); ++i) x[i] = {number(i), number(3 * i + 1)};
  std::vector<double> scale(bins, 2.0), sum(bins, 1.0), top(bins, 50.0), whose(bins, 99.0), power(4 * step);
  scale[0] = 1;
  const double points[] = {10, 11, 12, 13};
  double most[4];
  std::size_t most_at[4];
  fold_transforms(x.data(), step, 4, scale.data(), bins, points, sum.data(), top.data(), whose.data(),
                  power.data(), step, most, most_at);
  for (std::size_t k = 0; k < bins; ++k) {
    double all = 1, greatest = 50, owner = 99;
    for (std::size_t s = 0; s < 4; ++s) {
      const double p = std::norm(x[s * step + k]) * scale[k];
      EXPECT_EQ(power[s * step + k], p);
      all += p;
      if (p > greatest) greatest = p, owner = points[s];
    }
    EXPECT_EQ(sum[k], all);
    EXPECT_EQ(top[k], greatest);
    EXPECT_EQ(whose[k], owner);
  }
  for (std::size_t s = 0; s < 4; ++s) {
    const auto from = power.begin() + static_cast<std::ptrdiff_t>(s * step);
    const auto place = std::max_element(from + 1, from + bins);  // Not DC.
    EXPECT_EQ(most[s], *place);
    EXPECT_EQ(most_at[s], static_cast<std::size_t>(place - from));
  }
}

TEST(FieldKernels, ManyFactorsAtOnceAreTheSumsOfProducts) {
  for (const std::size_t count : {5u, 512u, 1300u})
    for (const std::size_t rows : {2u, 6u}) {
      const std::size_t step = count + 8;
      std::vector<double> x(4 * step), factors(8 * step, 0.0);
      for (std::size_t i = 0; i < x.size(); ++i) x[i] = number(i);
      for (std::size_t i = 0; i < rows * step; ++i) factors[i] = number(5 * i + 3);
      double four[32], one[32];
      weigh_with({factors.data(), step, rows}, x.data(), step, 4, count, four);
      for (std::size_t s = 0; s < 4; ++s) {
        weigh_with({factors.data(), step, rows}, &x[s * step], step, 1, count, one);
        for (std::size_t f = 0; f < rows; ++f) {
          double sum = 0;
          for (std::size_t n = 0; n < count; ++n) sum += x[s * step + n] * factors[f * step + n];
          EXPECT_EQ(four[4 * f + s], sum) << count;
          EXPECT_EQ(one[4 * f], sum) << count;
        }
      }
    }
}

}  // namespace
}  // namespace vprism::field_kernels_test
