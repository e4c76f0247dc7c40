// line_watch.cpp: see line_watch.h. Only the watched bins of each transform are kept.
#include "identify/line_watch.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>

#include "base/linear.h"
#include "transform/segment_transform.h"
#include "transform/segments.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;

ComplexMatrix matrix_of(const WatchResult& r, const std::vector<std::size_t>& rows,
                        const std::vector<std::size_t>& columns) {
  ComplexMatrix m(static_cast<Eigen::Index>(rows.size()), static_cast<Eigen::Index>(columns.size()));
  for (std::size_t i = 0; i < rows.size(); ++i)
    for (std::size_t j = 0; j < columns.size(); ++j)
      m(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) = r.cross_of(rows[i], columns[j]);
  return m;
}

/// G_ab less what the inputs explain of it: G_ab - G_ax G_xx^-1 G_xb.
Complex remaining(const WatchResult& r, std::size_t a, std::size_t b,
                  const std::vector<std::size_t>& inputs) {
  if (inputs.empty()) return r.cross_of(a, b);
  ComplexMatrix g = matrix_of(r, inputs, inputs);
  // References that say the same would make it singular.
  g.diagonal().array() *= 1 + 1e-9;
  const ComplexMatrix left = matrix_of(r, {a}, inputs), right = matrix_of(r, inputs, {b});
  return r.cross_of(a, b) - product(left, solve_symmetric(g, right))(0, 0);
}

/// Place of the greatest of bins [low, high), by a parabola through the logarithms around it.
double highest_place(const Complex* out, std::size_t low, std::size_t high, std::size_t bins) {
  std::size_t top = low;
  for (std::size_t k = low; k < high; ++k)
    if (std::norm(out[k]) > std::norm(out[top])) top = k;
  if (top == 0 || top + 1 >= bins) return static_cast<double>(top);
  const double l = std::log(std::norm(out[top - 1]) + 1e-300), m = std::log(std::norm(out[top]) + 1e-300),
               h = std::log(std::norm(out[top + 1]) + 1e-300), bend = l - 2 * m + h;
  return static_cast<double>(top) + (bend < 0 ? std::clamp(0.5 * (l - h) / bend, -0.5, 0.5) : 0);
}

constexpr std::size_t most_tracked = 2048;

}  // namespace

double WatchResult::coherence(std::size_t i, std::size_t j) const {
  const double both = power[i] * power[j];
  return both > 0 ? std::min(1.0, std::norm(cross_of(i, j)) / both) : 0;
}

double WatchResult::phase_deg(std::size_t i, std::size_t j) const {
  return std::arg(cross_of(i, j)) * 180 / std::numbers::pi;
}

std::optional<double> WatchResult::phase_turn_deg(std::size_t i, std::size_t j) const {
  if (lower_cross.empty() || upper_cross.empty()) return std::nullopt;
  const std::size_t at = i * channels() + j;
  return std::arg(upper_cross[at] * std::conj(lower_cross[at])) * 180 / std::numbers::pi;
}

double WatchResult::explained(std::size_t y, const std::vector<std::size_t>& inputs) const {
  if (!(power[y] > 0)) return 0;
  return std::clamp(1 - remaining(*this, y, y, inputs).real() / power[y], 0.0, 1.0);
}

double WatchResult::partial(std::size_t y, std::size_t x, const std::vector<std::size_t>& others) const {
  const double yy = remaining(*this, y, y, others).real(), xx = remaining(*this, x, x, others).real();
  return yy > 0 && xx > 0 ? std::min(1.0, std::norm(remaining(*this, y, x, others)) / (yy * xx)) : 0;
}

double WatchResult::chance_coherence(double p, std::size_t inputs) const {
  const double free = noise_averages - static_cast<double>(inputs);
  return free > 0.5 ? 1 - std::pow(p, 1 / free) : 1;
}

SpectrumPlan plan_watch(const SpectrumPlan& spectrum, const SpectrumSettings& settings,
                        std::int64_t samples) {
  constexpr std::int64_t wanted = 16;
  SpectrumSettings watch;
  watch.window = settings.window;
  watch.segment = spectrum.segment;
  watch.overlap = 0.5;
  // Sixteen half-overlapping segments fill eight and a half lengths.
  const auto most = static_cast<std::size_t>(2 * samples / (wanted + 1));
  if (*watch.segment > most) watch.segment = std::max<std::size_t>(16, most / 2 * 2);
  watch.segment = std::min(*watch.segment, static_cast<std::size_t>(samples));
  return plan_spectrum(watch, samples, spectrum.rate_hz);
}

struct LineWatch::Inner {
  struct Place {
    std::size_t watch = 0, bin = 0, low = 0, high = 0;
    bool first = true;  ///< Of its watch; the others only add to its powers.
    Complex turn;       ///< By which a line there turns from one segment to the next.
  };
  struct Sums {
    std::vector<double> power, square;
    std::vector<Complex> cross, advance, before;
  };

  void begin(const Block& block) {
    channels = block.channels();
    transform.emplace(plan, settings, block.complex());
    feed.emplace(SegmentFeed::all_columns(block), plan.segment, plan.hop, plan.averages);
    const std::size_t bins = transform->bins();
    for (std::size_t i = 0; i < watches.size(); ++i) {
      const Watch& w = watches[i];
      Place p;
      p.watch = i;
      const auto bin_at = [&](double hz) {
        return static_cast<std::size_t>(
            std::clamp<long>(std::lround(hz / plan.bin_hz), 1, static_cast<long>(bins) - 1));
      };
      p.bin = bin_at(w.hz);
      p.low = bin_at(w.hz - w.reach_hz);
      p.high = std::min(bins, bin_at(w.hz + w.reach_hz) + 1);
      p.turn = std::polar(1.0, -2 * std::numbers::pi *
                                   std::remainder(w.hz * static_cast<double>(plan.hop) / plan.rate_hz, 1.0));
      places.push_back(p);
      // Every second bin is about independent of its neighbour.
      p.first = false;
      const std::size_t middle = p.bin, most = static_cast<std::size_t>(w.width_hz / plan.bin_hz / 4);
      for (std::size_t k = 1; k <= std::min<std::size_t>(most, 8); ++k) {
        p.bin = middle + 2 * k;
        if (p.bin < bins) places.push_back(p);
        p.bin = middle - 2 * k;
        if (middle > 2 * k) places.push_back(p);
      }
    }
    sums.assign(places.size(), {std::vector<double>(channels, 0.0), std::vector<double>(channels, 0.0),
                                std::vector<Complex>(channels * channels), std::vector<Complex>(channels),
                                std::vector<Complex>(channels)});
    tracks.resize(watches.size());
    for (std::size_t c = 0; c < channels; ++c) scratch.push_back(transform->scratch());
    every = std::max<std::int64_t>(1, (plan.averages + static_cast<std::int64_t>(most_tracked) - 1) /
                                          static_cast<std::int64_t>(most_tracked));
  }

  void work(const SegmentBatch& batch) {
    const std::size_t count = places.size();
    values.resize(batch.count * channels * count);
    heights.resize(batch.count * count);
    oneapi::tbb::parallel_for(std::size_t{0}, channels, [&](std::size_t c) {
      for (std::size_t s = 0; s < batch.count; ++s) {
        const Complex* const out =
            transform->run(batch.samples(c, s),
                           transform->complex() ? batch.samples(channels + c, s) : nullptr, 0, scratch[c]);
        for (std::size_t w = 0; w < count; ++w) {
          values[(s * count + w) * channels + c] = out[places[w].bin];
          if (places[w].first && watches[places[w].watch].channel == c)
            heights[s * count + w] = highest_place(out, places[w].low, places[w].high, transform->bins());
        }
      }
    });
    for (std::size_t s = 0; s < batch.count; ++s)
      for (std::size_t w = 0; w < count; ++w)
        join(batch.first + static_cast<std::int64_t>(s), w, &values[(s * count + w) * channels],
             heights[s * count + w]);
  }

  void join(std::int64_t number, std::size_t w, const Complex* x, double height) {
    Sums& sum = sums[w];
    for (std::size_t i = 0; i < channels; ++i) {
      const double p = std::norm(x[i]);
      sum.power[i] += p;
      sum.square[i] += p * p;
      for (std::size_t j = 0; j < channels; ++j) sum.cross[i * channels + j] += x[i] * std::conj(x[j]);
      if (number > 0) sum.advance[i] += x[i] * std::conj(sum.before[i]) * places[w].turn;
      sum.before[i] = x[i];
    }
    if (places[w].first && number % every == 0)
      tracks[places[w].watch].push_back({number, height * plan.bin_hz});
  }

  SpectrumPlan plan;
  SpectrumSettings settings;
  std::vector<Watch> watches;
  std::vector<Place> places;
  std::size_t channels = 0;
  std::int64_t every = 1;
  std::optional<SegmentTransform> transform;
  std::optional<SegmentFeed> feed;
  std::vector<SegmentTransform::Scratch> scratch;
  std::vector<Complex> values;
  std::vector<double> heights;
  std::vector<Sums> sums;
  std::vector<std::vector<std::pair<std::int64_t, double>>> tracks;
};

LineWatch::LineWatch(const SpectrumPlan& plan, const Window& window, std::vector<Watch> watches)
    : inner_(std::make_unique<Inner>()) {
  inner_->plan = plan;
  inner_->settings.window = window;
  inner_->watches = std::move(watches);
}

LineWatch::~LineWatch() = default;

void LineWatch::add(const Block& block) {
  if (!inner_->feed) inner_->begin(block);
  inner_->feed->add(block, [this](const SegmentBatch& batch) { inner_->work(batch); });
}

std::vector<WatchResult> LineWatch::result() {
  require_a_segment(inner_->feed, inner_->plan.segment);
  const Inner& in = *inner_;
  const std::int64_t segments = in.feed->segments();
  const auto count = static_cast<double>(segments);
  const Spectrum grid = in.transform->blank();
  // |X|^2 / sum(w)^2, as the spectrum scales it.
  std::vector<double> unit(in.transform->bins(), 1.0);
  in.transform->to_power(unit, 1);
  std::vector<WatchResult> out;
  for (std::size_t w = 0, at = 0; w < in.watches.size(); ++w) {
    WatchResult r;
    r.watch = in.watches[w];
    r.segments = segments;
    const Inner::Sums& first = in.sums[at];
    for (std::size_t i = 0; i < in.channels; ++i) {
      const double mean = first.power[i] / count;
      r.spread.push_back(mean > 0 ? std::sqrt(std::max(0.0, first.square[i] / count - mean * mean)) / mean
                                  : 0);
      r.steadiness.push_back(
          mean > 0 && segments > 1 ? std::min(1.0, std::abs(first.advance[i]) / (count - 1) / mean) : 0);
    }
    r.power.assign(in.channels, 0.0);
    r.cross.assign(in.channels * in.channels, 0.0);
    double bins = 0;
    const std::size_t middle = in.places[at].bin;
    for (; at < in.places.size() && in.places[at].watch == w; ++at, ++bins) {
      const double scale = unit[in.places[at].bin] / count;
      for (std::size_t i = 0; i < in.channels; ++i) r.power[i] += in.sums[at].power[i] * scale;
      for (std::size_t i = 0; i < r.cross.size(); ++i) r.cross[i] += in.sums[at].cross[i] * scale;
      if (in.places[at].bin == middle) continue;
      auto& half = in.places[at].bin < middle ? r.lower_cross : r.upper_cross;
      half.resize(r.cross.size());
      for (std::size_t i = 0; i < half.size(); ++i) half[i] += in.sums[at].cross[i] * scale;
    }
    for (double& p : r.power) p /= bins;
    for (Complex& g : r.cross) g /= bins;
    r.noise_averages = bins * in.transform->noise_averages(segments);
    for (const auto& [number, hz] : in.tracks[w]) {
      r.time_s.push_back((static_cast<double>(number) * static_cast<double>(in.plan.hop) +
                          static_cast<double>(in.plan.segment) / 2) /
                         in.plan.rate_hz);
      r.frequency_hz.push_back(hz);
    }
    out.push_back(std::move(r));
  }
  return out;
}

}  // namespace vprism
