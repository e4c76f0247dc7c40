// crash_folder.h: recordings of vehicle tests as ISO/TS 13499 lays them down: a folder with a description
// (.mme), a list of channels (.chn), and a text file for each channel (.001, .002, ...) with a header and one
// sample a line.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "formats/format.h"

namespace vprism {

bool recognises_crash_folder(const FileHead& head);
/// All channels of one rate side by side, those of other rates as parts of their own. Throws Error(input)
/// when there is no channel file.
std::unique_ptr<SampleSource> open_crash_folder(const FileHead& head, const ReadSettings& settings);

/// The channel files of a description or list, by number.
std::vector<std::string> crash_channel_files(const std::string& path);

/// The description or list of channels in a folder; "" where there is none.
std::string crash_folder_entry(const std::string& folder);

}  // namespace vprism
