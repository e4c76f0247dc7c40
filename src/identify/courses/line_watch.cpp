// line_watch.cpp: see line_watch.h. Only the watched bins of each transform are kept.
#include "identify/courses/line_watch.h"

#include <oneapi/tbb/enumerable_thread_specific.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <optional>

#include "base/linear/linear.h"
#include "transform/spectra/segment_transform.h"
#include "transform/spectra/segments.h"

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

double WatchResult::value_of(const std::vector<double>& values, std::size_t channel) const {
  const auto at = std::lower_bound(columns.begin(), columns.end(), channel);
  return at != columns.end() && *at == channel ? values[static_cast<std::size_t>(at - columns.begin())] : 0;
}

Complex WatchResult::cross_within(const std::vector<Complex>& values, std::size_t i, std::size_t j) const {
  for (const bool turned : {false, true}) {
    const auto row = std::lower_bound(rows.begin(), rows.end(), turned ? j : i);
    const auto column = std::lower_bound(columns.begin(), columns.end(), turned ? i : j);
    if (row == rows.end() || *row != (turned ? j : i) || column == columns.end() ||
        *column != (turned ? i : j))
      continue;
    const Complex g = values[static_cast<std::size_t>(row - rows.begin()) * columns.size() +
                             static_cast<std::size_t>(column - columns.begin())];
    return turned ? std::conj(g) : g;
  }
  return 0;
}

double WatchResult::coherence(std::size_t i, std::size_t j) const {
  const double both = power_of(i) * power_of(j);
  return both > 0 ? std::min(1.0, std::norm(cross_of(i, j)) / both) : 0;
}

double WatchResult::phase_deg(std::size_t i, std::size_t j) const {
  return std::arg(cross_of(i, j)) * 180 / std::numbers::pi;
}

std::optional<double> WatchResult::phase_turn_deg(std::size_t i, std::size_t j) const {
  if (lower_cross.empty() || upper_cross.empty()) return std::nullopt;
  return std::arg(cross_within(upper_cross, i, j) * std::conj(cross_within(lower_cross, i, j))) * 180 /
         std::numbers::pi;
}

double WatchResult::explained(std::size_t y, const std::vector<std::size_t>& inputs) const {
  if (!(power_of(y) > 0)) return 0;
  return std::clamp(1 - remaining(*this, y, y, inputs).real() / power_of(y), 0.0, 1.0);
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
    std::vector<std::size_t> columns = {}, rows = {};
    std::size_t slot = 0;  ///< Of its first column among the values of a segment.
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
    served.resize(channels);
    for (std::size_t i = 0; i < places.size(); ++i) {
      Place& place = places[i];
      place.columns = columns_of(watches[place.watch].channel, 64);
      place.rows = columns_of(watches[place.watch].channel, 8);
      place.slot = slots;
      for (std::size_t c = 0; c < place.columns.size(); ++c)
        served[place.columns[c]].push_back({i, slots + c});
      slots += place.columns.size();
      const std::size_t count = place.columns.size();
      sums.push_back({std::vector<double>(count, 0.0), std::vector<double>(count, 0.0),
                      std::vector<Complex>(place.rows.size() * count), std::vector<Complex>(count),
                      std::vector<Complex>(count)});
    }
    tracks.resize(watches.size());
    scratch.emplace([this] { return transform->scratch(); });
    every = std::max<std::int64_t>(1, (plan.averages + static_cast<std::int64_t>(most_tracked) - 1) /
                                          static_cast<std::int64_t>(most_tracked));
  }

  /// All channels of a recording of up to `few`, else the watched one and the inputs.
  std::vector<std::size_t> columns_of(std::size_t own, std::size_t few) const {
    std::vector<std::size_t> out = inputs;
    if (channels <= few) {
      out.resize(channels);
      std::iota(out.begin(), out.end(), std::size_t{0});
      return out;
    }
    out.push_back(own);
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
  }

  void work(const SegmentBatch& batch) {
    // As many segments at once as their watched bins fit into some megabytes.
    const std::size_t at_once =
        std::max<std::size_t>(1, (std::size_t{1} << 19) / std::max<std::size_t>(1, slots));
    for (std::size_t from = 0; from < batch.count; from += at_once)
      work_some(batch, from, std::min(at_once, batch.count - from));
  }

  void work_some(const SegmentBatch& batch, std::size_t from, std::size_t segments) {
    const std::size_t count = places.size();
    values.resize(segments * slots);
    heights.resize(segments * count);
    oneapi::tbb::parallel_for(std::size_t{0}, channels, [&](std::size_t c) {
      if (served[c].empty()) return;
      SegmentTransform::Scratch& mine = scratch->local();
      for (std::size_t s = 0; s < segments; ++s) {
        const Complex* const out =
            transform->run(batch.samples(c, from + s),
                           transform->complex() ? batch.samples(channels + c, from + s) : nullptr, 0, mine);
        for (const auto& [w, slot] : served[c]) {
          values[s * slots + slot] = out[places[w].bin];
          if (places[w].first && watches[places[w].watch].channel == c)
            heights[s * count + w] = highest_place(out, places[w].low, places[w].high, transform->bins());
        }
      }
    });
    oneapi::tbb::parallel_for(std::size_t{0}, count, [&](std::size_t w) {
      for (std::size_t s = 0; s < segments; ++s)
        join(batch.first + static_cast<std::int64_t>(from + s), w, &values[s * slots + places[w].slot],
             heights[s * count + w]);
    });
  }

  void join(std::int64_t number, std::size_t w, const Complex* x, double height) {
    Sums& sum = sums[w];
    const Place& place = places[w];
    const std::size_t columns = place.columns.size();
    for (std::size_t i = 0; i < columns; ++i) {
      const double p = std::norm(x[i]);
      sum.power[i] += p;
      sum.square[i] += p * p;
      if (number > 0) sum.advance[i] += x[i] * std::conj(sum.before[i]) * place.turn;
      sum.before[i] = x[i];
    }
    for (std::size_t r = 0, i = 0; r < place.rows.size(); ++r) {
      while (place.columns[i] != place.rows[r]) ++i;
      for (std::size_t j = 0; j < columns; ++j) sum.cross[r * columns + j] += x[i] * std::conj(x[j]);
    }
    if (place.first && number % every == 0) tracks[place.watch].push_back({number, height * plan.bin_hz});
  }

  SpectrumPlan plan;
  SpectrumSettings settings;
  std::vector<Watch> watches;
  std::vector<Place> places;
  std::size_t channels = 0;
  std::int64_t every = 1;
  std::optional<SegmentTransform> transform;
  std::optional<SegmentFeed> feed;
  std::optional<oneapi::tbb::enumerable_thread_specific<SegmentTransform::Scratch>> scratch;
  std::vector<std::size_t> inputs;
  std::size_t slots = 0;
  std::vector<std::vector<std::pair<std::size_t, std::size_t>>>
      served;  ///< Of each channel: places and slots.
  std::vector<Complex> values;
  std::vector<double> heights;
  std::vector<Sums> sums;
  std::vector<std::vector<std::pair<std::int64_t, double>>> tracks;
};

LineWatch::LineWatch(const SpectrumPlan& plan, const Window& window, std::vector<Watch> watches,
                     std::vector<std::size_t> inputs)
    : inner_(std::make_unique<Inner>()) {
  inner_->plan = plan;
  inner_->settings.window = window;
  inner_->watches = std::move(watches);
  inner_->inputs = std::move(inputs);
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
    r.columns = in.places[at].columns;
    r.rows = in.places[at].rows;
    const std::size_t columns = r.columns.size();
    for (std::size_t i = 0; i < columns; ++i) {
      const double mean = first.power[i] / count;
      r.spread.push_back(mean > 0 ? std::sqrt(std::max(0.0, first.square[i] / count - mean * mean)) / mean
                                  : 0);
      r.steadiness.push_back(
          mean > 0 && segments > 1 ? std::min(1.0, std::abs(first.advance[i]) / (count - 1) / mean) : 0);
    }
    r.power.assign(columns, 0.0);
    r.cross.assign(r.rows.size() * columns, 0.0);
    double bins = 0;
    const std::size_t middle = in.places[at].bin;
    for (; at < in.places.size() && in.places[at].watch == w; ++at, ++bins) {
      const double scale = unit[in.places[at].bin] / count;
      for (std::size_t i = 0; i < columns; ++i) r.power[i] += in.sums[at].power[i] * scale;
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
