// row_checks.cpp: see row_checks.h.
#include "formats/text/rows/row_checks.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <numbers>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

double turn_of(const Unit& unit) {
  const Unit radian = Unit::parse("rad");
  return unit.text() == "1" || !unit.converts_to(radian) ? 0 : radian.convert(2 * std::numbers::pi, unit);
}

double turns_begun(double fall, double step, double turn) {
  for (const double range : {turn, 2 * turn})
    if (fall > 0 && range > fall && range - fall < 3 * step) return range;
  return 0;
}

void RowChecks::take(TextPiece& piece, std::size_t axis_column) {
  passed_over_ += piece.passed_over, unnamed_ += piece.unnamed, repeated_ += piece.repeated;
  if (layout_->clock && layout_->clock->no_date)
    for (std::size_t n = 0; n < piece.rows; ++n)
      piece.columns[axis_column][n] = midnights_.pass(piece.columns[axis_column][n]);
  if (!layout_->clock && layout_->time && layout_->axis.domain == Axis::Domain::time && !layout_->one_run)
    pass_wraps(piece, piece.columns[axis_column]);
  if (const double turn = turn_of(layout_->axis.unit);
      layout_->time && layout_->axis.domain == Axis::Domain::other && turn > 0)
    pass_turns(piece.columns[axis_column], piece.rows, turn);
  if (layout_->clock || layout_->time) follow_runs(piece, axis_column);
  if (layout_->dialect && layout_->dialect->is_serial()) leave_out_padding(piece);
}

void RowChecks::follow_runs(TextPiece& piece, std::size_t axis_column) {
  const std::vector<double>& times = piece.columns[axis_column];
  if (!layout_->one_run && !begin_anew_ && runs_.add_rising(std::span(times).first(piece.rows))) return;
  std::size_t from = 0, until = 0;
  for (std::size_t n = 0; n < piece.rows; ++n) {
    runs_.add(times[n]);
    if (runs_.rows().size() == layout_->runs_before + 1) from = until == 0 ? n : from, until = n + 1;
    begin_anew_ = begin_anew_ || (layout_->parts.empty() && runs_.found());
  }
  if (!(layout_->one_run || begin_anew_) || (from == 0 && until == piece.rows)) return;
  for (std::vector<double>& column : piece.columns)
    std::copy(column.begin() + static_cast<std::ptrdiff_t>(from),
              column.begin() + static_cast<std::ptrdiff_t>(until), column.begin());
  piece.rows = until - from;
  // What is missing in other runs is not missing in this one.
  for (std::size_t c = 0; c < piece.missing.size() && c < piece.columns.size(); ++c) {
    const auto kept = std::span(piece.columns[c]).first(piece.rows);
    piece.missing[c] = std::count_if(kept.begin(), kept.end(), [](double v) { return std::isnan(v); });
    piece.over[c] = std::min(piece.over[c], piece.missing[c]);
    if (piece.missing[c] == 0) piece.word[c].clear();
  }
}

void RowChecks::part_by_runs(Recording& recording, const ReadSettings& settings) const {
  const std::size_t runs = runs_.rows().size();
  if (layout_->one_run && layout_->runs_before >= runs)
    throw Error(Status::usage, "--part " + settings.part + ": " + recording.file + " has " +
                                   std::to_string(runs) + (runs == 1 ? " part" : " parts"));
  if (!(layout_->one_run || begin_anew_) || runs < 2) return;
  recording.parts = runs_.parts(true), recording.part = layout_->runs_before;
  if (settings.part.empty()) recording.cautions.push_back(runs_.caution());
}

/// A counter falls by its whole range less a step or so; one of 32 bits may be shown in thousands or millions
/// of its units. What falls back to the first row's time begins anew.
void RowChecks::pass_wraps(TextPiece& piece, std::vector<double>& times) {
  for (std::size_t n = 0; n < piece.rows; ++n) {
    const double shown = times[n];
    if (std::isnan(first_s_)) first_s_ = shown;
    if (shown < shown_s_ && step_s_ > 0 && shown != first_s_) {
      const double fall = (shown_s_ - shown) / layout_->time_factor, step = step_s_ / layout_->time_factor;
      constexpr double ranges[] = {65536, 16777216, 4294967296.0, 4294967.296, 4294.967296};
      const auto range = std::find_if(std::begin(ranges), std::end(ranges), [&](double counts) {
        return counts - fall > 0 && counts - fall < 3 * step;
      });
      if (range != std::end(ranges)) ++wraps_, wrap_ = *range, going_on_s_ += wrap_ * layout_->time_factor;
    } else if (shown > shown_s_) {
      step_s_ = shown - shown_s_;
    }
    shown_s_ = shown;
    times[n] = shown + going_on_s_;
  }
}

/// Of a shaft or a crank: it goes on where it falls by one turn or two, less a step or so.
void RowChecks::pass_turns(std::vector<double>& angles, std::size_t rows, double turn) {
  for (std::size_t n = 0; n < rows; ++n) {
    const double shown = angles[n];
    if (const double range = turns_begun(shown_s_ - shown, step_s_, turn); range > 0)
      ++turns_, going_on_s_ += range, turned_ = range;
    if (shown > shown_s_) step_s_ = shown - shown_s_;
    shown_s_ = shown;
    angles[n] = shown + going_on_s_;
  }
}

void RowChecks::leave_out_padding(TextPiece& piece) {
  const auto rows = static_cast<std::int64_t>(piece.rows),
             room = std::max<std::int64_t>(0, layout_->dialect->count - values_);
  padding_ += std::max<std::int64_t>(0, rows - room);
  piece.rows = static_cast<std::size_t>(std::min(rows, room));
  values_ += static_cast<std::int64_t>(piece.rows);
}

void RowChecks::warn(Recording& recording) const {
  const auto add = [&](const char* code, const std::string& text, const char* remedy) {
    recording.cautions.push_back({code, Severity::warning, "", text, remedy});
  };
  if (wraps_ > 0)
    add("counter-wrapped",
        "the time column falls by " + format_number(wrap_, 10) + ", less a step, " +
            (wraps_ == 1 ? "once" : std::to_string(wraps_) + " times") +
            ": a counter that begins anew; the times are taken as going on",
        "if the recording begins anew there, give --axis none and --rate");
  if (turns_ > 0)
    recording.cautions.push_back(
        {"angle-goes-on", Severity::note, "",
         "the angle begins anew " + (turns_ == 1 ? "once" : std::to_string(turns_) + " times") + ", after " +
             format_number(turned_, 6) + " " + layout_->axis.unit.text() + ": it is taken as going on",
         ""});
  const bool serial = layout_->dialect && layout_->dialect->is_serial();
  if (padding_ > 0)
    add("values-left-out",
        std::to_string(padding_) + " values behind the " + std::to_string(values_) +
            " that the header names are left out",
        "--no-rows takes each line as a row of a table");
  if (serial && values_ < layout_->dialect->count)
    add("length-disagrees",
        "the header promises " + std::to_string(layout_->dialect->count) + " values, " +
            std::to_string(values_) + " are there",
        "the export may be cut: export it again");
  if (unnamed_ > 0)
    add("rows-left-out",
        std::to_string(unnamed_) + " rows name channels that the beginning of the file does not have",
        "sort the file by channel, or export each to its own");
  if (repeated_ > 0)
    recording.cautions.push_back({"lines-repeated", Severity::note, "",
                                  std::to_string(repeated_) + (repeated_ == 1 ? " line" : " lines") +
                                      " between the rows say what stands above them, and are passed over",
                                  ""});
  if (layout_->dialect && !layout_->dialect->strange->empty()) {
    add("columns-left-out",
        "some lines have names that those at the beginning have not, and these are left out: " +
            quoted_names({layout_->dialect->strange->begin(), layout_->dialect->strange->end()}),
        "put a line with all names at the beginning");
  }
  const auto every = static_cast<std::int64_t>(layout_->every);
  if (every > 1 && !layout_->has_axis() && std::abs(passed_over_ - recording.samples * (every - 1)) > every)
    add("rows-disagree",
        "these channels are filled in " + std::to_string(recording.samples) + " of " +
            std::to_string(recording.samples + passed_over_) + " rows, not in one of " +
            std::to_string(every) + " as at the beginning: their times are wrong",
        "export them with times");
}

}  // namespace vprism
