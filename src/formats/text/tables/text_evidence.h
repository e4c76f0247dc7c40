// text_evidence.h: what the cells of a text table say beyond its last rows and its titles.
#pragma once

#include <span>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// Numbers in cells that are data though the last rows do not show it: a channel that overloads, or one that
/// is written now and then. Sets `loose` and `sparse` as well.
void find_further_cells(TextLayout& layout, std::span<const TextLine> lines, std::size_t first,
                        std::size_t last);

/// Components of vectors get the names of the comment lines that give each a place ("# Probe 0 (0.35 0.02
/// 0)"), else their number.
void name_vectors(TextLayout& layout, const std::vector<TextLine>& lines, std::size_t first);

/// Cautions about titled columns that are not taken.
void report_left_out(TextLayout& layout, std::span<const TextLine> lines, std::size_t first);

/// Units that lines above say by the columns' names: "Voltage unit: mV".
void take_named_units(TextLayout& layout);

/// Settings of an instrument that writes one channel: its name and unit.
void take_settings(TextLayout& layout);

/// One of several tables that stand one below the other.
struct TableLines {
  std::size_t first = 0, end = 0;  ///< Lines, titles and preamble with them.
  std::size_t rows = 0, data = 0;  ///< How many rows of numbers, and the first one's line.
  std::size_t labelled = 0;        ///< How many of them begin with a word.
};
/// Tables of three rows and more, each with a title above; one or none where the file is a single table.
std::vector<TableLines> find_tables(std::span<const TextLine> lines, char delimiter, char decimal);

/// What a line above a table says: the channel's name, else the nearest line that no other table has.
std::string table_name(const std::vector<TextLine>& lines, const std::vector<TableLines>& tables,
                       std::size_t table);

}  // namespace vprism
