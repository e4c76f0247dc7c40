// document_report.h: pieces of a report that come from result documents.
#pragma once

#include <string>
#include <vector>

#include "render/report.h"
#include "runner/case_answer.h"

namespace vprism {

std::vector<Caution> cautions_of(const Json& document);
/// Those of the document that are not there yet, by code and channel.
void add_cautions_of(const Json& document, std::vector<Caution>& all);

/// What a figure shows, in words.
std::string alt_of(const Figure& figure);

/// Suspects by recordings; nothing where none was judged.
std::vector<ReportTable> line_up_tables(const CaseAnswer& answer);

/// "mount-daq.wav: WAV sound file, 16-bit, 98304 samples at 3.0003 kHz, xxh3:..."
std::string input_line(const std::string& file, const Json& input);

}  // namespace vprism
