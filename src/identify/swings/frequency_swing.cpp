// frequency_swing.cpp: see frequency_swing.h.
#include "identify/swings/frequency_swing.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <optional>

#include "base/fft.h"
#include "base/percentile.h"
#include "identify/swings/swing_bands.h"

namespace vprism {

namespace {

constexpr double turn_rad = 2 * std::numbers::pi;
constexpr std::size_t least_samples = 2048, most_samples = std::size_t{1} << 23;
constexpr std::size_t swings_within = 32768;  // Samples of the middle.
constexpr double steady_amplitude = 0.2, steady_enough = 0.02, one_line = 0.45;

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
    const std::complex<double> down = z.data()[i] * std::polar(1.0, -turn_rad * (turns - std::floor(turns)));
    re.push_back(down.real()), im.push_back(down.imag());
  }
  return demodulate(re, im, rate_hz / static_cast<double>(each), shift * rate_hz, 1);
}

/// A part of it, in the middle.
Demodulated middle_of(const Demodulated& whole, std::size_t count) {
  if (whole.frequency.size() <= count) return whole;
  const auto first = static_cast<std::ptrdiff_t>((whole.frequency.size() - count) / 2),
             last = first + static_cast<std::ptrdiff_t>(count);
  const auto cut = [&](const std::vector<double>& x) {
    return std::vector<double>(x.begin() + first, x.begin() + last);
  };
  return {whole.rate_hz,    whole.shift_hz,       whole.start_s + static_cast<double>(first) / whole.rate_hz,
          whole.suppressed, cut(whole.amplitude), cut(whole.frequency),
          cut(whole.phase)};
}

/// Where its sidebands lie: beyond its swings by a quarter of them and five times their rate.
SwingBand band_of_swing(const Demodulated& series, double bin_hz, std::size_t bins) {
  std::vector<double> hz = series.frequency;
  const double lowest = percentile_in(hz, 0.001), highest = percentile_in(hz, 0.999);
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

/// Whether it comes near zero for more than a moment, as noise and lines that beat do.
bool vanishes(const FftArray<std::complex<double>>& z, std::size_t from, std::size_t until) {
  constexpr double least = 0.15;
  const std::size_t every = std::max<std::size_t>(1, (until - from) / 16384);
  std::vector<double> sizes;
  double sum = 0;
  for (std::size_t i = from; i < until; i += every)
    sizes.push_back(std::abs(z.data()[i])), sum += sizes.back();
  return percentile_in(sizes, 0.01) < least * sum / static_cast<double>(sizes.size());
}

/// What a carrier's amplitude does: its mean, its scatter over that once periodic swings are taken off, and
/// these.
struct AmplitudeCourse {
  double mean = 0, fluctuation = 0;
  std::optional<CourseFit> swings;
};

/// Swings of the amplitude are looked for where it does not stand.
AmplitudeCourse amplitude_of(const Size& size, const Demodulated& series) {
  constexpr std::size_t most_fitted = std::size_t{1} << 17, most_swings = 2;
  AmplitudeCourse out{size.mean, size.fluctuation, {}};
  if (size.fluctuation < steady_enough || series.amplitude.size() > most_fitted) return out;
  CourseFit fit = fit_course(series.amplitude, series.rate_hz, {});
  if (fit.swings.empty() || fit.swings.size() > most_swings) return out;
  out.mean = fit.values(0), out.fluctuation = fit.rms / fit.values(0);
  out.swings = std::move(fit);
  return out;
}

double square_about(std::span<const double> x, double mean) {
  double sum = 0;
  for (const double v : x) sum += (v - mean) * (v - mean);
  return sum;
}

/// Whether periodic swings are most of what the frequency does.
bool is_swing(const Modulation& course) {
  double squares = 0;
  for (const Swing& s : course.frequency) squares += s.fundamental * s.fundamental / 2;
  return squares > 4 * course.frequency_noise_hz * course.frequency_noise_hz;
}

/// A record's transform, and where in its samples the record lies.
struct Transformed {
  FftArray<std::complex<double>> bins;
  std::size_t samples = 0, before = 0, count = 0;
  double rate_hz = 0;
};

struct CarrierFound {
  FrequencySwing swing;
  std::vector<double> samples;
};

std::optional<CarrierFound> carrier_in(const Transformed& record, const SwingBand& band) {
  if (band.high < band.low + 16 || band.greatest_line > one_line) return {};
  const std::size_t all = record.samples, n = record.count;
  // Close to its ends the record shows only half of what the filter needs.
  const std::size_t from = record.before + n / 50, until = record.before + n - n / 50;
  const double bin_hz = record.rate_hz / static_cast<double>(all);
  SwingBand taken = band;
  FftArray<std::complex<double>> z(1);
  CarrierFound out;
  FrequencySwing& swing = out.swing;
  AmplitudeCourse amplitude;
  double series_start_s = 0;
  std::size_t margin = 0;
  // First the band as the power has it; then that of the swing, without lines that stand beside it.
  for (int pass = 0; pass < 3; ++pass) {
    margin = std::max<std::size_t>(8, (taken.high - taken.low) / 5);
    margin = std::min({margin, taken.low - std::min<std::size_t>(taken.low, 2),
                       all / 2 - 2 - std::min(all / 2 - 2, taken.high)});
    if (margin < 4) return {};
    z = analytic_signal(record.bins, all, taken, margin);
    const Size size = size_of(z, from, until);
    if (size.fluctuation > 2 * steady_amplitude && vanishes(z, from, until)) return {};
    const Demodulated series = carrier_of(z, from, until, record.rate_hz, taken, margin);
    amplitude = amplitude_of(size, series);
    if (!(amplitude.fluctuation < (pass < 2 ? 2 * steady_amplitude : steady_amplitude))) return {};
    series_start_s = series.start_s;
    if (pass < 2)
      taken = band_of_swing(series, bin_hz, record.bins.size());
    else
      swing.course = measure_modulation(series);
  }
  if (!amplitude.swings) swing.course.amplitude.clear();
  for (Jump& jump : swing.course.jumps)
    jump.time_s += static_cast<double>(from - record.before) / record.rate_hz;
  swing.fluctuation = amplitude.fluctuation, swing.greatest_line = band.greatest_line;
  swing.band_low_hz = bin_hz * static_cast<double>(taken.low - margin);
  swing.band_high_hz = bin_hz * static_cast<double>(taken.high + margin);
  // What leaves the band is not what lies in it.
  const Modulation& course = swing.course;
  if (course.lowest_hz < swing.band_low_hz || course.highest_hz > swing.band_high_hz) return {};
  // And a carrier turns some times in each swing: the orders of pulses make no carrier.
  if (!course.frequency.empty() && course.frequency.front().rate_hz > 0.5 * course.lowest_hz) return {};
  (void)allow_for_cut_sidebands(swing.course, swing.band_low_hz, swing.band_high_hz);
  std::vector<double> level(until - from, amplitude.mean);
  if (amplitude.swings) {
    std::fill(level.begin(), level.end(), 0.0);
    amplitude.swings->take_off(level, record.rate_hz, -series_start_s, record.rate_hz);
    for (double& v : level) v = -v;
  }
  double power = 0;
  for (std::size_t i = record.before; i < record.before + n; ++i) {
    const std::complex<double> here = z.data()[i];
    const bool at_end = i < from || i >= until;
    const double size = std::abs(here);
    out.samples.push_back(here.real() * (at_end || size == 0 ? 1 : level[i - from] / size));
    power += out.samples.back() * out.samples.back();
  }
  swing.rms = std::sqrt(power / static_cast<double>(n));
  return out;
}

}  // namespace

FrequencySwings find_frequency_swings(std::span<const double> x, double rate_hz) {
  constexpr std::size_t most_bands = 8;
  constexpr double least_share = 0.005;
  FrequencySwings out;
  const std::size_t n = x.size();
  if (n < least_samples || n > most_samples) return out;
  double mean = 0;
  for (const double v : x) mean += v / static_cast<double>(n);
  FftArray<double> samples = with_ends(x, mean);
  Transformed record{FftArray<std::complex<double>>(samples.size() / 2 + 1), samples.size(),
                     (samples.size() - n) / 2, n, rate_hz};
  RealFft(samples.size()).run(samples, record.bins);
  const std::vector<SwingBand> bands = bands_above_noise(record.bins.span());
  for (std::size_t b = 0; b < std::min(bands.size(), most_bands); ++b) {
    if (bands[b].share < least_share) break;
    const double middle_hz =
        rate_hz / static_cast<double>(record.samples) * static_cast<double>(bands[b].low + bands[b].high) / 2;
    // The whole may have led to one of its parts already.
    if (std::any_of(out.carriers.begin(), out.carriers.end(), [&](const FrequencySwing& known) {
          return middle_hz > known.band_low_hz && middle_hz < known.band_high_hz;
        }))
      continue;
    auto found = carrier_in(record, bands[b]);
    if (!found) continue;
    const std::span<const double> now = out.rest.empty() ? x : std::span<const double>(out.rest);
    std::vector<double> less(now.begin(), now.end());
    for (std::size_t i = 0; i < n; ++i) less[i] -= found->samples[i];
    // What was there leaves as much power less as it has.
    const double power = square_about(now, mean),
                 held = found->swing.rms * found->swing.rms * static_cast<double>(n);
    if (std::abs(power - held - square_about(less, mean)) > 0.1 * held) continue;
    // What is only a part of the record must swing: others may be lines that drift together.
    if (held < 0.5 * power && !is_swing(found->swing.course)) continue;
    out.rest = std::move(less);
    out.carriers.push_back(std::move(found->swing));
  }
  return out;
}

}  // namespace vprism
