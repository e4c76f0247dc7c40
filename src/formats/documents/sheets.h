// sheets.h: tables that do not stand in a plain text but in a workbook's sheets or in a page's markup. Each
// is made into a text table, which the reader of delimited text then understands like any other.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "formats/files/output_file.h"
#include "formats/format.h"

namespace vprism {

/// One sheet as text: tabs between cells, a line for each of its rows.
struct SheetText {
  std::string name, path;
  std::int64_t rows = 0, numbers = 0;  ///< The last row in use, from 1; cells that hold a number or a date.
  std::int64_t texts = 0;              ///< Cells that hold anything else.
};

/// Writes sheets, cell by cell, into files of a folder.
class SheetWriter {
 public:
  static constexpr std::int64_t most_rows = 1 << 24, most_columns = 1 << 14;
  static constexpr std::uint64_t most_bytes = std::uint64_t{8} << 30;

  SheetWriter(std::string file, std::string folder) : file_(std::move(file)), folder_(std::move(folder)) {}
  void begin(const std::string& name);
  /// Rows in order, and columns in order within each, both from 0. Blank text is no cell.
  /// `columns`: how many it spans.
  void cell(std::int64_t row, std::int64_t column, std::string_view text, bool number,
            std::int64_t columns = 1);
  void end();
  const std::vector<SheetText>& sheets() const { return sheets_; }
  std::vector<SheetText> take() { return std::move(sheets_); }
  /// Throws Error(input) with the file's name.
  [[noreturn]] void fail(const std::string& why) const;

 private:
  std::string file_, folder_, line_;
  std::unique_ptr<OutputFile> out_;
  std::int64_t row_ = 0, column_ = 0;
  std::uint64_t bytes_ = 0;
  std::vector<SheetText> sheets_;
};

/// A spreadsheet's count of days as a date, a time of day, or hours since some start, to the microsecond.
struct DayForm {
  bool date = false, time = false, elapsed = false;
  bool is_one() const { return date || time || elapsed; }
  /// By the letters of a number format: "yyyy-mm-dd hh:mm", "[h]:mm:ss".
  static DayForm of(std::string_view format);
  /// `epoch_1904`: days count from 1904-01-01, else so that day 60 is 1900-02-29, which never was.
  std::string text(double days, bool epoch_1904) const;
};

/// ISO/IEC 29500 (.xlsx), ISO/IEC 26300 (.ods), and workbooks in one XML file.
bool recognises_workbook(const FileHead& head);
std::unique_ptr<SampleSource> open_workbook(const FileHead& head, const ReadSettings& settings);
/// Pages of markup that hold tables.
bool recognises_page(const FileHead& head);
std::unique_ptr<SampleSource> open_page(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
