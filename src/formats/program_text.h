// program_text.h: numbers that stand in the text of a program: arrays of C, matrices in brackets, lists.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace vprism {

/// Whether a table's head is such text: an opening line ("const float u[400] = {", "x = [", "x = np.array([")
/// and, behind it, nearly nothing but numbers, brackets and what parts them.
bool is_program_text(const std::vector<std::string_view>& lines);

/// Its lines as a table's: remarks behind '#', rows of numbers parted by tabs (a row ends with the line of a
/// matrix, with ';', with an inner bracket), and of a plain list each number in a line of its own; above them
/// "NAME = [". Other lines stay, without the ';' behind.
void rewrite_program_line(std::string_view line, std::string& out);

}  // namespace vprism
