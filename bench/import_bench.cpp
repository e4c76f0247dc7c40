// import_bench.cpp: the whole program against the bare limit, in one run, alternating.
//
//   text     `vprism inspect` of a two-column file of 130 MB, against one thread that maps the file and runs
//            fast_float over it (goal: at most its time)
//   binary   `vprism inspect` of 400 MB of flat numbers and of WAV, against `cat FILE | cat > /dev/null`
//   (goal: at
//            least half its speed)
//   tables   `vprism field` of 2,000 tables of 3,000 points and 7 columns, one of its points looked at,
//   against
//            fast_float over the same bytes in one thread (goal: at most 1.5 times its time)
//
// Medians of seven runs and their ratios are printed; nothing is judged. import_bench VPRISM [FOLDER]
#include <fast_float/fast_float.h>
#include <fcntl.h>
#include <sndfile.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <string>
#include <vector>

namespace {

double seconds(const std::string& command) {
  const auto start = std::chrono::steady_clock::now();
  if (std::system((command + " > /dev/null 2>&1").c_str()) != 0)
    std::fprintf(stderr, "failed: %s\n", command.c_str());
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

void compare(const char* what, const std::string& ours, const std::string& bare) {
  std::vector<double> a, b;
  for (int run = 0; run < 7; ++run) {
    a.push_back(seconds(ours));
    b.push_back(seconds(bare));
  }
  std::sort(a.begin(), a.end());
  std::sort(b.begin(), b.end());
  std::printf("%-8s vprism %.3f s, bare limit %.3f s, ratio of times %.2f\n", what, a[3], b[3], a[3] / b[3]);
}

/// The bare limit for text: every number of a mapped file by fast_float, in one thread.
int map_and_parse(const char* path) {
  const int file = ::open(path, O_RDONLY);
  struct stat facts {};
  if (file < 0 || ::fstat(file, &facts) != 0) return 1;
  const auto size = static_cast<std::size_t>(facts.st_size);
  const char* at = static_cast<const char*>(::mmap(nullptr, size, PROT_READ, MAP_PRIVATE, file, 0));
  const char* const end = at + size;
  while (at < end && *at != '\n') ++at;
  double sum = 0;
  while (at < end) {
    double x = 0;
    const auto result = fast_float::from_chars(at, end, x);
    if (result.ptr == at) {
      ++at;
      continue;
    }
    sum += x;
    at = result.ptr;
  }
  std::printf("%g\n", sum);
  ::munmap(const_cast<char*>(end - size), size);
  ::close(file);
  return 0;
}

void write_tables(const std::filesystem::path& folder) {
  std::filesystem::create_directories(folder);
  unsigned long long dice = 1;
  const auto roll = [&dice] {
    dice = dice * 6364136223846793005ull + 1442695040888963407ull;
    return static_cast<double>(dice >> 11) / 9007199254740992.0;
  };
  std::vector<double> places(9000);
  for (double& x : places) x = roll();
  for (int f = 0; f < 2000; ++f) {
    std::FILE* file = std::fopen((folder / ("frame" + std::to_string(f) + ".csv")).c_str(), "wb");
    std::fputs("x (m),y (m),z (m),u (m),v (m),w (m),c\n", file);
    for (std::size_t p = 0; p < 3000; ++p)
      std::fprintf(file, "%.6f,%.6f,%.6f,%.6f,%.6f,%.6f,%.6f\n", places[3 * p], places[3 * p + 1],
                   places[3 * p + 2], roll(), roll(), roll(), roll());
    std::fclose(file);
  }
}

void write_text(const std::string& path) {
  std::FILE* file = std::fopen(path.c_str(), "wb");
  std::fputs("Time (s),Voltage (V)\n", file);
  unsigned long long dice = 1;
  for (int n = 0; n < 5200000; ++n) {
    dice = dice * 6364136223846793005ull + 1442695040888963407ull;
    std::fprintf(file, "%.6f,%.12f\n", n * 1e-6, static_cast<double>(dice >> 11) / 9007199254740992.0);
  }
  std::fclose(file);
}

void write_binary(const std::string& flat, const std::string& wav) {
  std::vector<float> x(1 << 20);
  std::FILE* file = std::fopen(flat.c_str(), "wb");
  SF_INFO info{};
  info.samplerate = 48000;
  info.channels = 2;
  info.format = SF_FORMAT_WAV | SF_FORMAT_FLOAT;
  SNDFILE* sound = sf_open(wav.c_str(), SFM_WRITE, &info);
  for (int part = 0; part < 100; ++part) {
    for (std::size_t n = 0; n < x.size(); ++n)
      x[n] = static_cast<float>(std::sin(0.01 * static_cast<double>(n + 7 * part)));
    std::fwrite(x.data(), sizeof(float), x.size(), file);
    sf_write_float(sound, x.data(), static_cast<sf_count_t>(x.size()));
  }
  std::fclose(file);
  sf_close(sound);
}

}  // namespace

int main(int count, char** arguments) {
  if (count == 3 && std::string(arguments[1]) == "--parse") {
    if (!std::filesystem::is_directory(arguments[2])) return map_and_parse(arguments[2]);
    int bad = 0;
    for (const auto& entry : std::filesystem::directory_iterator(arguments[2]))
      bad += map_and_parse(entry.path().c_str());
    return bad;
  }
  if (count < 2) {
    std::fprintf(stderr, "usage: import_bench VPRISM [FOLDER]\n");
    return 2;
  }
  const std::filesystem::path within =
      count > 2 ? arguments[2] : std::filesystem::temp_directory_path() / "vprism-bench";
  // A folder of its own: it is removed at the end.
  const std::filesystem::path folder = within / "vprism-import-bench";
  std::filesystem::create_directories(folder);
  const std::string text = (folder / "two-columns.csv").string(), flat = (folder / "flat.f32").string(),
                    wav = (folder / "two.wav").string();
  write_text(text);
  write_binary(flat, wav);
  const std::string inspect = std::string(arguments[1]) + " inspect --json ";
  compare("text", inspect + text, std::string(arguments[0]) + " --parse " + text);
  compare("flat", inspect + "--binary f32le --rate 1MHz " + flat, "cat " + flat + " | cat");
  compare("wav", inspect + wav, "cat " + wav + " | cat");
  const std::string tables = (folder / "tables").string();
  write_tables(tables);
  compare("tables",
          std::string(arguments[1]) + " field --json --figure none --rate 1kHz --every-point 3000 " + tables,
          std::string(arguments[0]) + " --parse " + tables);
  std::filesystem::remove_all(folder);
  return 0;
}
