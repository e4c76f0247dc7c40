// occupancy.cpp: see occupancy.h. The range of levels is set by the first segments: from 140 dB below their
// highest to 60 dB above it.
#include "transform/occupancy.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/error.h"
#include "transform/segment_transform.h"
#include "transform/segments.h"

namespace vprism {

double Occupancy::percentile_db(std::size_t bin, double part) const {
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
  for (std::size_t k = o.grid.mirrored() ? 2 : 0; k < o.grid.bins(); ++k) {
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
    event.time_s =
        static_cast<double>(o.highest_at[k]) * static_cast<double>(o.grid.plan.hop) / o.grid.plan.rate_hz;
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
  std::optional<SegmentFeed> feed;
  std::vector<Occupancy> maps;
  std::vector<std::optional<SegmentTransform::Scratch>> scratch;

  void begin(const Block& block) {
    channels = block.channels();
    transform.emplace(plan, settings, block.complex());
    feed.emplace(SegmentFeed::all_columns(block), plan.segment, plan.hop, plan.averages);
    maps.resize(channels);
    for (Occupancy& map : maps) {
      map.grid = transform->blank();
      map.grid.power.assign(transform->bins(), 0.0);
      map.levels = 800;
      map.highest.assign(transform->bins(), 0.0);
      map.highest_at.assign(transform->bins(), 0);
      scratch.emplace_back(transform->scratch());
    }
  }

  void take(const SegmentBatch& batch, std::size_t c) {
    Occupancy& map = maps[c];
    std::vector<double> power(transform->bins());
    for (std::size_t s = 0; s < batch.count; ++s) {
      const std::complex<double>* const x =
          transform->run(batch.samples(c, s), transform->complex() ? batch.samples(channels + c, s) : nullptr,
                         0, *scratch[c]);
      power.resize(transform->bins());
      for (std::size_t k = 0; k < power.size(); ++k) power[k] = std::norm(x[k]);
      transform->to_power(power, 1);
      if (map.counts.empty()) {
        const double top = *std::max_element(power.begin(), power.end());
        map.floor_db = std::floor(10 * std::log10(std::max(top, 1e-250))) - 140;
        map.counts.assign(power.size() * map.levels, 0);
      }
      const std::int64_t number = batch.first + static_cast<std::int64_t>(s);
      for (std::size_t k = 0; k < power.size(); ++k) {
        map.grid.power[k] += power[k];
        if (power[k] > map.highest[k]) map.highest[k] = power[k], map.highest_at[k] = number;
        const double cell = (10 * std::log10(std::max(power[k], 1e-300)) - map.floor_db) / map.step_db;
        const auto last = static_cast<double>(map.levels - 1);
        ++map.counts[k * map.levels + static_cast<std::size_t>(std::clamp(cell, 0.0, last))];
      }
    }
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
  if (!in.feed) in.begin(block);
  in.feed->add(block, [&in](const SegmentBatch& batch) {
    oneapi::tbb::parallel_for(std::size_t{0}, in.channels, [&](std::size_t c) { in.take(batch, c); });
  });
}

std::vector<Occupancy> OccupancyEstimator::result() {
  Inner& in = *inner_;
  if (!in.feed || in.feed->segments() == 0)
    throw Error(Status::analysis, "the record is shorter than one segment of " +
                                      std::to_string(in.plan.segment) + " samples; give a shorter --segment");
  for (Occupancy& map : in.maps) {
    map.grid.plan.averages = map.segments;
    for (double& p : map.grid.power) p /= static_cast<double>(map.segments);
  }
  return std::move(in.maps);
}

}  // namespace vprism
