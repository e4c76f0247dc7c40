// program_recording.h: several arrays in the text of a program. One alone is read as a table's rows
// (program_text.h).
#pragma once

#include <memory>

#include "formats/format.h"

namespace vprism {

/// Text of a program in which more than one array of numbers gets a name.
bool recognises_program(const FileHead& head);
/// Held whole: at most 64 MB.
std::unique_ptr<SampleSource> open_program(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
