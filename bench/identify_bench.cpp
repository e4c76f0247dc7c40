// identify_bench.cpp: how often `identify` is right, over generated cases of known mixtures; and what it
// costs beside the spectrum alone.
//
//     identify_bench [cases]
//
// Every case draws three to six machines from a line-up of ten (fundamental with harmonics, shaft with
// orders, gear mesh with sidebands, mains), their speeds within what the line-up says, their lines 10 to 50
// dB above the noise in the RBW, noise of random level and seed. Counted: lines found that were put in
// (recall), lines told that were put in (precision), lines found whose finding names the right machine
// (attribution), machines that were there and seen, machines that were not and cleared. The last part times
// identify and spectrum on the same 1e7 samples, in turn.
#include <oneapi/tbb/global_control.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <numbers>
#include <random>

#include "commands/identify/identify.h"

namespace {

using namespace vprism;

constexpr double rate = 8192;
constexpr std::size_t samples = 131072;

struct Machine {
  const char* name;
  double low, high;
  std::vector<double> orders;
};

const std::vector<Machine>& line_up() {
  static const std::vector<Machine> table = {
      {"mains", 49.9, 50.1, {1, 3, 5}},      {"cooler", 31.1, 31.3, {1, 2, 3}},
      {"fan", 24.0, 24.6, {1, 7}},           {"pump", 23.4, 23.9, {1, 6}},
      {"gear", 17.2, 17.6, {23, 22, 24}},    {"spindle", 91.0, 93.0, {1, 2, 4}},
      {"compressor", 12.2, 12.4, {2, 4, 6}}, {"blower", 57.0, 58.0, {1, 12}},
      {"clock", 1000, 1001, {1, 2}},         {"stirrer", 6.9, 7.1, {3, 9}}};
  return table;
}

SuspectsFile suspects() {
  SuspectsFile file;
  for (const Machine& m : line_up()) {
    Suspect s;
    s.name = m.name;
    s.base_hz = Range{m.low, m.high};
    for (const double order : m.orders)
      s.lines.push_back({"order " + std::to_string(order), {{"", order}}, 0, 1});
    file.lineup.push_back(std::move(s));
  }
  return file;
}

struct Line {
  double hz;
  std::size_t machine;
};

struct Counts {
  int put = 0, found = 0, listed = 0, right = 0, attributed = 0;
  int there = 0, seen = 0, absent = 0, cleared = 0;
};

void one_case(unsigned seed, const std::string& path, Counts& counts) {
  std::mt19937_64 bits(seed);
  std::uniform_real_distribution<double> uniform(0, 1);
  std::normal_distribution<double> normal(0, 1);
  const double sigma = std::pow(10, -4 * uniform(bits));
  // Noise power in the RBW of the whole-record default: Hann, segment 32768.
  const double rbw = 1.5 * rate / 32768, in_rbw = sigma * sigma / (rate / 2) * rbw;
  std::vector<std::size_t> order(line_up().size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  std::shuffle(order.begin(), order.end(), bits);
  const std::size_t count = 3 + bits() % 4;
  std::vector<Line> lines;
  std::vector<float> x(samples);
  std::vector<double> sum(samples);
  for (std::size_t m = 0; m < count; ++m) {
    const Machine& machine = line_up()[order[m]];
    const double base = machine.low + (machine.high - machine.low) * uniform(bits);
    for (const double k : machine.orders) {
      const double above_db = 10 + 40 * uniform(bits), rms = std::sqrt(in_rbw * std::pow(10, above_db / 10));
      const double hz = k * base, phase = 2 * std::numbers::pi * uniform(bits);
      lines.push_back({hz, order[m]});
      for (std::size_t n = 0; n < samples; ++n)
        sum[n] += rms * std::sqrt(2.0) *
                  std::cos(2 * std::numbers::pi * std::fmod(hz / rate * static_cast<double>(n), 1.0) + phase);
    }
  }
  for (std::size_t n = 0; n < samples; ++n) x[n] = static_cast<float>(sum[n] + sigma * normal(bits));
  std::ofstream(path, std::ios::binary)
      .write(reinterpret_cast<const char*>(x.data()), static_cast<std::streamsize>(x.size() * sizeof(float)));
  IdentifySettings settings;
  settings.input.read.binary = "f32le";
  settings.input.read.rate_hz = rate;
  Input input({path}, settings.input);
  const IdentifyResult result = compute_identify(input, settings, suspects(), {});
  // Two lines closer than 1.5 RBW can't both be told: the weaker is no miss.
  const auto near = [&](double a, double b) { return std::abs(a - b) < 0.5 * rbw; };
  const std::vector<Peak>& peaks = result.spectrum.channels[0].peaks;
  for (const Line& l : lines) {
    ++counts.put;
    const auto peak =
        std::find_if(peaks.begin(), peaks.end(), [&](const Peak& p) { return near(p.frequency_hz, l.hz); });
    if (peak == peaks.end()) continue;
    ++counts.found;
    const auto index = static_cast<std::size_t>(peak - peaks.begin());
    for (const Finding& f : result.findings)
      if (std::find(f.members.begin(), f.members.end(), index) != f.members.end() &&
          f.suspect == line_up()[l.machine].name)
        ++counts.attributed;
  }
  for (const Peak& p : peaks) {
    ++counts.listed;
    counts.right +=
        std::any_of(lines.begin(), lines.end(), [&](const Line& l) { return near(p.frequency_hz, l.hz); });
  }
  for (std::size_t m = 0; m < line_up().size(); ++m) {
    const bool there = std::find(order.begin(), order.begin() + static_cast<std::ptrdiff_t>(count), m) !=
                       order.begin() + static_cast<std::ptrdiff_t>(count);
    const bool seen = result.verdicts[m].kind == SuspectVerdict::Kind::seen;
    ++(there ? counts.there : counts.absent);
    counts.seen += there && seen;
    counts.cleared += !there && !seen;
  }
}

double seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// 50 tones in noise; medians of three, in turn.
void cost(const std::string& path, std::size_t count) {
  std::mt19937_64 bits(9);
  std::normal_distribution<double> normal(0, 0.1);
  {
    std::ofstream out(path, std::ios::binary);
    std::vector<float> x(1 << 16);
    for (std::size_t at = 0; at < count; at += x.size()) {
      const std::size_t part = std::min(x.size(), count - at);
      for (std::size_t n = 0; n < part; ++n) {
        double sum = normal(bits);
        for (int k = 0; k < 50; ++k)
          sum += 0.1 *
                 std::cos(2 * std::numbers::pi *
                          std::fmod((0.003 + 0.0093 * k + 1e-5 * k * k) * static_cast<double>(at + n), 1.0));
        x[n] = static_cast<float>(sum);
      }
      out.write(reinterpret_cast<const char*>(x.data()), static_cast<std::streamsize>(part * sizeof(float)));
    }
  }
  IdentifySettings settings;
  settings.input.read.binary = "f32le";
  settings.input.read.rate_hz = 1e5;
  AnalysisSettings all = settings.analysis;
  all.peaks = 200;
  std::vector<double> a, b;
  std::size_t found = 0;
  for (int run = 0; run < 3; ++run) {
    a.push_back(seconds([&] {
      Input input({path}, settings.input);
      compute_spectrum(input, all, {});
    }));
    b.push_back(seconds([&] {
      Input input({path}, settings.input);
      found = compute_identify(input, settings, {}, {}).spectrum.channels[0].peaks.size();
    }));
  }
  std::sort(a.begin(), a.end());
  std::sort(b.begin(), b.end());
  std::printf("%9zu samples, %zu tones: spectrum %.3f s, identify %.3f s, ratio %.2f\n", count, found, a[1],
              b[1], b[1] / a[1]);
}

}  // namespace

int main(int argc, char** argv) {
  const int cases = argc > 1 ? std::atoi(argv[1]) : 200;
  const std::string path = (std::filesystem::temp_directory_path() / "vprism-identify-bench.f32").string();
  Counts c;
  for (int i = 0; i < cases; ++i) one_case(static_cast<unsigned>(1000 + i), path, c);
  std::printf("%d cases, lines 10 to 50 dB above the noise in the RBW\n", cases);
  std::printf("  lines: %d put in, %d found, %d told, %d of them put in, %d attributed right\n", c.put,
              c.found, c.listed, c.right, c.attributed);
  std::printf("  precision %.4f, recall %.4f, attribution right %.4f\n",
              static_cast<double>(c.right) / c.listed, static_cast<double>(c.found) / c.put,
              static_cast<double>(c.attributed) / c.found);
  std::printf("  machines: there %d, seen %d, missed %d; absent %d, cleared %d, accused %d\n", c.there,
              c.seen, c.there - c.seen, c.absent, c.cleared, c.absent - c.cleared);
  for (const std::size_t n : {std::size_t{1000000}, std::size_t{3000000}, std::size_t{10000000}})
    cost(path, n);
  std::filesystem::remove(path);
  return 0;
}
