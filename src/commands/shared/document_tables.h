// document_tables.h: tables for people from a result document, whatever command made it: the numbers of a
// report are the document's.
#pragma once

#include <vector>

#include "render/document.h"
#include "render/report.h"

namespace vprism {

/// For each list within the results a table ("peaks", "harmonics", "events", ...), before them one of what is
/// told once for each channel. Units come from the keys and from the entry's own `unit` and `level_unit`.
std::vector<ReportTable> document_tables(const Json& document);

/// How it was measured, in a line: what all entries of the results share.
std::string document_setting(const Json& document);

/// "frequency_hz" -> "frequency (Hz)".
std::string key_words(const std::string& key);

/// What stands at the end of a path through a document: "results.0.peaks.0.frequency_hz", or, for short, of
/// its first result: "rms_total", "peaks.0.level". Null where there is nothing.
Json document_value(const Json& document, const std::string& path);

}  // namespace vprism
