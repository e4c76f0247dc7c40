// frequency_swing.cpp: see frequency_swing.h.
#include "identify/frequency_swing.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/fft.h"
#include "condition/backcast.h"

namespace vprism {

namespace {

constexpr double whole_turn = 2 * std::numbers::pi;
constexpr std::size_t least_samples = 2048, most_samples = std::size_t{1} << 23;
constexpr std::size_t swings_within = 32768;  // Samples of the middle.
constexpr double steady_amplitude = 0.2, one_line = 0.45;

/// The samples about their mean, longer by some at either end, which go on by the signal's own course: where
/// the ends of a record meet in a transform, it is no signal.
FftArray<double> with_ends(std::span<const double> x, double mean) {
  constexpr std::size_t course = 4096;
  const std::size_t n = x.size(), part = std::bit_floor(n / 64), more = (n + n / 25 + part) / part * part - n;
  const std::size_t before = more / 2, behind = more - before, near = std::min(n, course);
  std::vector<double> first(x.begin(), x.begin() + static_cast<std::ptrdiff_t>(near)),
      last(x.rbegin(), x.rbegin() + static_cast<std::ptrdiff_t>(near));
  FftArray<double> out(n + more);
  std::copy_n(backcast(first, before).begin(), before, out.data());
  std::copy(x.begin(), x.end(), out.data() + before);
  const std::vector<double> onward = backcast(last, behind);
  std::copy(onward.rbegin(), onward.rend(), out.data() + before + n);
  for (double& v : out.span()) v -= mean;
  return out;
}

/// The bins that hold 99% of what stands above the noise, and the share of the strongest line.
struct SwingBand {
  std::size_t low = 0, high = 0;
  double greatest_line = 1;
};

std::optional<SwingBand> band_above_noise(const FftArray<std::complex<double>>& bins) {
  std::vector<double> power(bins.size());
  double total = 0;
  for (std::size_t k = 1; k < power.size(); ++k) total += power[k] = std::norm(bins.data()[k]);
  std::vector<double> sorted(power.begin() + 1, power.end());
  const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
  std::nth_element(sorted.begin(), middle, sorted.end());
  const double above = 12 * *middle / std::numbers::ln2;
  double stands = 0, greatest = 0;
  for (std::size_t k = 1; k < power.size(); ++k) {
    if (power[k] > above) stands += power[k];
    // A line between two bins, without a window, holds nine tenths of its power in four.
    if (k >= 2 && k + 2 < power.size())
      greatest = std::max(greatest, power[k - 1] + power[k] + power[k + 1] + power[k + 2]);
  }
  if (!(stands > 0.5 * total)) return {};
  SwingBand out;
  out.greatest_line = greatest / total;
  double sum = 0;
  for (std::size_t k = 1; k < power.size(); ++k) {
    if (power[k] <= above) continue;
    sum += power[k];
    if (out.low == 0 && sum > 0.005 * stands) out.low = k;
    if (out.high == 0 && sum > 0.995 * stands) out.high = k;
  }
  return out;
}

/// The analytic signal of these bins; beyond them it fades out within `margin`.
FftArray<std::complex<double>> analytic_signal(const FftArray<std::complex<double>>& bins,
                                               std::size_t samples, const SwingBand& band,
                                               std::size_t margin) {
  FftArray<std::complex<double>> in(samples), out(samples);
  std::fill_n(in.data(), samples, std::complex<double>());
  for (std::size_t k = band.low - margin; k <= band.high + margin; ++k) {
    const double beyond = k < band.low    ? static_cast<double>(band.low - k)
                          : k > band.high ? static_cast<double>(k - band.high)
                                          : 0;
    const double fade = std::cos(std::numbers::pi / 2 * beyond / static_cast<double>(margin + 1));
    in.data()[k] = bins.data()[k] * (2 * fade * fade / static_cast<double>(samples));
  }
  ComplexFft(samples).back(in, out);
  return out;
}

/// Of the analytic signal between two samples: mean and scatter of its size.
struct Size {
  double mean = 0, fluctuation = 0;
};

Size size_of(const FftArray<std::complex<double>>& z, std::size_t from, std::size_t until) {
  double sum = 0, squares = 0;
  for (std::size_t i = from; i < until; ++i) sum += std::abs(z.data()[i]), squares += std::norm(z.data()[i]);
  const auto count = static_cast<double>(until - from);
  Size out{sum / count, 0};
  out.fluctuation = std::sqrt(std::max(0.0, squares / count - out.mean * out.mean)) / out.mean;
  // Noise lengthens the mean of a steady carrier by half of its own part across.
  out.mean *= 1 - out.fluctuation * out.fluctuation / 2;
  return out;
}

/// The signal shifted down by the middle of its band, in as few samples as this needs.
Demodulated carrier_of(const FftArray<std::complex<double>>& z, std::size_t from, std::size_t until,
                       double rate_hz, const SwingBand& band, std::size_t margin) {
  const auto width = static_cast<double>(band.high - band.low + 2 * margin) / static_cast<double>(z.size());
  const auto each = static_cast<std::size_t>(std::max(1.0, std::floor(0.4 / width)));
  const double shift = static_cast<double>(band.low + band.high) / 2 / static_cast<double>(z.size());
  std::vector<double> re, im;
  for (std::size_t i = from; i < until; i += each) {
    const double turns = shift * static_cast<double>(i);
    const std::complex<double> down =
        z.data()[i] * std::polar(1.0, -whole_turn * (turns - std::floor(turns)));
    re.push_back(down.real()), im.push_back(down.imag());
  }
  return demodulate(re, im, rate_hz / static_cast<double>(each), shift * rate_hz, 1);
}

/// A part of it, in the middle.
Demodulated middle_of(const Demodulated& whole, std::size_t count) {
  Demodulated out = whole;
  if (whole.frequency.size() > count) trim(out, (whole.frequency.size() - count) / 2);
  return out;
}

/// Where its sidebands lie: beyond its swings by a quarter of them and five times their rate.
SwingBand band_of_swing(const Demodulated& series, double bin_hz, std::size_t bins) {
  std::vector<double> hz = series.frequency;
  const std::size_t few = hz.size() / 1000;
  std::nth_element(hz.begin(), hz.begin() + static_cast<std::ptrdiff_t>(few), hz.end());
  const double lowest = hz[few];
  std::nth_element(hz.begin(), hz.end() - 1 - static_cast<std::ptrdiff_t>(few), hz.end());
  const double highest = hz[hz.size() - 1 - few];
  const Modulation course = measure_modulation(middle_of(series, swings_within));
  double beyond = (highest - lowest) / 4;
  if (!course.frequency.empty()) beyond += 5 * course.frequency.front().rate_hz;
  SwingBand out;
  const auto last = static_cast<double>(bins - 3);
  out.low = static_cast<std::size_t>(std::clamp((lowest - beyond) / bin_hz, 10.0, last - 16));
  out.high = static_cast<std::size_t>(
      std::clamp((highest + beyond) / bin_hz, static_cast<double>(out.low) + 8, last - 8));
  return out;
}

}  // namespace

std::optional<FrequencySwing> find_frequency_swing(std::span<const double> x, double rate_hz) {
  const std::size_t n = x.size();
  if (n < least_samples || n > most_samples) return {};
  double mean = 0;
  for (const double v : x) mean += v / static_cast<double>(n);
  FftArray<double> samples = with_ends(x, mean);
  const std::size_t all = samples.size(), before = (all - n) / 2;
  FftArray<std::complex<double>> bins(all / 2 + 1);
  RealFft(all).run(samples, bins);
  const auto band = band_above_noise(bins);
  if (!band || band->high < band->low + 16 || band->greatest_line > one_line) return {};
  // Close to its ends the record shows only half of what the filter needs.
  const std::size_t from = before + n / 50, until = before + n - n / 50;
  const double bin_hz = rate_hz / static_cast<double>(all);
  SwingBand taken = *band;
  FftArray<std::complex<double>> z(1);
  FrequencySwing out;
  double amplitude = 0;
  std::size_t margin = 0;
  // First the band as the power has it; then that of the swing, without lines that stand beside it.
  for (int pass = 0; pass < 3; ++pass) {
    margin = std::max<std::size_t>(8, (taken.high - taken.low) / 5);
    margin = std::min({margin, taken.low - std::min<std::size_t>(taken.low, 2),
                       all / 2 - 2 - std::min(all / 2 - 2, taken.high)});
    if (margin < 4) return {};
    z = analytic_signal(bins, all, taken, margin);
    const Size size = size_of(z, from, until);
    if (!(size.fluctuation < (pass < 2 ? 2 * steady_amplitude : steady_amplitude))) return {};
    amplitude = size.mean, out.fluctuation = size.fluctuation;
    const Demodulated series = carrier_of(z, from, until, rate_hz, taken, margin);
    if (pass < 2)
      taken = band_of_swing(series, bin_hz, bins.size());
    else
      out.course = measure_modulation(series);
  }
  for (Jump& jump : out.course.jumps) jump.time_s += static_cast<double>(from - before) / rate_hz;
  out.greatest_line = band->greatest_line;
  out.band_low_hz = bin_hz * static_cast<double>(taken.low - margin);
  out.band_high_hz = bin_hz * static_cast<double>(taken.high + margin);
  (void)allow_for_cut_sidebands(out.course, out.band_low_hz, out.band_high_hz);
  out.rest.assign(x.begin(), x.end());
  double power = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const std::complex<double> here = z.data()[before + i];
    const bool at_end = before + i < from || before + i >= until;
    const double size = std::abs(here);
    const double carrier = here.real() * (at_end || size == 0 ? 1 : amplitude / size);
    out.rest[i] -= carrier;
    power += carrier * carrier;
  }
  out.rms = std::sqrt(power / static_cast<double>(n));
  return out;
}

}  // namespace vprism
