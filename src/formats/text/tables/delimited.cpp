// delimited.cpp: columns of numbers, streamed.
//
// The file is read in batches of whole lines; each batch is cut into pieces at line ends, the pieces are
// parsed side by side and joined in order, so the result does not depend on the number of threads. A row that
// is not all numbers is an error when a good row follows it, and a note after the data otherwise.
#include "formats/text/tables/delimited.h"

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

std::unique_ptr<Delimited> Delimited::turned(const FileHead& head, ReadSettings settings, TurnedTable table) {
  settings.delimiter = table.delimiter;
  const FileHead other{head.path, table.text.substr(0, FileHead::head_bytes), table.text.size()};
  InputFile file = table.unnamed_file(head.path);
  return std::unique_ptr<Delimited>(new Delimited(other, settings, std::move(file), std::move(table)));
}

Delimited::Delimited(const FileHead& head, const ReadSettings& settings, InputFile file, TurnedTable turned,
                     const TablePlace* place)
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

void Delimited::rewind() {
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

void Delimited::resolve() {
  if (recording_.samples >= 0) return;
  // Every cell is parsed, though only the times are used: a row counts only if all of it is numbers.
  while (next_batch()) {
    while (!ready_.empty() && (ended_ || gaps_->whole(ready_))) release();
  }
  while (!ready_.empty()) release();
  settle();
  rewind();
}

std::size_t Delimited::read(Block& block) {
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

bool Delimited::next_batch() {
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

void Delimited::add_up_steps(TextPiece& piece) {
  for (double& x : std::span(piece.columns[axis_column()]).subspan(0, piece.rows))
    elapsed_ = elapsed_ ? *elapsed_ + x : 0.0, x = *elapsed_;
}

void Delimited::parse(std::string_view text) {
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

void Delimited::take_turned() {
  for (Caution& c : turned_.cautions()) recording_.cautions.push_back(std::move(c));
  if (turned_.kind == TurnedTable::Kind::turned)
    recording_.layout = {{std::to_string(turned_.lines.front()) + ".." + std::to_string(turned_.lines.back()),
                          "a channel in each row"}};
}

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
