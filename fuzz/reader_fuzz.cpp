// reader_fuzz.cpp: any bytes as a file for one reader. It must open and read them, or say what is wrong:
// no crash, no hang, no memory beyond a small multiple of the file. VPRISM_FUZZ_READER in the environment
// names the reader.
#include <unistd.h>

#include <algorithm>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <memory>
#include <string>
#include <vector>

#include "base/error.h"
#include "formats/arrays/packed.h"
#include "formats/described/described_binary.h"
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

struct Reader {
  const char* name;
  const char* file;  ///< Some look for a second file beside it.
  bool (*recognises)(const FileHead&);
  std::unique_ptr<SampleSource> (*open)(const FileHead&, const ReadSettings&);
  bool points = false;  ///< May hold many points.
};

const Reader& reader() {
  static constexpr Reader table[] = {
      {"delimited", "input.txt", recognises_delimited, open_delimited},
      {"sound", "input.wav", recognises_sound, open_sound},
      {"npy", "input.npy", recognises_npy, open_npy},
      {"npz", "input.npz", recognises_npz, open_npz},
      {"rawfile", "input.raw", recognises_rawfile, open_rawfile},
      {"universal", "input.uff", recognises_universal, open_universal, true},
      {"comtrade", "input.cff", recognises_comtrade, open_comtrade},
      {"sigmf", "input.sigmf-meta", recognises_sigmf, open_sigmf},
      {"physiological_record", "input.hea", recognises_physiological_record, open_physiological_record},
      {"channel_header", "input.vhdr", recognises_channel_header, open_channel_header},
      {"trace_header", "input.hdr", recognises_trace_header, open_trace_header},
      {"hdf5", "input.h5", recognises_hdf5, open_hdf5, true},
      {"miniseed", "input.mseed", recognises_miniseed, open_miniseed},
      {"edf", "input.edf", recognises_edf, open_edf},
      {"station_text", "input.txt", recognises_station_text, open_station_text},
      {"netcdf", "input.nc", recognises_netcdf, open_netcdf},
      {"json", "input.json", recognises_json, open_json},
      {"network_parameters", "input.s2p", recognises_network_parameters, open_network_parameters},
      {"workbook", "input.xlsx", recognises_workbook, open_workbook},
      {"page", "input.html", recognises_page, open_page},
      {"gzip", "input.csv.gz", recognises_gzip, open_gzip},
      {"archive", "input.zip", recognises_archive, open_archive},
      {"xml", "input.xml", recognises_xml, open_xml},
      {"yaml", "input.yaml", recognises_yaml, open_yaml},
      {"program", "input.c", recognises_program, open_program},
      {"crash_folder", "input.chn", recognises_crash_folder, open_crash_folder},
  };
  static const Reader& chosen = []() -> const Reader& {
    const char* const name = std::getenv("VPRISM_FUZZ_READER");
    for (const Reader& row : table)
      if (name != nullptr && std::string(name) == row.name) return row;
    std::fprintf(stderr, "VPRISM_FUZZ_READER names no reader; one of:");
    for (const Reader& row : table) std::fprintf(stderr, " %s", row.name);
    std::fprintf(stderr, "\n");
    std::exit(2);
  }();
  return chosen;
}

class Folder {
 public:
  Folder() {
    const char* given = std::getenv("VPRISM_FUZZ_FOLDER");
    path_ = given != nullptr ? given : "/dev/shm/vprism-fuzz-" + std::to_string(::getpid());
    std::filesystem::create_directories(path_);
    // A data file for formats of two files.
    std::ofstream(path_ / "input.sigmf-data", std::ios::binary) << std::string(256, '\x11');
    for (const char* name : {"input.dat", "input.eeg", "input.wvf"})
      std::ofstream(path_ / name, std::ios::binary) << std::string(256, '\x11');
    std::ofstream(path_ / "input.001") << "Sampling interval :0.001\nNumber of samples :4\n1\n2\n3\n4\n";
  }
  ~Folder() { std::filesystem::remove_all(path_); }
  std::string input() const { return (path_ / reader().file).string(); }

 private:
  std::filesystem::path path_;
};

void read_through(const FileHead& head, const ReadSettings& settings) {
  const auto source = reader().open(head, settings);
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
void read_points(const FileHead& head) {
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
    if (!reader().recognises(head)) return 0;
    if (reader().points) read_points(head);
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
