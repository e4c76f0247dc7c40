// map_bench.cpp: maps against what they are made from, in one run, in turns; medians of seven.
//
//   spectrogram   the map of 25 million samples in memory against the averaged spectrum with the same
//   segments scalogram     the wavelet map of 8 million samples against its own transforms alone: as many of
//   the same sizes,
//                 on as many threads
//
// The last lines are ratios: rate of the spectrogram over that of the spectrum (1: as quick; wanted: 0.7 or
// more), and time of the scalogram over that of its transforms (1: nothing else; wanted: 1.5 or less).
#include <oneapi/tbb/enumerable_thread_specific.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <functional>
#include <map>
#include <vector>

#include "base/fft.h"
#include "transform/maps/scalogram.h"
#include "transform/maps/spectrogram.h"
#include "transform/spectra/spectrum_estimator.h"

namespace {

using namespace vprism;

std::vector<double> noise(std::size_t count) {
  std::vector<double> made(count);
  std::uint64_t state = 1;
  for (double& v : made) {
    state = state * 6364136223846793005u + 1442695040888963407u;
    v = static_cast<double>(state >> 33) / 4294967296.0 - 0.25;
  }
  return made;
}

double seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// Medians of both, run in turns.
std::pair<double, double> in_turns(const std::function<void()>& a, const std::function<void()>& b) {
  std::vector<double> first, second;
  for (int i = 0; i < 7; ++i) first.push_back(seconds(a)), second.push_back(seconds(b));
  std::sort(first.begin(), first.end()), std::sort(second.begin(), second.end());
  return {first[3], second[3]};
}

/// Blocks as a road hands them on.
template <typename Estimator>
void feed(Estimator& estimator, const std::vector<double>& x) {
  Block block(1, 65536);
  for (std::size_t at = 0; at < x.size(); at += 65536) {
    const std::size_t count = std::min<std::size_t>(65536, x.size() - at);
    std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(at), count, block.room(0).begin());
    block.set(static_cast<std::int64_t>(at), count);
    estimator.add(block);
  }
}

void spectrogram(std::size_t segment) {
  static const std::vector<double> x = noise(25'000'000);
  SpectrogramSettings settings;
  settings.spectrum.segment = segment;
  const SpectrumPlan plan = plan_spectrum(settings.spectrum, static_cast<std::int64_t>(x.size()), 50000);
  const auto [map, spectrum] = in_turns(
      [&] {
        SpectrogramEstimator estimator(plan, settings);
        feed(estimator, x);
        if (estimator.result().front().segments == 0) std::abort();
      },
      [&] {
        SpectrumEstimator estimator(plan, settings.spectrum);
        feed(estimator, x);
        if (estimator.result().front().power.empty()) std::abort();
      });
  std::printf("spectrogram, segment %6zu: %.3f s against %.3f s, rate over the spectrum's %.2f\n", segment,
              map, spectrum, spectrum / map);
}

void scalogram(std::size_t voices) {
  const std::vector<double> x = noise(8'000'000);
  ScalogramSettings settings;
  settings.voices = voices;
  const ScalogramPlan plan = plan_scalogram(settings, static_cast<std::int64_t>(x.size()), 50000);
  std::vector<ScalogramEstimator::Transforms> transforms;
  const auto work = [&] {
    ScalogramEstimator estimator(plan, settings);
    feed(estimator, x);
    if (estimator.result().front().map.power.empty()) std::abort();
    transforms = estimator.transforms();
  };
  work();
  struct Room {
    explicit Room(std::size_t n) : in(n), out(n) {
      std::fill(in.data(), in.data() + n, std::complex<double>(1, 0));
    }
    FftArray<std::complex<double>> in, out;
  };
  const auto bare = [&] {
    oneapi::tbb::enumerable_thread_specific<std::map<std::size_t, Room>> rooms;
    // As the map makes them: all voices of a stretch side by side, stretch after stretch.
    std::int64_t stretches = 0;
    for (const auto& t : transforms) stretches = std::max(stretches, t.count);
    for (std::int64_t s = 0; s < stretches; ++s) {
      for (const auto& t : transforms) {
        if (!t.real || s >= t.count) continue;
        static std::map<std::size_t, std::pair<FftArray<double>, FftArray<std::complex<double>>>> real;
        auto at = real.find(t.points);
        if (at == real.end())
          at = real.emplace(t.points, std::pair{FftArray<double>(t.points),
                                                FftArray<std::complex<double>>(t.points / 2 + 1)})
                   .first;
        RealFft(t.points).run(at->second.first, at->second.second);
      }
      oneapi::tbb::parallel_for(std::size_t{0}, transforms.size(), [&](std::size_t i) {
        const auto& t = transforms[i];
        if (t.real || s >= t.count) return;
        Room& room = rooms.local().try_emplace(t.points, t.points).first->second;
        ComplexFft(t.points).back(room.in, room.out);
      });
    }
  };
  const auto [map, alone] = in_turns(work, bare);
  std::printf("scalogram, %2zu voices, %zu rows: %.3f s against %.3f s of transforms, %.2f\n", voices,
              plan.frequency_hz.size(), map, alone, map / alone);
}

}  // namespace

/// map_bench [spectrogram]: all, or the first part alone.
int main(int count, char**) {
  for (const std::size_t segment : {1024u, 4096u, 16384u}) spectrogram(segment);
  if (count > 1) return 0;
  for (const std::size_t voices : {8u, 12u}) scalogram(voices);
}
