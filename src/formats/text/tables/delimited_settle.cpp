// delimited_settle.cpp: what a table says of its axis, see delimited.h.
#include "formats/text/axis/frequency_axis.h"
#include "formats/text/tables/delimited.h"

namespace vprism {

std::string Delimited::format_text() const {
  const std::string delimiter = layout_.delimiter == ' '    ? "blanks"
                                : layout_.delimiter == '('  ? "blanks, vectors in parentheses"
                                : layout_.delimiter == '\t' ? "tabs"
                                : layout_.delimiter == ';'  ? "semicolons"
                                : layout_.delimiter == ','  ? "commas"
                                                            : std::string("'") + layout_.delimiter + "'";
  return "delimited text, " + delimiter + (layout_.decimal == ',' ? ", decimal comma" : "") +
         (layout_.complex ? ", complex numbers" : "") +
         (is_serial() ? ", several values of one channel in each line" : "") +
         (turned_.kind == TurnedTable::Kind::turned      ? ", a channel in each row"
          : turned_.kind == TurnedTable::Kind::backwards ? ", the last row first"
                                                         : "") +
         (layout_.coding == TextCoding::utf8 ? "" : ", UTF-16") + ", data from line " +
         std::to_string(turned_.lines.empty() ? layout_.data_line : turned_.lines.front());
}

void Delimited::release() {
  TextPiece& piece = ready_.front();
  if (recording_.samples < 0) {
    if (carries_stamps())
      judge_.add(std::span(piece.columns[axis_column()]).subspan(0, piece.rows));
    else
      judge_.skip(piece.rows);
  }
  spare_.push_back(std::move(piece));
  ready_.pop_front();
}

void Delimited::finish() {
  if (bad_rows_ == 0) return;
  const std::string where = recording_.file + ":" + place_of(bad_);
  const std::string shown = bad_.text.empty() ? "the cell is empty or missing"
                                              : "\"" + clean_text(bad_.text, 40) + "\" is not a number";
  if (good_after_bad_ > 0 || bad_rows_ > longest_trailer)
    throw Error(Status::input,
                where + ": " + shown + "; " +
                    (bad_rows_ == 1 ? "the only row like this"
                                    : std::to_string(bad_rows_) + " rows like this, first here") +
                    (bad_.missing && settings_.missing == ReadSettings::Missing::error
                         ? "; use --missing gap to leave gaps there, or --missing interpolate"
                         : "; correct it, or export the data without it"));
  if (recording_.samples < 0)
    recording_.cautions.push_back({"trailing-text", Severity::note, "",
                                   std::to_string(bad_rows_) + (bad_rows_ == 1 ? " line" : " lines") +
                                       " after the data, from line " + std::to_string(bad_.line) +
                                       ", taken as notes: " + shown,
                                   "if this was data, the file may be cut: export it again"});
  if (recording_.samples < 0)
    recording_.layout.emplace_back(std::to_string(bad_.line) + "..", "notes after the data");
}

std::string Delimited::place_of(const BadCell& bad) const {
  const auto row = bad.line - static_cast<std::int64_t>(turned_.above);
  switch (turned_.kind) {
    case TurnedTable::Kind::as_it_stands:
      if (is_serial())
        return std::to_string(layout_.data_line + (bad.line - layout_.data_line) /
                                                      static_cast<std::int64_t>(layout_.dialect->each));
      return std::to_string(bad.line) + ":" + std::to_string(bad.cell);
    case TurnedTable::Kind::backwards:
      return std::to_string(turned_.lines[1] + 1 - row) + ":" + std::to_string(bad.cell);
    case TurnedTable::Kind::turned:
      break;
  }
  const std::int64_t line = turned_.lines[std::min(bad.cell, turned_.lines.size()) - 1];
  const auto cell = row + static_cast<std::int64_t>(turned_.named);
  return std::to_string(line) + ":" + std::to_string(cell);
}

void Delimited::settle() {
  recording_.samples = judge_.count();
  gaps_->report(recording_, layout_);
  checks_.warn(recording_);
  checks_.part_by_runs(recording_, settings_);
  if (recording_.channels.size() >= 32 &&
      4 * recording_.samples < static_cast<std::int64_t>(recording_.channels.size()))
    warn("rows-few",
         std::to_string(recording_.samples) + " rows of " + std::to_string(recording_.channels.size()) +
             " numbers: each may be a channel, and each column a time",
         "take each row as a channel with --rows");
  if (layout_.declared > 0 && layout_.declared != recording_.samples && layout_.every == 1 && !is_serial())
    warn("length-disagrees",
         "the preamble promises " + std::to_string(layout_.declared) + " samples, " +
             std::to_string(recording_.samples) + " are there",
         "the export may be cut: export it again");
  // Rate by key, by total time and number of samples, by stamps: all that are there must agree.
  double interval = layout_.interval_s * static_cast<double>(layout_.every);
  std::string source = layout_.interval_source;
  if (layout_.total_s > 0 && recording_.samples > 1) {
    // A total time may be meant to the last sample or to its end.
    const double to_last = layout_.total_s / static_cast<double>(recording_.samples - 1);
    const double to_end = layout_.total_s / static_cast<double>(recording_.samples);
    if (interval == 0 && !layout_.has_axis()) {
      interval = to_end;
      source = "total time of the preamble";
    } else if (interval > 0 && !(interval > to_end * (1 - 1e-4) && interval < to_last * (1 + 1e-4))) {
      warn("rate-disagrees",
           "the " + source + " makes the rate " + format_quantity(1 / interval, "Hz", 7) +
               ", total time and number of samples make it " + format_quantity(1 / to_end, "Hz", 7) +
               "; the first is used",
           "check the export, or give --rate");
    }
  }
  const auto swept = swept_frequencies(layout_);
  if (!carries_stamps() && interval == 0 && swept && recording_.samples > 1 && !settings_.rate_hz &&
      !settings_.interval_s && !settings_.duration_s) {
    recording_.axis.domain = Axis::Domain::frequency, recording_.axis.unit = Unit::parse("Hz");
    recording_.axis.name = "frequency", recording_.axis.source = "preamble (frequencies swept over)";
    recording_.axis.start = swept->first;
    recording_.axis.interval = (swept->second - swept->first) / static_cast<double>(recording_.samples - 1);
    return;
  }
  if (!carries_stamps()) {
    recording_.axis.start = layout_.start_s + layout_.interval_s * static_cast<double>(layout_.skipped_first);
    settle_interval(recording_, settings_, interval, source);
    return;
  }
  // A column called time that only counts 0, 1, 2, ...
  const bool counts = layout_.axis.domain == Axis::Domain::time && judge_.counts(layout_.time_factor) &&
                      recording_.samples > 2;
  // A unit that the file names says that it is no count.
  const bool unit_named =
      layout_.time && std::none_of(recording_.cautions.begin(), recording_.cautions.end(),
                                   [](const Caution& c) { return c.code == "axis-unit-assumed"; });
  if (counts && interval > 0) {
    recording_.cautions.push_back(
        {"axis-counts", Severity::note, "",
         "the time column only counts samples; the " + source + " gives their times",
         "use --axis none if it is no time at all"});
    std::erase_if(recording_.cautions, [](const Caution& c) { return c.code == "axis-unit-assumed"; });
    judge_ = {};
    recording_.axis.start = layout_.start_s;
    settle_interval(recording_, settings_, interval, source);
    return;
  }
  if (counts && !unit_named && !layout_.clock)
    warn("axis-counts",
         "the time column steps by exactly 1: it may count samples rather than " +
             layout_.columns[layout_.time.value_or(0)].unit.text(),
         "give --axis none and --rate if it does");
  recording_.axis.source = layout_.clock                               ? "clock times"
                           : layout_.axis.domain == Axis::Domain::time ? "time column"
                                                                       : "axis column";
  const double resolution = resolution_ * (layout_.clock ? 1 : layout_.time_factor);
  settle_stamps(recording_, settings_, judge_, resolution, interval, source);
  // A preamble that agrees with the stamps confirms what was taken as the time column.
  if (interval > 0 && recording_.axis.interval > 0 &&
      std::abs(interval / recording_.axis.interval - 1) <= 1e-4)
    std::erase_if(recording_.cautions,
                  [](const Caution& c) { return c.code == "axis-assumed" || c.code == "axis-unit-assumed"; });
}

}  // namespace vprism
