// delimited.h: numbers in columns, parted by a mark or blanks.
#pragma once

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <deque>
#include <filesystem>

#include "base/error.h"
#include "base/text.h"
#include "formats/text/axis/text_axis.h"
#include "formats/text/cells/complex_pairs.h"
#include "formats/text/rows/backward_rows.h"
#include "formats/text/rows/row_channels.h"
#include "formats/text/rows/row_checks.h"
#include "formats/text/rows/text_end.h"
#include "formats/text/rows/text_gaps.h"
#include "formats/text/rows/text_rows.h"
#include "formats/text/tables/far_tables.h"

namespace vprism {

constexpr std::size_t batch_bytes = std::size_t{8} << 20;
constexpr std::size_t pieces = 16, least_piece = 1 << 16;
constexpr std::int64_t longest_trailer = 20;

class Delimited : public SampleSource {
 public:
  Delimited(const FileHead& head, const ReadSettings& settings, const TablePlace* place)
      : Delimited(head, settings, text_file(head), {}, place) {}
  /// With rows and columns exchanged.
  static std::unique_ptr<Delimited> turned(const FileHead& head, ReadSettings settings, TurnedTable table);

 private:
  Delimited(const FileHead& head, const ReadSettings& settings, InputFile file, TurnedTable turned,
            const TablePlace* place = nullptr);

 public:
  const Recording& recording() const override { return recording_; }
  bool carries_stamps() const override { return layout_.has_axis(); }
  bool has_complex_cells() const { return layout_.complex.has_value(); }
  const TextLayout& layout() const { return layout_; }

  void rewind() override;

  void resolve() override;

  std::size_t read(Block& block) override;

 private:
  bool is_serial() const { return layout_.dialect && layout_.dialect->is_serial(); }

  /// Index among the columns of a piece; -1 for none.
  std::size_t axis_column() const {
    return layout_.clock ? layout_.cells.size() : layout_.time.value_or(std::size_t(-1));
  }

  std::string format_text() const;

  /// The front piece has been handed on.
  void release();

  /// Reads and parses the next lines into `ready_`; false at the end of the file.
  bool next_batch();

  /// Times from row to row become those since the first.
  void add_up_steps(TextPiece& piece);

  void parse(std::string_view text);

  /// The whole file has been parsed: rows that were no numbers are judged.
  void finish();

  /// Line and cell, as they are in the file.
  std::string place_of(const BadCell& bad) const;

  void take_turned();

  void warn(const char* code, const std::string& text, const char* remedy) {
    recording_.cautions.push_back({code, Severity::warning, "", text, remedy});
  }

  /// Length and axis, once every row has been seen.
  void settle();

  ReadSettings settings_;
  TextLayout layout_;
  TextStream stream_;
  TurnedTable turned_;  ///< No channels: the table is as it is in the file.
  Recording recording_;

  std::size_t place_ = 0;  ///< How far the file has been read.
  std::int64_t line_ = 0, at_ = 0;
  std::string buffer_, carried_;
  std::deque<TextPiece> ready_;
  std::vector<TextPiece> spare_;
  std::size_t taken_ = 0;
  bool ended_ = false;
  std::int64_t bad_rows_ = 0, good_after_bad_ = 0;
  BadCell bad_;
  double resolution_ = 0;
  RowChecks checks_{layout_};
  std::optional<double> elapsed_;  ///< Of the rows so far, where each says how long after the one before.
  StampJudge judge_;
  std::optional<TextGaps> gaps_;
};

}  // namespace vprism
