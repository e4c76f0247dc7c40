// writer.h: recordings as open formats. Written block by block to a file that appears whole or not at all.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "signal/block.h"
#include "signal/recording.h"

namespace vprism {

struct WriteSettings {
  /// Type of the numbers where the format leaves a choice: f64 (exact), f32, or for sound files and flat
  /// binary also i16, i24, i32 (sound files: values are taken as fractions of full scale).
  std::string numbers = "f64";
};

/// Takes a recording whose axis and length are known, then all its blocks in order.
class RecordingWriter {
 public:
  virtual ~RecordingWriter() = default;
  virtual void add(const Block& block) = 0;
  /// Nothing more will come. Throws Error(output).
  virtual void finish() = 0;
  /// What the format could not hold, once written.
  virtual std::vector<Caution> cautions() const { return {}; }
};

/// One row per format that can be written.
struct WriteFormat {
  const char* name;    ///< For --to.
  const char* ending;  ///< ".h5"
  const char* what;
  const char* second;  ///< Ending of a second file it makes; "" for none.
  /// `paths`: one per ending. Throws Error(analysis) when the format can't hold such a recording, saying
  /// which can; Error(output) when a file can't be written.
  std::unique_ptr<RecordingWriter> (*open)(const std::vector<std::string>& paths, const Recording& recording,
                                           const WriteSettings& settings);
};
const std::vector<WriteFormat>& write_format_table();
/// Throws Error(usage) with the nearest known name.
const WriteFormat& find_write_format(const std::string& name);

// The writers, in files of their own.
std::unique_ptr<RecordingWriter> write_hdf5(const std::vector<std::string>&, const Recording&,
                                            const WriteSettings&);
std::unique_ptr<RecordingWriter> write_sound(const std::vector<std::string>&, const Recording&,
                                             const WriteSettings&);
std::unique_ptr<RecordingWriter> write_csv(const std::vector<std::string>&, const Recording&,
                                           const WriteSettings&);
std::unique_ptr<RecordingWriter> write_npy(const std::vector<std::string>&, const Recording&,
                                           const WriteSettings&);
std::unique_ptr<RecordingWriter> write_flat(const std::vector<std::string>&, const Recording&,
                                            const WriteSettings&);
std::unique_ptr<RecordingWriter> write_universal(const std::vector<std::string>&, const Recording&,
                                                 const WriteSettings&);
std::unique_ptr<RecordingWriter> write_universal_text(const std::vector<std::string>&, const Recording&,
                                                      const WriteSettings&);
std::unique_ptr<RecordingWriter> write_sigmf(const std::vector<std::string>&, const Recording&,
                                             const WriteSettings&);

/// The title of a column or track: "force (N)"; the name alone without a unit.
std::string channel_title(const Channel& channel);

}  // namespace vprism
