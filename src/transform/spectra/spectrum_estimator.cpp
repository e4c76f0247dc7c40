// spectrum_estimator.cpp: averaged spectra by overlapped, windowed segments (Welch, IEEE Trans. AU-15 (1967)
// 70-73).
//
// Segment j gives X_j[k] = sum_n w[n] x_j[n] exp(-2 pi i k n / N). The mean square of bin k is
//     P[k] = c_k mean_j |X_j[k]|^2 / sum(w)^2,   c_k = 1 at DC and at Nyquist (N even), else 2
// and the density S[k] = P[k] / rbw = c_k mean_j |X_j[k]|^2 / (fs sum(w^2)), so that S df adds up to the mean
// square. Of complex channels all N bins are kept, each for itself.
//
// Segments are dealt out to lanes by their number, and each lane adds up its own in order, apart for each of
// some stretches of the record, and part by part where the record is in parts (parted_sink.h); the lanes are
// joined in order at the end. So the bytes of the result depend neither on the number of threads or ranks nor
// on where blocks end.
#include "transform/spectra/spectrum_estimator.h"

#include <oneapi/tbb/enumerable_thread_specific.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/bin_powers.h"
#include "base/machine/large_pages.h"
#include "transform/spectra/part_sums.h"
#include "transform/spectra/segment_medians.h"
#include "transform/spectra/segment_transform.h"
#include "transform/spectra/segments.h"

namespace vprism {

namespace {

/// As many keep all cores busy by themselves.
constexpr std::size_t many_columns = 32;

/// How sums of lanes, or of parts, are joined.
PartSums::Join joined_by(Average average) {
  using Row = std::vector<double>;
  switch (average) {
    case Average::peak_hold:
      return [](const Row& part, Row& all) {
        for (std::size_t k = 0; k < part.size(); ++k) all[k] = std::max(all[k], part[k]);
      };
    case Average::min_hold:
      return [](const Row& part, Row& all) {
        for (std::size_t k = 0; k < part.size(); ++k) all[k] = std::min(all[k], part[k]);
      };
    default:
      return [](const Row& part, Row& all) {
        for (std::size_t k = 0; k < part.size(); ++k) all[k] += part[k];
      };
  }
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
      : plan(p), settings(s), channels(std::move(c)) {}

  /// All that depends on what comes in.
  void begin(std::size_t all_channels, bool complex) {
    if (channels.empty())
      for (std::size_t c = 0; c < all_channels; ++c) channels.push_back(c);
    std::vector<std::size_t> columns = channels;
    if (complex)
      for (const std::size_t c : channels) columns.push_back(all_channels + c);
    transform.emplace(plan, settings, complex);
    // Long segments of few channels come one by one; they are held back until there is work for all cores.
    const std::size_t held_back = (std::size_t{64} << 20) / (8 * plan.hop * columns.size());
    const bool few = plan.hop >= 16384 && plan.averages >= 4 && columns.size() < many_columns;
    const std::size_t together = few ? std::clamp<std::size_t>(held_back, 1, 4) : 1;
    feed.emplace(columns, plan.segment, plan.hop, plan.averages, together);
    const std::size_t count = channels.size(), bins = transform->bins();
    lanes = settings.average == Average::exponential || plan.averages < 4
                ? 1
                : std::clamp<std::size_t>(std::min(16 / count, 65536 / plan.hop),
                                          count < many_columns ? 2 : 1, 8);
    run_length = std::max<std::size_t>(1, SegmentFeed::most_at_once(plan.hop) / lanes);
    stretches =
        settings.average == Average::mean && plan.averages >= 8 && count * lanes * bins <= (1 << 22) ? 4 : 1;
    if (settings.average == Average::median)
      medians.emplace(count, bins, static_cast<std::size_t>(plan.averages));
    else
      sums.begin(count * lanes * stretches, joined_by(settings.average));
    first.resize(count);
  }

  /// In how many parts sums are made, of a record that may be parted at `starts`.
  std::size_t count_parts(std::size_t starts) const {
    if (medians || settings.average == Average::exponential) return 1;
    // Joining what a part has come to costs next to nothing beside its segments; ranks hold all of theirs.
    constexpr double most_bytes = 256e6;
    const double bytes = static_cast<double>(sums.slots() * transform->bins() * sizeof(double));
    for (const std::size_t parts : part_counts)
      if (starts % parts == 0 && plan.averages >= static_cast<std::int64_t>(2 * lanes * parts) &&
          static_cast<double>(parts) * bytes <= most_bytes)
        return parts;
    return 1;
  }

  void part_at(std::span<const std::int64_t> starts, std::size_t parts) {
    if (parts < 2) return;
    std::vector<std::int64_t> samples, segments;
    const auto hop = static_cast<std::int64_t>(plan.hop);
    for (std::size_t i = 0; i < parts; ++i) {
      samples.push_back(starts[i * starts.size() / parts]);
      segments.push_back((samples.back() + hop - 1) / hop);
    }
    feed->part_at(std::move(samples));
    sums.part_at(std::move(segments));
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
  /// Neighbours, which share samples, mostly fall into the same lane.
  std::size_t lane_of(std::int64_t number) const {
    return static_cast<std::size_t>(number) / run_length % lanes;
  }

  /// One transform of a segment into what is kept of its lane.
  void take(const std::complex<double>* out, std::size_t taper, std::size_t channel, std::int64_t number) {
    const std::size_t bins = transform->bins();
    if (number == 0 && taper == 0 && out != first[channel].data()) {
      reserve_large(first[channel], bins);
      first[channel].assign(out, out + bins);
    }
    const auto* const parts = reinterpret_cast<const double*>(out);
    if (medians) return medians->take(parts, channel, number);
    std::vector<double>& into =
        sums.at((channel * stretches + stretch_of(number)) * lanes + lane_of(number), number);
    const bool fresh = into.empty();
    if (fresh) {
      reserve_large(into, bins);
      into.assign(bins, 0.0);
    }
    switch (settings.average) {
      case Average::amplitude:
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

  void take_segment(const SegmentBatch& batch, std::size_t channel, std::size_t s,
                    SegmentTransform::Scratch& mine) {
    const double* const re = batch.samples(channel, s);
    const double* const im = transform->complex() ? batch.samples(channels.size() + channel, s) : nullptr;
    for (std::size_t taper = 0; taper < transform->tapers(); ++taper)
      take(transform->run(re, im, taper, mine), taper, channel, batch.first + static_cast<std::int64_t>(s));
  }

  void work(const SegmentBatch& batch) {
    if (plan.averages == 1) return work_alone(batch);
    if (!scratch) scratch.emplace([this] { return transform->scratch(); });
    // Rows of a median fill up together.
    for (std::size_t from = 0; from < batch.count;) {
      const std::size_t end = from + std::min(batch.count - from, medians ? medians->room() : batch.count);
      oneapi::tbb::parallel_for(std::size_t{0}, channels.size() * lanes, [&](std::size_t task) {
        SegmentTransform::Scratch& mine = scratch->local();
        for (std::size_t s = from; s < end; ++s)
          if (lane_of(batch.first + static_cast<std::int64_t>(s)) == task % lanes)
            take_segment(batch, task / lanes, s, mine);
      });
      if (medians) medians->filled(end - from);
      from = end;
    }
  }

  /// A whole record at once may be large: nothing is kept longer than needed.
  void work_alone(const SegmentBatch& batch) {
    for (std::size_t channel = 0; channel < channels.size(); ++channel) {
      if (transform->alone()) {
        transform->run_alone(batch.samples(channel, 0), first[channel]);
        take(first[channel].data(), 0, channel, 0);
        continue;
      }
      SegmentTransform::Scratch mine = transform->scratch();
      take_segment(batch, channel, 0, mine);
    }
    feed->release();
    if (medians) medians->filled(1);
  }

  void join(const std::vector<double>& part, std::vector<double>& all) const {
    if (all.empty())
      all = part;
    else if (!part.empty())
      joined_by(settings.average)(part, all);
  }
  /// All lanes of a stretch joined, still |X|^2; they are used up.
  std::vector<double> joined(std::size_t channel, std::size_t stretch) {
    const auto of_stretch =
        kept.begin() + static_cast<std::ptrdiff_t>((channel * stretches + stretch) * lanes);
    std::vector<double> all = std::move(*of_stretch);
    for (std::size_t lane = 1; lane < lanes; ++lane) {
      join(of_stretch[static_cast<std::ptrdiff_t>(lane)], all);
      std::vector<double>().swap(of_stretch[static_cast<std::ptrdiff_t>(lane)]);
    }
    return all;
  }

  /// Powers over the whole record, and of its stretches where they are apart.
  void join_all(std::size_t channel, std::int64_t done, Spectrum& spectrum) {
    const auto count = static_cast<double>(done);
    if (!medians && kept.size() == channels.size()) {
      // Nothing to join.
      spectrum.power = std::move(kept[channel]);
      if (settings.average == Average::amplitude)
        for (double& p : spectrum.power) p *= p / (count * count);
      return transform->to_power(spectrum.power, settings.average == Average::mean ? count : 1);
    }
    if (settings.average == Average::median) {
      spectrum.power = medians->result(channel);
      return transform->to_power(spectrum.power, 1);
    }
    for (std::size_t s = 0; s < stretches; ++s) {
      spectrum.stretches.push_back(joined(channel, s));
      join(spectrum.stretches.back(), spectrum.power);
    }
    if (settings.average == Average::amplitude)
      for (double& p : spectrum.power) p *= p / (count * count);
    transform->to_power(spectrum.power, settings.average == Average::mean ? count : 1);
    for (std::size_t s = 0; s < stretches; ++s) {
      const std::int64_t end = s + 1 < stretches ? std::min(done, first_in(s + 1)) : done;
      if (end > first_in(s))
        transform->to_power(spectrum.stretches[s], static_cast<double>(end - first_in(s)));
    }
    if (stretches == 1 || done <= first_in(stretches - 1)) spectrum.stretches.clear();
  }

  SpectrumPlan plan;
  SpectrumSettings settings;
  std::vector<std::size_t> channels;
  std::optional<SegmentTransform> transform;
  std::optional<SegmentFeed> feed;
  std::size_t lanes = 1, run_length = 1, stretches = 1;
  std::optional<oneapi::tbb::enumerable_thread_specific<SegmentTransform::Scratch>> scratch;
  PartSums sums;                          ///< By channel, stretch and lane.
  std::vector<std::vector<double>> kept;  ///< What they have come to.
  std::optional<SegmentMedians> medians;
  std::vector<std::vector<std::complex<double>>> first;
};

SpectrumEstimator::SpectrumEstimator(const SpectrumPlan& plan, const SpectrumSettings& settings,
                                     std::vector<std::size_t> channels)
    : inner_(std::make_unique<Inner>(plan, settings, std::move(channels))) {}
SpectrumEstimator::~SpectrumEstimator() = default;
SpectrumEstimator::SpectrumEstimator(SpectrumEstimator&&) noexcept = default;
SpectrumEstimator& SpectrumEstimator::operator=(SpectrumEstimator&&) noexcept = default;

const SpectrumPlan& SpectrumEstimator::plan() const { return inner_->plan; }

void SpectrumEstimator::add(const Block& block) {
  if (!inner_->feed) inner_->begin(block.channels(), block.complex());
  inner_->feed->add(block, [this](const SegmentBatch& batch) { inner_->work(batch); });
}

void SpectrumEstimator::add(std::span<const std::span<const double>> columns, bool complex) {
  if (!inner_->feed) inner_->begin(columns.size() / (complex ? 2 : 1), complex);
  inner_->feed->add(columns, [this](const SegmentBatch& batch) { inner_->work(batch); });
}

std::size_t SpectrumEstimator::part(std::span<const std::int64_t> starts, std::size_t channels,
                                    bool complex) {
  Inner& in = *inner_;
  if (!in.feed) in.begin(channels, complex);
  const std::size_t parts = starts.empty() ? 1 : in.count_parts(starts.size());
  in.part_at(starts, parts);
  return parts;
}

void SpectrumEstimator::keep_to(std::int64_t from, std::int64_t to) {
  inner_->feed->keep_to(from, to);
  if (from > 0) inner_->sums.begin_later();
}

std::int64_t SpectrumEstimator::reach() const { return static_cast<std::int64_t>(inner_->plan.segment); }

void SpectrumEstimator::pass_on(Baton& before, Baton& after) {
  Inner& in = *inner_;
  in.feed->flush([&in](const SegmentBatch& batch) { in.work(batch); });
  const bool some_before = !before.empty();
  in.feed->pass_on(before, after);
  for (std::vector<std::complex<double>>& first : in.first) {
    const std::vector<double> those = some_before ? before.numbers() : std::vector<double>();
    const auto* const parts = reinterpret_cast<const double*>(first.data());
    after.put(those.empty() ? std::span(parts, 2 * first.size()) : std::span<const double>(those));
  }
  in.sums.pass_on(before, after);
}

void SpectrumEstimator::take(Baton& all) {
  Inner& in = *inner_;
  in.feed->take(all);
  for (std::vector<std::complex<double>>& first : in.first) {
    const std::vector<double> parts = all.numbers();
    first.resize(parts.size() / 2);
    for (std::size_t k = 0; k < first.size(); ++k) first[k] = {parts[2 * k], parts[2 * k + 1]};
  }
  in.sums.take(all);
}

std::vector<Spectrum> SpectrumEstimator::result() {
  Inner& in = *inner_;
  if (in.feed) in.feed->flush([&in](const SegmentBatch& batch) { in.work(batch); });
  in.kept = in.sums.result();
  require_a_segment(in.feed, in.plan.segment);
  const std::int64_t done = in.feed->segments();
  std::vector<Spectrum> out;
  for (std::size_t c = 0; c < in.channels.size(); ++c) {
    Spectrum spectrum = in.transform->blank();
    spectrum.plan.averages = done;
    spectrum.first = std::move(in.first[c]);
    in.transform->to_amplitude(spectrum.first);
    spectrum.mean = in.feed->mean(c);
    if (!in.transform->complex()) spectrum.variance = in.feed->variance(c);
    spectrum.noise_averages = worth(in.settings.average, in.transform->noise_averages(done),
                                    static_cast<double>(done), in.settings.exponential_segments);
    in.join_all(c, done, spectrum);
    out.push_back(std::move(spectrum));
  }
  return out;
}

Spectrum spectrum_of(std::span<const double> samples, const SpectrumPlan& plan,
                     const SpectrumSettings& settings) {
  SpectrumEstimator estimator(plan, settings);
  const std::span<const double> columns[] = {samples};
  estimator.add(columns);
  return std::move(estimator.result()[0]);
}

Spectrum spectrum_of(std::span<const double> samples, double rate_hz, const SpectrumSettings& settings) {
  return spectrum_of(samples, plan_spectrum(settings, static_cast<std::int64_t>(samples.size()), rate_hz),
                     settings);
}

}  // namespace vprism
