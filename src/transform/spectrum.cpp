// spectrum.cpp: averaged one-sided spectra by overlapped, windowed segments (Welch, IEEE Trans. AU-15 (1967)
// 70-73).
//
// Segment j gives X_j[k] = sum_n w[n] x_j[n] exp(-2 pi i k n / N). The mean square of bin k is
//     P[k] = c_k mean_j |X_j[k]|^2 / sum(w)^2,   c_k = 1 at DC and at Nyquist (N even), else 2
// and the density S[k] = P[k] / rbw = c_k mean_j |X_j[k]|^2 / (fs sum(w^2)), so that sum S df = mean square.
//
// Segments are worked on in batches of a fixed number, each shared out to groups of fixed members; every
// group adds to a sum of its own, and the sums are joined in order at the end, so the bytes of the result
// do not depend on the number of threads.
#include "transform/spectrum.h"

#include <oneapi/tbb/enumerable_thread_specific.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/fft.h"
#include "base/text.h"

namespace vprism {

const std::vector<ScaleEntry>& scale_table() {
  static const std::vector<ScaleEntry> table = {
      {Scale::peak, "peak", "amplitude of a sine, zero to peak", true},
      {Scale::rms, "rms", "RMS of a sine", true},
      {Scale::power, "power", "mean square of a sine", false},
      {Scale::psd, "psd", "mean square per hertz", false}};
  return table;
}

const ScaleEntry& scale_entry(Scale scale) {
  return *std::find_if(scale_table().begin(), scale_table().end(),
                       [&](const ScaleEntry& e) { return e.scale == scale; });
}

Scale parse_scale(std::string_view text) {
  std::vector<std::string> names;
  for (const ScaleEntry& entry : scale_table()) {
    if (text == entry.name) return entry.scale;
    names.emplace_back(entry.name);
  }
  throw Error(Status::usage, unknown_name("scale", text, names));
}

std::string scale_unit(const Unit& unit, Scale scale) {
  const std::string label = unit.label();
  if (scale_entry(scale).amplitude) return label;
  const bool plain = label.find_first_of("/*. \u00B2") == std::string::npos;
  const std::string square = label == "1" ? "1" : (plain ? label : "(" + label + ")") + "\u00B2";
  return scale == Scale::power ? square : square + "/Hz";
}

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
    plan.segment =
        static_cast<std::size_t>(samples <= whole ? samples : std::clamp(samples / 8, whole, most));
  }
  if (plan.segment < 4) too_short(4);
  if (plan.segment > (std::size_t{1} << 28))
    throw Error(Status::analysis,
                "a segment of more than 268435456 samples is not supported; ask for less resolution");
  plan.hop = static_cast<std::size_t>(
      std::max(1.0, std::round(static_cast<double>(plan.segment) * (1 - settings.overlap))));
  plan.averages =
      1 + (samples - static_cast<std::int64_t>(plan.segment)) / static_cast<std::int64_t>(plan.hop);
  plan.bin_hz = rate_hz / static_cast<double>(plan.segment);
  plan.rbw_hz = enbw * plan.bin_hz;
  return plan;
}

double Spectrum::level(std::size_t bin, Scale scale) const {
  switch (scale) {
    case Scale::peak:
      return std::sqrt((doubled(bin) ? 2 : 1) * power[bin]);
    case Scale::rms:
      return std::sqrt(power[bin]);
    case Scale::power:
      return power[bin];
    case Scale::psd:
      return power[bin] / plan.rbw_hz;
  }
  return 0;
}

double Spectrum::rms_around(double hz, double half_width_bins) const {
  const double middle = hz / plan.bin_hz, last = static_cast<double>(bins()) - 1;
  const auto low = static_cast<std::size_t>(std::clamp(std::ceil(middle - half_width_bins), 0.0, last));
  const auto high = static_cast<std::size_t>(std::clamp(std::floor(middle + half_width_bins), 0.0, last));
  double sum = 0;
  for (std::size_t k = low; k <= high; ++k) sum += power[k];
  return std::sqrt(sum / enbw_bins);
}

double Spectrum::rms_total() const {
  double sum = 0;
  for (const double p : power) sum += p;
  return std::sqrt(sum / enbw_bins);
}

namespace {

/// Segments worked on in one go, and how many of them share one partial sum.
struct Batch {
  std::size_t segments, group;
};

Batch batch_for(std::size_t hop, std::size_t channels) {
  // About 2^17 new samples a batch, which stay in the cache, and up to 8 groups for the cores to share: each
  // has a sum of its own for the whole record, so few where many channels give the cores enough to do.
  const std::size_t segments = std::clamp<std::size_t>((std::size_t{1} << 17) / hop, 1, 1024);
  const std::size_t groups = std::clamp<std::size_t>(16 / channels, 1, std::min<std::size_t>(8, segments));
  return {segments, (segments + groups - 1) / groups};
}

struct Scratch {
  explicit Scratch(const RealFft& fft) : in(fft.size()), out(fft.bins()) {}
  FftArray<double> in;
  FftArray<std::complex<double>> out;
};

/// Effective number of averages of noise power: 1/J_eff = (1/J) [1 + 2 sum_m (1 - m/J) c_m^2],
/// c_m = sum w[n] w[n + m hop] / sum w^2 (Welch 1967).
double effective_averages(const std::vector<double>& window, const SpectrumPlan& plan) {
  double square = 0;
  for (const double w : window) square += w * w;
  const auto count = static_cast<double>(plan.averages);
  double sum = 1;
  for (std::size_t m = 1; m * plan.hop < plan.segment && static_cast<std::int64_t>(m) < plan.averages; ++m) {
    double c = 0;
    for (std::size_t n = 0; n + m * plan.hop < plan.segment; ++n) c += window[n] * window[n + m * plan.hop];
    c /= square;
    sum += 2 * (1 - static_cast<double>(m) / count) * c * c;
  }
  return count / sum;
}

}  // namespace

struct SpectrumEstimator::Inner {
  Inner(std::size_t channels, const SpectrumPlan& p, const Window& w)
      : plan(p),
        kind(w),
        window(make_window(w, p.segment)),
        fft(p.segment),
        batch(batch_for(p.hop, channels)),
        scratch([this] { return Scratch(fft); }) {
    capacity = plan.segment + (batch.segments - 1) * plan.hop;
    held.assign(channels, std::vector<double>());
    for (auto& kept : held) kept.reserve(capacity);
    groups_of_all = (batch.segments + batch.group - 1) / batch.group;
    sums.assign(channels * groups_of_all, std::vector<double>(fft.bins(), 0.0));
    first.resize(channels);
    for (const double x : window) window_sum += x;
    totals.assign(channels, 0.0);
  }

  /// Adds |X|^2 of `count` segments of one channel, from the one with number `from` in the batch.
  void add_group(std::size_t channel, std::size_t from, std::size_t count, std::vector<double>& sum) {
    Scratch& mine = scratch.local();
    for (std::size_t s = from; s < from + count; ++s) {
      const double* x = held[channel].data() + s * plan.hop;
      double* in = mine.in.data();
      const double* w = window.data();
      for (std::size_t n = 0; n < plan.segment; ++n) in[n] = w[n] * x[n];
      fft.run(mine.in, mine.out);
      const std::complex<double>* out = mine.out.data();
      if (done == 0 && s == 0) {
        first[channel].assign(out, out + fft.bins());
        for (auto& v : first[channel]) v /= window_sum;
      }
      double* total = sum.data();
      const double* parts = reinterpret_cast<const double*>(out);  // Real and imaginary part in turn.
      for (std::size_t k = 0, bins = sum.size(); k < bins; ++k)
        total[k] += parts[2 * k] * parts[2 * k] + parts[2 * k + 1] * parts[2 * k + 1];
    }
  }

  /// Works on the first `segments` segments held and lets go of what they do not share with the next.
  void work(std::size_t segments) {
    const std::size_t channels = held.size();
    const std::size_t groups = (segments + batch.group - 1) / batch.group;
    oneapi::tbb::parallel_for(std::size_t{0}, groups * channels, [&](std::size_t task) {
      const std::size_t channel = task / groups, group = task % groups;
      const std::size_t from = group * batch.group;
      add_group(channel, from, std::min(batch.group, segments - from), sums[channel * groups_of_all + group]);
    });
    done += static_cast<std::int64_t>(segments);
    const std::size_t used = segments * plan.hop;
    for (auto& kept : held)
      kept.erase(kept.begin(), kept.begin() + static_cast<std::ptrdiff_t>(std::min(used, kept.size())));
  }

  /// `count` samples of every channel that follow those held.
  void add(const Block& block, std::size_t from, std::size_t count);
  /// The samples that follow do not join those held.
  void part_here();

  std::size_t whole_segments() const {
    const std::size_t have = held.front().size();
    return have < plan.segment ? 0 : 1 + (have - plan.segment) / plan.hop;
  }

  SpectrumPlan plan;
  Window kind;
  std::vector<double> window;
  double window_sum = 0;
  RealFft fft;
  Batch batch;
  oneapi::tbb::enumerable_thread_specific<Scratch> scratch;
  std::size_t capacity = 0;
  std::vector<std::vector<double>> held;  ///< Per channel: samples not yet done with.
  std::size_t groups_of_all = 1;
  std::vector<std::vector<double>> sums;  ///< Per channel and group within a batch, over all batches.
  std::vector<std::vector<std::complex<double>>> first;
  std::vector<double> totals;  ///< Sum of all samples per channel.
  std::int64_t samples = 0, done = 0;
  bool parted = false;
};

SpectrumEstimator::SpectrumEstimator(std::size_t channels, const SpectrumPlan& plan, const Window& window)
    : inner_(std::make_unique<Inner>(channels, plan, window)) {}
SpectrumEstimator::~SpectrumEstimator() = default;

void SpectrumEstimator::add(const Block& block) {
  if (!block.gaps()) return inner_->add(block, 0, block.size());
  // A segment never reaches over a missing sample of any channel: segments start anew behind it.
  const auto missing = [&](std::size_t n) {
    for (std::size_t c = 0; c < block.channels(); ++c)
      if (std::isnan(block.samples(c)[n])) return true;
    return false;
  };
  for (std::size_t at = 0; at < block.size();) {
    std::size_t end = at;
    while (end < block.size() && !missing(end)) ++end;
    inner_->add(block, at, end - at);
    if (end < block.size()) inner_->part_here();
    while (end < block.size() && missing(end)) ++end;
    at = end;
  }
}

void SpectrumEstimator::Inner::part_here() {
  if (held.front().empty()) return;
  if (const std::size_t left = whole_segments(); left > 0) work(left);
  for (auto& kept : held) kept.clear();
  parted = true;
}

void SpectrumEstimator::Inner::add(const Block& block, std::size_t from, std::size_t count) {
  samples += static_cast<std::int64_t>(count);
  for (std::size_t c = 0; c < held.size(); ++c) {
    // Four sums side by side: one would wait for itself.
    const auto x = block.samples(c).subspan(from, count);
    double part[4] = {0, 0, 0, 0};
    std::size_t n = 0;
    for (; n + 4 <= x.size(); n += 4)
      for (std::size_t i = 0; i < 4; ++i) part[i] += x[n + i];
    for (; n < x.size(); ++n) part[0] += x[n];
    totals[c] += (part[0] + part[1]) + (part[2] + part[3]);
  }
  for (std::size_t at = 0; at < count;) {
    // Segments that start beyond the end of a hop longer than the segment are skipped samples at the head.
    const std::size_t take = std::min(count - at, capacity - held.front().size());
    for (std::size_t c = 0; c < held.size(); ++c) {
      const auto part = block.samples(c).subspan(from + at, take);
      held[c].insert(held[c].end(), part.begin(), part.end());
    }
    at += take;
    if (held.front().size() == capacity) work(batch.segments);
  }
}

std::vector<Spectrum> SpectrumEstimator::result() const {
  Inner& in = *inner_;
  if (const std::size_t left = in.whole_segments(); left > 0) in.work(left);
  if (in.done == 0)
    throw Error(Status::analysis,
                std::string(in.parted ? "no stretch between the gaps is as long as one segment of "
                                      : "the record is shorter than one segment of ") +
                    std::to_string(in.plan.segment) + " samples; give a shorter --segment");
  double square = 0;
  for (const double w : in.window) square += w * w;
  std::vector<Spectrum> out;
  for (std::size_t c = 0; c < in.held.size(); ++c) {
    Spectrum spectrum;
    spectrum.plan = in.plan;
    spectrum.plan.averages = in.done;
    spectrum.window = in.kind;
    spectrum.enbw_bins = static_cast<double>(in.plan.segment) * square / (in.window_sum * in.window_sum);
    spectrum.plan.rbw_hz = spectrum.enbw_bins * in.plan.bin_hz;
    spectrum.first = in.first[c];
    spectrum.mean = in.totals[c] / static_cast<double>(in.samples);
    spectrum.power = in.sums[c * in.groups_of_all];
    for (std::size_t g = 1; g < in.groups_of_all; ++g) {
      const std::vector<double>& part = in.sums[c * in.groups_of_all + g];
      for (std::size_t k = 0; k < part.size(); ++k) spectrum.power[k] += part[k];
    }
    spectrum.noise_averages = effective_averages(in.window, spectrum.plan);
    for (std::size_t k = 0; k < spectrum.power.size(); ++k)
      spectrum.power[k] *=
          (spectrum.doubled(k) ? 2 : 1) / (in.window_sum * in.window_sum * static_cast<double>(in.done));
    out.push_back(std::move(spectrum));
  }
  return out;
}

}  // namespace vprism
