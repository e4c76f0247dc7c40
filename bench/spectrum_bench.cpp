// spectrum_bench.cpp: the averaged spectrum of 100 MB against a bare loop of FFTW over the same segments, in
// one run.
//
// Both work on 12.5 million doubles in memory (100 MB), Hann window, 50% overlap, on one thread. The bare
// loop copies and windows a segment, runs FFTW with a plan of the same kind and adds up the power. The last
// lines of the output are the ratios of the rates (bare time / our time; 1 is the limit).
#include <benchmark/benchmark.h>
#include <fftw3.h>
#include <oneapi/tbb/global_control.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <vector>

#include "transform/spectra/spectrum_estimator.h"

namespace {

constexpr std::size_t samples = 12'500'000;

const std::vector<double>& signal() {
  static const std::vector<double> x = [] {
    std::vector<double> made(samples);
    std::uint64_t state = 1;
    for (double& v : made) {
      state = state * 6364136223846793005u + 1442695040888963407u;
      v = static_cast<double>(state >> 33) / 4294967296.0 - 0.25;
    }
    return made;
  }();
  return x;
}

double bare_loop(std::size_t segment) {
  const std::vector<double> window = vprism::make_window({}, segment);
  double* in = fftw_alloc_real(segment);
  fftw_complex* out = fftw_alloc_complex(segment / 2 + 1);
  fftw_plan plan =
      fftw_plan_dft_r2c_1d(static_cast<int>(segment), in, out, FFTW_ESTIMATE | FFTW_PRESERVE_INPUT);
  std::vector<double> sum(segment / 2 + 1);
  for (std::size_t at = 0; at + segment <= samples; at += segment / 2) {
    const double* x = signal().data() + at;
    for (std::size_t n = 0; n < segment; ++n) in[n] = window[n] * x[n];
    fftw_execute(plan);
    for (std::size_t k = 0; k < sum.size(); ++k) sum[k] += out[k][0] * out[k][0] + out[k][1] * out[k][1];
  }
  fftw_destroy_plan(plan);
  fftw_free(in);
  fftw_free(out);
  return sum[1];
}

double our_spectrum(std::size_t segment) {
  vprism::SpectrumSettings settings;
  settings.segment = segment;
  const vprism::SpectrumPlan plan = vprism::plan_spectrum(settings, samples, 1.0);
  vprism::SpectrumEstimator estimator(plan, settings);
  const std::span<const double> channels[] = {signal()};
  estimator.add(channels);
  return estimator.result()[0].power[1];
}

void bare(benchmark::State& state) {
  for (auto _ : state) benchmark::DoNotOptimize(bare_loop(static_cast<std::size_t>(state.range(0))));
}

void ours(benchmark::State& state) {
  for (auto _ : state) benchmark::DoNotOptimize(our_spectrum(static_cast<std::size_t>(state.range(0))));
}

double seconds(double (*work)(std::size_t), std::size_t segment) {
  const auto start = std::chrono::steady_clock::now();
  benchmark::DoNotOptimize(work(segment));
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// Medians of seven runs each, taken in turn so that both see the same machine.
double ratio(std::size_t segment) {
  std::vector<double> a, b;
  for (int run = 0; run < 7; ++run) {
    a.push_back(seconds(bare_loop, segment));
    b.push_back(seconds(our_spectrum, segment));
  }
  std::sort(a.begin(), a.end());
  std::sort(b.begin(), b.end());
  return a[3] / b[3];
}

BENCHMARK(bare)->Arg(1024)->Arg(8192)->Arg(65536)->Unit(benchmark::kMillisecond);
BENCHMARK(ours)->Arg(1024)->Arg(8192)->Arg(65536)->Unit(benchmark::kMillisecond);

/// One transform of the whole of 2^26 samples: FFTW alone, and the spectrum of it. Medians of three, in turn.
void whole_record() {
  constexpr std::size_t all = std::size_t{1} << 26;
  std::vector<double> x(all);
  for (std::size_t n = 0; n < all; ++n) x[n] = signal()[n % samples];
  std::vector<double> a, b;
  const auto timed = [](const auto& work) {
    const auto start = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  };
  for (int run = 0; run < 3; ++run) {
    double* in = fftw_alloc_real(all);
    fftw_complex* out = fftw_alloc_complex(all / 2 + 1);
    std::copy(x.begin(), x.end(), in);
    for (std::size_t k = 0; k <= all / 2; ++k) out[k][0] = 0;
    fftw_plan plan =
        fftw_plan_dft_r2c_1d(static_cast<int>(all), in, out, FFTW_ESTIMATE | FFTW_PRESERVE_INPUT);
    a.push_back(timed([&] { fftw_execute(plan); }));
    fftw_destroy_plan(plan);
    fftw_free(in);
    fftw_free(out);
    vprism::SpectrumSettings settings;
    settings.segment = all;
    b.push_back(timed([&] {
      vprism::SpectrumEstimator estimator(vprism::plan_spectrum(settings, all, 1.0), settings);
      const std::span<const double> channels[] = {x};
      estimator.add(channels);
      benchmark::DoNotOptimize(estimator.result());
    }));
  }
  std::sort(a.begin(), a.end());
  std::sort(b.begin(), b.end());
  std::printf("whole record of 2^26: FFTW alone %.2f s, spectrum %.2f s: %.2f times\n", a[1], b[1],
              b[1] / a[1]);
}

}  // namespace

int main(int count, char** arguments) {
  benchmark::Initialize(&count, arguments);
  (void)signal();
  const oneapi::tbb::global_control one(oneapi::tbb::global_control::max_allowed_parallelism, 1);
  benchmark::RunSpecifiedBenchmarks();
  for (const std::size_t segment : {1024u, 8192u, 65536u})
    std::printf("averaged spectrum, one thread, segment %zu: %.2f of the bare loop's rate\n", segment,
                ratio(segment));
  whole_record();
  return 0;
}
