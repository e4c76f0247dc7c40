// format.h: the registry of file formats. A file is recognised by what it holds, not by its name.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "formats/files/file_digest.h"
#include "signal/source.h"
#include "signal/stamps.h"

namespace vprism {

/// What the user says about an input; all of it optional.
struct ReadSettings {
  std::optional<double> rate_hz, interval_s, duration_s;  ///< At most one is given.
  std::string axis;    ///< Column of the times: name, number from 1, "none"; "" finds it.
  std::string binary;  ///< "f32le:2ch": flat numbers of this layout; "" recognises.
  std::string part;    ///< Name or number from 1 of what to read in a file that holds several recordings.

  /// What to do about a cell of a text table that is empty or no number.
  enum class Missing { error, gap, interpolate };
  Missing missing = Missing::error;
  std::optional<std::size_t> header_rows;   ///< Lines above the first row of data.
  char delimiter = 0;                       ///< ' ' stands for blanks; 0 finds it.
  char decimal = 0;                         ///< '.' or ','; 0 finds it.
  std::string columns;                      ///< "1,3..5" or titles; "" takes all.
  std::vector<std::string> allow_external;  ///< Files that an HDF5 file may take its numbers from.
  std::string complex = "auto";             ///< Columns joined by their titles; "off", "pairs".
  bool rows = false, no_rows = false;  ///< Each row of a text table is a channel, or is none; else found.
  std::size_t samples_along = 0;       ///< Dimension of an array, from 1; 0 finds it.
  bool axis_scaled = false;  ///< The user says what one unit of the axis stands for: its numbers stay.
  bool primary = false;      ///< Instrument-transformer channels as on the primary side.
  std::shared_ptr<FileDigest> digest;  ///< Gets the file's bytes as they are read, from readers that can.
};

/// The first bytes of a file and its size.
struct FileHead {
  std::string path;
  std::string bytes;  ///< At most head_bytes.
  std::uint64_t size = 0;
  static constexpr std::size_t head_bytes = 256 * 1024;
};

/// One row per format.
struct Format {
  const char* name;
  const char* what;
  bool (*recognises)(const FileHead& head);
  std::unique_ptr<SampleSource> (*open)(const FileHead& head, const ReadSettings& settings);
};
const std::vector<Format>& format_table();

/// Opens a file by the first row of the table that recognises it (or as flat binary if the settings say so).
/// Throws Error(input) when it can't be read, with the file's name at the head of the line.
std::unique_ptr<SampleSource> open_recording(const std::string& path, const ReadSettings& settings);

/// All samples of a source, channel by channel; its axis and length are then known.
std::vector<std::vector<double>> all_samples(SampleSource& source);

/// Reads the head; throws Error(input) when the file is missing, a folder, unreadable or empty.
FileHead read_head(const std::string& path);

/// Puts the user's --rate, --interval or --duration into the axis, or the interval the file names (0: none).
/// A given rate wins; where it is more than 1e-4 off the file's, a caution gives both numbers.
/// `recording.samples` must be known for a duration.
void settle_interval(Recording& recording, const ReadSettings& settings, double file_interval_s,
                     const std::string& file_source);

/// The same for a recording with stamps, all of which `judge` has seen: axis, cautions, and disagreement with
/// `file_interval` (0: the file names none). `resolution` is the last digit of a stamp, in the axis's unit.
void settle_stamps(Recording& recording, const ReadSettings& settings, const StampJudge& judge,
                   double resolution, double file_interval, const std::string& file_source);

/// Index of the part `settings.part` names (name or number from 1), `standard` when it names none. Throws
/// Error(usage).
std::size_t choose_part(const std::string& file, const std::vector<Part>& parts, const ReadSettings& settings,
                        std::size_t standard);

/// A civil date and time of day, UTC, as nanoseconds since 1970.
std::int64_t nanoseconds_since_1970(int year, int month, int day, int hour, int minute, double second);

// The readers, one file each. `recognises` looks at the first bytes only and never throws.
bool recognises_npy(const FileHead& head);
std::unique_ptr<SampleSource> open_npy(const FileHead& head, const ReadSettings& settings);
bool recognises_npz(const FileHead& head);
std::unique_ptr<SampleSource> open_npz(const FileHead& head, const ReadSettings& settings);
bool recognises_rawfile(const FileHead& head);
std::unique_ptr<SampleSource> open_rawfile(const FileHead& head, const ReadSettings& settings);
bool recognises_universal(const FileHead& head);
std::unique_ptr<SampleSource> open_universal(const FileHead& head, const ReadSettings& settings);
bool recognises_comtrade(const FileHead& head);
std::unique_ptr<SampleSource> open_comtrade(const FileHead& head, const ReadSettings& settings);
bool recognises_sigmf(const FileHead& head);
std::unique_ptr<SampleSource> open_sigmf(const FileHead& head, const ReadSettings& settings);
bool recognises_hdf5(const FileHead& head);
std::unique_ptr<SampleSource> open_hdf5(const FileHead& head, const ReadSettings& settings);
bool recognises_miniseed(const FileHead& head);
std::unique_ptr<SampleSource> open_miniseed(const FileHead& head, const ReadSettings& settings);
bool recognises_edf(const FileHead& head);
std::unique_ptr<SampleSource> open_edf(const FileHead& head, const ReadSettings& settings);
bool recognises_delimited(const FileHead& head);
std::unique_ptr<SampleSource> open_delimited(const FileHead& head, const ReadSettings& settings);
bool recognises_sound(const FileHead& head);
std::unique_ptr<SampleSource> open_sound(const FileHead& head, const ReadSettings& settings);
std::unique_ptr<SampleSource> open_flat_binary(const FileHead& head, const ReadSettings& settings);
/// Throws Error(usage) when `layout` ("f32le:2ch") can't be read.
void check_binary_layout(const std::string& layout);

}  // namespace vprism
