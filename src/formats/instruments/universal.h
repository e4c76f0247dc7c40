// universal.h: data set 58 of the universal file format, as read and as written.
//
// Between lines "    -1" stand data sets: a line with the number (58 text, 58b binary), then for 58
// eleven lines in fixed columns:
//     1-5   texts of 80 characters: identification, description, date, ...
//     6     2(I5,I10), 2(1X,A10,I10,I4): function type, function id, version, load case,
//           response entity, node, direction, reference entity, node, direction
//     7     3I10, 3E13.5: data type (2 real single, 4 real double, 5 complex single, 6 complex double),
//           number of values, abscissa spacing (0 uneven, 1 even), minimum, increment, z value
//     8-11  I10, 3I5, 2(1X,A20): kind of quantity, unit exponents, axis label, unit label, of abscissa,
//           ordinate, denominator, z axis
// and the values: 6E13.5 (single) or 4E20.12 (double) where the abscissa is even, with the abscissa in E13.5
// before each value where it is not. 58b follows its eleven lines with a block of bytes whose byte order,
// number format and length its first line names. Data set 15 holds nodes: 4I10, 3E13.5 (label, two coordinate
// systems, colour, x, y, z). Source: University of Cincinnati, Structural Dynamics Research Laboratory,
// universal file formats for modal analysis testing.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "formats/files/input_file.h"
#include "signal/recording.h"

namespace vprism {

/// One data set 58 without its values.
struct UniversalFunction {
  std::string texts[5];
  int type = 0;  ///< 1 time response, 2 auto spectrum, 4 frequency response, 6 coherence, 12 spectrum, ...
  std::string response_entity, reference_entity;
  long long response_node = 0, reference_node = 0;
  int response_direction = 0, reference_direction = 0;
  bool complex = false, wide = false, even = true;
  std::uint64_t values = 0;
  double minimum = 0, increment = 0;
  int abscissa_kind = 0, ordinate_kind = 0, denominator_kind = 0;
  std::string abscissa_label, abscissa_unit, ordinate_label, ordinate_unit, denominator_unit;
  bool binary = false, big = false;
  std::uint64_t data = 0;        ///< Offset of the values.
  std::uint64_t data_bytes = 0;  ///< Of a binary block.
  std::uint64_t held = 0;        ///< Values that are there; `values` are promised.

  /// Bytes of a binary value with its abscissa, or columns of a text value with it.
  std::uint64_t binary_stride() const;
  std::uint64_t text_width() const { return (even ? 0 : 13) + (wide ? 20u : 13u) * (complex ? 2u : 1u); }
};

struct UniversalFile {
  std::vector<UniversalFunction> functions;
  std::vector<Node> nodes;
  std::vector<int> skipped;  ///< Numbers of data sets that are not read.
};

/// Before the exact interval in a text line of files that we write.
inline constexpr const char* universal_interval_key = "INTERVAL";

/// Walks through the file without reading values. Throws Error(input) for damage.
UniversalFile index_universal(const InputFile& file);

/// "+X", "-RZ", ... of a direction -6 to 6; "" for 0.
std::string direction_name(int direction);

}  // namespace vprism
