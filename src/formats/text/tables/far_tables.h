// far_tables.h: several tables one below the other in a text file that is longer than its head.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "formats/format.h"

namespace vprism {

/// One of them, as if it were a file of its own.
struct TablePlace {
  std::uint64_t offset = 0, end = 0;  ///< Bytes of the file; end 0: to the file's end.
  std::size_t lines_above = 0;
  FileHead head;  ///< Its first bytes, and its size.
  std::vector<Part> parts;
  std::size_t part = 0;
  std::vector<Caution> cautions;
};

/// The table that the settings name, or the longest. Goes through the whole file for lines that begin with a
/// word; nothing where there are none below the first rows, or too many to be titles, or they begin no table.
/// Throws Error(usage) for a part that there is not.
std::optional<TablePlace> find_far_table(const FileHead& head, const ReadSettings& settings);

/// A part for each of several tables, by its name and rows, and the caution that one of them was taken.
Part table_part(const std::string& name, std::size_t index, std::size_t rows, std::size_t line);
Caution tables_caution(std::size_t tables, std::size_t line);

}  // namespace vprism
