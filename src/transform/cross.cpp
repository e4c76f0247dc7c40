// cross.cpp: see cross.h. Segments are dealt out to lanes as in the spectrum's estimator.
#include "transform/cross.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>

#include "transform/segment_transform.h"
#include "transform/segments.h"

namespace vprism {

double CrossSpectrum::coherence(std::size_t bin) const {
  const double both = grid.power[bin] * reference_power[bin];
  return both > 0 ? std::norm(cross[bin]) / both : 0;
}

double CrossSpectrum::phase_deg(std::size_t bin) const {
  return std::arg(cross[bin]) * 180 / std::numbers::pi;
}

struct CrossEstimator::Inner {
  static constexpr std::size_t lanes = 4;
  struct Lane {
    std::vector<std::vector<double>> power;
    std::vector<std::vector<std::complex<double>>> cross;
    std::optional<SegmentTransform::Scratch> scratch;
    std::vector<std::complex<double>> reference;
  };

  Inner(const SpectrumPlan& p, const SpectrumSettings& s, std::size_t r)
      : plan(p), settings(s), reference(r) {
    settings.average = Average::mean;
    settings.pad = 1;
  }

  void begin(const Block& block) {
    channels = block.channels();
    transform.emplace(plan, settings, block.complex());
    feed.emplace(SegmentFeed::all_columns(block), plan.segment, plan.hop, plan.averages);
    for (Lane& lane : work) {
      lane.power.assign(channels, std::vector<double>(transform->bins(), 0.0));
      lane.cross.assign(channels, std::vector<std::complex<double>>(transform->bins(), 0.0));
      lane.scratch.emplace(transform->scratch());
      lane.reference.resize(transform->bins());
    }
  }

  void take(const SegmentBatch& batch, std::size_t s, Lane& lane) const {
    const auto run = [&](std::size_t c, std::size_t taper) {
      return transform->run(batch.samples(c, s),
                            transform->complex() ? batch.samples(channels + c, s) : nullptr, taper,
                            *lane.scratch);
    };
    for (std::size_t taper = 0; taper < transform->tapers(); ++taper) {
      std::copy_n(run(reference, taper), transform->bins(), lane.reference.begin());
      for (std::size_t c = 0; c < channels; ++c) {
        const std::complex<double>* const x = c == reference ? lane.reference.data() : run(c, taper);
        for (std::size_t k = 0; k < transform->bins(); ++k) {
          const double re = x[k].real(), im = x[k].imag(), rr = lane.reference[k].real(),
                       ri = lane.reference[k].imag();
          lane.power[c][k] += re * re + im * im;
          lane.cross[c][k] += std::complex<double>(re * rr + im * ri, im * rr - re * ri);
        }
      }
    }
  }

  SpectrumPlan plan;
  SpectrumSettings settings;
  std::size_t reference, channels = 0;
  std::optional<SegmentTransform> transform;
  std::optional<SegmentFeed> feed;
  Lane work[lanes];
};

CrossEstimator::CrossEstimator(const SpectrumPlan& plan, const SpectrumSettings& settings,
                               std::size_t reference)
    : inner_(std::make_unique<Inner>(plan, settings, reference)) {}
CrossEstimator::~CrossEstimator() = default;

void CrossEstimator::add(const Block& block) {
  Inner& in = *inner_;
  if (!in.feed) in.begin(block);
  in.feed->add(block, [&in](const SegmentBatch& batch) {
    oneapi::tbb::parallel_for(std::size_t{0}, Inner::lanes, [&](std::size_t lane) {
      for (std::size_t s = 0; s < batch.count; ++s)
        if (static_cast<std::size_t>(batch.first + static_cast<std::int64_t>(s)) % Inner::lanes == lane)
          in.take(batch, s, in.work[lane]);
    });
  });
}

std::vector<CrossSpectrum> CrossEstimator::result() {
  Inner& in = *inner_;
  require_a_segment(in.feed, in.plan.segment);
  const std::int64_t done = in.feed->segments();
  std::vector<CrossSpectrum> out(in.channels);
  for (std::size_t c = 0; c < in.channels; ++c) {
    CrossSpectrum& one = out[c];
    one.grid = in.transform->blank();
    one.grid.plan.averages = done;
    one.grid.noise_averages = in.transform->noise_averages(done);
    one.grid.mean = in.feed->mean(c);
    std::vector<double> re(in.transform->bins(), 0.0), im = re;
    one.grid.power = re;
    for (const Inner::Lane& lane : in.work)
      for (std::size_t k = 0; k < re.size(); ++k) {
        one.grid.power[k] += lane.power[c][k];
        re[k] += lane.cross[c][k].real(), im[k] += lane.cross[c][k].imag();
      }
    const auto count = static_cast<double>(done);
    in.transform->to_power(one.grid.power, count);
    in.transform->to_power(re, count);
    in.transform->to_power(im, count);
    for (std::size_t k = 0; k < re.size(); ++k) one.cross.emplace_back(re[k], im[k]);
  }
  for (CrossSpectrum& one : out) one.reference_power = out[in.reference].grid.power;
  return out;
}

}  // namespace vprism
