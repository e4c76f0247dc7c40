// comma_pairs.h: decimal commas between commas: "0,004,-1,52" below "time,force".
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace vprism {

/// Whether each row of a table's head has two cells for each title: a whole number, and digits as many as in
/// every other row.
bool is_of_comma_pairs(const std::vector<std::string_view>& lines);

/// Each pair as one number, "0.004;-1.52"; titles with semicolons between them.
void rewrite_comma_pairs(std::string_view line, std::string& out);

}  // namespace vprism
