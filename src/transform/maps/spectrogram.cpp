// spectrogram.cpp: see spectrogram.h.
#include "transform/maps/spectrogram.h"

#include <oneapi/tbb/enumerable_thread_specific.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>
#include <optional>
#include <span>

#include "base/machine/clones.h"
#include "base/machine/side_by_side.h"
#include "transform/maps/reassign.h"
#include "transform/spectra/segment_transform.h"
#include "transform/spectra/segments.h"

namespace vprism {

namespace {

VPRISM_WIDE void squares_of(const std::complex<double>* x, std::size_t count, double* out) {
  for (std::size_t k = 0; k < count; ++k) out[k] = x[k].real() * x[k].real() + x[k].imag() * x[k].imag();
}

/// The squares of a transform into the greatest and the sum so far.
VPRISM_WIDE void fold_squares(const std::complex<double>* x, std::size_t count, double* top, double* sum) {
  for (std::size_t k = 0; k < count; ++k) {
    const double square = x[k].real() * x[k].real() + x[k].imag() * x[k].imag();
    sum[k] += square;
    top[k] = square > top[k] ? square : top[k];
  }
}

VPRISM_WIDE void join(const double* top, const double* sum, std::size_t count, double* all_top,
                      double* all_sum) {
  for (std::size_t k = 0; k < count; ++k) {
    all_sum[k] += sum[k];
    all_top[k] = top[k] > all_top[k] ? top[k] : all_top[k];
  }
}

}  // namespace

SpectrumSettings spectrogram_cut(SpectrumSettings asked, bool overlap_given, std::int64_t samples) {
  const double root = 4 * std::sqrt(static_cast<double>(std::max<std::int64_t>(samples, 1)));
  if (!asked.segment && !asked.resolution_hz) {
    const auto near = static_cast<std::size_t>(std::exp2(std::round(std::log2(root))));
    const auto most = static_cast<std::size_t>(std::max<std::int64_t>(16, samples / 4));
    asked.segment = std::min(std::bit_floor(most), std::clamp<std::size_t>(near, 32, 16384));
  }
  if (!overlap_given && asked.segment) {
    const double hop = static_cast<double>(samples) / 600 / static_cast<double>(*asked.segment);
    asked.overlap = 1 - std::clamp(hop, 1.0 / 16, 0.5);
  }
  return asked;
}

struct SpectrogramEstimator::Inner {
  SpectrumPlan plan;
  SpectrogramSettings settings;
  RowSink every;
  std::size_t channels = 0, by_rows = 1;
  std::optional<SegmentTransform> transform;
  std::optional<Reassigner> reassigner;
  std::optional<ChannelFeeds> feeds;
  using Scratches = oneapi::tbb::enumerable_thread_specific<SegmentTransform::Scratch>;
  using Movers = oneapi::tbb::enumerable_thread_specific<Reassigner::Scratch>;
  std::optional<Scratches> scratch;
  std::optional<Movers> movers;
  /// Channels, rather than what one of them needs.
  bool side_by_side = false;
  std::vector<std::vector<double>> rows;  ///< Powers of a batch's segments, where all of them are wanted.
  std::vector<std::vector<MovedBin>> moved;
  /// Some segments of one column, worked on by one thread.
  struct Run {
    std::int64_t column = 0;
    std::size_t first = 0, count = 0;
    std::vector<double> top, sum;
  };
  oneapi::tbb::enumerable_thread_specific<std::vector<Run>> all_runs;
  struct Channel {
    Spectrogram out;
    std::vector<double> top;  ///< Squares of the column in hand, in the transform's order.
    std::vector<double> sum;  ///< Of all segments.
    std::int64_t column = -1;
    std::vector<float> strip;  ///< Finished columns of one strip of the map, `strip_columns` to a row.
  };
  std::vector<Channel> state;
  /// As many columns as lie in one line of the cache go to the map together.
  static constexpr std::size_t strip_columns = 16;
  std::vector<double> scale;  ///< Of the squares, by rows' bins.

  std::int64_t column_of(std::int64_t sample) const {
    return sample / static_cast<std::int64_t>(plan.hop * state.front().out.group);
  }

  void begin(const Block& block) {
    channels = block.channels();
    // Rows of single segments are handed out one after the other.
    side_by_side = fill_all_threads(channels) && !every && !settings.reassigned;
    transform.emplace(plan, settings.spectrum, block.complex());
    feeds.emplace(block, plan.segment, plan.hop, plan.averages);
    scratch.emplace([this] { return transform->scratch(); });
    if (settings.reassigned) {
      reassigner.emplace(settings.spectrum.window, plan.segment, block.complex());
      movers.emplace([this] { return reassigner->scratch(); });
    }
    const std::size_t bins = transform->bins();
    // The time covered may be longer than that of the segments that gaps leave.
    const auto steps = static_cast<std::size_t>(std::max<std::int64_t>(1, plan.averages));
    const std::size_t group = (steps + settings.most_columns - 1) / settings.most_columns;
    const std::size_t columns = (steps + group - 1) / group;
    by_rows = settings.reassigned ? 1 : std::max<std::size_t>(1, bins * columns / settings.most_cells + 1);
    if (bins * columns <= settings.most_cells) by_rows = 1;
    scale.assign(bins, 1.0);
    transform->to_power(scale, 1);
    state.resize(channels);
    for (Channel& c : state) {
      c.out.grid = transform->blank();
      c.out.group = group;
      c.top.assign(bins, 0.0);
      c.sum.assign(bins, 0.0);
      LevelMap& map = c.out.map;
      map.resize(settings.reassigned ? 2 * bins : (bins + by_rows - 1) / by_rows, columns);
      if (!settings.reassigned)
        c.strip.assign(map.rows() * strip_columns, std::numeric_limits<float>::quiet_NaN());
      map.step_s = static_cast<double>(group * plan.hop) / plan.rate_hz;
      map.start_s = (static_cast<double>(plan.segment) - static_cast<double>(plan.hop)) / 2 / plan.rate_hz;
      for (std::size_t r = 0; r < map.rows(); ++r) {
        const std::size_t last = std::min(bins, (r + 1) * by_rows) - 1;
        map.frequency_hz[r] =
            settings.reassigned ? c.out.grid.hz_at(static_cast<double>(r) / 2)
                                : (c.out.grid.frequency_hz(r * by_rows) + c.out.grid.frequency_hz(last)) / 2;
      }
    }
  }

  /// What is told of every segment by itself.
  void transform_rows(const SegmentBatch& batch) {
    rows.resize(std::max(rows.size(), batch.count));
    if (settings.reassigned) moved.resize(std::max(moved.size(), batch.count));
    for_all(true, batch.count, [&](std::size_t s) {
      const double* const im = transform->complex() ? batch.samples(1, s) : nullptr;
      if (every) {
        const std::complex<double>* const x = transform->run(batch.samples(0, s), im, 0, scratch->local());
        rows[s].resize(transform->bins());
        squares_of(x, rows[s].size(), rows[s].data());
        transform->to_power(rows[s], 1);
      }
      if (settings.reassigned) reassigner->run(batch.samples(0, s), im, movers->local(), moved[s]);
    });
  }

  /// Rows are finished side by side, a stretch of them in each task.
  static constexpr std::size_t rows_together = 512;
  template <typename Work>
  void for_rows(const Channel& c, const Work& work) const {
    const std::size_t count = settings.reassigned ? transform->bins() : c.out.map.rows();
    for_all(!side_by_side, (count + rows_together - 1) / rows_together,
            [&](std::size_t i) { work(i * rows_together, std::min(count, (i + 1) * rows_together)); });
  }
  /// Bins of the rows from..to, in the order of the transform: once round at most, so one or two stretches.
  template <typename Work>
  void for_bins(std::size_t from, std::size_t to, const Work& work) const {
    const std::size_t bins = transform->bins(), first = std::min(bins, from * by_rows) + transform->turn(),
                      last = std::min(bins, to * by_rows) + transform->turn();
    if (first < bins) work(first, std::min(last, bins));
    if (last > bins) work(std::max(first, bins) - bins, last - bins);
  }

  /// Some rows of a finished column into the strip.
  void put(Channel& c, std::int64_t column, std::size_t from, std::size_t to) const {
    const std::size_t bins = transform->bins(), turn = transform->turn();
    if (column >= 0 && column < static_cast<std::int64_t>(c.out.map.columns) && !settings.reassigned) {
      const std::size_t place = static_cast<std::size_t>(column) % strip_columns;
      for (std::size_t r = from; r < to; ++r) {
        double level = 0;
        for (std::size_t k = r * by_rows; k < std::min(bins, (r + 1) * by_rows); ++k) {
          const std::size_t at = k + turn;
          level = std::max(level, c.top[at < bins ? at : at - bins] * scale[k]);
        }
        c.strip[r * strip_columns + place] = static_cast<float>(level);
      }
    }
    for_bins(from, to, [&](std::size_t first, std::size_t last) {
      std::fill(c.top.begin() + static_cast<std::ptrdiff_t>(first),
                c.top.begin() + static_cast<std::ptrdiff_t>(last), 0.0);
    });
  }

  /// Some rows of the strip that `column` lies in into the map.
  void hand_over(Channel& c, std::int64_t column, std::size_t from, std::size_t to) const {
    LevelMap& map = c.out.map;
    if (column < 0 || settings.reassigned) return;
    const std::size_t first = static_cast<std::size_t>(column) / strip_columns * strip_columns;
    if (first >= map.columns) return;
    const std::size_t count = std::min(strip_columns, map.columns - first);
    for (std::size_t r = from; r < to; ++r) {
      float* const cells = &c.strip[r * strip_columns];
      std::copy_n(cells, count, &map.at(r, first));
      std::fill_n(cells, strip_columns, std::numeric_limits<float>::quiet_NaN());
    }
  }

  /// Rows from..to of what one channel's runs add, joined in order, so that the sums do not depend on the
  /// threads.
  void join_runs(Channel& c, std::span<const Run> runs, std::size_t from, std::size_t to) const {
    std::int64_t column = c.column;
    for (const Run& run : runs) {
      if (run.column != column) {
        put(c, column, from, to);
        if (column / static_cast<std::int64_t>(strip_columns) !=
            run.column / static_cast<std::int64_t>(strip_columns))
          hand_over(c, column, from, to);
      }
      column = run.column;
      for_bins(from, to, [&](std::size_t first, std::size_t last) {
        join(&run.top[first], &run.sum[first], last - first, &c.top[first], &c.sum[first]);
      });
    }
  }

  void fold(const SegmentBatch& batch, std::size_t channel) {
    Channel& c = state[channel];
    const auto hop = static_cast<std::int64_t>(plan.hop);
    constexpr std::size_t most = 4;
    std::vector<Run>& runs = all_runs.local();
    std::size_t used = 0;
    for (std::size_t s = 0; s < batch.count; ++s) {
      const std::int64_t column = column_of(batch.sample + static_cast<std::int64_t>(s) * hop);
      if (used == 0 || runs[used - 1].column != column || runs[used - 1].count == most) {
        if (used == runs.size()) runs.emplace_back();
        runs[used].column = column, runs[used].first = s, runs[used].count = 0;
        ++used;
      }
      ++runs[used - 1].count;
    }
    const std::size_t bins = transform->bins();
    for_all(!side_by_side, used, [&](std::size_t i) {
      Run& run = runs[i];
      run.top.assign(bins, 0.0);
      run.sum.assign(bins, 0.0);
      for (std::size_t s = run.first; s < run.first + run.count; ++s) {
        const double* const im = transform->complex() ? batch.samples(1, s) : nullptr;
        fold_squares(transform->run(batch.samples(0, s), im, 0, scratch->local()), bins, run.top.data(),
                     run.sum.data());
      }
    });
    for_rows(c, [&](std::size_t from, std::size_t to) { join_runs(c, {runs.data(), used}, from, to); });
    if (used > 0) c.column = runs[used - 1].column;
    c.out.segments += static_cast<std::int64_t>(batch.count);
  }

  /// Each bin's energy to its own cell, as a share of the column's segments.
  void deposit(const SegmentBatch& batch, Channel& c) {
    LevelMap& map = c.out.map;
    const double group = static_cast<double>(c.out.group);
    for (std::size_t s = 0; s < batch.count; ++s)
      for (const MovedBin& bin : moved[s]) {
        const double t =
            (static_cast<double>(batch.sample + static_cast<std::int64_t>(s * plan.hop)) + bin.samples) /
            plan.rate_hz;
        const double column = std::floor((t - map.start_s) / map.step_s);
        const double row = std::round(2 * (bin.bins - c.out.grid.start_bins));
        if (column < 0 || column >= static_cast<double>(map.columns) || row < 0 ||
            row >= static_cast<double>(map.rows()))
          continue;
        float& cell = map.at(static_cast<std::size_t>(row), static_cast<std::size_t>(column));
        const auto share = static_cast<float>(bin.square / group);
        cell = std::isnan(cell) ? share : cell + share;
      }
  }

  void take(const SegmentBatch& batch, std::size_t c) {
    fold(batch, c);
    if (every || settings.reassigned) transform_rows(batch);
    if (settings.reassigned) deposit(batch, state[c]);
    if (!every) return;
    for (std::size_t s = 0; s < batch.count; ++s)
      every(c,
            (static_cast<double>(batch.sample + static_cast<std::int64_t>(s * plan.hop)) +
             static_cast<double>(plan.segment) / 2) /
                plan.rate_hz,
            rows[s]);
  }
};

SpectrogramEstimator::SpectrogramEstimator(const SpectrumPlan& plan, const SpectrogramSettings& settings,
                                           RowSink every)
    : inner_(std::make_unique<Inner>()) {
  inner_->plan = plan;
  inner_->settings = settings;
  inner_->settings.spectrum.tapers = 0;
  if (settings.reassigned) inner_->settings.spectrum.pad = 1;
  inner_->every = std::move(every);
}
SpectrogramEstimator::~SpectrogramEstimator() = default;
SpectrogramEstimator::SpectrogramEstimator(SpectrogramEstimator&&) noexcept = default;

void SpectrogramEstimator::add(const Block& block) {
  Inner& in = *inner_;
  if (!in.feeds) in.begin(block);
  in.feeds->add(
      block, [&in](const SegmentBatch& batch, std::size_t c) { in.take(batch, c); }, in.side_by_side);
}

std::vector<Spectrogram> SpectrogramEstimator::result() {
  Inner& in = *inner_;
  require_a_segment(in.feeds, in.plan.segment);
  std::vector<Spectrogram> out;
  for (Inner::Channel& c : in.state) {
    in.for_rows(c, [&](std::size_t from, std::size_t to) {
      in.put(c, c.column, from, to);
      in.hand_over(c, c.column, from, to);
    });
    c.strip = {};
    c.out.grid.plan.averages = c.out.segments;
    in.transform->to_power(c.sum, static_cast<double>(c.out.segments));
    c.out.grid.power = std::move(c.sum);
    out.push_back(std::move(c.out));
  }
  return out;
}

}  // namespace vprism
