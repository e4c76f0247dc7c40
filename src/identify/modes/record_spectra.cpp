// record_spectra.cpp: see record_spectra.h.
#include "identify/modes/record_spectra.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "base/fft.h"
#include "base/linear/linear.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;

constexpr std::size_t least_step = 4, most_points = 32768;
constexpr Eigen::Index polynomial = 3;  ///< Terms of a parabola.

/// Bins from one ratio to the next: every fourth, more in long records.
std::size_t step_for(std::size_t samples) {
  std::size_t step = least_step;
  while (samples / (2 * step) > most_points) step *= 2;
  return step;
}

/// Greatest size of at most `samples` that is a multiple of twice the grid's step and transforms quickly.
std::size_t quick_size(std::size_t samples) {
  const std::size_t unit = 2 * step_for(samples);
  for (std::size_t n = samples / unit; n > samples / unit * 99 / 100; --n)
    if (is_quick_size(n)) return n * unit;
  return samples / unit * unit;
}

/// Ratio of y over x at one bin, what it leaves per degree of freedom, and the variance of the ratio.
struct LocalRatio {
  Complex ratio = 0;
  double variance = 0, coherence = 0;
  double noise = 0;  ///< Power that is left over, per degree of freedom.
};

LocalRatio local_ratio(const Complex* x, const Complex* y, std::size_t bins, double at) {
  const double reach = static_cast<double>(bins / 2);
  const auto n = static_cast<Eigen::Index>(bins);
  ComplexMatrix smooth(n, polynomial), phi(n, 2 * polynomial);
  ComplexVector out(n), in(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const double u = (static_cast<double>(i) - at) / reach;
    smooth(i, 0) = 1, smooth(i, 1) = u, smooth(i, 2) = u * u;
    in(i) = x[i], out(i) = y[i];
  }
  const double size = in.norm(), all = out.squaredNorm();
  LocalRatio result;
  if (!(size > 0) || !(all > 0)) return result;
  in /= size;
  // A reference as smooth as the ends' own part can't be parted from it.
  const ComplexVector fit = ComplexQr(smooth).solve(in);
  const bool apart = (in - product(smooth, ComplexMatrix(fit)).col(0)).norm() > 0.05;
  const Eigen::Index columns = apart ? 2 * polynomial : polynomial;
  for (Eigen::Index q = 0; q < polynomial; ++q) {
    phi.col(q) = in.cwiseProduct(smooth.col(q));
    phi.col(polynomial + q) = smooth.col(q);
  }
  const ComplexMatrix used = phi.leftCols(columns);
  const ComplexQr qr(used);
  const ComplexVector solution = qr.solve(out);
  const double left = (out - product(used, ComplexMatrix(solution)).col(0)).squaredNorm();
  const double free = static_cast<double>(n - columns), noise = left / free;
  ComplexVector first = ComplexVector::Zero(columns);
  first(0) = 1;
  const ComplexVector inverse = solve_any(ComplexMatrix(turned_product(used, used)), first);
  result.ratio = solution(0) / size;
  result.noise = noise;
  result.variance = noise * std::max(0.0, inverse(0).real()) / (size * size);
  result.coherence = std::clamp(1 - noise * static_cast<double>(n) / all, 0.0, 1.0);
  return result;
}

/// Whether the first and the last hundredth of a channel have next to nothing of its power.
bool rests_at_ends(const double* x, std::size_t size) {
  const std::size_t part = std::max<std::size_t>(2, size / 100);
  const auto power = [&](std::size_t from, std::size_t to) {
    double sum = 0;
    for (std::size_t n = from; n < to; ++n) sum += x[n] * x[n];
    return sum / static_cast<double>(to - from);
  };
  return std::max(power(0, part), power(size - part, size)) < 1e-5 * power(0, size);
}

}  // namespace

bool differences_are_flatter(const std::vector<double>& x) {
  const std::size_t size = quick_size(x.size());
  const RealFft fft(size);
  FftArray<double> in(size);
  FftArray<Complex> out(fft.bins());
  std::copy(x.begin(), x.begin() + static_cast<std::ptrdiff_t>(size), in.data());
  fft.run(in, out);
  // Geometric over arithmetic mean, over nine tenths of the band.
  double own = 0, own_log = 0, steep = 0, steep_log = 0;
  const std::size_t last = fft.bins() * 9 / 10;
  for (std::size_t k = 1; k < last; ++k) {
    const double power = std::max(std::norm(out.data()[k]), 1e-300);
    const double rise =
        std::pow(2 * std::sin(std::numbers::pi * static_cast<double>(k) / static_cast<double>(size)), 2);
    own += power, own_log += std::log(power);
    steep += power * rise, steep_log += std::log(power * rise);
  }
  const auto count = static_cast<double>(last - 1);
  return steep_log / count - std::log(steep / count) > own_log / count - std::log(own / count);
}

RecordSpectra record_spectra(const std::vector<std::vector<double>>& columns,
                             const std::vector<std::size_t>& references, double rate_hz, bool differences) {
  RecordSpectra record;
  record.rate_hz = rate_hz;
  record.references = references;
  record.samples = quick_size(columns[0].size() - (differences ? 1 : 0));
  const RealFft fft(record.samples);
  record.values.resize(columns.size());
  std::vector<char> rests(columns.size());
  oneapi::tbb::parallel_for(std::size_t{0}, columns.size(), [&](std::size_t c) {
    FftArray<double> in(record.samples);
    FftArray<Complex> out(fft.bins());
    for (std::size_t n = 0; n < record.samples; ++n)
      in.data()[n] = differences ? columns[c][n + 1] - columns[c][n] : columns[c][n];
    rests[c] = rests_at_ends(in.data(), record.samples);
    fft.run(in, out);
    record.values[c].assign(out.data(), out.data() + fft.bins());
  });
  record.at_rest = std::all_of(rests.begin(), rests.end(), [](char rest) { return rest != 0; });
  return record;
}

ResponseSet local_ratios(const RecordSpectra& record, ResponseEstimator estimator, double floor_db,
                         CrossSpectra& spectra) {
  const std::size_t reference = record.references.front(), channels = record.values.size();
  const std::size_t grid_step = step_for(record.samples), window_reach = 3 * grid_step / 2,
                    window_bins = 2 * window_reach + 1;
  const std::size_t points = record.samples / (2 * grid_step) + 1, last = record.bins() - 1;
  constexpr double unknown = std::numeric_limits<double>::quiet_NaN();
  ResponseSet set;
  set.references = record.references;
  set.rate_hz = record.rate_hz;
  set.averages = static_cast<std::int64_t>(window_bins);
  set.independent = static_cast<double>(window_bins) - 2.0 * static_cast<double>(polynomial) + 1;
  set.rbw_hz = record.bin_hz() * static_cast<double>(window_reach);
  // Windows three steps wide: each shares most of its bins with the next.
  set.shared = record.at_rest ? 1 : static_cast<double>(window_reach) / static_cast<double>(grid_step);
  for (std::size_t k = 0; k < points; ++k)
    set.frequency_hz.push_back(static_cast<double>(k * grid_step) * record.bin_hz());
  set.driven.assign(points, true);
  set.coherence.resize(channels);
  CrossSums sums;
  sums.references = record.references;
  sums.resize(channels, points);
  // The bin at 0 Hz holds the mean and is left out.
  const auto from = [&](std::size_t k) {
    const std::size_t bin = k * grid_step;
    return std::min(bin > window_reach ? bin - window_reach : 1, last + 1 - window_bins);
  };
  for (std::size_t c = 0; c < channels; ++c)
    for (std::size_t k = 0; k < points; ++k) {
      Complex both = 0;
      for (std::size_t i = from(k); i < from(k) + window_bins; ++i) {
        sums.power[c][k] += std::norm(record.values[c][i]);
        both += record.values[c][i] * std::conj(record.values[reference][i]);
      }
      // As one transform of a quarter of the samples would have it: the same density.
      const double scale = 1.0 / static_cast<double>(window_bins * grid_step);
      sums.power[c][k] *= scale;
      sums.cross[c][0][k] = both * scale;
    }
  spectra = cross_spectra(std::move(sums), record.samples / grid_step, record.rate_hz, 1);
  const std::vector<double>& power = spectra.reference_power(0);
  const double least = *std::max_element(power.begin(), power.end()) * std::pow(10, floor_db / 10);
  for (std::size_t k = 0; k < points; ++k) set.driven[k] = power[k] > least;
  for (std::size_t c = 0; c < channels; ++c) {
    set.coherence[c].assign(points, c == reference ? 1.0 : 0.0);
    if (c == reference) continue;
    ResponseCurve curve{c, 0, std::vector<Complex>(points), std::vector<double>(points, unknown)};
    oneapi::tbb::parallel_for(std::size_t{0}, points, [&](std::size_t k) {
      if (!set.driven[k]) return;
      const Complex *x = &record.values[reference][from(k)], *y = &record.values[c][from(k)];
      const double at = static_cast<double>(k * grid_step) - static_cast<double>(from(k));
      LocalRatio h = local_ratio(x, y, window_bins, at);
      if (record.at_rest) {
        const std::size_t bin = std::max<std::size_t>(1, k * grid_step);
        const Complex in = record.values[reference][bin];
        if (std::norm(in) > 0) h.ratio = record.values[c][bin] / in, h.variance = h.noise / std::norm(in);
      } else if (estimator != ResponseEstimator::h1) {
        // The noise on the reference: x over y, turned over; both alike: half way between.
        const LocalRatio back = local_ratio(y, x, window_bins, at);
        if (std::norm(back.ratio) > 0) {
          const Complex other = 1.0 / back.ratio;
          h.variance = back.variance * std::norm(other) * std::norm(other);
          h.ratio = estimator == ResponseEstimator::h2
                        ? other
                        : std::polar(std::sqrt(std::abs(other) * std::abs(h.ratio)), std::arg(h.ratio));
        }
      }
      curve.ratio[k] = h.ratio;
      if (std::norm(h.ratio) > 0) curve.error[k] = std::sqrt(h.variance / (2 * std::norm(h.ratio)));
      set.coherence[c][k] = h.coherence;
    });
    set.curves.push_back(std::move(curve));
  }
  return set;
}

}  // namespace vprism
