// json_recording.h: recordings in JSON documents.
#pragma once

#include <memory>
#include <nlohmann/json_fwd.hpp>

#include "formats/format.h"

namespace vprism {

/// A document, not lines with an object each: those are delimited text.
bool recognises_json(const FileHead& head);
std::unique_ptr<SampleSource> open_json(const FileHead& head, const ReadSettings& settings);

/// The recording in a document of whatever notation, as its arrays, lists of rows and settings say: objects,
/// arrays, numbers and texts. `left_out`: places that hold nothing, for a caution. Throws Error(input).
std::unique_ptr<SampleSource> open_document(const FileHead& head, const ReadSettings& settings,
                                            const std::string& format, const nlohmann::ordered_json& document,
                                            std::vector<std::string> left_out = {},
                                            std::vector<Caution> cautions = {});

}  // namespace vprism
