// row_checks.h: what has to be known of all rows of a text table before, in the order of the file.
#pragma once

#include <limits>

#include "formats/text/rows/run_starts.h"
#include "formats/text/rows/text_rows.h"

namespace vprism {

/// A whole turn in a unit of angle; 0 for any other.
double turn_of(const Unit& unit);
/// The turn, or the two, after which an angle begins anew where it falls by so much; 0: it does not.
double turns_begun(double fall, double step, double turn);

/// Times of day go on where they fall by more than half a day.
class Midnights {
 public:
  /// The seconds shown, and the days that have gone by.
  double pass(double time_s) {
    constexpr double day_s = 86400;
    time_s += day_s * days_;
    if (time_s < last_s_ - day_s / 2) ++days_, time_s += day_s;
    return last_s_ = time_s;
  }

 private:
  double days_ = 0, last_s_ = 0;
};

/// The one run that is read, where several stand below each other; times of day that begin anew at midnight;
/// counters of time that begin anew at 2^16, 2^24 or 2^32; values beyond the header's count; rows and names
/// that are not what the head promised.
class RowChecks {
 public:
  explicit RowChecks(const TextLayout& layout) : layout_(&layout) {}
  /// The next rows, which may be changed or become fewer.
  void take(TextPiece& piece, std::size_t axis_column);
  /// Cautions about what was left out; `recording` has its samples counted.
  void warn(Recording& recording) const;
  /// Runs one below the other, all rows of which have been taken, are parts. Throws Error(usage) when the one
  /// asked for is not there.
  void part_by_runs(Recording& recording, const ReadSettings& settings) const;

 private:
  void follow_runs(TextPiece& piece, std::size_t axis_column);
  void pass_wraps(TextPiece& piece, std::vector<double>& times);
  void pass_turns(std::vector<double>& angles, std::size_t rows, double turn);
  void leave_out_padding(TextPiece& piece);

  static constexpr double nothing = std::numeric_limits<double>::quiet_NaN();
  const TextLayout* layout_;
  std::int64_t passed_over_ = 0, unnamed_ = 0, repeated_ = 0;  ///< See TextPiece.
  std::int64_t values_ = 0, padding_ = 0;  ///< Of serial values, those taken and those beyond the count.
  RunStarts runs_;
  bool begin_anew_ = false;  ///< Seen behind the head: only the first run is taken.
  Midnights midnights_;
  std::int64_t wraps_ = 0;            ///< Of a counter,
  double wrap_ = 0, going_on_s_ = 0;  ///< each by so many counts; what they make together.
  std::int64_t turns_ = 0;            ///< Of an angle, each by so much.
  double turned_ = 0;
  double step_s_ = 0, shown_s_ = nothing,
         first_s_ = nothing;  ///< The last step; the last and the first row, as they stand.
};

}  // namespace vprism
