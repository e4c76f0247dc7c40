// spectrum_estimator.cpp: averaged spectra by overlapped, windowed segments (Welch, IEEE Trans. AU-15 (1967)
// 70-73).
//
// Segment j gives X_j[k] = sum_n w[n] x_j[n] exp(-2 pi i k n / N). The mean square of bin k is
//     P[k] = c_k mean_j |X_j[k]|^2 / sum(w)^2,   c_k = 1 at DC and at Nyquist (N even), else 2
// and the density S[k] = P[k] / rbw = c_k mean_j |X_j[k]|^2 / (fs sum(w^2)), so that S df adds up to the mean
// square. Of complex channels all N bins are kept, each for itself.
//
// Segments are dealt out to lanes by their number, and each lane adds up its own in order, apart for each of
// some stretches of the record; the lanes are joined in order at the end. So the bytes of the result depend
// neither on the number of threads nor on where blocks end.
#include "transform/spectrum_estimator.h"

#include <oneapi/tbb/enumerable_thread_specific.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/clones.h"
#include "base/error.h"
#include "base/fft.h"
#include "base/lanes.h"
#include "transform/segment_medians.h"
#include "transform/segments.h"

namespace vprism {

namespace {

void weigh(const double* w, const double* x, std::size_t count, double* out) {
  for (std::size_t n = 0; n < count; ++n) out[n] = w[n] * x[n];
}

/// Into the real and imaginary parts in turn.
VPRISM_WIDE void weigh_pairs(const double* w, const double* re, const double* im, std::size_t count,
                             double* out) {
  for (std::size_t n = 0; n < count; ++n) out[2 * n] = w[n] * re[n], out[2 * n + 1] = w[n] * im[n];
}

/// |X|^2 of four bins, from real and imaginary parts in turn.
[[gnu::always_inline]] inline void four_powers(const double* parts, Four& out) {
  Eight p;
  load(parts, p);
  p *= p;
  out = __builtin_shufflevector(p, p, 0, 2, 4, 6) + __builtin_shufflevector(p, p, 1, 3, 5, 7);
}

/// One segment's |X|^2 into what is kept of the others.
template <typename Join>
[[gnu::always_inline]] inline void join_powers(const double* parts, std::size_t bins, double* into,
                                               Join join) {
  std::size_t k = 0;
  for (; k + 4 <= bins; k += 4) {
    Four p, kept;
    four_powers(parts + 2 * k, p);
    load(into + k, kept);
    join(p, kept);
    std::memcpy(into + k, &kept, sizeof kept);
  }
  for (; k < bins; ++k) {
    const double p = parts[2 * k] * parts[2 * k] + parts[2 * k + 1] * parts[2 * k + 1];
    Four one = {p, p, p, p}, kept = {into[k], into[k], into[k], into[k]};
    join(one, kept);
    into[k] = kept[0];
  }
}

VPRISM_WIDE void add_powers(const double* parts, std::size_t bins, double* into) {
  join_powers(
      parts, bins, into, [](const Four& p, Four& kept) __attribute__((always_inline)) { kept += p; });
}
VPRISM_WIDE void highest_powers(const double* parts, std::size_t bins, double* into) {
  join_powers(
      parts, bins, into, [](const Four& p, Four& kept) __attribute__((always_inline)) { raise(p, kept); });
}
VPRISM_WIDE void lowest_powers(const double* parts, std::size_t bins, double* into) {
  join_powers(
      parts, bins, into, [](const Four& p, Four& kept) __attribute__((always_inline)) { lower(p, kept); });
}
void add_amplitudes(const double* parts, std::size_t bins, double* into) {
  for (std::size_t k = 0; k < bins; ++k)
    into[k] += std::sqrt(parts[2 * k] * parts[2 * k] + parts[2 * k + 1] * parts[2 * k + 1]);
}
VPRISM_WIDE void fade_powers(const double* parts, std::size_t bins, double share, double* into) {
  for (std::size_t k = 0; k < bins; ++k) {
    const double p = parts[2 * k] * parts[2 * k] + parts[2 * k + 1] * parts[2 * k + 1];
    into[k] += share * (p - into[k]);
  }
}

/// What one thread transforms in; a real segment in `real`, a complex one in `in`.
struct Scratch {
  Scratch(bool complex, std::size_t size)
      : real(complex ? 0 : size), in(complex ? size : 0), out(complex ? size : size / 2 + 1) {}
  FftArray<double> real;
  FftArray<std::complex<double>> in, out;
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

/// Averages that the scatter of another kind of average is worth, beside those of the mean.
double worth(Average average, double mean_averages, double segments, double exponential_segments) {
  switch (average) {
    case Average::exponential:  // Sum of the squares of weights a (1 - a)^j: a / (2 - a).
      return std::min(mean_averages, mean_averages / segments * (2 * exponential_segments - 1));
    case Average::median:  // Variance of the median of an exponential distribution, re its square: 1 / (n
                           // ln^2 2).
      return std::max(1.0, 0.48 * mean_averages);
    case Average::peak_hold: {  // Of the highest of n: pi^2 / 6 beside (ln n + 0.577)^2.
      const double mean = std::log(std::max(1.0, mean_averages)) + 0.5772;
      return std::max(1.0, mean * mean / 1.645);
    }
    case Average::min_hold:
      return 1;
    default:
      return mean_averages;
  }
}

}  // namespace

struct SpectrumEstimator::Inner {
  Inner(const SpectrumPlan& p, const SpectrumSettings& s, std::vector<std::size_t> c)
      : plan(p), settings(s), channels(std::move(c)), window(make_window(s.window, p.segment)) {
    for (const double w : window) window_sum += w, window_square += w * w;
  }

  /// All that depends on what comes in.
  void begin(std::size_t all_channels, bool is_complex) {
    complex = is_complex;
    if (channels.empty())
      for (std::size_t c = 0; c < all_channels; ++c) channels.push_back(c);
    std::vector<std::size_t> columns = channels;
    if (complex)
      for (const std::size_t c : channels) columns.push_back(all_channels + c);
    transform = plan.segment * settings.pad;
    bins = complex ? transform : transform / 2 + 1;
    feed = std::make_unique<SegmentFeed>(columns, plan.segment, plan.hop, plan.averages);
    if (complex)
      complex_fft = std::make_unique<ComplexFft>(transform);
    else
      real_fft = std::make_unique<RealFft>(transform);
    const std::size_t count = channels.size();
    lanes = settings.average == Average::exponential || plan.averages < 8
                ? 1
                : std::clamp<std::size_t>(std::min(16 / count, 65536 / plan.hop), 2, 8);
    stretches =
        settings.average == Average::mean && plan.averages >= 8 && count * lanes * bins <= (1 << 22) ? 4 : 1;
    if (settings.average == Average::median)
      medians = std::make_unique<SegmentMedians>(count, bins, static_cast<std::size_t>(plan.averages));
    else
      kept.assign(count * lanes * stretches, {});
    first.resize(count);
  }

  std::size_t stretch_of(std::int64_t segment) const {
    const std::int64_t at = segment * static_cast<std::int64_t>(stretches) / plan.averages;
    return static_cast<std::size_t>(std::min<std::int64_t>(at, static_cast<std::int64_t>(stretches) - 1));
  }

  /// The first segment that falls into a stretch.
  std::int64_t first_in(std::size_t stretch) const {
    const auto all = static_cast<std::int64_t>(stretches);
    return (static_cast<std::int64_t>(stretch) * plan.averages + all - 1) / all;
  }

  const std::complex<double>* transformed(const SegmentBatch& batch, std::size_t channel, std::size_t s,
                                          Scratch& mine) const {
    const double* const x = batch.samples(channel, s);
    if (complex) {
      weigh_pairs(window.data(), x, batch.samples(channels.size() + channel, s), plan.segment,
                  reinterpret_cast<double*>(mine.in.data()));
      complex_fft->run(mine.in, mine.out);
    } else {
      weigh(window.data(), x, plan.segment, mine.real.data());
      real_fft->run(mine.real, mine.out);
    }
    return mine.out.data();
  }

  /// One segment into its lane.
  void take(const std::complex<double>* out, std::size_t channel, std::int64_t number, std::size_t lane) {
    if (number == 0) first[channel].assign(out, out + bins);
    const auto* const parts = reinterpret_cast<const double*>(out);
    if (medians) return medians->take(parts, channel, number);
    std::vector<double>& into = kept[(channel * stretches + stretch_of(number)) * lanes + lane];
    const bool fresh = into.empty();
    if (fresh) into.assign(bins, 0.0);
    switch (settings.average) {
      case Average::linear:
        return add_amplitudes(parts, bins, into.data());
      case Average::peak_hold:
        return highest_powers(parts, bins, into.data());
      case Average::min_hold:
        return fresh ? add_powers(parts, bins, into.data()) : lowest_powers(parts, bins, into.data());
      case Average::exponential:
        return fade_powers(parts, bins, fresh ? 1 : 1 / settings.exponential_segments, into.data());
      default:
        return add_powers(parts, bins, into.data());
    }
  }

  void work(const SegmentBatch& batch) {
    // Neighbours, which share samples, mostly fall into the same lane.
    const auto lane_of = [this](std::int64_t number) {
      return static_cast<std::size_t>(number) / run_length % lanes;
    };
    if (plan.averages == 1) return work_alone(batch);
    const auto run = [&](std::size_t task) {
      const std::size_t channel = task / lanes, lane = task % lanes;
      Scratch& mine = scratch->local();
      for (std::size_t s = 0; s < batch.count; ++s) {
        const std::int64_t number = batch.first + static_cast<std::int64_t>(s);
        if (lane_of(number) != lane) continue;
        take(transformed(batch, channel, s, mine), channel, number, lane);
      }
    };
    if (!scratch) scratch.emplace([this] { return Scratch(complex, transform); });
    // A median is taken of rows that fill up together.
    for (std::size_t from = 0; medians && from < batch.count;) {
      const std::size_t part = std::min(batch.count - from, medians->room());
      SegmentBatch some = batch;
      some.first += static_cast<std::int64_t>(from);
      some.count = part;
      for (const double*& column : some.columns) column += from * batch.hop;
      oneapi::tbb::parallel_for(std::size_t{0}, channels.size() * lanes, [&](std::size_t task) {
        Scratch& mine = scratch->local();
        for (std::size_t s = 0; s < some.count; ++s)
          if (const std::int64_t number = some.first + static_cast<std::int64_t>(s);
              lane_of(number) == task % lanes)
            take(transformed(some, task / lanes, s, mine), task / lanes, number, task % lanes);
      });
      medians->filled(part);
      from += part;
    }
    if (!medians) oneapi::tbb::parallel_for(std::size_t{0}, channels.size() * lanes, run);
  }

  /// A whole record at once may be large: nothing is kept longer than needed.
  void work_alone(const SegmentBatch& batch) {
    for (std::size_t channel = 0; channel < channels.size(); ++channel) {
      Scratch mine(complex, transform);
      const std::complex<double>* const out = transformed(batch, channel, 0, mine);
      if (channel + 1 == channels.size()) feed->release();
      mine.real = FftArray<double>(0);
      take(out, channel, 0, 0);
    }
    if (medians) medians->filled(1);
  }

  /// All lanes of a stretch joined, still |X|^2.
  std::vector<double> joined(std::size_t channel, std::size_t stretch) const {
    std::vector<double> all;
    for (std::size_t lane = 0; lane < lanes; ++lane) {
      const std::vector<double>& part = kept[(channel * stretches + stretch) * lanes + lane];
      join(part, all);
    }
    return all;
  }
  void join(const std::vector<double>& part, std::vector<double>& all) const {
    if (all.empty()) {
      all = part;
      return;
    }
    for (std::size_t k = 0; k < part.size(); ++k)
      all[k] = settings.average == Average::peak_hold  ? std::max(all[k], part[k])
               : settings.average == Average::min_hold ? std::min(all[k], part[k])
                                                       : all[k] + part[k];
  }

  SpectrumPlan plan;
  SpectrumSettings settings;
  std::vector<std::size_t> channels;
  std::vector<double> window;
  double window_sum = 0, window_square = 0;
  bool complex = false;
  std::size_t transform = 0, bins = 0, lanes = 1, run_length = 1, stretches = 1;
  std::unique_ptr<RealFft> real_fft;
  std::unique_ptr<ComplexFft> complex_fft;
  std::unique_ptr<SegmentFeed> feed;
  std::optional<oneapi::tbb::enumerable_thread_specific<Scratch>> scratch;
  std::vector<std::vector<double>> kept;  ///< By channel, stretch and lane; empty before its first segment.
  std::unique_ptr<SegmentMedians> medians;
  std::vector<std::vector<std::complex<double>>> first;
};

SpectrumEstimator::SpectrumEstimator(const SpectrumPlan& plan, const SpectrumSettings& settings,
                                     std::vector<std::size_t> channels)
    : inner_(std::make_unique<Inner>(plan, settings, std::move(channels))) {}
SpectrumEstimator::SpectrumEstimator(std::size_t, const SpectrumPlan& plan, const Window& window)
    : SpectrumEstimator(plan, SpectrumSettings{window, {}, {}, 0.5, Average::mean, 8, 1}) {}
SpectrumEstimator::~SpectrumEstimator() = default;
SpectrumEstimator::SpectrumEstimator(SpectrumEstimator&&) noexcept = default;

void SpectrumEstimator::add(const Block& block) {
  if (!inner_->feed) inner_->begin(block.channels(), block.complex());
  inner_->feed->add(block, [this](const SegmentBatch& batch) { inner_->work(batch); });
}

void SpectrumEstimator::add(std::span<const std::span<const double>> channels) {
  if (!inner_->feed) inner_->begin(channels.size(), false);
  inner_->feed->add(channels, [this](const SegmentBatch& batch) { inner_->work(batch); });
}

std::vector<Spectrum> SpectrumEstimator::result() const {
  Inner& in = *inner_;
  const std::int64_t done = in.feed ? in.feed->segments() : 0;
  if (done == 0)
    throw Error(
        Status::analysis,
        std::string(in.feed && in.feed->parted() ? "no stretch between the gaps is as long as one segment of "
                                                 : "the record is shorter than one segment of ") +
            std::to_string(in.plan.segment) + " samples; give a shorter --segment");
  std::vector<Spectrum> out;
  for (std::size_t c = 0; c < in.channels.size(); ++c) {
    Spectrum spectrum;
    spectrum.plan = in.plan;
    spectrum.plan.averages = done;
    spectrum.window = in.settings.window;
    spectrum.average = in.settings.average;
    spectrum.two_sided = in.complex;
    spectrum.transform = in.transform;
    const double pad = static_cast<double>(in.settings.pad);
    spectrum.plan.bin_hz = in.plan.rate_hz / static_cast<double>(in.transform);
    spectrum.enbw_bins =
        pad * static_cast<double>(in.plan.segment) * in.window_square / (in.window_sum * in.window_sum);
    spectrum.plan.rbw_hz = spectrum.enbw_bins * spectrum.plan.bin_hz;
    spectrum.first = std::move(in.first[c]);
    spectrum.mean = in.feed->mean(c);
    spectrum.noise_averages = worth(in.settings.average, effective_averages(in.window, spectrum.plan),
                                    static_cast<double>(done), in.settings.exponential_segments);
    const double scale = 1 / (in.window_sum * in.window_sum);
    const auto brought_to_scale = [&](std::vector<double>& power, double segments) {
      for (std::size_t k = 0; k < power.size(); ++k)
        power[k] *= (spectrum.doubled(k) ? 2 : 1) * scale / segments;
    };
    switch (in.settings.average) {
      case Average::median:
        spectrum.power = in.medians->result(c);
        brought_to_scale(spectrum.power, 1);
        break;
      case Average::linear:
        spectrum.power = in.joined(c, 0);
        for (double& p : spectrum.power) p = p * p / (static_cast<double>(done) * static_cast<double>(done));
        brought_to_scale(spectrum.power, 1);
        break;
      case Average::mean:
        for (std::size_t s = 0; s < in.stretches; ++s) {
          spectrum.stretches.push_back(in.joined(c, s));
          in.join(spectrum.stretches.back(), spectrum.power);
        }
        brought_to_scale(spectrum.power, static_cast<double>(done));
        for (std::size_t s = 0; s < in.stretches; ++s) {
          const std::int64_t from = in.first_in(s),
                             end = std::min(done, s + 1 < in.stretches ? in.first_in(s + 1) : done);
          brought_to_scale(spectrum.stretches[s], static_cast<double>(std::max<std::int64_t>(1, end - from)));
        }
        if (in.stretches == 1 || std::any_of(spectrum.stretches.begin(), spectrum.stretches.end(),
                                             [](const auto& s) { return s.empty(); }))
          spectrum.stretches.clear();
        break;
      default:
        spectrum.power = in.joined(c, 0);
        brought_to_scale(spectrum.power, 1);
    }
    for (std::complex<double>& v : spectrum.first) v /= in.window_sum;
    if (in.complex) {
      // Rising from below the centre to above it.
      const auto below = static_cast<std::ptrdiff_t>(in.transform / 2),
                 above = static_cast<std::ptrdiff_t>(in.transform) - below;
      spectrum.start_bins = -static_cast<double>(below);
      const auto turn = [&](auto& values) {
        if (!values.empty()) std::rotate(values.begin(), values.begin() + above, values.end());
      };
      turn(spectrum.power);
      turn(spectrum.first);
      for (auto& stretch : spectrum.stretches) turn(stretch);
    }
    out.push_back(std::move(spectrum));
  }
  return out;
}

}  // namespace vprism
