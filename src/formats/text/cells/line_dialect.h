// line_dialect.h: text tables whose lines are written in another way than as cells with plain numbers.
#pragma once

#include <memory>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "formats/text/cells/keyed_lines.h"
#include "formats/text/rows/text_stream.h"
#include "signal/recording.h"

namespace vprism {

/// One that all rows of a table share, and the lines that stand in their place.
struct LineDialect {
  enum class Kind {
    quoted_commas,  ///< "0,01","1,5": decimal commas in quotation marks, commas between.
    fortran,        ///< 1.5D-03, 1.5-103 (for 1.5E-103), and numbers that fill their fields: 1.50-2.25.
    pairs,          ///< t=0.01 x=1.5, "t: 0.01, x: 1.5": a name before each number.
    frames,         ///< (0.002) can0 123#DEADBEEF: bytes of frames on a bus, bus_frames.h.
    objects,        ///< {"t": 0.01, "x": 1.5}: a flat JSON object in each line.
    arrow,          ///< 10:00:00.000 -> 1.5,2.5, or [10:00:00.000] 1.5 2.5: a time before what came at it.
    blocks,         ///< TIME = 0.001 and, in lines below, the values of all channels then.
    program,        ///< Arrays and matrices in the text of a program: program_text.h.
    comma_pairs,    ///< 0,004,-1,52: decimal commas between commas.
    values,         ///< Several values of one channel in each line: serial_values.h.
    other,          ///< As `by` has it: insert_rows.h, burst_rows.h, hex_lines.h.
  };
  Kind kind = Kind::pairs;
  char delimiter = ';';  ///< Of the lines as rewritten; 0: as they are.
  std::vector<std::string>
      keys;  ///< Of pairs, frames and objects: all that the head has, in the order of their appearance.
  std::size_t each = 0;    ///< Of values: how many stand in a full line,
  std::int64_t count = 0;  ///< how many there are in all, as the header says,
  double scale = 1;        ///< and what one of them is worth in the unit of `keys`, their title.
  int bits = 0;            ///< Of a program's whole numbers with a sign; 0: they are what they are.
  LineRewriter by;
  std::vector<Caution> cautions;  ///< What was made of it.
  std::vector<Part> parts;        ///< Where it holds several recordings, and which is read.
  std::size_t part = 0;
  /// Names met later that are none of these: some of them, for a caution.
  std::shared_ptr<std::set<std::string>> strange = std::make_shared<std::set<std::string>>();

  bool is_serial() const { return kind == Kind::values; }
  /// From the last lines of a table's head; nothing where they are written plainly. `delimiter`: as asked
  /// for, 0 to find it.
  static std::optional<LineDialect> found_in(const std::vector<std::string_view>& lines, char delimiter);
  /// Blocks of lines and the text of programs, from a table's whole head.
  static std::optional<LineDialect> whole_in(const std::vector<std::string_view>& lines);
  /// Keys of further lines too, in the order of their appearance.
  void learn_keys(const std::vector<std::string_view>& lines);
  /// What a line of pairs, frames or objects holds.
  KeyedLine keyed(std::string_view line) const;
  /// Lines of another form stay as they are.
  LineRewriter rewriter() const;
};

}  // namespace vprism
