// companions.h: recordings that consist of several files.
#pragma once

#include <string>
#include <vector>

namespace vprism {

/// The files beside `path` that its recording is read from as well: data beside their description (SigMF,
/// COMTRADE), channel files of a folder. Only those that are there.
std::vector<std::string> companion_files(const std::string& path);

}  // namespace vprism
