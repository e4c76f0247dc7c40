// write_recording.h: what comes down a road, written in an open format: for convert and generate.
#pragma once

#include <span>
#include <vector>

#include "condition/road.h"
#include "formats/files/output_folder.h"
#include "formats/writer.h"
#include "frame/options.h"

namespace vprism {

/// `--to` and `--numbers`. `needed`: whether the command has no default.
Option format_option(std::string& to, const char* help);
Option numbers_option(WriteSettings& settings);

struct WrittenRecording {
  std::vector<std::string> names;  ///< Within the folder.
  std::vector<Caution> cautions;   ///< What the format could not hold.
};

/// Names of the files that a recording becomes.
std::vector<std::string> names_written(const std::string& stem, const WriteFormat& format);

/// Whatever hands on a recording block by block.
using Pass = std::function<void(const Sink& sink, const Progress& progress)>;
WrittenRecording write_recording(const Recording& recording, const Pass& pass, OutputFolder& folder,
                                 const std::string& stem, const WriteFormat& format,
                                 const WriteSettings& settings, const Progress& progress);

/// A recording in memory: a span for each channel, real parts before imaginary ones.
using Columns = std::vector<std::span<const double>>;
WrittenRecording write_recording(const Recording& recording, const Columns& columns, OutputFolder& folder,
                                 const std::string& stem, const WriteFormat& format,
                                 const WriteSettings& settings);

/// One pass of the road, whose axis must be resolved, into `stem` with the format's endings.
WrittenRecording write_recording(Road& road, OutputFolder& folder, const std::string& stem,
                                 const WriteFormat& format, const WriteSettings& settings,
                                 const Progress& progress);

}  // namespace vprism
