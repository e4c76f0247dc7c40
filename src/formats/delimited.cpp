// delimited.cpp: columns of numbers, streamed.
//
// The file is read in batches of whole lines; each batch is cut into pieces at line ends, the pieces are
// parsed side by side and joined in order, so the result does not depend on the number of threads. Blank
// lines and lines that begin with
// '#' or '%' between rows are passed over. A row that is not all numbers is an error when a good row follows
// it, and a note after the data otherwise.
#include <fcntl.h>
#include <oneapi/tbb/parallel_for.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <deque>

#include "base/error.h"
#include "base/text.h"
#include "formats/text_layout.h"
#include "signal/stamps.h"

namespace vprism {

namespace {

constexpr std::size_t batch_bytes = std::size_t{8} << 20;
constexpr std::size_t pieces = 16, least_piece = 1 << 16;
constexpr std::int64_t longest_trailer = 20;

struct BadCell {
  std::int64_t line = 0;  ///< Within the piece, later within the file.
  std::size_t cell = 0;
  std::string text;
};

/// What one piece of text held. Rows after the first bad one are counted, not kept.
struct Piece {
  std::vector<std::vector<double>> columns;
  std::size_t rows = 0;
  std::int64_t lines = 0;
  std::int64_t bad_rows = 0;
  std::int64_t good_after_bad = 0;
  BadCell bad;
  double printed_step = 0;  ///< Least step of the last digit among stamps looked at.
};

/// Value of one step of the last digit written: "1.250e-3" -> 1e-6.
double printed_step(std::string_view cell, char decimal) {
  cell = trimmed(cell);
  const std::size_t e = cell.find_first_of("eE");
  const std::size_t point = cell.substr(0, e).find(decimal);
  const std::size_t digits = point == std::string_view::npos ? 0 : std::min(e, cell.size()) - point - 1;
  int exponent = 0;
  if (e != std::string_view::npos) exponent = std::atoi(std::string(cell.substr(e + 1)).c_str());
  return std::pow(10.0, exponent - static_cast<int>(digits));
}

void parse_piece(std::string_view text, const TextLayout& layout, Piece& piece) {
  const std::size_t time_cell = layout.time ? layout.cells[*layout.time] : std::size_t(-1);
  piece = {};
  piece.columns.resize(layout.cells.size());
  const std::size_t expected = text.size() / (8 * layout.cells.size()) + 16;
  for (auto& column : piece.columns) column.reserve(expected);
  std::vector<double> row(layout.cells.size());
  std::vector<std::string_view> cells;
  while (!text.empty()) {
    const std::size_t end = std::min(text.find('\n'), text.size());
    std::string_view line = text.substr(0, end);
    text.remove_prefix(std::min(end + 1, text.size()));
    ++piece.lines;
    if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
    if (line.empty() || line.front() == '#' || line.front() == '%' || trimmed(line).empty()) continue;
    split_cells(line, layout.delimiter, cells);
    bool good = true;
    for (std::size_t w = 0; w < row.size(); ++w) {
      const std::size_t cell = layout.cells[w];
      if (cell < cells.size() && parse_cell(cells[cell], layout.decimal, row[w])) continue;
      if (piece.bad_rows == 0) {
        const std::string found(cell < cells.size() ? trimmed(cells[cell]) : std::string_view());
        piece.bad = {piece.lines, cell + 1, found};
      }
      good = false;
      break;
    }
    if (!good) {
      ++piece.bad_rows;
    } else if (piece.bad_rows > 0) {
      ++piece.good_after_bad;
    } else {
      for (std::size_t w = 0; w < row.size(); ++w) piece.columns[w].push_back(row[w]);
      ++piece.rows;
      // Trailing zeros may have been left off, so one stamp alone does not tell how finely they are printed.
      if (time_cell < cells.size() && (piece.rows <= 64 || piece.rows % 64 == 0)) {
        const double step = printed_step(cells[time_cell], layout.decimal);
        piece.printed_step = piece.printed_step == 0 ? step : std::min(piece.printed_step, step);
      }
    }
  }
}

class Delimited : public SampleSource {
 public:
  Delimited(const FileHead& head, const ReadSettings& settings)
      : settings_(settings), layout_(find_text_layout(head, settings)) {
    file_ = ::open(head.path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file_ < 0) throw Error(Status::input, head.path + ": can't be opened: " + std::strerror(errno));
    recording_.file = head.path;
    recording_.format = format_text();
    recording_.notes = layout_.notes;
    for (std::size_t c = 0; c < layout_.columns.size(); ++c) {
      all_.push_back(c);
      if (layout_.time != c) recording_.channels.push_back(layout_.columns[c]);
    }
    make_names_distinct(recording_.channels);
    if (recording_.channels.empty())
      throw Error(
          Status::input,
          head.path +
              ": a time column but no channel beside it; use --axis none if the one column is a signal");
    recording_.cautions = layout_.cautions;
    Delimited::rewind();
  }
  ~Delimited() override { ::close(file_); }
  Delimited(const Delimited&) = delete;
  Delimited& operator=(const Delimited&) = delete;

  const Recording& recording() const override { return recording_; }
  bool carries_stamps() const override { return layout_.time.has_value(); }

  void rewind() override {
    offset_ = layout_.data_offset;
    line_ = layout_.data_line - 1;
    at_ = 0;
    carried_.clear();
    ready_.clear();
    taken_ = 0;
    ended_ = false;
    bad_rows_ = good_after_bad_ = 0;
    judge_ = {};
  }

  void resolve() override {
    if (recording_.samples >= 0) return;
    // Every cell is parsed, though only the times are used: a row counts only if all of it is numbers.
    while (next_batch()) {
      for (Piece& piece : ready_) take_stamps(piece.columns[layout_.time.value_or(0)]);
      ready_.clear();
    }
    settle();
    rewind();
  }

  std::size_t read(Block& block) override {
    std::size_t count = 0;
    while (count < block.capacity()) {
      if (ready_.empty() && !next_batch()) break;
      if (ready_.empty()) continue;
      Piece& piece = ready_.front();
      const std::size_t take = std::min(block.capacity() - count, piece.rows - taken_);
      std::size_t channel = 0;
      for (const std::size_t c : all_) {
        const auto from = piece.columns[c].begin() + static_cast<std::ptrdiff_t>(taken_);
        const auto to = (layout_.time == c ? block.stamp_room() : block.room(channel)).subspan(count, take);
        if (layout_.time != c) ++channel;
        if (layout_.time == c)
          std::transform(from, from + static_cast<std::ptrdiff_t>(take), to.begin(),
                         [&](double t) { return t * layout_.time_factor; });
        else
          std::copy_n(from, take, to.begin());
      }
      count += take;
      taken_ += take;
      if (taken_ == piece.rows) {
        if (recording_.samples < 0) take_stamps(piece.columns[layout_.time.value_or(0)]);
        ready_.pop_front();
        taken_ = 0;
      }
    }
    if (count == 0 && recording_.samples < 0) settle();
    block.set(at_, count);
    at_ += static_cast<std::int64_t>(count);
    return count;
  }

 private:
  std::string format_text() const {
    const std::string delimiter = layout_.delimiter == ' '    ? "blanks"
                                  : layout_.delimiter == '\t' ? "tabs"
                                  : layout_.delimiter == ';'  ? "semicolons"
                                  : layout_.delimiter == ','  ? "commas"
                                                              : std::string("'") + layout_.delimiter + "'";
    return "delimited text, " + delimiter + (layout_.decimal == ',' ? ", decimal comma" : "") +
           ", data from line " + std::to_string(layout_.data_line);
  }

  void take_stamps(std::vector<double>& stamps) {
    if (layout_.time)
      for (double& t : stamps) t *= layout_.time_factor;
    judge_.add(stamps);
  }

  /// Reads and parses the next lines into `ready_`; false at the end of the file, when length and axis are
  /// settled.
  bool next_batch() {
    if (ended_) return false;
    buffer_.assign(carried_);
    const std::size_t head = buffer_.size();
    buffer_.resize(head + batch_bytes);
    std::size_t got = 0;
    while (got < batch_bytes) {
      const ssize_t n =
          ::pread(file_, buffer_.data() + head + got, batch_bytes - got, static_cast<off_t>(offset_));
      if (n < 0)
        throw Error(Status::input, recording_.file + ": can't be read at byte " + std::to_string(offset_) +
                                       ": " + std::strerror(errno));
      if (n == 0) break;
      got += static_cast<std::size_t>(n);
      offset_ += static_cast<std::uint64_t>(n);
    }
    buffer_.resize(head + got);
    ended_ = got < batch_bytes;
    std::size_t end = buffer_.size();
    if (!ended_) {
      end = buffer_.rfind('\n') + 1;
      if (end == 0)
        throw Error(Status::input, recording_.file + ":" + std::to_string(line_ + 1) +
                                       ": a line longer than 8 MB; is this a text table?");
    }
    carried_ = buffer_.substr(end);
    parse(std::string_view(buffer_).substr(0, end));
    if (ended_) finish();
    return !ended_ || !ready_.empty();
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
    std::vector<Piece> parsed(parts.size());
    oneapi::tbb::parallel_for(std::size_t{0}, parts.size(),
                              [&](std::size_t p) { parse_piece(parts[p], layout_, parsed[p]); });
    for (Piece& piece : parsed) {
      if (bad_rows_ > 0) good_after_bad_ += static_cast<std::int64_t>(piece.rows);
      if (bad_rows_ == 0 && piece.bad_rows > 0) {
        bad_ = piece.bad;
        bad_.line += line_;
      }
      bad_rows_ += piece.bad_rows;
      good_after_bad_ += piece.good_after_bad;
      line_ += piece.lines;
      if (resolution_ == 0 || piece.rows > 64) resolution_ = std::max(resolution_, piece.printed_step);
      if (piece.rows > 0 && good_after_bad_ == 0) ready_.push_back(std::move(piece));
    }
  }

  /// The whole file has been parsed: rows that were no numbers are judged.
  void finish() {
    if (bad_rows_ == 0) return;
    const std::string where =
        recording_.file + ":" + std::to_string(bad_.line) + ":" + std::to_string(bad_.cell);
    const std::string shown = bad_.text.empty() ? "the cell is empty or missing"
                                                : "\"" + clean_text(bad_.text, 40) + "\" is not a number";
    if (good_after_bad_ > 0 || bad_rows_ > longest_trailer)
      throw Error(Status::input,
                  where + ": " + shown + "; " +
                      (bad_rows_ == 1 ? "the only row like this"
                                      : std::to_string(bad_rows_) + " rows like this, first here") +
                      "; correct it, or export the data without it");
    if (recording_.samples < 0)
      recording_.cautions.push_back({"trailing-text", Severity::note, "",
                                     std::to_string(bad_rows_) + (bad_rows_ == 1 ? " line" : " lines") +
                                         " after the data, from line " + std::to_string(bad_.line) +
                                         ", taken as notes: " + shown,
                                     "if this was data, the file may be cut: export it again"});
  }

  /// Length and axis, once every row has been seen.
  void settle() {
    recording_.samples = judge_.count();
    double interval = layout_.interval_s;
    std::string source = layout_.interval_source;
    if (layout_.time) {
      Axis axis;
      try {
        axis = judge_.axis(resolution_ * layout_.time_factor);
      } catch (const Error& error) {
        throw Error(error.status(), recording_.file + ": " + error.what());
      }
      recording_.axis = axis;
      for (const Caution& caution : judge_.cautions(axis)) recording_.cautions.push_back(caution);
      if (interval > 0 && axis.interval > 0 && std::abs(interval / axis.interval - 1) > 1e-4)
        recording_.cautions.push_back(
            {"rate-disagrees", Severity::warning, "",
             "the stamps make the rate " + format_quantity(1 / axis.interval, "Hz", 7) + ", the " + source +
                 " makes it " + format_quantity(1 / interval, "Hz", 7) + "; the stamps are used",
             "check the export, or give --rate"});
      // A preamble that agrees with the stamps confirms what was taken as the time column.
      if (interval > 0 && axis.interval > 0 && std::abs(interval / axis.interval - 1) <= 1e-4)
        std::erase_if(recording_.cautions, [](const Caution& c) {
          return c.code == "axis-assumed" || c.code == "axis-unit-assumed";
        });
      interval = axis.interval;
      source = axis.source;
    }
    if (layout_.declared > 0 && layout_.declared != recording_.samples)
      recording_.cautions.push_back({"length-disagrees", Severity::warning, "",
                                     "the preamble promises " + std::to_string(layout_.declared) +
                                         " samples, " + std::to_string(recording_.samples) + " are there",
                                     "the export may be cut: export it again"});
    settle_interval(recording_, settings_, interval, source);
  }

  ReadSettings settings_;
  TextLayout layout_;
  int file_ = -1;
  Recording recording_;
  std::vector<std::size_t> all_;

  std::uint64_t offset_ = 0;
  std::int64_t line_ = 0, at_ = 0;
  std::string buffer_, carried_;
  std::deque<Piece> ready_;
  std::size_t taken_ = 0;
  bool ended_ = false;
  std::int64_t bad_rows_ = 0, good_after_bad_ = 0;
  BadCell bad_;
  double resolution_ = 0;
  StampJudge judge_;
};

}  // namespace

std::unique_ptr<SampleSource> open_delimited(const FileHead& head, const ReadSettings& settings) {
  return std::make_unique<Delimited>(head, settings);
}

}  // namespace vprism
