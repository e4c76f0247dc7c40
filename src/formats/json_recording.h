// json_recording.h: recordings in JSON documents.
#pragma once

#include <memory>

#include "formats/format.h"

namespace vprism {

/// A document, not lines with an object each: those are delimited text.
bool recognises_json(const FileHead& head);
std::unique_ptr<SampleSource> open_json(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
