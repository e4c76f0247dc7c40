// other_dialects.h: further ways to write a table's lines, each with its own file.
#pragma once

#include <optional>
#include <string_view>
#include <vector>

#include "formats/format.h"
#include "formats/text/cells/line_dialect.h"

namespace vprism {

/// Statements that fill a database, bursts in rows, ordinates by lines, lists in lines, digits of sixteen;
/// nothing for all else. Throws Error(input) for packed ordinates; `file` is for its message.
std::optional<LineDialect> other_dialect_of(const std::vector<std::string_view>& lines,
                                            const ReadSettings& settings, const std::string& file);

}  // namespace vprism
