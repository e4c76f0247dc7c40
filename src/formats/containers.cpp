// containers.cpp: see containers.h.
#include "formats/containers.h"

#include "base/error.h"
#include "base/machine/module_file.h"
#include "base/text.h"
#include "formats/netcdf.h"

namespace vprism {

namespace {

constexpr const char* module_name = "vprism-containers.so";

const Containers& load_containers() {
  std::string why;
  const void* const found = module_entry(module_name, "vprism_containers", why);
  if (found == nullptr)
    throw Error(Status::input, std::string(module_name) +
                                   ", which reads HDF5, archives and workbooks, can't be used (" + why +
                                   "); install vprism again");
  const auto& containers = *static_cast<const Containers*>(found);
  containers.adopt_units(unit_library());
  return containers;
}

const Containers& containers() {
  static const Containers& loaded = load_containers();
  return loaded;
}

}  // namespace

std::string containers_module() { return module_file(module_name); }

bool recognises_hdf5(const FileHead& head) {
  // The signature may stand behind a user block of 512, 1024, ... bytes.
  for (std::size_t at = 0; at + 8 <= head.bytes.size(); at = at == 0 ? 512 : 2 * at)
    if (head.bytes.compare(at, 8, "\x89HDF\r\n\x1a\n") == 0) return true;
  return false;
}

std::unique_ptr<SampleSource> open_hdf5(const FileHead& head, const ReadSettings& settings) {
  return containers().open_hdf5(head, settings);
}

bool recognises_npz(const FileHead& head) {
  return starts_with(head.bytes, "PK\x03\x04") && head.bytes.find(".npy") != std::string::npos;
}

std::unique_ptr<SampleSource> open_npz(const FileHead& head, const ReadSettings& settings) {
  return containers().open_npz(head, settings);
}

bool recognises_netcdf(const FileHead& head) {
  return starts_with(head.bytes, "CDF") && head.bytes.size() > 3 &&
         (head.bytes[3] == 1 || head.bytes[3] == 2 || head.bytes[3] == 5);
}

std::unique_ptr<SampleSource> open_netcdf(const FileHead& head, const ReadSettings& settings) {
  return containers().open_netcdf(head, settings);
}

void write_workbook_sheets(const FileHead& head, SheetWriter& writer) {
  containers().write_workbook_sheets(head, writer);
}

std::vector<ArchiveMember> archive_members(const std::string& path) {
  return containers().archive_members(path);
}

void unpack_archive_member(const std::string& path, std::uint64_t place, TemporaryFile& to) {
  containers().unpack_archive_member(path, place, to);
}

void read_yaml(const std::string& text, nlohmann::ordered_json& out) { containers().read_yaml(text, out); }

std::unique_ptr<RecordingWriter> write_hdf5(const std::vector<std::string>& paths, const Recording& recording,
                                            const WriteSettings& settings) {
  return containers().write_hdf5(paths[0], recording, settings);
}

std::unique_ptr<MapWriter> write_map_hdf5(const std::string& path, const MapAxes& axes, std::size_t rows) {
  return containers().write_map(path, axes, rows);
}

std::unique_ptr<PointSource> open_hdf5_points(const FileHead& head, const PointReadSettings& settings) {
  return containers().open_points(head, settings);
}

void write_arrays_hdf5(const std::string& path, const std::vector<NamedArray>& arrays,
                       const std::vector<std::pair<std::string, std::string>>& texts) {
  containers().write_arrays(path, arrays, texts);
}

std::optional<ArrayPlace> array_place_hdf5(const std::string& path, const std::string& name) {
  const FileHead head = read_head(path);
  if (!recognises_hdf5(head)) throw Error(Status::input, path + ": no HDF5 file");
  return containers().array_place(head, name);
}

std::vector<NamedArray> read_arrays_hdf5(const std::string& path, const std::vector<std::string>& names) {
  const FileHead head = read_head(path);
  if (!recognises_hdf5(head)) throw Error(Status::input, path + ": no HDF5 file");
  return containers().read_arrays(head, names);
}

}  // namespace vprism
