// cross.cpp: see cross.h. Segments are dealt out to lanes as in the spectrum's estimator.
#include "transform/spectra/cross.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>

#include "transform/spectra/segment_transform.h"
#include "transform/spectra/segments.h"

namespace vprism {

void CrossSums::resize(std::size_t channels, std::size_t bins) {
  power.assign(channels, std::vector<double>(bins, 0.0));
  cross.assign(channels, {references.size(), std::vector<std::complex<double>>(bins, 0.0)});
}

void CrossSums::add(std::span<const std::complex<double>* const> transforms) {
  oneapi::tbb::parallel_for(std::size_t{0}, power.size(), [&](std::size_t c) {
    const std::complex<double>* const x = transforms[c];
    double* const own = power[c].data();
    const std::size_t bins = power[c].size();
    for (std::size_t k = 0; k < bins; ++k) own[k] += x[k].real() * x[k].real() + x[k].imag() * x[k].imag();
    for (std::size_t i = 0; i < references.size(); ++i) {
      const std::complex<double>* const r = transforms[references[i]];
      std::complex<double>* const both = cross[c][i].data();
      for (std::size_t k = 0; k < bins; ++k) {
        const double re = x[k].real(), im = x[k].imag(), rr = r[k].real(), ri = r[k].imag();
        both[k] += std::complex<double>(re * rr + im * ri, im * rr - re * ri);
      }
    }
  });
}

void CrossSums::join(const CrossSums& other) {
  for (std::size_t c = 0; c < power.size(); ++c) {
    for (std::size_t k = 0; k < power[c].size(); ++k) power[c][k] += other.power[c][k];
    for (std::size_t i = 0; i < references.size(); ++i)
      for (std::size_t k = 0; k < power[c].size(); ++k) cross[c][i][k] += other.cross[c][i][k];
  }
}

double CrossSpectra::coherence(std::size_t channel, std::size_t r, std::size_t bin) const {
  const double both = own[channel].power[bin] * reference_power(r)[bin];
  return both > 0 ? std::norm(cross[channel][r][bin]) / both : 0;
}

double CrossSpectra::phase_deg(std::size_t channel, std::size_t r, std::size_t bin) const {
  return std::arg(cross[channel][r][bin]) * 180 / std::numbers::pi;
}

CrossSpectra cross_spectra(CrossSums sums, std::size_t segment, double rate_hz, std::int64_t averages) {
  CrossSpectra out;
  out.references = std::move(sums.references);
  const auto count = static_cast<double>(averages), size = static_cast<double>(segment);
  for (std::vector<double>& power : sums.power) {
    Spectrum& own = out.own.emplace_back();
    own.window = {WindowKind::rectangular, 0};
    own.plan.segment = own.plan.hop = own.transform = segment;
    own.plan.rate_hz = rate_hz;
    own.plan.bin_hz = own.plan.rbw_hz = rate_hz / size;
    own.plan.averages = averages;
    own.noise_averages = count;
    own.power = std::move(power);
    for (std::size_t k = 0; k < own.power.size(); ++k) own.power[k] *= own.crest(k) / (size * size * count);
  }
  for (auto& channel : sums.cross)
    for (auto& both : channel)
      for (std::size_t k = 0; k < both.size(); ++k) both[k] *= out.own[0].crest(k) / (size * size * count);
  out.cross = std::move(sums.cross);
  return out;
}

struct CrossEstimator::Inner {
  struct Lane {
    CrossSums sums;
    std::optional<SegmentTransform::Scratch> scratch;
    std::vector<std::vector<std::complex<double>>> transforms;
  };

  Inner(const SpectrumPlan& p, const SpectrumSettings& s, std::vector<std::size_t> r)
      : plan(p), settings(s), references(std::move(r)) {
    settings.average = Average::mean;
    settings.pad = 1;
  }

  void begin(const Block& block) {
    channels = block.channels();
    transform.emplace(plan, settings, block.complex());
    feed.emplace(SegmentFeed::all_columns(block), plan.segment, plan.hop, plan.averages);
    // Each lane has sums of its own; large ones are not made four times.
    const double bytes = 16.0 * static_cast<double>(channels * (references.size() + 1) * transform->bins());
    work.resize(bytes > 64e6 ? 1 : 4);
    for (Lane& lane : work) {
      lane.sums.references = references;
      lane.sums.resize(channels, transform->bins());
      lane.scratch.emplace(transform->scratch());
      lane.transforms.assign(channels, std::vector<std::complex<double>>(transform->bins()));
    }
  }

  void take(const SegmentBatch& batch, std::size_t s, Lane& lane) const {
    std::vector<const std::complex<double>*> all;
    for (const auto& one : lane.transforms) all.push_back(one.data());
    for (std::size_t taper = 0; taper < transform->tapers(); ++taper) {
      for (std::size_t c = 0; c < channels; ++c)
        std::copy_n(transform->run(batch.samples(c, s),
                                   transform->complex() ? batch.samples(channels + c, s) : nullptr, taper,
                                   *lane.scratch),
                    transform->bins(), lane.transforms[c].begin());
      lane.sums.add(all);
    }
  }

  SpectrumPlan plan;
  SpectrumSettings settings;
  std::vector<std::size_t> references;
  std::size_t channels = 0;
  std::optional<SegmentTransform> transform;
  std::optional<SegmentFeed> feed;
  std::vector<Lane> work;
};

CrossEstimator::CrossEstimator(const SpectrumPlan& plan, const SpectrumSettings& settings,
                               std::vector<std::size_t> references)
    : inner_(std::make_unique<Inner>(plan, settings, std::move(references))) {}
CrossEstimator::~CrossEstimator() = default;

void CrossEstimator::add(const Block& block) {
  Inner& in = *inner_;
  if (!in.feed) in.begin(block);
  in.feed->add(block, [&in](const SegmentBatch& batch) {
    const std::size_t lanes = in.work.size();
    oneapi::tbb::parallel_for(std::size_t{0}, lanes, [&](std::size_t lane) {
      for (std::size_t s = 0; s < batch.count; ++s)
        if (static_cast<std::size_t>(batch.first + static_cast<std::int64_t>(s)) % lanes == lane)
          in.take(batch, s, in.work[lane]);
    });
  });
}

CrossSpectra CrossEstimator::result() {
  Inner& in = *inner_;
  require_a_segment(in.feed, in.plan.segment);
  const std::int64_t done = in.feed->segments();
  const auto count = static_cast<double>(done);
  CrossSums& sums = in.work[0].sums;
  for (std::size_t lane = 1; lane < in.work.size(); ++lane) sums.join(in.work[lane].sums);
  CrossSpectra out;
  out.references = in.references;
  out.cross = std::move(sums.cross);
  for (std::size_t c = 0; c < in.channels; ++c) {
    Spectrum& own = out.own.emplace_back(in.transform->blank());
    own.plan.averages = done;
    own.noise_averages = in.transform->noise_averages(done);
    own.mean = in.feed->mean(c);
    own.power = std::move(sums.power[c]);
    in.transform->to_power(own.power, count);
    std::vector<double> re(own.power.size()), im(own.power.size());
    for (auto& both : out.cross[c]) {
      for (std::size_t k = 0; k < re.size(); ++k) re[k] = both[k].real(), im[k] = both[k].imag();
      in.transform->to_power(re, count);
      in.transform->to_power(im, count);
      for (std::size_t k = 0; k < re.size(); ++k) both[k] = {re[k], im[k]};
    }
  }
  return out;
}

}  // namespace vprism
