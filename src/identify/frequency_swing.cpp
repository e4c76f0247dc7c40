// frequency_swing.cpp: see frequency_swing.h.
#include "identify/frequency_swing.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/fft.h"
#include "identify/steady_lines.h"

namespace vprism {

namespace {

constexpr double whole_turn = 2 * std::numbers::pi;
constexpr std::size_t least_samples = 2048, most_samples = std::size_t{1} << 23;
constexpr std::size_t most_points = 8192;  // Of its course.
constexpr double steady_amplitude = 0.2, one_line = 0.45;

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

bool is_multiple(double rate, double of, double slack) {
  const double order = std::round(rate / of);
  return order >= 2 && std::abs(rate - order * of) < order * slack;
}

/// Sines in the course of the frequency: `series` are its means over steps of `rate_hz`.
void find_parts(std::vector<double> series, double rate_hz, FrequencySwing& out) {
  const auto count = static_cast<double>(series.size());
  double before = 0, after = 0, left = 0, mean = 0;
  for (const double f : series) mean += f / count;
  for (double& f : series) f -= mean;
  out.frequency_hz = mean, out.parts.clear();
  for (const double f : series) before += f * f;
  const std::vector<SteadyLine> lines = steady_lines(series, {}, 8);
  take_off(series, lines);
  for (const double f : series) left += f;
  out.frequency_hz += left / count;
  for (const double f : series) after += (f - left / count) * (f - left / count);
  const double sigma = std::sqrt(after / count), duration_s = count / rate_hz;
  out.frequency_std_hz = sigma / std::sqrt(count);
  out.explained = before > 0 ? std::clamp(1 - after / before, 0.0, 1.0) : 0;
  for (const SteadyLine& line : lines) {
    SwingPart part;
    part.rate_hz = line.cycles * rate_hz;
    const double amplitude = std::hypot(line.cosine, line.sine);
    const double u = std::numbers::pi * part.rate_hz / rate_hz;
    part.deviation_hz = amplitude * (u > 0 ? u / std::sin(u) : 1);
    part.deviation_std_hz = sigma * std::sqrt(2 / count);
    part.rate_std_hz =
        std::sqrt(6.0) / std::numbers::pi * sigma / (amplitude * std::sqrt(count) * duration_s);
    const bool further = std::any_of(out.parts.begin(), out.parts.end(), [&](const SwingPart& p) {
      return is_multiple(part.rate_hz, p.rate_hz, 0.2 / duration_s);
    });
    if (!further && part.deviation_hz > 5 * part.deviation_std_hz) out.parts.push_back(part);
  }
  std::sort(out.parts.begin(), out.parts.end(),
            [](const SwingPart& a, const SwingPart& b) { return a.deviation_hz > b.deviation_hz; });
  if (!out.parts.empty())
    std::erase_if(out.parts,
                  [&](const SwingPart& p) { return p.deviation_hz < 0.02 * out.parts[0].deviation_hz; });
}

/// Means of the frequency over `each` samples.
std::vector<double> frequencies(const FftArray<std::complex<double>>& z, std::size_t from, std::size_t until,
                                std::size_t each, double rate_hz) {
  std::vector<double> out((until - from - 1) / each);
  for (std::size_t i = 0; i < out.size() * each; ++i) {
    const std::complex<double> turned = z.data()[from + i + 1] * std::conj(z.data()[from + i]);
    out[i / each] += std::arg(turned) / whole_turn * rate_hz / static_cast<double>(each);
  }
  return out;
}

/// Squares of all deviations together.
double swings_of(const FrequencySwing& swing) {
  double sum = 0;
  for (const SwingPart& part : swing.parts) sum += part.deviation_hz * part.deviation_hz;
  return sum;
}

/// What the analytic signal says between two samples.
struct Course {
  FrequencySwing swing;
  double amplitude = 0;
};

Course course_of(const FftArray<std::complex<double>>& z, std::size_t from, std::size_t until,
                 double rate_hz) {
  Course out;
  FrequencySwing& swing = out.swing;
  double sum = 0, squares = 0;
  for (std::size_t i = from; i < until; ++i) sum += std::abs(z.data()[i]), squares += std::norm(z.data()[i]);
  const auto inner = static_cast<double>(until - from);
  out.amplitude = sum / inner;
  swing.fluctuation =
      std::sqrt(std::max(0.0, squares / inner - out.amplitude * out.amplitude)) / out.amplitude;
  const std::size_t each = (until - from) / most_points + 1;
  std::vector<double> series = frequencies(z, from, until, each, rate_hz);
  std::vector<double> sorted = series;
  std::sort(sorted.begin(), sorted.end());
  const std::size_t hundredth = sorted.size() / 100;
  swing.low_hz = sorted[hundredth], swing.high_hz = sorted[sorted.size() - 1 - hundredth];
  find_parts(std::move(series), rate_hz / static_cast<double>(each), swing);
  // Swings quicker than these means show in a stretch of the record.
  const std::size_t middle = from + (until - from) / 2;
  for (std::size_t finer = each / 8; each > 1; finer /= 8) {
    const std::size_t step = std::max<std::size_t>(finer, 1), half = most_points / 2 * step;
    FrequencySwing stretch = swing;
    series = frequencies(z, middle - half, middle + half, step, rate_hz);
    sorted = series;
    std::sort(sorted.begin(), sorted.end());
    find_parts(std::move(series), rate_hz / static_cast<double>(step), stretch);
    if (swings_of(stretch) > 2 * swings_of(swing)) {
      swing = std::move(stretch);
      swing.low_hz = sorted[hundredth], swing.high_hz = sorted[sorted.size() - 1 - hundredth];
    }
    if (step == 1) break;
  }
  return out;
}

/// Where its sidebands lie: beyond its swings by a quarter of them and five times their rate.
SwingBand band_of_swing(const FrequencySwing& swing, double bin_hz, std::size_t bins) {
  double beyond = (swing.high_hz - swing.low_hz) / 4;
  if (!swing.parts.empty() && swing.explained > 0.5) beyond += 5 * swing.parts.front().rate_hz;
  SwingBand out;
  const auto last = static_cast<double>(bins - 3);
  out.low = static_cast<std::size_t>(std::clamp((swing.low_hz - beyond) / bin_hz, 10.0, last - 16));
  out.high = static_cast<std::size_t>(
      std::clamp((swing.high_hz + beyond) / bin_hz, static_cast<double>(out.low) + 8, last - 8));
  return out;
}

}  // namespace

std::optional<FrequencySwing> find_frequency_swing(std::span<const double> x, double rate_hz) {
  const std::size_t n = x.size();
  if (n < least_samples || n > most_samples) return {};
  double mean = 0;
  for (const double v : x) mean += v / static_cast<double>(n);
  FftArray<double> samples(n);
  for (std::size_t i = 0; i < n; ++i) samples.data()[i] = x[i] - mean;
  FftArray<std::complex<double>> bins(n / 2 + 1);
  RealFft(n).run(samples, bins);
  const auto band = band_above_noise(bins);
  if (!band || band->high < band->low + 16 || band->greatest_line > one_line) return {};
  // Where the record's ends meet in the transform it is no signal.
  const std::size_t from = n / 50, until = n - n / 50;
  const double bin_hz = rate_hz / static_cast<double>(n);
  SwingBand taken = *band;
  FftArray<std::complex<double>> z(1);
  Course course;
  std::size_t margin = 0;
  // First the band as the power has it; then that of the swing, without lines that stand beside it.
  for (int pass = 0; pass < 3; ++pass) {
    margin = std::max<std::size_t>(8, (taken.high - taken.low) / 5);
    margin = std::min({margin, taken.low - std::min<std::size_t>(taken.low, 2),
                       n / 2 - 2 - std::min(n / 2 - 2, taken.high)});
    if (margin < 4) return {};
    z = analytic_signal(bins, n, taken, margin);
    course = course_of(z, from, until, rate_hz);
    if (!(course.swing.fluctuation < (pass < 2 ? 2 * steady_amplitude : steady_amplitude))) return {};
    if (pass < 2) taken = band_of_swing(course.swing, bin_hz, bins.size());
  }
  FrequencySwing out = std::move(course.swing);
  const double amplitude = course.amplitude;
  out.greatest_line = band->greatest_line;
  out.band_low_hz = bin_hz * static_cast<double>(taken.low - margin);
  out.band_high_hz = bin_hz * static_cast<double>(taken.high + margin);
  out.rest.assign(x.begin(), x.end());
  double power = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const bool whole = i < from || i >= until;
    const double size = std::abs(z.data()[i]);
    const double carrier = z.data()[i].real() * (whole || size == 0 ? 1 : amplitude / size);
    out.rest[i] -= carrier;
    power += carrier * carrier;
  }
  out.rms = std::sqrt(power / static_cast<double>(n));
  return out;
}

}  // namespace vprism
