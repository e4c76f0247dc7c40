// format.cpp: see format.h.
#include "formats/format.h"

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <filesystem>

#include "base/error.h"
#include "base/text.h"
#include "formats/arrays/packed.h"
#include "formats/described/described_binary.h"
#include "formats/documents/sheets.h"
#include "formats/documents/xml_recording.h"
#include "formats/documents/yaml_recording.h"
#include "formats/files/crash_folder.h"
#include "formats/files/spool.h"
#include "formats/instruments/network_parameters.h"
#include "formats/instruments/station_text.h"
#include "formats/json/json_recording.h"
#include "formats/named_source.h"
#include "formats/netcdf.h"
#include "formats/program_recording.h"
#include "formats/text/axis/channel_as_axis.h"
#include "formats/text/cells/complex_pairs.h"

namespace vprism {

namespace {

struct Closer {
  void operator()(std::FILE* file) const { std::fclose(file); }
};

}  // namespace

const std::vector<Format>& format_table() {
  static const std::vector<Format> table = {
      {"HDF5", "our recording layout, and any data sets of numbers", recognises_hdf5, open_hdf5},
      {"sound file", "WAV, RF64, W64, FLAC, AIFF, CAF", recognises_sound, open_sound},
      {"netCDF", "the classic formats; those of netCDF-4 are HDF5", recognises_netcdf, open_netcdf},
      {"NPY", "arrays of numbers", recognises_npy, open_npy},
      {"NPZ", "archives of arrays", recognises_npz, open_npz},
      {"SigMF", "real and complex captures: .sigmf-meta with .sigmf-data", recognises_sigmf, open_sigmf},
      {"COMTRADE", "IEEE C37.111: .cfg with .dat, or .cff", recognises_comtrade, open_comtrade},
      {"physiological record", "NAME.hea with NAME.dat", recognises_physiological_record,
       open_physiological_record},
      {"channel header", "NAME.vhdr with NAME.eeg", recognises_channel_header, open_channel_header},
      {"trace header", "NAME.hdr with NAME.wvf", recognises_trace_header, open_trace_header},
      {"circuit-simulation rawfile", "text and binary, real and complex", recognises_rawfile, open_rawfile},
      {"universal file", "data set 58, text and binary, with nodes of data set 15", recognises_universal,
       open_universal},
      {"miniSEED", "records of version 2 and 3", recognises_miniseed, open_miniseed},
      {"EDF", "EDF, EDF+, BDF, BDF+", recognises_edf, open_edf},
      {"station text", "seismic time series below TIMESERIES lines: samples, or times and samples",
       recognises_station_text, open_station_text},
      {"vehicle test folder", "ISO/TS 13499: .mme or .chn with its channel files, or their folder",
       recognises_crash_folder, open_crash_folder},
      {"network parameters", "S, Y, Z, G and H parameters of the IBIS Open Forum's format: .s1p, .s2p, ...",
       recognises_network_parameters, open_network_parameters},
      {"workbook", "sheets of ISO/IEC 29500 (.xlsx) and ISO/IEC 26300 (.ods), or in one XML file",
       recognises_workbook, open_workbook},
      {"page", "tables in a page of HTML", recognises_page, open_page},
      {"gzip", "any of these, packed", recognises_gzip, open_gzip},
      {"archive", "any of these in a ZIP archive", recognises_archive, open_archive},
      {"JSON", "documents with arrays of numbers, or with an object or a list for each row", recognises_json,
       open_json},
      {"XML", "elements with numbers, or an element for each row", recognises_xml, open_xml},
      {"YAML", "lists of numbers under keys, or a list or document for each row", recognises_yaml, open_yaml},
      {"program text", "several arrays of numbers with names", recognises_program, open_program},
      {"delimited text", "columns of numbers: comma, semicolon, tab or blanks", recognises_delimited,
       open_delimited},
  };
  return table;
}

std::vector<std::vector<double>> all_samples(SampleSource& source) {
  source.resolve();
  std::vector<std::vector<double>> columns(source.recording().channels.size());
  Block block = source.make_block();
  while (source.read(block) > 0)
    for (std::size_t c = 0; c < columns.size(); ++c)
      columns[c].insert(columns[c].end(), block.samples(c).begin(), block.samples(c).end());
  return columns;
}

FileHead read_head(const std::string& path) {
  namespace fs = std::filesystem;
  std::error_code code;
  const fs::file_status status = fs::status(path, code);
  if (!fs::exists(status)) throw Error(Status::input, path + ": no such file; check the name");
  if (!fs::is_directory(status) && !fs::is_regular_file(status))
    throw Error(Status::input, path + ": is a pipe or a device; this needs a file");
  if (fs::is_directory(status)) throw Error(Status::input, path + ": is a folder; name a file in it");
  const std::unique_ptr<std::FILE, Closer> file(std::fopen(path.c_str(), "rb"));
  if (!file) throw Error(Status::input, path + ": can't be opened: " + std::strerror(errno));
  FileHead head;
  head.path = path;
  head.size = fs::file_size(path, code);
  head.bytes.resize(FileHead::head_bytes);
  head.bytes.resize(std::fread(head.bytes.data(), 1, head.bytes.size(), file.get()));
  if (head.bytes.empty()) throw Error(Status::input, path + ": the file is empty; export it again");
  return head;
}

namespace {

void require_no_part(const std::string& path, const ReadSettings& settings) {
  choose_part(path, {{"1", ""}}, settings, 0);
}

}  // namespace

std::unique_ptr<SampleSource> open_recording(const std::string& path, const ReadSettings& settings) {
  if (const std::string file = readable_path(path); file != path) {
    const std::string name = input_name(path);
    return renamed(file, name,
                   [&] { return std::make_unique<NamedSource>(open_recording(file, settings), file, name); });
  }
  const FileHead head = read_head(path);
  // Of flat binary numbers too, where its name says that it is packed.
  const bool packed = recognises_gzip(head) && lower_case(path).ends_with(".gz");
  if (!settings.binary.empty() && !packed) {
    require_no_part(path, settings);
    return with_axis_channel(open_flat_binary(head, settings), settings);
  }
  for (const Format& format : format_table()) {
    if (!format.recognises(head)) continue;
    // Those that hold one recording always; the others choose by themselves.
    for (const auto single : {open_sound, open_npy, open_sigmf, open_comtrade, open_network_parameters,
                              open_physiological_record, open_channel_header, open_trace_header})
      if (format.open == single) require_no_part(path, settings);
    if (settings.samples_along > 0 && format.open != open_hdf5 && format.open != open_npy &&
        format.open != open_npz && format.open != open_gzip && format.open != open_archive)
      throw Error(Status::usage,
                  "--samples-along is for arrays, and " + path + " is " + format.name + ": leave it out");
    const bool arrays = format.open == open_hdf5 || format.open == open_npy || format.open == open_npz;
    std::unique_ptr<SampleSource> source = format.open(head, settings);
    if (arrays) source = with_axis_channel(std::move(source), settings);
    // Parts under names of their own, of a spectrum: text joins its columns by itself.
    const bool spectrum = source->recording().axis.domain == Axis::Domain::frequency;
    if (format.open != open_delimited && (spectrum || settings.complex == "pairs"))
      source = join_complex(std::move(source), settings, false);
    return source;
  }
  throw Error(Status::input, path +
                                 ": not a format that is known here; if it holds plain numbers, say how with "
                                 "--binary, for example --binary f32le:2ch");
}

void settle_interval(Recording& recording, const ReadSettings& settings, double file_interval_s,
                     const std::string& file_source) {
  double given = 0;
  std::string source;
  constexpr double shortest = 1e-100, longest = 1e100;
  if (file_interval_s != 0 && !(file_interval_s > shortest && file_interval_s < longest)) {
    recording.cautions.push_back({"rate-unusable", Severity::warning, "",
                                  "the " + file_source + " makes the interval " +
                                      format_number(file_interval_s, 4) + " s, which is none; it is not used",
                                  "give --rate"});
    file_interval_s = 0;
  }
  if (settings.rate_hz) given = 1 / *settings.rate_hz, source = "--rate";
  if (settings.interval_s) given = *settings.interval_s, source = "--interval";
  if (settings.duration_s && recording.samples > 0)
    given = *settings.duration_s / static_cast<double>(recording.samples), source = "--duration";
  Axis& axis = recording.axis;
  if (given == 0) {
    axis.interval = file_interval_s;
    axis.source = file_interval_s > 0 ? file_source : "";
    return;
  }
  if (file_interval_s > 0 && std::abs(file_interval_s / given - 1) > 1e-4)
    recording.cautions.push_back(
        {"rate-disagrees", Severity::warning, "",
         source + " makes the rate " + format_quantity(1 / given, "Hz", 7) + ", the " + file_source +
             " makes it " + format_quantity(1 / file_interval_s, "Hz", 7) + "; " + source + " is used",
         "leave " + source + " out to use the file's"});
  axis.interval = given;
  axis.source = source;
  axis.stamped = false;
  axis.jitter = 0;
}

void settle_stamps(Recording& recording, const ReadSettings& settings, const StampJudge& judge,
                   double resolution, double file_interval, const std::string& file_source) {
  const Axis before = recording.axis;
  Axis axis;
  try {
    axis = judge.axis(resolution);
  } catch (const Error& error) {
    throw Error(error.status(), recording.file + ": " + error.what());
  }
  axis.domain = before.domain, axis.name = before.name, axis.unit = before.unit;
  if (!before.source.empty()) axis.source = before.source;
  recording.axis = axis;
  for (const Caution& caution : judge.cautions(axis)) recording.cautions.push_back(caution);
  if (axis.domain != Axis::Domain::time) return;
  if (file_interval > 0 && axis.interval > 0 && std::abs(file_interval / axis.interval - 1) > 1e-4)
    recording.cautions.push_back({"rate-disagrees", Severity::warning, "",
                                  "the stamps make the rate " + format_quantity(1 / axis.interval, "Hz", 7) +
                                      ", the " + file_source + " makes it " +
                                      format_quantity(1 / file_interval, "Hz", 7) + "; the stamps are used",
                                  "check the export, or give --rate"});
  settle_interval(recording, settings, axis.interval, axis.source);
}

std::size_t choose_part(const std::string& file, const std::vector<Part>& parts, const ReadSettings& settings,
                        std::size_t standard) {
  if (settings.part.empty()) return standard;
  std::vector<std::string> names;
  for (std::size_t i = 0; i < parts.size(); ++i) {
    if (settings.part == parts[i].name || settings.part == std::to_string(i + 1)) return i;
    names.push_back(parts[i].name);
  }
  throw Error(Status::usage, "--part: " + file + ": " + unknown_name("part", settings.part, names));
}

std::int64_t nanoseconds_since_1970(int year, int month, int day, int hour, int minute, double second) {
  // Days from civil, by eras of 400 years that begin in March.
  const std::int64_t y = month <= 2 ? year - 1 : year;
  const std::int64_t era = (y >= 0 ? y : y - 399) / 400;
  const std::int64_t of_era = y - era * 400;
  const std::int64_t of_year = (153 * (month + (month > 2 ? -3 : 9)) + 2) / 5 + day - 1;
  const std::int64_t days = era * 146097 + of_era * 365 + of_era / 4 - of_era / 100 + of_year - 719468;
  // 64 bits of nanoseconds reach from 1677 to 2262; beyond, the nearest end is given.
  const std::int64_t whole =
      std::clamp<std::int64_t>(((days * 24 + hour) * 60 + minute) * 60, -9200000000, 9200000000);
  return whole * 1000000000 + static_cast<std::int64_t>(std::llround(std::clamp(second, 0.0, 61.0) * 1e9));
}

}  // namespace vprism
