// noise_course.cpp: see noise_course.h.
#include "identify/courses/noise_course.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <limits>
#include <numbers>

#include "base/dot.h"
#include "base/fft.h"
#include "base/percentile.h"
#include "transform/windows/window.h"

namespace vprism {

namespace {

constexpr std::size_t least_piece = 96, fewest_pieces = 32, most_pieces = 256, lowest_bin = 3;

/// Squares of the transforms of all pieces under a Hann window, piece by piece.
class Pieces {
 public:
  Pieces(std::span<const double> x, std::size_t count)
      : samples_(x.size()), count_(count), length_(x.size() / count), bins_(length_ / 2 + 1) {
    const std::vector<double> window = centred_hann(length_);
    const RealFft fft(length_);
    FftArray<double> in(length_);
    FftArray<std::complex<double>> out(bins_);
    for (std::size_t p = 0; p < count_; ++p) {
      const double* const from = x.data() + start(p);
      double mean = 0;
      for (std::size_t n = 0; n < length_; ++n) mean += from[n] / static_cast<double>(length_);
      for (std::size_t n = 0; n < length_; ++n) in.data()[n] = window[n] * (from[n] - mean);
      fft.run(in, out);
      for (std::size_t k = 0; k < bins_; ++k) power_.push_back(static_cast<float>(std::norm(out.data()[k])));
    }
  }
  std::size_t start(std::size_t piece) const { return piece * samples_ / count_; }

  /// Logarithms of the gains over what is usual; empty where half of the bins of half of them are empty.
  std::vector<double> gains() {
    std::vector<double> over, out;
    std::size_t empty = 0;
    std::vector<double>& usual = usual_;
    usual.assign(bins_, 0.0);
    for (std::size_t k = lowest_bin; k < bins_; ++k) {
      std::vector<float> along(count_);
      for (std::size_t p = 0; p < count_; ++p) along[p] = power_[p * bins_ + k];
      usual[k] = static_cast<double>(median_in(along));
      empty += usual[k] > 0 ? 0 : 1;
    }
    if (2 * empty > bins_) return {};
    for (std::size_t p = 0; p < count_; ++p) {
      over.clear();
      for (std::size_t k = lowest_bin; k + 1 < bins_; ++k)
        if (usual[k] > 0) over.push_back(static_cast<double>(power_[p * bins_ + k]) / usual[k]);
      const double gain = median_in(over);
      out.push_back(gain > 0 ? std::log(gain) : -std::numeric_limits<double>::infinity());
    }
    return out;
  }
  /// Mean square of noise of the usual density, from the lowest bin on: without lines, which are narrower
  /// than what is around them.
  double usual_square() const {
    constexpr std::size_t most_reach = 6;
    double sum = 0;
    for (std::size_t k = lowest_bin; k < bins_; ++k) {
      const std::size_t reach = std::min({most_reach, k - lowest_bin, bins_ - 1 - k});
      std::vector<double> around(usual_.begin() + static_cast<std::ptrdiff_t>(k - reach),
                                 usual_.begin() + static_cast<std::ptrdiff_t>(k + reach + 1));
      sum += median_in(around);
    }
    return sum / std::numbers::ln2 * to_square();  // A median of squares is ln 2 of their mean.
  }
  /// Mean square of a piece in the same bins.
  double square_of(std::size_t piece) const {
    double sum = 0;
    for (std::size_t k = lowest_bin; k < bins_; ++k) sum += static_cast<double>(power_[piece * bins_ + k]);
    return sum * to_square();
  }
  /// Of the logarithm of one gain: the median of that many bins, of which a window makes neighbours alike.
  double scatter() const { return 1.44 / std::sqrt(static_cast<double>(bins_ - lowest_bin - 1) / 2); }

 private:
  /// One-sided, of a Hann window whose squares add up to 3/8.
  double to_square() const {
    const auto length = static_cast<double>(length_);
    return 2 / (0.375 * length * length);
  }
  std::size_t samples_, count_, length_, bins_;
  std::vector<float> power_;
  std::vector<double> usual_;
};

/// Where levels change: the first pieces of stretches, by the least sum of squares about their means and a
/// price for each.
std::vector<std::size_t> parted(const std::vector<double>& values, double scatter) {
  const std::size_t n = values.size();
  const double price = 2 * std::log(static_cast<double>(n)) + 12;
  std::vector<double> sum(n + 1, 0.0), square(n + 1, 0.0), best(n + 1, 0.0);
  std::vector<std::size_t> from(n + 1, 0);
  for (std::size_t i = 0; i < n; ++i) {
    const double v = values[i] / scatter;
    sum[i + 1] = sum[i] + v, square[i + 1] = square[i] + v * v;
  }
  for (std::size_t end = 1; end <= n; ++end) {
    best[end] = std::numeric_limits<double>::infinity();
    for (std::size_t first = 0; first < end; ++first) {
      const double s = sum[end] - sum[first], m = static_cast<double>(end - first);
      const double cost = best[first] + square[end] - square[first] - s * s / m + price;
      if (cost < best[end]) best[end] = cost, from[end] = first;
    }
  }
  std::vector<std::size_t> out;
  for (std::size_t end = n; end > 0; end = from[end]) out.push_back(from[end]);
  std::reverse(out.begin(), out.end());
  return out;
}

double mean_square(std::span<const double> x, double mean, std::size_t first, std::size_t end) {
  return squares_about(x.data() + first, end - first, mean) /
         static_cast<double>(std::max<std::size_t>(1, end - first));
}

/// Mean fourth power over the square of the mean square: 3 for noise, more where it comes in pulses.
double kurtosis(std::span<const double> x, double mean, std::size_t first, std::size_t end) {
  double square = 0, fourth = 0;
  for (std::size_t n = first; n < end; ++n) {
    const double v = (x[n] - mean) * (x[n] - mean);
    square += v, fourth += v * v;
  }
  return square > 0 ? fourth * static_cast<double>(end - first) / (square * square) : 3;
}

/// The sample near `at` at which mean squares of `before` and `behind` part best.
std::size_t change_near(std::span<const double> x, double mean, std::size_t at, std::size_t reach,
                        double before, double behind) {
  if (!(before > 0) || !(behind > 0)) return at;
  const std::size_t low = at - std::min(at, reach), high = std::min(x.size(), at + reach);
  // What one sample more before the change costs over one more behind it.
  double cost = 0, least = 0;
  std::size_t best = low;
  for (std::size_t n = low; n < high; ++n) {
    const double v = (x[n] - mean) * (x[n] - mean);
    cost += std::log(before / behind) + v / before - v / behind;
    if (cost < least) least = cost, best = n + 1;
  }
  return best;
}

/// Whether noise of these gains holds half of what the louder pieces hold more than the others.
bool explains(const NoiseCourse& course, const Pieces& pieces, const std::vector<std::size_t>& piece,
              const std::vector<std::size_t>& first, const std::vector<std::size_t>& long_enough,
              double least) {
  constexpr double least_explained = 0.5;
  double quiet = 0, quiet_pieces = 0, loud = 0, loud_pieces = 0, gains = 0;
  for (const std::size_t s : long_enough) {
    const bool louder = course.stretches[s].louder;
    for (std::size_t i = first[s]; i < (s + 1 < first.size() ? first[s + 1] : piece.size()); ++i) {
      const double held = pieces.square_of(piece[i]);
      louder ? (loud += held, ++loud_pieces, gains += course.stretches[s].gain - 1)
             : (quiet += held, ++quiet_pieces);
    }
  }
  if (!(quiet_pieces > 0) || !(loud_pieces > 0)) return false;
  return gains * least * pieces.usual_square() >
         least_explained * (loud - quiet / quiet_pieces * loud_pieces);
}

}  // namespace

std::vector<double> NoiseCourse::evened(std::span<const double> samples) const {
  const double mean = sum_of(samples.data(), samples.size()) / static_cast<double>(samples.size());
  std::vector<double> out(samples.begin(), samples.end());
  for (const NoiseStretch& s : stretches)
    for (std::size_t n = s.first; n < s.end; ++n) out[n] = mean + (out[n] - mean) / std::sqrt(s.gain);
  return out;
}

std::optional<NoiseCourse> find_noise_course(std::span<const double> x) {
  constexpr double least_gain = 1.5, quietest = 1e-6, most_kurtosis = 6;
  constexpr std::size_t least_pieces = 3;
  const std::size_t count = std::min(most_pieces, x.size() / least_piece);
  if (count < fewest_pieces) return {};
  Pieces pieces(x, count);
  const std::vector<double> gains = pieces.gains();
  if (gains.empty()) return {};
  // Where there is nothing at all, there is no noise that could be quieter.
  std::vector<std::size_t> piece;
  std::vector<double> values;
  for (std::size_t p = 0; p < count; ++p)
    if (gains[p] > std::log(quietest)) piece.push_back(p), values.push_back(gains[p]);
  if (values.size() < fewest_pieces) return {};
  // Impulses and heavy tails make neighbours differ by more than noise would.
  std::vector<double> steps;
  for (std::size_t i = 1; i < values.size(); ++i) steps.push_back(std::abs(values[i] - values[i - 1]));
  const double scatter = std::max(pieces.scatter(), 1.4826 / std::sqrt(2.0) * median_in(steps));
  const std::vector<std::size_t> first = parted(values, scatter);
  if (first.size() < 2) return {};
  NoiseCourse out;
  std::vector<std::size_t> long_enough;
  double least = std::numeric_limits<double>::infinity(), of_least = 1;
  for (std::size_t s = 0; s < first.size(); ++s) {
    const std::size_t end = s + 1 < first.size() ? first[s + 1] : values.size();
    double level = 0;
    for (std::size_t i = first[s]; i < end; ++i) level += values[i] / static_cast<double>(end - first[s]);
    out.stretches.push_back({s == 0 ? 0 : pieces.start(piece[first[s]]),
                             s + 1 < first.size() ? pieces.start(piece[end]) : x.size(), std::exp(level),
                             scatter / std::sqrt(static_cast<double>(end - first[s]))});
    if (end - first[s] < least_pieces) continue;
    long_enough.push_back(s);
    if (const NoiseStretch& own = out.stretches.back(); own.gain < least)
      least = own.gain, of_least = own.gain_std;
  }
  double greatest = 1;
  for (NoiseStretch& s : out.stretches) {
    s.gain = std::max(1.0, s.gain / least);
    s.gain_std = s.gain * std::hypot(s.gain_std, of_least);  // That was of the logarithm.
  }
  for (const std::size_t s : long_enough) greatest = std::max(greatest, out.stretches[s].gain);
  if (greatest < least_gain) return {};
  const double mean = sum_of(x.data(), x.size()) / static_cast<double>(x.size());
  std::vector<double> square;
  for (const NoiseStretch& s : out.stretches) square.push_back(mean_square(x, mean, s.first, s.end));
  for (std::size_t s = 1; s < out.stretches.size(); ++s) {
    const std::size_t at =
        change_near(x, mean, out.stretches[s].first, x.size() / count, square[s - 1], square[s]);
    if (at <= out.stretches[s - 1].first || at >= out.stretches[s].end) continue;
    out.stretches[s - 1].end = out.stretches[s].first = at;
  }
  const double limit = std::sqrt(greatest);
  for (const std::size_t s : long_enough) out.stretches[s].louder = out.stretches[s].gain > limit;
  if (!explains(out, pieces, piece, first, long_enough, least)) return {};
  // Beside the quiet: what is louder, and whether it comes in pulses.
  double quiet = 0, quiet_samples = 0, loud = 0, fourth = 0, loud_samples = 0;
  for (const std::size_t s : long_enough) {
    const NoiseStretch& stretch = out.stretches[s];
    const auto samples = static_cast<double>(stretch.end - stretch.first);
    const double held = mean_square(x, mean, stretch.first, stretch.end) * samples;
    if (stretch.louder)
      loud += held, loud_samples += samples,
          fourth += kurtosis(x, mean, stretch.first, stretch.end) * samples;
    else
      quiet += held, quiet_samples += samples;
  }
  const double excess = loud - quiet / std::max(1.0, quiet_samples) * loud_samples;
  if (!(quiet_samples > 0) || !(excess > 0) || fourth > most_kurtosis * loud_samples) return {};
  out.excess_rms = std::sqrt(excess / static_cast<double>(x.size()));
  return out;
}

}  // namespace vprism
