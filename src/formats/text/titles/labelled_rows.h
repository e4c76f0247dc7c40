// labelled_rows.h: rows above a table that hold something of each channel behind a word that says what:
// "Name,U,I", "Y_Unit_Label<tab>Volts<tab>Amps", "Scale,0.001,0.01".
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

struct LabelledRow {
  enum class Kind { names, units, scales } kind = Kind::names;
  std::string label;
  double neutral = 1;                   ///< Of scales: what changes nothing; 0 for offsets.
  std::vector<std::string> of_columns;  ///< For each data column; "" for one in front of the channels.
};

/// Nothing where the line is no such row, or has other than one cell for each channel.
std::optional<LabelledRow> labelled_row(const TextLayout& layout, std::string_view text);

/// Names, where no titles gave any, and units of columns that have none. A scale that isn't 1 beside whole
/// numbers is a caution: they may be counts.
void take_labelled_rows(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first);

/// A scale in units per division of a screen, and whole numbers far beyond the screen: they are counts of the
/// converter, without the unit that the settings say; a caution.
void doubt_counts(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first,
                  std::size_t last);

}  // namespace vprism
