// entries.h: what this module does, for formats/containers.cpp, which loads it.
#pragma once

#include "formats/containers.h"
#include "formats/documents/sheets.h"

namespace vprism {

std::unique_ptr<SampleSource> open_hdf5_file(const FileHead& head, const ReadSettings& settings);
std::unique_ptr<SampleSource> open_netcdf_file(const FileHead& head, const ReadSettings& settings);
std::unique_ptr<SampleSource> open_npz_file(const FileHead& head, const ReadSettings& settings);
std::unique_ptr<RecordingWriter> write_hdf5_file(const std::string& path, const Recording& recording,
                                                 const WriteSettings& settings);
std::unique_ptr<MapWriter> write_hdf5_map(const std::string& path, const MapAxes& axes, std::size_t rows);

std::unique_ptr<PointSource> open_hdf5_points_file(const FileHead& head, const PointReadSettings& settings);

void write_hdf5_arrays(const std::string& path, const std::vector<NamedArray>& arrays,
                       const std::vector<std::pair<std::string, std::string>>& texts);

std::optional<ArrayPlace> place_hdf5_array(const FileHead& head, const std::string& name);

std::vector<ArchiveMember> members_of_archive(const std::string& path);
void unpack_member_of_archive(const std::string& path, std::uint64_t place, TemporaryFile& to);

void write_workbook_sheets_of_file(const FileHead& head, SheetWriter& writer);

void document_of_yaml(const std::string& text, nlohmann::ordered_json& out);

std::vector<NamedArray> read_hdf5_arrays(const FileHead& head, const std::vector<std::string>& names);

}  // namespace vprism
