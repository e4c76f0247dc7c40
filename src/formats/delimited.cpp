// delimited.cpp: columns of numbers, streamed.
//
// The file is read in batches of whole lines; each batch is cut into pieces at line ends, the pieces are
// parsed side by side and joined in order, so the result does not depend on the number of threads. A row that
// is not all numbers is an error when a good row follows it, and a note after the data otherwise.
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <deque>
#include <filesystem>

#include "base/error.h"
#include "base/text.h"
#include "formats/backward_rows.h"
#include "formats/complex_pairs.h"
#include "formats/far_tables.h"
#include "formats/row_channels.h"
#include "formats/row_checks.h"
#include "formats/text_axis.h"
#include "formats/text_end.h"
#include "formats/text_gaps.h"
#include "formats/text_rows.h"

namespace vprism {

namespace {

constexpr std::size_t batch_bytes = std::size_t{8} << 20;
constexpr std::size_t pieces = 16, least_piece = 1 << 16;
constexpr std::int64_t longest_trailer = 20;

class Delimited : public SampleSource {
 public:
  Delimited(const FileHead& head, const ReadSettings& settings, const TablePlace* place)
      : Delimited(head, settings, text_file(head), {}, place) {}
  /// With rows and columns exchanged.
  static std::unique_ptr<Delimited> turned(const FileHead& head, ReadSettings settings, TurnedTable table) {
    settings.delimiter = table.delimiter;
    const FileHead other{head.path, table.text.substr(0, FileHead::head_bytes), table.text.size()};
    InputFile file = table.unnamed_file(head.path);
    return std::unique_ptr<Delimited>(new Delimited(other, settings, std::move(file), std::move(table)));
  }

 private:
  Delimited(const FileHead& head, const ReadSettings& settings, InputFile file, TurnedTable turned,
            const TablePlace* place = nullptr)
      : settings_(settings),
        layout_(find_text_layout(head, settings, place)),
        stream_(std::move(file), layout_.coding, layout_.rewriter(), layout_.bare_returns),
        turned_(std::move(turned)) {
    recording_.file = head.path;
    recording_.format = format_text();
    recording_.notes = layout_.notes;
    recording_.layout = layout_.lines;
    recording_.parts = layout_.parts;
    recording_.part = layout_.part;
    recording_.axis = layout_.axis;
    for (std::size_t c = 0; c < layout_.columns.size(); ++c)
      if (layout_.time != c) recording_.channels.push_back(layout_.columns[c]);
    if (recording_.channels.size() > most_channels)
      throw Error(Status::input, head.path + ": " + std::to_string(recording_.channels.size()) +
                                     " channels; at most " + std::to_string(most_channels) +
                                     ": choose some with --columns");
    make_names_distinct(recording_.channels);
    if (recording_.channels.empty())
      throw Error(
          Status::input,
          head.path +
              ": a time column but no channel beside it; use --axis none if the one column is a signal");
    recording_.cautions = layout_.cautions;
    // Times with a sign count from a trigger, which is 0 s.
    if (layout_.clock && layout_.clock->no_date)
      layout_.clock->first_ns = std::max<std::int64_t>(layout_.clock->first_ns, 0);
    if (layout_.clock && !layout_.clock->no_date) recording_.zero_ns = layout_.clock->first_ns;
    // Times of day, the day above them.
    if (layout_.clock && layout_.clock->no_date && layout_.clock->counts_from_midnight() &&
        layout_.began_day_ns && !layout_.clock->minutes_first)
      recording_.zero_ns = *layout_.began_day_ns + layout_.clock->first_ns;
    if (!layout_.clock && layout_.axis.domain == Axis::Domain::time) {
      recording_.zero_ns = layout_.began_ns;
      if (!layout_.began_ns && layout_.began_day_ns && layout_.began_time_ns)
        recording_.zero_ns = *layout_.began_day_ns + *layout_.began_time_ns;
    }
    if (turned_.kind != TurnedTable::Kind::as_it_stands) take_turned();
    if (is_serial())
      recording_.cautions.push_back({"values-in-lines", Severity::note, "",
                                     "one channel, " + std::to_string(layout_.dialect->each) +
                                         " of its values in each line, as many in all as the header says",
                                     "--no-rows takes each line as a row of a table"});
    Delimited::rewind();
  }

 public:
  const Recording& recording() const override { return recording_; }
  bool carries_stamps() const override { return layout_.has_axis(); }
  bool has_complex_cells() const { return layout_.complex.has_value(); }
  const TextLayout& layout() const { return layout_; }

  void rewind() override {
    stream_.seek(layout_.data_offset);
    place_ = layout_.data_offset;
    line_ = layout_.data_line - 1;
    at_ = 0;
    elapsed_.reset();
    carried_.clear();
    for (TextPiece& piece : ready_) spare_.push_back(std::move(piece));
    ready_.clear();
    taken_ = 0;
    ended_ = false;
    bad_rows_ = good_after_bad_ = 0;
    judge_ = {};
    checks_ = RowChecks(layout_);
    gaps_.emplace(layout_.cells.size(), axis_column(), settings_.missing);
  }

  void resolve() override {
    if (recording_.samples >= 0) return;
    // Every cell is parsed, though only the times are used: a row counts only if all of it is numbers.
    while (next_batch()) {
      while (!ready_.empty() && (ended_ || gaps_->whole(ready_))) release();
    }
    while (!ready_.empty()) release();
    settle();
    rewind();
  }

  std::size_t read(Block& block) override {
    std::size_t count = 0;
    bool gaps = false;
    while (count < block.capacity()) {
      while (!ended_ && (ready_.empty() || !gaps_->whole(ready_))) next_batch();
      if (ready_.empty()) break;
      const TextPiece& piece = ready_.front();
      const std::size_t take = std::min(block.capacity() - count, piece.rows - taken_);
      gaps = gaps || (settings_.missing != ReadSettings::Missing::interpolate && piece.any_missing());
      std::size_t channel = 0;
      for (std::size_t c = 0; c < piece.columns.size(); ++c) {
        const auto to = (c == axis_column() ? block.stamp_room() : block.room(channel)).subspan(count, take);
        if (c != axis_column()) ++channel;
        std::copy_n(piece.columns[c].begin() + static_cast<std::ptrdiff_t>(taken_), take, to.begin());
      }
      count += take;
      taken_ += take;
      if (taken_ == piece.rows) {
        release();
        taken_ = 0;
      }
    }
    if (count == 0 && recording_.samples < 0) settle();
    block.set(at_, count);
    block.set_gaps(gaps);
    at_ += static_cast<std::int64_t>(count);
    return count;
  }

 private:
  bool is_serial() const { return layout_.dialect && layout_.dialect->is_serial(); }

  /// Index among the columns of a piece; -1 for none.
  std::size_t axis_column() const {
    return layout_.clock ? layout_.cells.size() : layout_.time.value_or(std::size_t(-1));
  }

  std::string format_text() const {
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

  /// The front piece has been handed on.
  void release() {
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

  /// Reads and parses the next lines into `ready_`; false at the end of the file.
  bool next_batch() {
    if (ended_) return false;
    // The buffer keeps its length, so that its bytes are not set to zero for every batch.
    std::size_t used = carried_.size();
    const std::size_t batch =
        static_cast<std::size_t>(std::min<std::uint64_t>(batch_bytes, 2 * stream_.file().size() + 64));
    if (buffer_.size() < used + batch + 1) buffer_.resize(used + batch + batch / 4 + 1);
    std::copy(carried_.begin(), carried_.end(), buffer_.begin());
    std::size_t room = batch;
    if (layout_.data_end > 0) room = std::min(room, layout_.data_end - std::min(layout_.data_end, place_));
    const std::size_t got = room == 0 ? 0 : stream_.read(std::span(buffer_).subspan(used, room));
    place_ += got;
    ended_ = got == 0;
    used += got;
    const std::string_view text(buffer_.data(), used);
    buffer_[used] = '\0';
    std::size_t end = used;
    if (!ended_) {
      end = text.rfind('\n') + 1;
      if (end == 0 && used > batch_bytes)
        throw Error(Status::input, recording_.file + ":" + std::to_string(line_ + 1) +
                                       ": a line longer than 8 MB; is this a text table?");
    }
    carried_ = text.substr(end);
    parse(text.substr(0, end));
    if (ended_) finish();
    gaps_->mend(ready_, ended_);
    return true;
  }

  /// Times from row to row become those since the first.
  void add_up_steps(TextPiece& piece) {
    for (double& x : std::span(piece.columns[axis_column()]).subspan(0, piece.rows))
      elapsed_ = elapsed_ ? *elapsed_ + x : 0.0, x = *elapsed_;
  }

  void parse(std::string_view text) {
    std::vector<std::string_view> parts;
    for (std::size_t p = 0; p < pieces && !text.empty(); ++p) {
      std::size_t end = text.size();
      if (p + 1 < pieces && text.size() > least_piece && text.size() / (pieces - p) + 1 < text.size()) {
        end = text.find('\n', text.size() / (pieces - p));
        end = end == std::string_view::npos ? text.size() : end + 1;
      }
      parts.push_back(text.substr(0, end));
      text.remove_prefix(end);
    }
    std::vector<TextPiece> parsed(parts.size());
    for (TextPiece& piece : parsed) {
      if (spare_.empty()) break;
      piece = std::move(spare_.back());
      spare_.pop_back();
    }
    const bool missing_allowed = settings_.missing != ReadSettings::Missing::error;
    oneapi::tbb::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t p) {
      parse_text_piece(parts[p], layout_, missing_allowed, parsed[p]);
    });
    for (TextPiece& piece : parsed) {
      if (layout_.steps) add_up_steps(piece);
      if (bad_rows_ > 0) good_after_bad_ += static_cast<std::int64_t>(piece.rows);
      if (bad_rows_ == 0 && piece.bad_rows > 0) {
        bad_ = piece.bad;
        bad_.line += line_;
      }
      bad_rows_ += piece.bad_rows;
      good_after_bad_ += piece.good_after_bad;
      checks_.take(piece, axis_column());
      gaps_->count(piece, line_);
      line_ += piece.lines;
      if (resolution_ == 0 || piece.rows > 64) resolution_ = std::max(resolution_, piece.printed_step);
      if (piece.rows > 0 && good_after_bad_ == 0)
        ready_.push_back(std::move(piece));
      else
        spare_.push_back(std::move(piece));
    }
  }

  /// The whole file has been parsed: rows that were no numbers are judged.
  void finish() {
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

  /// Line and cell, as they are in the file.
  std::string place_of(const BadCell& bad) const {
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

  void take_turned() {
    for (Caution& c : turned_.cautions()) recording_.cautions.push_back(std::move(c));
    if (turned_.kind == TurnedTable::Kind::turned)
      recording_.layout = {
          {std::to_string(turned_.lines.front()) + ".." + std::to_string(turned_.lines.back()),
           "a channel in each row"}};
  }

  void warn(const char* code, const std::string& text, const char* remedy) {
    recording_.cautions.push_back({code, Severity::warning, "", text, remedy});
  }

  /// Length and axis, once every row has been seen.
  void settle() {
    recording_.samples = judge_.count();
    gaps_->tell(recording_, layout_);
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
      recording_.axis.start =
          layout_.start_s + layout_.interval_s * static_cast<double>(layout_.skipped_first);
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
      std::erase_if(recording_.cautions, [](const Caution& c) {
        return c.code == "axis-assumed" || c.code == "axis-unit-assumed";
      });
  }

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

}  // namespace

std::unique_ptr<SampleSource> open_delimited(const FileHead& whole, const ReadSettings& settings) {
  const FileHead head = without_padding(whole);
  if (settings.rows && settings.no_rows)
    throw Error(Status::usage, "--rows and --no-rows each say what a row is; give one");
  std::optional<TurnedTable> table = turned_over(head, settings);
  const std::optional<TablePlace> place = table ? std::nullopt : find_far_table(head, settings);
  std::unique_ptr<Delimited> source =
      table ? Delimited::turned(head, settings, std::move(*table))
            : std::make_unique<Delimited>(head, settings, place ? &*place : nullptr);
  if (!table && !place && source->layout().backwards)
    source = Delimited::turned(head, settings, last_row_first(head, source->layout()));
  const bool written = source->has_complex_cells();
  return join_complex(std::move(source), settings, written);
}

}  // namespace vprism
