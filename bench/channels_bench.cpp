// channels_bench.cpp: many channels beside one with as many samples, whole processes in turns, the least of
// seven (what else a machine does only adds); and long segments on one core and on all beside a bare loop of
// windows and transforms.
//
//   channels    64 channels of a million samples against one of 64 million (f32, 256 MB each)
//   segments    spectrum of 64 million samples by segment length, on one thread and on all, against FFTW
//   alone
//
// Goals: inspect and spectrum (no CSV) at most 1.5 times one channel; identify at most 4 times its spectrum;
// every segment length within 1.25 of the bare loop on one thread and 0.6 of it on two.
#include <fftw3.h>

#include <algorithm>
#include <cmath>

#include "timed_run.h"

using namespace vprism;

namespace {

constexpr int turns = 7;

double least(const std::vector<double>& v) { return *std::min_element(v.begin(), v.end()); }

std::pair<double, double> in_turns(const std::string& a, const std::string& b) {
  std::vector<double> first, second;
  for (int i = 0; i < turns; ++i)
    first.push_back(timed_run(a).seconds), second.push_back(timed_run(b).seconds);
  return {least(first), least(second)};
}

/// Window, transform and sum of squares of half-overlapping segments of a file of f32 that is in memory: one
/// thread.
double bare_loop(const std::string& path, std::size_t segment) {
  const auto start = std::chrono::steady_clock::now();
  std::ifstream in(path, std::ios::binary);
  std::vector<float> x(64'000'000);
  in.read(reinterpret_cast<char*>(x.data()), static_cast<std::streamsize>(4 * x.size()));
  std::vector<double> window(segment), sum(segment / 2 + 1);
  for (std::size_t n = 0; n < segment; ++n)
    window[n] = 0.5 - 0.5 * std::cos(2 * M_PI * static_cast<double>(n) / static_cast<double>(segment));
  auto* const line = fftw_alloc_complex(segment / 2 + 1);
  auto* const real = reinterpret_cast<double*>(line);
  const fftw_plan plan = fftw_plan_dft_r2c_1d(static_cast<int>(segment), real, line, FFTW_ESTIMATE);
  for (std::size_t at = 0; at + segment <= x.size(); at += segment / 2) {
    for (std::size_t n = 0; n < segment; ++n) real[n] = window[n] * static_cast<double>(x[at + n]);
    fftw_execute(plan);
    for (std::size_t k = 0; k < sum.size(); ++k) sum[k] += line[k][0] * line[k][0] + line[k][1] * line[k][1];
  }
  fftw_destroy_plan(plan);
  fftw_free(line);
  const double s = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  return sum[1] > 0 ? s : -1;
}

}  // namespace

int main() {
  const BenchFolder folder;
  write_channels(folder.path + "/wide.f32", 64, 1'000'000);
  write_channels(folder.path + "/one.f32", 1, 64'000'000);
  const auto command = [&](const std::string& what, const std::string& file, const std::string& rest) {
    return "sh -c \"cd '" + folder.path + "' && exec '" VPRISM_PROGRAM "' " + what + " " + file +
           " --rate 10kHz --quiet --figure none " + rest + "\"";
  };
  const std::string wide = "wide.f32 --binary f32le:64ch", one = "one.f32 --binary f32le:1ch";
  // With --json no file is written.
  for (const char* what : {"inspect", "spectrum"}) {
    const auto [many, single] = in_turns(command(what, wide, "--json"), command(what, one, "--json"));
    std::printf("%-9s 64 channels %.2f s, one %.2f s: %.2f (goal 1.5)\n", what, many, single, many / single);
  }
  {
    const auto [identify, spectrum] =
        in_turns(command("identify", wide, "--json"), command("spectrum", wide, "--json"));
    std::printf("identify  64 channels %.2f s, its spectrum %.2f s: %.2f (goal 4)\n", identify, spectrum,
                identify / spectrum);
    const auto [with, without] =
        in_turns(command("spectrum", wide, "--force --out out"), command("spectrum", wide, "--json"));
    std::ifstream table(folder.path + "/out/wide-spectrum.csv", std::ios::binary | std::ios::ate);
    std::printf("CSV       %.0f MB in %.2f s: %.0f MB/s (goal 300)\n",
                static_cast<double>(table.tellg()) / 1e6, with - without,
                static_cast<double>(table.tellg()) / 1e6 / (with - without));
  }
  for (const std::size_t segment : {8192u, 131072u, 1048576u}) {
    const std::string cut = "--json --segment " + std::to_string(segment);
    std::vector<double> bare, single, all;
    for (int i = 0; i < turns; ++i) {
      bare.push_back(bare_loop(folder.path + "/one.f32", segment));
      single.push_back(timed_run(command("spectrum", one, cut + " --threads 1")).seconds);
      all.push_back(timed_run(command("spectrum", one, cut)).seconds);
    }
    std::printf(
        "segment %7zu: bare loop %.2f s, one thread %.2f (%.2f, goal 1.25), all %.2f (%.2f, goal 0.6)\n",
        segment, least(bare), least(single), least(single) / least(bare), least(all),
        least(all) / least(bare));
  }
  return 0;
}
