// text_gaps.cpp: see text_gaps.h.
#include "formats/text/rows/text_gaps.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace vprism {

namespace {

bool holds_nan(const TextPiece& piece, std::size_t axis) {
  for (std::size_t c = 0; c < piece.missing.size(); ++c)
    if (c != axis && piece.missing[c] > 0 &&
        std::any_of(piece.columns[c].begin(),
                    piece.columns[c].begin() + static_cast<std::ptrdiff_t>(piece.rows),
                    [](double x) { return std::isnan(x); }))
      return true;
  return false;
}

}  // namespace

TextGaps::TextGaps(std::size_t columns, std::size_t axis, ReadSettings::Missing policy)
    : axis_(axis),
      policy_(policy),
      missing_(columns, 0),
      first_(columns, 0),
      over_(columns, 0),
      word_(columns) {}

void TextGaps::count(const TextPiece& piece, std::int64_t line) {
  for (std::size_t c = 0; c < missing_.size() && c < piece.missing.size(); ++c) {
    if (piece.missing[c] > 0 && missing_[c] == 0) first_[c] = line + piece.first_missing[c];
    missing_[c] += piece.missing[c];
    over_[c] += piece.over[c];
    if (word_[c].empty()) word_[c] = piece.word[c];
  }
}

bool TextGaps::whole(const std::deque<TextPiece>& pieces) const {
  // The piece behind is needed as well: its last row is the left neighbour of what comes next.
  return policy_ != ReadSettings::Missing::interpolate ||
         (pieces.size() > 1 && !holds_nan(pieces.front(), axis_));
}

void TextGaps::mend(std::deque<TextPiece>& pieces, bool ended) {
  if (policy_ != ReadSettings::Missing::interpolate) return;
  struct Place {
    std::size_t piece = 0, row = 0;
  };
  for (std::size_t c = 0; c < missing_.size(); ++c) {
    if (c == axis_ || missing_[c] == 0) continue;
    std::vector<std::pair<Place, double>> run;  // NaN cells, each with its time.
    double left_time = 0, left = std::nan(""), index = 0;
    const auto fill = [&](double right_time, double right) {
      for (const auto& [place, time] : run) {
        const double value = std::isnan(left) ? right
                             : std::isnan(right)
                                 ? left
                                 : left + (right - left) * (time - left_time) / (right_time - left_time);
        pieces[place.piece].columns[c][place.row] = value;
      }
      run.clear();
    };
    for (std::size_t p = 0; p < pieces.size(); ++p) {
      const bool timed = axis_ < pieces[p].columns.size();
      for (std::size_t row = 0; row < pieces[p].rows; ++row, index += 1) {
        const double time = timed ? pieces[p].columns[axis_][row] : index;
        const double value = pieces[p].columns[c][row];
        if (std::isnan(value)) {
          run.push_back({{p, row}, time});
          continue;
        }
        if (!run.empty()) fill(time, value);
        left = value, left_time = time;
      }
    }
    if (ended && !run.empty()) fill(left_time, std::nan(""));
  }
}

void TextGaps::report(Recording& recording, const TextLayout& layout) const {
  std::size_t channel = 0;
  for (std::size_t c = 0; c < missing_.size(); ++c) {
    if (layout.time == c) continue;
    const std::string& name = recording.channels[channel++].name;
    if (missing_[c] == 0) continue;
    const bool filled = policy_ == ReadSettings::Missing::interpolate;
    recording.cautions.push_back(
        {filled ? "interpolated" : "gaps", Severity::warning, name,
         std::to_string(missing_[c]) + (missing_[c] == 1 ? " cell holds" : " cells hold") +
             " no number, the first in line " + std::to_string(first_[c]) +
             (word_[c].empty() ? "" : ", some of them words, such as \"" + clean_text(word_[c], 40) + "\"") +
             (filled ? "; filled between their neighbours" : "; left as gaps"),
         filled ? "--missing gap leaves them out instead" : "spectra are averaged between the gaps"});
    if (over_[c] > 0)
      recording.cautions.push_back(
          {"over-range", Severity::warning, name,
           std::to_string(over_[c]) + (over_[c] == 1 ? " of them says" : " of them say") +
               " that the signal was over the instrument's range: it was clipped there",
           "use a larger range"});
  }
}

}  // namespace vprism
