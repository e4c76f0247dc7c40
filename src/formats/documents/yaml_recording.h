// yaml_recording.h: recordings in YAML: lists of numbers under keys, lists of rows, a document for each row.
#pragma once

#include <memory>

#include "formats/format.h"

namespace vprism {

/// Lines of keys, list items and remarks and nothing else, with a list of numbers or of rows among them.
bool recognises_yaml(const FileHead& head);
/// Held whole: at most 32 MB.
std::unique_ptr<SampleSource> open_yaml(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
