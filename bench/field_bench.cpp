// field_bench.cpp: `vprism field` on many points against the bare limit, in one run.
//
//   field_bench [FRAMES POINTS COMPONENTS]      (4000 20000 3: 1.9 GB as doubles)
//
// Bare: the transforms of all series by FFTW from memory, on all cores, plus one pass over the file (read(2)
// into a buffer). Ours: the whole process, with every table, without figures; its peak memory. Medians of
// three, in turns.
#include <fcntl.h>
#include <oneapi/tbb/enumerable_thread_specific.h>
#include <oneapi/tbb/parallel_for.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "base/fft.h"
#include "formats/array_file.h"

namespace {

using namespace vprism;

double seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// Two waves that stand over the points, in a little noise.
void make_file(const std::string& path, std::size_t frames, std::size_t points, std::size_t components) {
  const std::size_t series = points * components;
  std::vector<double> values(frames * series), places;
  std::uint64_t state = 1;
  for (std::size_t f = 0; f < frames; ++f)
    for (std::size_t s = 0; s < series; ++s) {
      state = state * 6364136223846793005u + 1442695040888963407u;
      const double shape = std::sin(3.14159265358979 * static_cast<double>(s) / static_cast<double>(series));
      values[f * series + s] = 1e-3 * (static_cast<double>(state >> 33) / 4294967296.0 - 0.25) +
                               shape * std::cos(0.3 * static_cast<double>(f)) +
                               0.2 * std::cos(0.71 * static_cast<double>(f));
    }
  const auto across = static_cast<std::size_t>(std::sqrt(static_cast<double>(points)));
  for (std::size_t p = 0; p < points; ++p)
    places.insert(places.end(), {static_cast<double>(p % across), static_cast<double>(p / across), 0});
  write_arrays_hdf5(path, {{"/velocity",
                            {frames, points, components},
                            std::move(values),
                            false,
                            {{"unit", "m/s"}},
                            {{"rate_hz", 2000}}},
                           {"/coordinates", {points, 3}, std::move(places), false, {{"unit", "m"}}, {}}});
}

void one_pass(const std::string& path) {
  static std::vector<char> buffer(1 << 22);
  const int file = ::open(path.c_str(), O_RDONLY);
  while (::read(file, buffer.data(), buffer.size()) > 0) {
  }
  ::close(file);
}

void bare_transforms(std::size_t frames, std::size_t series) {
  struct Room {
    explicit Room(std::size_t n) : in(n), out(n / 2 + 1) { std::fill(in.data(), in.data() + n, 1.0); }
    FftArray<double> in;
    FftArray<std::complex<double>> out;
  };
  const RealFft fft(frames);
  oneapi::tbb::enumerable_thread_specific<Room> rooms([&] { return Room(frames); });
  oneapi::tbb::parallel_for(std::size_t{0}, series,
                            [&](std::size_t) { fft.run(rooms.local().in, rooms.local().out); });
}

double run_program(const std::string& program, const std::string& path, const std::string& out,
                   double& memory_mb) {
  return seconds([&] {
    const pid_t child = ::fork();
    if (child == 0) {
      if (std::freopen("/dev/null", "w", stdout) == nullptr) ::_exit(126);
      ::execl(program.c_str(), "vprism", "field", path.c_str(), "--figure", "none", "--out", out.c_str(),
              "--force", "--quiet", static_cast<char*>(nullptr));
      ::_exit(127);
    }
    int status = 0;
    struct rusage usage {};
    ::wait4(child, &status, 0, &usage);
    if (status != 0) std::abort();
    memory_mb = static_cast<double>(usage.ru_maxrss) / 1024;
  });
}

}  // namespace

int main(int count, char** arguments) {
  const auto argument = [&](int i, std::size_t usual) {
    return count > 3 ? static_cast<std::size_t>(std::strtoull(arguments[i], nullptr, 10)) : usual;
  };
  const std::size_t frames = argument(1, 4000), points = argument(2, 20000), components = argument(3, 3);
  namespace fs = std::filesystem;
  const fs::path folder = fs::temp_directory_path() / "vprism-field-bench";
  fs::create_directories(folder);
  const std::string path = (folder / "points.h5").string();
  make_file(path, frames, points, components);
  const std::string program =
      (fs::read_symlink("/proc/self/exe").parent_path().parent_path() / "vprism").string();
  std::vector<double> pass, transforms, ours;
  double memory = 0;
  for (int i = 0; i < 3; ++i) {
    pass.push_back(seconds([&] { one_pass(path); }));
    transforms.push_back(seconds([&] { bare_transforms(frames, points * components); }));
    ours.push_back(run_program(program, path, (folder / "out").string(), memory));
  }
  for (auto* v : {&pass, &transforms, &ours}) std::sort(v->begin(), v->end());
  std::printf(
      "%zu frames of %zu points x %zu: one pass %.2f s, bare transforms %.2f s; field %.2f s, %.2f times "
      "both; "
      "%.0f MB\n",
      frames, points, components, pass[1], transforms[1], ours[1], ours[1] / (pass[1] + transforms[1]),
      memory);
  fs::remove_all(folder);
}
