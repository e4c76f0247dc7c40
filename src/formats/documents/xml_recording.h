// xml_recording.h: recordings in XML of whatever layout: its elements and attributes are understood as the
// members of a document (json_tables.h).
#pragma once

#include <memory>

#include "formats/format.h"

namespace vprism {

bool recognises_xml(const FileHead& head);
/// Held whole: at most 64 MB. Nothing that the file names is opened; entities of its own are not expanded.
std::unique_ptr<SampleSource> open_xml(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
