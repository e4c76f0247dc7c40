// reader_fuzz.cpp: any bytes as a file for one reader. It must open and read them, or say what is wrong:
// no crash, no hang, no memory beyond a small multiple of the file. VPRISM_READER names the reader,
// VPRISM_FILE the file's name, since some readers look for a second file beside it.
#include <unistd.h>

#include <algorithm>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>
#include <vector>

#include "base/error.h"
#include "formats/arrays/packed.h"
#include "formats/documents/sheets.h"
#include "formats/documents/xml_recording.h"
#include "formats/documents/yaml_recording.h"
#include "formats/files/crash_folder.h"
#include "formats/format.h"
#include "formats/instruments/network_parameters.h"
#include "formats/instruments/station_text.h"
#include "formats/json/json_recording.h"
#include "formats/netcdf.h"
#include "formats/points.h"
#include "formats/program_recording.h"

namespace {

using namespace vprism;

#define VPRISM_JOIN2(a, b) a##b
#define VPRISM_JOIN(a, b) VPRISM_JOIN2(a, b)
constexpr auto recognises = VPRISM_JOIN(recognises_, VPRISM_READER);
constexpr auto open_reader = VPRISM_JOIN(open_, VPRISM_READER);

class Folder {
 public:
  Folder() {
    const char* given = std::getenv("VPRISM_FUZZ_FOLDER");
    path_ = given != nullptr ? given : "/dev/shm/vprism-fuzz-" + std::to_string(::getpid());
    std::filesystem::create_directories(path_);
    // A data file for formats of two files.
    std::ofstream(path_ / "input.sigmf-data", std::ios::binary) << std::string(256, '\x11');
    std::ofstream(path_ / "input.dat", std::ios::binary) << std::string(256, '\x11');
    std::ofstream(path_ / "input.001") << "Sampling interval :0.001\nNumber of samples :4\n1\n2\n3\n4\n";
  }
  ~Folder() { std::filesystem::remove_all(path_); }
  std::string input() const { return (path_ / VPRISM_FILE).string(); }

 private:
  std::filesystem::path path_;
};

void read_through(const FileHead& head, const ReadSettings& settings) {
  const auto source = open_reader(head, settings);
  // As the commands do: one pass, then length and axis, then another pass.
  for (int pass = 0; pass < 2; ++pass) {
    Block block = source->make_block();
    std::int64_t seen = 0;
    while (source->read(block) > 0 && seen < (std::int64_t{1} << 20))
      seen += static_cast<std::int64_t>(block.size());
    source->resolve();
    source->rewind();
  }
}

/// The same file as a recording of many points, or as their saved transforms: its first and last points.
[[maybe_unused]] void read_points(const FileHead& head) {
  try {
    const auto source = open_points(head.path, {});
    const PointRecording& r = source->recording();
    const std::size_t length = source->series_length(), variables = r.variables.size(),
                      most = std::size_t{1} << 20;
    if (length == 0 || variables == 0 || length > most / variables) return;
    const std::size_t count = std::min<std::size_t>(r.points.size() / 2, most / 2 / (length * variables));
    const PointRun runs[] = {{0, count}, {r.points.size() - count, count}};
    const std::size_t step = source->by_frames() ? 2 * count * variables : length;
    std::vector<double> values(2 * count * variables * length);
    if (count > 0) source->read(runs, values, step);
  } catch (const Error&) {
    // Told, as it should be.
  }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const Folder folder;
  if (size == 0) return 0;
  {
    std::FILE* file = std::fopen(folder.input().c_str(), "wb");
    std::fwrite(data, 1, size, file);
    std::fclose(file);
  }
  try {
    const FileHead head = read_head(folder.input());
    if (!recognises(head)) return 0;
#ifdef VPRISM_POINTS
    read_points(head);
#endif
    ReadSettings settings;
    // The first byte's last bits choose among the settings that change the way through a reader.
    settings.missing = static_cast<ReadSettings::Missing>(data[size - 1] % 3);
    settings.primary = data[size - 1] % 2 == 1;
    read_through(head, settings);
    settings.part = "2";
    read_through(head, settings);
  } catch (const Error&) {
    // Told, as it should be.
  }
  return 0;
}
