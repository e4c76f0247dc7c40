// spectrum.cpp: see spectrum.h.
#include "transform/spectra/spectrum.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

const std::vector<AverageEntry>& average_table() {
  static const std::vector<AverageEntry> table = {
      {Average::mean, "mean", "of powers (RMS), every segment alike"},
      {Average::amplitude, "amplitude", "of amplitudes, every segment alike"},
      {Average::exponential, "exponential", "of powers, the newest segments counting most"},
      {Average::median, "median", "of powers: rare events are left out"},
      {Average::peak_hold, "peak-hold", "the highest of all segments"},
      {Average::min_hold, "min-hold", "the lowest of all segments"}};
  return table;
}

Average parse_average(std::string_view text) { return entry_named("average", text, average_table()).average; }

SpectrumPlan plan_spectrum(const SpectrumSettings& settings, std::int64_t samples, double rate_hz) {
  const double enbw = window_enbw_bins(settings.window);
  const auto n = static_cast<double>(samples);
  SpectrumPlan plan;
  plan.rate_hz = rate_hz;
  const auto too_short = [&](double needed) {
    throw Error(Status::analysis, "the record is too short: " + format_quantity(needed / rate_hz, "s") +
                                      " (" + format_number(needed, 12) + " samples) are needed, " +
                                      format_quantity(n / rate_hz, "s") + " (" + std::to_string(samples) +
                                      ") are there");
  };
  if (settings.resolution_hz) {
    const double wanted = std::ceil(enbw * rate_hz / *settings.resolution_hz * (1 - 1e-9));
    if (wanted > n) too_short(wanted);
    if (wanted < 4)
      throw Error(Status::analysis, "a resolution of " + format_quantity(*settings.resolution_hz, "Hz") +
                                        " is too coarse for a rate of " + format_quantity(rate_hz, "Hz") +
                                        "; at most " + format_quantity(enbw * rate_hz / 4, "Hz") +
                                        " leaves 4 samples a segment");
    plan.segment = static_cast<std::size_t>(wanted);
  } else if (settings.segment) {
    plan.segment = *settings.segment;
    if (static_cast<double>(plan.segment) > n) too_short(static_cast<double>(plan.segment));
  } else {
    constexpr std::int64_t whole = 32768, most = 131072;
    // As long as two half-overlapped segments don't fit, one that holds all there is.
    plan.segment =
        static_cast<std::size_t>(2 * samples < 3 * whole ? samples : std::clamp(samples / 8, whole, most));
  }
  if (plan.segment < 4) too_short(4);
  if (plan.segment > (std::size_t{1} << 28))
    throw Error(Status::analysis,
                "a segment of more than 268435456 samples is not supported; ask for less resolution");
  plan.hop = static_cast<std::size_t>(
      std::max(1.0, std::round(static_cast<double>(plan.segment) * (1 - settings.overlap))));
  const std::int64_t behind = samples - static_cast<std::int64_t>(plan.segment);
  // Left to itself, the last segment ends with the record: steps are a little shorter than half a segment.
  if (!settings.resolution_hz && !settings.segment && settings.overlap == SpectrumSettings().overlap &&
      behind > 0) {
    const auto step = static_cast<std::int64_t>(plan.hop), steps = (behind + step - 1) / step;
    plan.hop = static_cast<std::size_t>(behind / steps);
  }
  plan.averages = 1 + behind / static_cast<std::int64_t>(plan.hop);
  plan.bin_hz = rate_hz / static_cast<double>(plan.segment);
  plan.rbw_hz = enbw * plan.bin_hz;
  return plan;
}

std::pair<std::size_t, std::size_t> Spectrum::bins_within(std::optional<double> low,
                                                          std::optional<double> high) const {
  const auto place = [&](double bin) {
    return static_cast<std::size_t>(std::clamp(bin, 0.0, static_cast<double>(bins())));
  };
  const std::size_t end = high ? place(std::floor(bins_at(*high) + 1e-9) + 1) : bins();
  return {std::min(low ? place(std::ceil(bins_at(*low) - 1e-9)) : 0, end), end};
}

Spectrum Spectrum::cropped(double low_hz, double high_hz) const {
  const auto [low, high] = bins_within(low_hz, high_hz);
  Spectrum out = *this;
  out.start_bins += static_cast<double>(low);
  const auto cut = [low = low, high = high](auto& values) {
    if (values.empty()) return;
    values.resize(high);
    values.erase(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(low));
  };
  cut(out.power);
  cut(out.first);
  for (auto& stretch : out.stretches) cut(stretch);
  return out;
}

Spectrum Spectrum::unpadded() const {
  if (transform == plan.segment) return *this;
  const std::size_t pad = transform / plan.segment;
  Spectrum out = *this;
  out.transform = plan.segment;
  out.plan.bin_hz *= static_cast<double>(pad);
  out.enbw_bins /= static_cast<double>(pad);
  // Bins of the longer transform that are those of the shorter: multiples of `pad` counted from the centre.
  out.start_bins = std::ceil(start_bins / static_cast<double>(pad));
  const auto from = static_cast<std::size_t>(out.start_bins * static_cast<double>(pad) - start_bins);
  const auto thin = [&](auto& values) {
    std::size_t count = 0;
    for (std::size_t k = from; k < values.size(); k += pad) values[count++] = values[k];
    values.resize(count);
  };
  thin(out.power);
  thin(out.first);
  for (auto& stretch : out.stretches) thin(stretch);
  return out;
}

double Spectrum::rms_around(double hz, double half_width_bins) const {
  const double middle = bins_at(hz), last = static_cast<double>(bins()) - 1;
  const auto low = static_cast<std::size_t>(std::clamp(std::ceil(middle - half_width_bins), 0.0, last));
  const auto high = static_cast<std::size_t>(std::clamp(std::floor(middle + half_width_bins), 0.0, last));
  double sum = 0;
  for (std::size_t k = low; k <= high; ++k) sum += share(k);
  return std::sqrt(sum);
}

double Spectrum::rms_total() const {
  double sum = 0;
  for (std::size_t k = 0; k < bins(); ++k) sum += share(k);
  return std::sqrt(sum);
}

}  // namespace vprism
