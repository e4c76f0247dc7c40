// occupancy.cpp: see occupancy.h. The range of levels is set by the first segments: from 140 dB below their
// highest to 60 dB above it.
#include "transform/maps/occupancy.h"

#include <oneapi/tbb/enumerable_thread_specific.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "base/machine/side_by_side.h"
#include "transform/spectra/segment_transform.h"
#include "transform/spectra/segments.h"

namespace vprism {

double Occupancy::percentile_db(std::size_t bin, double part) const {
  if (segments == 0) return std::numeric_limits<double>::quiet_NaN();
  const double wanted = part * static_cast<double>(segments);
  double below = 0;
  for (std::size_t i = 0; i < levels; ++i) {
    const double here = counts[bin * levels + i];
    if (below + here >= wanted && here > 0)
      return floor_db + step_db * (static_cast<double>(i) + (wanted - below) / here);
    below += here;
  }
  return floor_db + step_db * static_cast<double>(levels);
}

std::vector<RareEvent> rare_events(const Occupancy& o, double above_db) {
  // Of n exponential levels the highest is about ln n means; 99% stay below 4.6. A factor of 4 on top is
  // rare.
  const double expected =
      10 * std::log10(std::max(1.0, (std::log(static_cast<double>(o.segments)) + 4) / 4.6));
  const double least = std::max(above_db, expected + 3);
  const auto db = [](double power) { return 10 * std::log10(std::max(power, 1e-300)); };
  std::vector<RareEvent> out;
  std::size_t quiet = 0;
  bool open = false;
  for (std::size_t k = o.grid.mirrored() ? 2 : 0; k < o.grid.bins() && o.segments > 0; ++k) {
    const double usual = o.percentile_db(k, 0.99), peak = db(o.highest[k]);
    if (peak - usual < least) {
      if (++quiet > 2) open = false;
      continue;
    }
    quiet = 0;
    if (!open) out.push_back({o.grid.frequency_hz(k), o.grid.frequency_hz(k), 0, 0, -1e300, 0, 0});
    open = true;
    RareEvent& event = out.back();
    event.high_hz = o.grid.frequency_hz(k);
    if (peak <= event.peak_db) continue;
    event.peak_db = peak, event.usual_db = usual;
    event.peak_hz = o.grid.frequency_hz(k);
    event.time_s = static_cast<double>(o.highest_at[k]) / o.grid.plan.rate_hz;
    double count = 0;
    for (std::size_t i = 0; i < o.levels; ++i)
      if (o.floor_db + o.step_db * static_cast<double>(i) > (usual + peak) / 2)
        count += o.counts[k * o.levels + i];
    event.share = count / static_cast<double>(o.segments);
  }
  std::sort(out.begin(), out.end(), [](const RareEvent& a, const RareEvent& b) {
    return a.peak_db - a.usual_db > b.peak_db - b.usual_db;
  });
  return out;
}

struct OccupancyEstimator::Inner {
  SpectrumPlan plan;
  SpectrumSettings settings;
  std::size_t channels = 0;
  std::optional<SegmentTransform> transform;
  std::optional<ChannelFeeds> feeds;
  std::vector<Occupancy> maps;
  std::optional<oneapi::tbb::enumerable_thread_specific<SegmentTransform::Scratch>> scratch;
  bool side_by_side = false;  ///< Channels, rather than what one of them needs.
  /// Powers of a batch's segments.
  oneapi::tbb::enumerable_thread_specific<std::vector<std::vector<double>>> all_rows;

  void begin(const Block& block) {
    channels = block.channels();
    side_by_side = fill_all_threads(channels);
    transform.emplace(plan, settings, block.complex());
    feeds.emplace(block, plan.segment, plan.hop, plan.averages);
    scratch.emplace([this] { return transform->scratch(); });
    maps.resize(channels);
    for (Occupancy& map : maps) {
      map.grid = transform->blank();
      map.grid.power.assign(transform->bins(), 0.0);
      map.levels = 800;
      map.highest.assign(transform->bins(), 0.0);
      map.highest_at.assign(transform->bins(), 0);
    }
  }

  /// The batch's segments are transformed side by side, then bins are counted side by side, segments in
  /// order.
  void take(const SegmentBatch& batch, std::size_t c) {
    Occupancy& map = maps[c];
    std::vector<std::vector<double>>& rows = all_rows.local();
    rows.resize(std::max(rows.size(), batch.count));
    for_all(!side_by_side, batch.count, [&](std::size_t s) {
      const double* const im = transform->complex() ? batch.samples(1, s) : nullptr;
      const std::complex<double>* const x = transform->run(batch.samples(0, s), im, 0, scratch->local());
      rows[s].resize(transform->bins());
      for (std::size_t k = 0; k < rows[s].size(); ++k)
        rows[s][k] = x[k].real() * x[k].real() + x[k].imag() * x[k].imag();
      transform->to_power(rows[s], 1);
    });
    if (map.counts.empty()) {
      const double top = *std::max_element(rows[0].begin(), rows[0].end());
      map.floor_db = std::floor(10 * std::log10(std::max(top, 1e-250))) - 140;
      map.counts.assign(transform->bins() * map.levels, 0);
    }
    const auto last = static_cast<double>(map.levels - 1);
    for_all(!side_by_side, transform->bins(), [&](std::size_t k) {
      for (std::size_t s = 0; s < batch.count; ++s) {
        const double power = rows[s][k];
        map.grid.power[k] += power;
        if (power > map.highest[k])
          map.highest[k] = power,
          map.highest_at[k] = batch.sample + static_cast<std::int64_t>(s * batch.hop + plan.segment / 2);
        const double cell = (10 * std::log10(std::max(power, 1e-300)) - map.floor_db) / map.step_db;
        ++map.counts[k * map.levels + static_cast<std::size_t>(std::clamp(cell, 0.0, last))];
      }
    });
    map.segments += static_cast<std::int64_t>(batch.count);
  }
};

OccupancyEstimator::OccupancyEstimator(const SpectrumPlan& plan, const SpectrumSettings& settings)
    : inner_(std::make_unique<Inner>()) {
  inner_->plan = plan;
  inner_->settings = settings;
  inner_->settings.tapers = 0;
}
OccupancyEstimator::~OccupancyEstimator() = default;

void OccupancyEstimator::add(const Block& block) {
  Inner& in = *inner_;
  if (!in.feeds) in.begin(block);
  in.feeds->add(
      block, [&in](const SegmentBatch& batch, std::size_t c) { in.take(batch, c); }, in.side_by_side);
}

std::vector<Occupancy> OccupancyEstimator::result() {
  Inner& in = *inner_;
  require_a_segment(in.feeds, in.plan.segment);
  for (Occupancy& map : in.maps) {
    if (map.segments == 0) map.counts.assign(map.grid.bins() * map.levels, 0);
    map.grid.plan.averages = map.segments;
    for (double& p : map.grid.power) p /= static_cast<double>(map.segments);
  }
  return std::move(in.maps);
}

}  // namespace vprism
