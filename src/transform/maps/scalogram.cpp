// scalogram.cpp: see scalogram.h.
//
// Voices whose wavelet reaches farther than an eighth of the longest stretch are left to a level of decimated
// samples, and so on.
#include "transform/maps/scalogram.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/fft.h"
#include "base/machine/side_by_side.h"
#include "base/text.h"
#include "condition/filters/fir.h"
#include "condition/steps/decimator.h"
#include "transform/maps/wavelet_level.h"

namespace vprism {

namespace {

/// Samples of a stretch at the most.
constexpr std::size_t longest = std::size_t{1} << 16, longest_squeezed = std::size_t{1} << 14;

/// Cells between two that are known, by a straight line; before the first and after the last, as those are.
void join_rows(LevelMap& map) {
  for (std::size_t r = 0; r < map.rows(); ++r) {
    std::size_t known = map.columns;
    for (std::size_t c = 0; c < map.columns; ++c) {
      if (std::isnan(map.at(r, c))) continue;
      for (std::size_t k = 0; known == map.columns && k < c; ++k) map.at(r, k) = map.at(r, c);
      for (std::size_t k = known + 1; known < map.columns && k < c; ++k) {
        const float part = static_cast<float>(k - known) / static_cast<float>(c - known);
        map.at(r, k) = (1 - part) * map.at(r, known) + part * map.at(r, c);
      }
      known = c;
    }
    for (std::size_t k = known + 1; known < map.columns && k < map.columns; ++k)
      map.at(r, k) = map.at(r, known);
  }
}

}  // namespace

ScalogramPlan plan_scalogram(const ScalogramSettings& settings, std::int64_t samples, double rate_hz) {
  ScalogramPlan plan;
  plan.figures = wavelet_figures(settings.wavelet);
  plan.rate_hz = rate_hz, plan.samples = samples;
  const double top = rate_hz / 2 / (1 + plan.figures.width),
               bottom = 4 * plan.figures.edge / plan.duration_s();
  double high = settings.high_hz.value_or(top);
  if (high > rate_hz / 2)
    throw Error(Status::analysis, "frequencies up to " + format_quantity(high, "Hz") +
                                      " lie above half the rate, " + format_quantity(rate_hz / 2, "Hz"));
  double low = settings.low_hz.value_or(bottom);
  if (settings.octaves) low = std::max(low, high * std::exp2(-*settings.octaves));
  if (!(low < high))
    throw Error(Status::analysis, "the record is too short for this wavelet: it needs " +
                                      format_quantity(4 * plan.figures.edge / high, "s", 3) +
                                      " or more; choose one of fewer periods");
  plan.step = std::numbers::ln2 / static_cast<double>(settings.voices);
  const auto count = static_cast<std::size_t>(std::floor(std::log(high / low) / plan.step + 1e-9)) + 1;
  if (count > 4000) throw Error(Status::analysis, "more than 4000 voices; ask for fewer voices or octaves");
  for (std::size_t i = count; i-- > 0;)
    plan.frequency_hz.push_back(high * std::exp(-plan.step * static_cast<double>(i)));
  return plan;
}

struct ScalogramEstimator::Inner {
  ScalogramPlan plan;
  ScalogramSettings settings;
  /// From the highest rate down, each fed by a decimator of the one before.
  std::vector<std::unique_ptr<WaveletLevel>> levels;
  std::vector<std::size_t> factors;
  struct Chain {
    LevelMap map;
    std::vector<WaveletLevel::Course> courses;
    std::vector<std::unique_ptr<ColumnWorker>> decimators;
    std::vector<std::vector<double>> streams;
  };
  std::vector<Chain> chains;  ///< One for each channel.
  bool side_by_side = false;  ///< Channels, rather than the voices of one.

  void plan_levels() {
    const std::size_t most = settings.squeezed ? longest_squeezed : longest;
    double rate = plan.rate_hz;
    std::size_t to = plan.frequency_hz.size();
    while (to > 0) {
      // Down to the lowest voice that reaches no farther than an eighth of the longest stretch, or all.
      std::size_t from = to - 1;
      while (from > 0 && 8 * WaveletLevel::reach_at(plan, rate, plan.frequency_hz[from - 1]) <= most) --from;
      // What is left must lie in what a decimator leaves flat.
      std::size_t factor = 0;
      if (from > 0) {
        const double band = plan.figures.high * plan.frequency_hz[from - 1];
        factor = std::bit_floor(static_cast<std::size_t>(std::max(1.0, 0.45 * rate / band)));
        if (factor < 2) from = 0;  // A wavelet as long as this is transformed in one long stretch.
      }
      const std::size_t reach = WaveletLevel::reach_at(plan, rate, plan.frequency_hz[from]);
      const auto left = static_cast<std::size_t>(std::ceil(plan.duration_s() * rate));
      const std::size_t size = std::bit_ceil(std::min(left + 2 * reach + 1, std::max(most, 8 * reach)));
      levels.push_back(std::make_unique<WaveletLevel>(plan, settings, rate, from, to, size));
      to = from;
      if (to == 0) break;
      factors.push_back(factor);
      rate /= static_cast<double>(factor);
    }
  }

  void begin(std::size_t channels) {
    plan_levels();
    side_by_side = fill_all_threads(channels);
    const std::size_t columns = std::min(static_cast<std::size_t>(plan.samples), settings.most_columns);
    for (std::size_t c = 0; c < channels; ++c) {
      Chain& chain = chains.emplace_back();
      chain.map.resize(plan.frequency_hz.size(), columns);
      chain.map.frequency_hz = plan.frequency_hz;
      chain.map.start_s = 0;
      chain.map.step_s = plan.duration_s() / static_cast<double>(columns);
      for (const auto& level : levels) chain.courses.emplace_back(*level);
      for (const std::size_t factor : factors) chain.decimators.push_back(make_decimator(factor));
      chain.streams.resize(factors.size());
    }
  }

  void push(Chain& chain, std::span<const double> samples) const {
    chain.courses[0].add(samples, chain.map, side_by_side);
    std::span<const double> now = samples;
    for (std::size_t i = 0; i < chain.decimators.size(); ++i) {
      chain.streams[i].clear();
      chain.decimators[i]->add(now, chain.streams[i]);
      now = chain.streams[i];
      chain.courses[i + 1].add(now, chain.map, side_by_side);
    }
  }
  void finish(Chain& chain) const {
    chain.courses[0].finish(chain.map, side_by_side);
    for (std::size_t i = 0; i < chain.decimators.size(); ++i) {
      chain.streams[i].clear();
      chain.decimators[i]->finish(chain.streams[i]);
      std::vector<double> now = chain.streams[i];
      for (std::size_t k = i + 1; k <= chain.decimators.size(); ++k) {
        chain.courses[k].add(now, chain.map, side_by_side);
        if (k == chain.decimators.size()) break;
        std::vector<double> next;
        chain.decimators[k]->add(now, next);
        now = std::move(next);
      }
      chain.courses[i + 1].finish(chain.map, side_by_side);
    }
    if (!settings.squeezed) join_rows(chain.map);
  }
};

ScalogramEstimator::ScalogramEstimator(const ScalogramPlan& plan, const ScalogramSettings& settings)
    : inner_(std::make_unique<Inner>()) {
  inner_->plan = plan, inner_->settings = settings;
}
ScalogramEstimator::~ScalogramEstimator() = default;
ScalogramEstimator::ScalogramEstimator(ScalogramEstimator&&) noexcept = default;

void ScalogramEstimator::add(const Block& block) {
  if (block.gaps())
    throw Error(Status::analysis,
                "samples are missing; gate to a stretch without gaps, or read with --missing "
                "interpolate");
  Inner& in = *inner_;
  if (in.chains.empty()) in.begin(block.channels());
  for_all(in.side_by_side, in.chains.size(), [&](std::size_t c) { in.push(in.chains[c], block.samples(c)); });
}

std::vector<Scalogram> ScalogramEstimator::result() {
  std::vector<Scalogram> out;
  for_all(inner_->side_by_side, inner_->chains.size(),
          [&](std::size_t c) { inner_->finish(inner_->chains[c]); });
  for (Inner::Chain& chain : inner_->chains) {
    Scalogram s;
    for (const double hz : inner_->plan.frequency_hz) {
      const double edge = inner_->plan.edge_s(hz) / chain.map.step_s;
      const auto first = static_cast<std::size_t>(std::ceil(edge));
      s.inside.emplace_back(std::min(first, chain.map.columns),
                            first < chain.map.columns ? chain.map.columns - first : 0);
    }
    s.map = std::move(chain.map);
    out.push_back(std::move(s));
  }
  return out;
}

std::vector<ScalogramEstimator::Transforms> ScalogramEstimator::transforms() const {
  std::vector<Transforms> out;
  if (!inner_->chains.empty())
    for (std::size_t i = 0; i < inner_->levels.size(); ++i)
      inner_->levels[i]->count(inner_->chains.front().courses[i].stretches(), out);
  return out;
}

double band_extraction_gain(const ScalogramPlan& plan, const ScalogramSettings& settings, double low_hz,
                            double high_hz, double hz) {
  double sum = 0;
  for (const double f : plan.frequency_hz)
    if (f >= low_hz && f <= high_hz) sum += settings.wavelet.at(hz / f);
  return sum * plan.step / plan.figures.integral;
}

std::unique_ptr<ColumnWorker> make_band_extraction(const ScalogramPlan& plan,
                                                   const ScalogramSettings& settings, double low_hz,
                                                   double high_hz) {
  double lowest = 0;
  for (const double f : plan.frequency_hz)
    if (f >= low_hz && f <= high_hz && lowest == 0) lowest = f;
  if (lowest == 0)
    throw Error(Status::analysis, "no voice lies between " + format_quantity(low_hz, "Hz") + " and " +
                                      format_quantity(high_hz, "Hz") + "; the map reaches from " +
                                      format_quantity(plan.frequency_hz.front(), "Hz", 4) + " to " +
                                      format_quantity(plan.frequency_hz.back(), "Hz", 4));
  const std::size_t half = WaveletLevel::reach_at(plan, plan.rate_hz, lowest);
  if (half > (std::size_t{1} << 23))
    throw Error(Status::analysis, "the wavelet at " + format_quantity(lowest, "Hz") + " is " +
                                      std::to_string(2 * half) + " samples long; decimate first");
  // Its impulse response, from samples of the gain twice as close as its length asks for.
  const std::size_t points = std::bit_ceil(4 * half + 2);
  FftArray<std::complex<double>> gain(points / 2 + 1);
  FftArray<double> response(points);
  for (std::size_t k = 0; k <= points / 2; ++k)
    gain.data()[k] = band_extraction_gain(
        plan, settings, low_hz, high_hz, plan.rate_hz * static_cast<double>(k) / static_cast<double>(points));
  RealFft(points).back(gain, response);
  std::vector<double> taps(2 * half + 1);
  for (std::size_t m = 0; m <= half; ++m)
    taps[half + m] = taps[half - m] = response.data()[m] / static_cast<double>(points);
  return make_centred_fir(std::move(taps));
}

}  // namespace vprism
