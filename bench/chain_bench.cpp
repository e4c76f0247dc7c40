// chain_bench.cpp: every stage of the chain beside a plain copy of the same data, on one thread.
//
// 1e7 samples of one channel, in blocks as the road makes them, are copied from block to block; the same
// blocks then go through each stage (surveys included). Medians of five runs, alternating, and their ratios
// are printed; nothing is judged. Chains named
// on the command line alone, where there are any. Goals: 15 copies, despike 60.
#include <oneapi/tbb/global_control.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <functional>
#include <vector>

#include "condition/road.h"

namespace {

using namespace vprism;

constexpr std::size_t samples = 10000000;

double seconds_of(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

double median(std::vector<double> values) {
  std::sort(values.begin(), values.end());
  return values[values.size() / 2];
}

}  // namespace

int main(int argc, char** argv) {
  const oneapi::tbb::global_control one(oneapi::tbb::global_control::max_allowed_parallelism, 1);
  std::vector<double> x(samples), copy(samples);
  unsigned long long dice = 1;
  for (std::size_t n = 0; n < samples; ++n) {
    dice = dice * 6364136223846793005ull + 1442695040888963407ull;
    x[n] = std::sin(0.01 * static_cast<double>(n)) + static_cast<double>(dice >> 11) / 9007199254740992.0;
  }
  Recording recording;
  recording.file = "memory";
  recording.channels = {{"x", Unit::parse("m/s^2"), "acceleration"}};
  recording.axis.interval = 1e-4;
  recording.samples = samples;
  const auto run = [&](Stage& stage) {
    const Sink drop = [](Block&) {};
    Block block(1, Block::good_capacity(1));
    for (const bool survey : {true, false}) {
      if (survey && !stage.surveys()) continue;
      Recording passing = recording;
      stage.start(passing);
      for (std::size_t at = 0; at < samples; at += block.capacity()) {
        const std::size_t count = std::min(block.capacity(), samples - at);
        std::memcpy(block.room(0).data(), x.data() + at, count * sizeof(double));
        block.set(static_cast<std::int64_t>(at), count);
        survey ? stage.survey(block) : stage.push(block, drop);
      }
      if (!survey) stage.finish(drop);
    }
  };
  const std::vector<std::string> all = {"detrend constant",
                                        "detrend linear",
                                        "detrend poly 5",
                                        "despike",
                                        "despike width 101",
                                        "lowpass 15Hz",
                                        "lowpass 15Hz order 8",
                                        "lowpass 500Hz zero-phase",
                                        "lowpass 500Hz kind fir",
                                        "lowpass 15Hz kind fir",
                                        "bandpass 20Hz..200Hz",
                                        "notch 50Hz harmonics 5",
                                        "decimate 8",
                                        "decimate 2",
                                        "decimate 8 average",
                                        "decimate 8 keep",
                                        "resample 12kHz",
                                        "resample 3141.5926Hz",
                                        "scale 2",
                                        "integrate method filter from 1Hz",
                                        "differentiate method filter",
                                        "weight A",
                                        "fade 1s"};
  for (const std::string& chain : argc > 1 ? std::vector<std::string>(argv + 1, argv + argc) : all) {
    std::vector<double> ours, plain;
    for (int round = 0; round < 5; ++round) {
      plain.push_back(seconds_of([&] {
        Block block(1, Block::good_capacity(1));
        for (std::size_t at = 0; at < samples; at += block.capacity()) {
          const std::size_t count = std::min(block.capacity(), samples - at);
          std::memcpy(copy.data() + at, x.data() + at, count * sizeof(double));
        }
      }));
      ours.push_back(seconds_of([&] { run(*parse_chain(chain)[0]); }));
    }
    std::printf("%-34s %7.2f ns a sample, copy %.2f ns, ratio of times %.1f\n", chain.c_str(),
                median(ours) / samples * 1e9, median(plain) / samples * 1e9, median(ours) / median(plain));
  }
  return 0;
}
