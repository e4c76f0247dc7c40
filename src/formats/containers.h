// containers.h: HDF5, NPZ and workbooks, read and written by a module that is loaded when the first such file
// comes.
//
// The packaged HDF5 and ZIP libraries bring forty others with them, and joining those to the program takes
// longer than all else it does at its start. So what uses them stands in src/containers and becomes
// `vprism-containers.so`, looked for beside the program, one folder up, and in ../lib/vprism.
#pragma once

#include <nlohmann/json_fwd.hpp>

#include "formats/array_file.h"
#include "formats/files/map_writer.h"
#include "formats/format.h"
#include "formats/points.h"
#include "formats/writer.h"

namespace vprism {

class SheetWriter;
class TemporaryFile;

/// A file within a ZIP archive.
struct ArchiveMember {
  std::uint64_t place = 0;
  std::string name;
  std::uint64_t bytes = 0;
};

/// Path of the module's file; "" where it is not found.
std::string containers_module();

/// What the module holds.
struct Containers {
  const char* version;  ///< Of the program it was built with.
  void (*adopt_units)(UnitLibrary&);
  std::unique_ptr<SampleSource> (*open_hdf5)(const FileHead&, const ReadSettings&);
  std::unique_ptr<SampleSource> (*open_npz)(const FileHead&, const ReadSettings&);
  std::unique_ptr<SampleSource> (*open_netcdf)(const FileHead&, const ReadSettings&);
  std::unique_ptr<RecordingWriter> (*write_hdf5)(const std::string& path, const Recording&,
                                                 const WriteSettings&);
  std::unique_ptr<MapWriter> (*write_map)(const std::string& path, const MapAxes&, std::size_t rows);
  std::unique_ptr<PointSource> (*open_points)(const FileHead&, const PointReadSettings&);
  void (*write_arrays)(const std::string& path, const std::vector<NamedArray>&,
                       const std::vector<std::pair<std::string, std::string>>& texts);
  std::vector<NamedArray> (*read_arrays)(const FileHead&, const std::vector<std::string>& names);
  std::optional<ArrayPlace> (*array_place)(const FileHead&, const std::string& name);
  void (*write_workbook_sheets)(const FileHead&, SheetWriter&);
  std::vector<ArchiveMember> (*archive_members)(const std::string& path);
  void (*unpack_archive_member)(const std::string& path, std::uint64_t place, TemporaryFile& to);
  void (*read_yaml)(const std::string& text, nlohmann::ordered_json& out);
};

/// In the archive's order. Throws Error(input).
std::vector<ArchiveMember> archive_members(const std::string& path);
void unpack_archive_member(const std::string& path, std::uint64_t place, TemporaryFile& to);

/// A YAML text as a document; of several in it a list. Throws Error(input) with line and reason.
void read_yaml(const std::string& text, nlohmann::ordered_json& out);

/// The sheets of a workbook, cell by cell. Throws Error(input).
void write_workbook_sheets(const FileHead& head, SheetWriter& writer);

}  // namespace vprism
