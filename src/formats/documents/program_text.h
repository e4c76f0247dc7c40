// program_text.h: numbers that stand in the text of a program: arrays of C, matrices in brackets, lists.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace vprism {

/// "u" and "{1.0f, 2.0f," of "static const float u[3] = {1.0f, 2.0f,".
struct ArrayOpening {
  std::string name;
  std::string_view behind;  ///< From the bracket on.
  int bits = 0;             ///< Of "int16_t" and the like, with a sign; 0 for all else.
};
std::optional<ArrayOpening> array_opening(std::string_view line);
inline bool is_array_opening(std::string_view line) { return array_opening(line).has_value(); }

/// "fs = 250.0", "#define RATE_HZ 250", "const double dt = 1e-3;", "unit = 'V'".
struct ProgramSetting {
  std::string name, text;
  std::optional<double> number;
};
std::optional<ProgramSetting> program_setting(std::string_view line);

/// "1.5f", "0x1f", "12UL" as a plain number; digits of sixteen as a two's complement of so many bits.
std::optional<double> program_value(std::string_view cell, int bits = 0);

/// Whether a table's head is such text: an opening line ("const float u[400] = {", "x = [", "x = np.array([")
/// and, behind it, nearly nothing but numbers, brackets and what parts them.
/// `plain`: also where rows stand between the brackets as in any table.
bool is_program_text(const std::vector<std::string_view>& lines, bool plain = false);

/// Its lines as a table's: remarks behind '#', rows of numbers parted by tabs (a row ends with the line of a
/// matrix, with ';', with an inner bracket), and of a plain list each number in a line of its own; above them
/// "NAME = [". Other lines stay, without the ';' behind.
void rewrite_program_line(std::string_view line, std::string& out, int bits = 0);

}  // namespace vprism
