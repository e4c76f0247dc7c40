// scalogram.cpp: see scalogram.h.
//
// W_f(t) = sum_k X[k] psi(k df / f) exp(2 pi i k t / N) over a stretch of N samples. Only the bins where psi
// is not nothing are kept; an inverse transform of M points, M a power of two beyond twice their number, then
// gives W at every N/M-th sample without error. Voices whose wavelet reaches farther than an eighth of the
// longest stretch are left to a level of decimated samples, and so on.
#include "transform/scalogram.h"

#include <oneapi/tbb/enumerable_thread_specific.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <map>
#include <numbers>

#include "base/clones.h"
#include "base/error.h"
#include "base/fft.h"
#include "base/text.h"
#include "condition/decimator.h"
#include "condition/fir.h"
#include "condition/reflected_ends.h"

namespace vprism {

namespace {

constexpr std::size_t longest = std::size_t{1} << 16, longest_squeezed = std::size_t{1} << 14;

VPRISM_WIDE void weigh(const std::complex<double>* x, const double* gain, std::size_t count,
                       std::complex<double>* out) {
  for (std::size_t k = 0; k < count; ++k) out[k] = {x[k].real() * gain[k], x[k].imag() * gain[k]};
}

/// The same times a slope that grows from bin to bin.
void weigh_sloped(const std::complex<double>* x, const double* gain, std::size_t count, double first,
                  double step, std::complex<double>* out) {
  for (std::size_t k = 0; k < count; ++k) {
    const double g = gain[k] * (first + step * static_cast<double>(k));
    out[k] = {x[k].real() * g, x[k].imag() * g};
  }
}

VPRISM_WIDE void squares_in(const std::complex<double>* w, std::size_t count, double* out) {
  for (std::size_t k = 0; k < count; ++k) out[k] = w[k].real() * w[k].real() + w[k].imag() * w[k].imag();
}

VPRISM_WIDE void keep_greater(const double* x, std::size_t count, double* top) {
  for (std::size_t k = 0; k < count; ++k) top[k] = x[k] > top[k] ? x[k] : top[k];
}

double greatest_square(const std::complex<double>* w, std::size_t count) {
  constexpr std::size_t piece = 64;
  double squares[piece] = {}, top[piece] = {};
  for (std::size_t at = 0; at < count; at += piece) {
    const std::size_t many = std::min(piece, count - at);
    squares_in(w + at, many, squares);
    keep_greater(squares, many, top);
  }
  return *std::max_element(top, top + std::min(piece, count));
}

/// One voice within its level.
struct Voice {
  std::size_t row = 0;
  std::size_t first = 0;     ///< Bin of the stretch's transform.
  std::vector<double> gain;  ///< From there on.
  std::size_t points = 0;    ///< Of the inverse transform.
};

/// Inverse transforms of one size share their plan and, per thread, their memory.
struct Inverse {
  explicit Inverse(std::size_t points) : fft(points), in(points), out(points) {}
  ComplexFft fft;
  FftArray<std::complex<double>> in, out;
};
using Inverses = std::map<std::size_t, Inverse>;

/// Samples at one rate, the voices that are made from them, and where they are in the stretch.
class Level {
 public:
  Level(const ScalogramPlan& plan, const ScalogramSettings& settings, double rate_hz, std::size_t from,
        std::size_t to, std::size_t size)
      : plan_(plan),
        settings_(settings),
        rate_(rate_hz),
        size_(size),
        fft_(size),
        time_(size),
        bins_(size / 2 + 1) {
    reach_ = reach_at(plan, rate_hz, plan.frequency_hz[from]);
    ends_ = std::make_unique<ReflectedEnds>(reach_);
    const double df = rate_hz / static_cast<double>(size);
    for (std::size_t row = from; row < to; ++row) {
      Voice voice;
      voice.row = row;
      const double hz = plan.frequency_hz[row];
      const auto low = static_cast<std::size_t>(std::ceil(plan.figures.low * hz / df));
      const auto high = std::min(size / 2, static_cast<std::size_t>(plan.figures.high * hz / df));
      voice.first = low;
      for (std::size_t k = low; k <= high; ++k)
        voice.gain.push_back(settings.wavelet.at(static_cast<double>(k) * df / hz) /
                             static_cast<double>(size));
      // Twice as many points as the band needs hold every hump of the squares; those of voices that are
      // sampled more coarsely than the map's columns are joined by straight lines, and get four times as
      // many.
      voice.points = std::min(size, std::bit_ceil(4 * std::max<std::size_t>(voice.gain.size(), 8)));
      if (settings.squeezed) voice.points = size;
      voices_.push_back(std::move(voice));
    }
  }
  static std::size_t reach_at(const ScalogramPlan& plan, double rate_hz, double hz) {
    const double reach = std::ceil(plan.figures.reach * rate_hz / hz);
    if (!(reach < 1e12))
      throw Error(Status::analysis, "a wavelet at " + format_quantity(hz, "Hz") +
                                        " is longer than any record; ask for a higher span");
    return static_cast<std::size_t>(reach) + 2;
  }

  void add(std::span<const double> samples, LevelMap& map) {
    ends_->add(samples, line_);
    run(map, false);
  }
  void finish(LevelMap& map) {
    ends_->finish(line_);
    run(map, true);
  }
  void count(std::vector<ScalogramEstimator::Transforms>& out) const {
    out.push_back({size_, true, runs_});
    for (const Voice& voice : voices_)
      out.push_back({voice.points, false, settings_.squeezed ? 2 * runs_ : runs_});
  }

 private:
  void run(LevelMap& map, bool ended) {
    const std::size_t whole = size_ - 2 * reach_;
    while (line_.size() >= size_ || (ended && line_.size() > 2 * reach_)) {
      const std::size_t have = std::min(size_, line_.size());
      std::copy(line_.begin(), line_.begin() + static_cast<std::ptrdiff_t>(have), time_.data());
      std::fill(time_.data() + have, time_.data() + size_, 0.0);
      fft_.run(time_, bins_);
      ++runs_;
      const std::size_t told = std::min(whole, have - 2 * reach_);
      settings_.squeezed ? squeeze(map, told) : transform(map, told);
      line_.erase(line_.begin(), line_.begin() + static_cast<std::ptrdiff_t>(told));
      done_ += told;
    }
  }

  const std::complex<double>* voice_back(const Voice& voice, Inverse& inverse, double slope_per_bin) const {
    // The band's bins lie side by side, or in two parts where they pass the end of the inverse's.
    const std::size_t count = voice.gain.size(), start = voice.first & (voice.points - 1),
                      head = std::min(count, voice.points - start);
    std::complex<double>* const in = inverse.in.data();
    const auto put = [&](std::size_t from, std::size_t many, std::size_t to) {
      if (slope_per_bin > 0)
        weigh_sloped(bins_.data() + voice.first + from, voice.gain.data() + from, many,
                     slope_per_bin * static_cast<double>(voice.first + from), slope_per_bin, in + to);
      else
        weigh(bins_.data() + voice.first + from, voice.gain.data() + from, many, in + to);
    };
    put(0, head, start);
    put(head, count - head, 0);
    // Nothing in the rest.
    if (head == count) {
      std::fill(in, in + start, std::complex<double>{});
      std::fill(in + start + count, in + voice.points, std::complex<double>{});
    } else {
      std::fill(in + (count - head), in + start, std::complex<double>{});
    }
    inverse.fft.back(inverse.in, inverse.out);
    return inverse.out.data();
  }
  Inverse& inverse_of(std::size_t points) {
    return inverses_.local().try_emplace(points, points).first->second;
  }

  /// Column of a sample of this level. Half a sample of the record's own is added, so that rounding does not
  /// put one that stands on an edge before it.
  std::size_t column_of(std::size_t sample, const LevelMap& map) const {
    const double at = (static_cast<double>(sample) + half_sample()) / (map.step_s * rate_);
    return std::min(map.columns - 1, static_cast<std::size_t>(at));
  }
  /// The first sample beyond a column.
  std::size_t end_of(std::size_t column, const LevelMap& map) const {
    if (column + 1 == map.columns) return SIZE_MAX / 2;
    return static_cast<std::size_t>(
        std::max(0.0, std::ceil(static_cast<double>(column + 1) * map.step_s * rate_ - half_sample())));
  }
  double half_sample() const { return 0.5 * rate_ / plan_.rate_hz; }

  void transform(LevelMap& map, std::size_t told) {
    oneapi::tbb::parallel_for(std::size_t{0}, voices_.size(), [&](std::size_t v) {
      const Voice& voice = voices_[v];
      const std::complex<double>* const w = voice_back(voice, inverse_of(voice.points), 0);
      const std::size_t stride = size_ / voice.points;
      // The stretch begins `reach_` before sample done_; points lie at its samples 0, stride, ...
      const std::size_t first = (reach_ + stride - 1) / stride, last = (reach_ + told - 1) / stride;
      float* const row = &map.power[voice.row * map.columns];
      for (std::size_t n = first; n <= last;) {
        const std::size_t column = column_of(done_ + n * stride - reach_, map);
        const std::size_t stop =
            std::clamp((end_of(column, map) + reach_ - done_ + stride - 1) / stride, n + 1, last + 1);
        const double top = greatest_square(w + n, stop - n);
        n = stop;
        const auto level = static_cast<float>(top / 2);
        row[column] = std::isnan(row[column]) ? level : std::max(row[column], level);
      }
    });
  }

  /// What the voices read is added up where their phases' speeds say; then the greatest of each column.
  void squeeze(LevelMap& map, std::size_t told) {
    const std::size_t rows = plan_.frequency_hz.size();
    sums_.assign(rows * told, 0.0F);
    targets_.resize(voices_.size());
    const double bin_hz = rate_ / static_cast<double>(size_), scale = 2 / plan_.figures.integral * plan_.step;
    const double bottom = std::log(plan_.frequency_hz.front());
    oneapi::tbb::parallel_for(std::size_t{0}, voices_.size(), [&](std::size_t v) {
      const Voice& voice = voices_[v];
      std::vector<std::pair<float, float>>& out = targets_[v];
      out.resize(told);
      Inverse& inverse = inverse_of(voice.points);
      const std::complex<double>* const w = voice_back(voice, inverse, 0);
      for (std::size_t n = 0; n < told; ++n) {
        const std::complex<double> x = w[reach_ + n];
        out[n] = {static_cast<float>(x.real()), static_cast<float>(x.imag())};
      }
      const std::complex<double>* const slope = voice_back(voice, inverse, bin_hz);
      for (std::size_t n = 0; n < told; ++n) {
        const std::complex<double> x(out[n].first, out[n].second);
        const double square = std::norm(x);
        // The derivative over 2 pi i, divided by W: the speed of its phase in Hz.
        const double hz = square > 0 ? (slope[reach_ + n] * std::conj(x)).real() / square : 0;
        const double row = hz > 0 ? (std::log(hz) - bottom) / plan_.step : -1;
        out[n] = {static_cast<float>(row), static_cast<float>(std::sqrt(square) * scale)};
      }
    });
    for (const auto& target : targets_)
      for (std::size_t n = 0; n < told; ++n) {
        const float at = std::round(target[n].first);
        if (at >= 0 && at < static_cast<float>(rows))
          sums_[static_cast<std::size_t>(at) * told + n] += target[n].second;
      }
    for (std::size_t row = 0; row < rows; ++row)
      for (std::size_t n = 0; n < told; ++n) {
        const float sum = sums_[row * told + n];
        if (sum == 0) continue;
        float& cell = map.at(row, column_of(done_ + n, map));
        const float level = sum * sum / 2;
        cell = std::isnan(cell) ? level : std::max(cell, level);
      }
  }

  const ScalogramPlan& plan_;
  const ScalogramSettings& settings_;
  double rate_;
  std::size_t size_, reach_ = 0;
  RealFft fft_;
  FftArray<double> time_;
  FftArray<std::complex<double>> bins_;
  std::unique_ptr<ReflectedEnds> ends_;
  std::vector<double> line_;  ///< The continued record from `reach_` before sample done_ on.
  std::size_t done_ = 0;
  std::int64_t runs_ = 0;
  std::vector<Voice> voices_;
  oneapi::tbb::enumerable_thread_specific<Inverses> inverses_;
  std::vector<float> sums_;
  std::vector<std::vector<std::pair<float, float>>> targets_;
};

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
  /// Of one channel: levels from the highest rate down, each fed by a decimator of the one before.
  struct Chain {
    LevelMap map;
    std::vector<std::unique_ptr<Level>> levels;
    std::vector<std::unique_ptr<ColumnWorker>> decimators;
    std::vector<std::vector<double>> streams;
  };
  std::vector<Chain> chains;

  void begin(std::size_t channels) {
    for (std::size_t c = 0; c < channels; ++c) chains.push_back({});
    for (Chain& chain : chains) {
      const auto samples = static_cast<std::size_t>(plan.samples);
      const std::size_t columns = std::min(samples, settings.most_columns);
      chain.map.resize(plan.frequency_hz.size(), columns);
      chain.map.frequency_hz = plan.frequency_hz;
      chain.map.start_s = 0;
      chain.map.step_s = plan.duration_s() / static_cast<double>(columns);
      const std::size_t most = settings.squeezed ? longest_squeezed : longest;
      double rate = plan.rate_hz;
      std::size_t to = plan.frequency_hz.size();
      while (to > 0) {
        // Down to the lowest voice that reaches no farther than an eighth of the longest stretch, or all.
        std::size_t from = to - 1;
        while (from > 0 && 8 * Level::reach_at(plan, rate, plan.frequency_hz[from - 1]) <= most) --from;
        // What is left must lie in what a decimator leaves flat.
        std::size_t factor = 0;
        if (from > 0) {
          const double band = plan.figures.high * plan.frequency_hz[from - 1];
          factor = std::bit_floor(static_cast<std::size_t>(std::max(1.0, 0.45 * rate / band)));
          if (factor < 2) from = 0;  // A wavelet as long as this is transformed in one long stretch.
        }
        const std::size_t reach = Level::reach_at(plan, rate, plan.frequency_hz[from]);
        const auto left = static_cast<std::size_t>(std::ceil(plan.duration_s() * rate));
        const std::size_t size = std::bit_ceil(std::min(left + 2 * reach + 1, std::max(most, 8 * reach)));
        chain.levels.push_back(std::make_unique<Level>(plan, settings, rate, from, to, size));
        to = from;
        if (to == 0) break;
        chain.decimators.push_back(make_decimator(factor));
        rate /= static_cast<double>(factor);
      }
      chain.streams.resize(chain.decimators.size());
    }
  }

  static void push(Chain& chain, std::span<const double> samples) {
    chain.levels[0]->add(samples, chain.map);
    std::span<const double> now = samples;
    for (std::size_t i = 0; i < chain.decimators.size(); ++i) {
      chain.streams[i].clear();
      chain.decimators[i]->add(now, chain.streams[i]);
      now = chain.streams[i];
      chain.levels[i + 1]->add(now, chain.map);
    }
  }
  static void finish(Chain& chain) {
    chain.levels[0]->finish(chain.map);
    for (std::size_t i = 0; i < chain.decimators.size(); ++i) {
      chain.streams[i].clear();
      chain.decimators[i]->finish(chain.streams[i]);
      std::vector<double> now = chain.streams[i];
      for (std::size_t k = i + 1; k <= chain.decimators.size(); ++k) {
        chain.levels[k]->add(now, chain.map);
        if (k == chain.decimators.size()) break;
        std::vector<double> next;
        chain.decimators[k]->add(now, next);
        now = std::move(next);
      }
      chain.levels[i + 1]->finish(chain.map);
    }
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
  if (inner_->chains.empty()) inner_->begin(block.channels());
  // Channel by channel: the voices of one run side by side.
  for (std::size_t c = 0; c < inner_->chains.size(); ++c) Inner::push(inner_->chains[c], block.samples(c));
}

std::vector<Scalogram> ScalogramEstimator::result() {
  std::vector<Scalogram> out;
  for (Inner::Chain& chain : inner_->chains) {
    Inner::finish(chain);
    if (!inner_->settings.squeezed) join_rows(chain.map);
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
    for (const auto& level : inner_->chains.front().levels) level->count(out);
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
  const std::size_t half = Level::reach_at(plan, plan.rate_hz, lowest);
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
