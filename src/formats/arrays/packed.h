// packed.h: recordings packed by gzip (RFC 1952), or as members of a ZIP archive: unpacked into a file that
// is gone with the process, and read under the name of the packed one.
#pragma once

#include <memory>

#include "formats/format.h"

namespace vprism {

bool recognises_gzip(const FileHead& head);
std::unique_ptr<SampleSource> open_gzip(const FileHead& head, const ReadSettings& settings);

/// Any archive that no format of its own recognises; each of its files is a part.
bool recognises_archive(const FileHead& head);
std::unique_ptr<SampleSource> open_archive(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
