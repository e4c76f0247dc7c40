// wavelet_level.h: the voices of a wavelet map that are made from samples at one rate.
#pragma once

#include <oneapi/tbb/enumerable_thread_specific.h>

#include <complex>
#include <cstdint>
#include <map>
#include <memory>
#include <span>
#include <utility>
#include <vector>

#include "base/fft.h"
#include "condition/filters/reflected_ends.h"
#include "transform/maps/scalogram.h"

namespace vprism {

/// What all channels share: the voices' gains and the transforms. May be used by several threads, each with a
/// course of its own.
class WaveletLevel {
 public:
  /// Rows `from` to `to` of the plan, from samples at `rate_hz`, in stretches of `size` of them. `plan` must
  /// live as long.
  WaveletLevel(const ScalogramPlan& plan, const ScalogramSettings& settings, double rate_hz, std::size_t from,
               std::size_t to, std::size_t size);
  /// Samples at that rate which the wavelet at `hz` reaches to either side. Throws Error(analysis) beyond
  /// 1e12.
  static std::size_t reach_at(const ScalogramPlan& plan, double rate_hz, double hz);
  /// Transforms that one stretch takes.
  void count(std::int64_t stretches, std::vector<ScalogramEstimator::Transforms>& out) const;

  /// One channel's samples at this rate on their way into its map.
  class Course {
   public:
    explicit Course(const WaveletLevel& level) : level_(level), ends_(level.reach_) {}
    /// `one_by_one`: without tasks for the voices, since other channels keep the threads busy.
    void add(std::span<const double> samples, LevelMap& map, bool one_by_one);
    void finish(LevelMap& map, bool one_by_one);
    std::int64_t stretches() const { return stretches_; }

   private:
    void run(LevelMap& map, bool ended, bool one_by_one);

    const WaveletLevel& level_;
    ReflectedEnds ends_;
    std::vector<double> line_;  ///< The continued record from `reach_` before sample done_ on.
    std::size_t done_ = 0;
    std::int64_t stretches_ = 0;
  };

 private:
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
  /// Of the stretch in hand.
  struct Scratch {
    explicit Scratch(std::size_t size) : time(size), bins(size / 2 + 1) {}
    FftArray<double> time;
    FftArray<std::complex<double>> bins;
    std::vector<std::size_t> ends;  ///< Of the map's columns, in samples of this level.
    std::vector<float> sums;
    std::vector<std::vector<std::pair<float, float>>> targets;
  };
  /// Where a stretch lies: its first sample samples is number `done` of this level.
  struct Stretch {
    std::size_t done, samples;
  };

  template <typename Work>
  void for_voices(bool one_by_one, const Work& work) const;
  const std::complex<double>* voice_back(const Voice& voice, const Scratch& scratch, Inverses& inverses,
                                         double slope_per_bin) const;
  void transform(Scratch& scratch, Stretch stretch, LevelMap& map, bool one_by_one) const;
  void squeeze(Scratch& scratch, Stretch stretch, LevelMap& map, bool one_by_one) const;
  std::size_t column_of(std::size_t sample, const LevelMap& map) const;
  std::size_t end_of(std::size_t column, const LevelMap& map) const;
  double half_sample() const { return 0.5 * rate_ / plan_.rate_hz; }

  const ScalogramPlan& plan_;
  double rate_;
  std::size_t size_, reach_;
  bool squeezed_;
  RealFft fft_;
  std::vector<Voice> voices_;
  mutable oneapi::tbb::enumerable_thread_specific<Inverses> inverses_;
  mutable oneapi::tbb::enumerable_thread_specific<Scratch> scratch_;
};

}  // namespace vprism
