// run_starts.cpp: see run_starts.h.
#include "formats/text/rows/run_starts.h"

#include <algorithm>
#include <cmath>

namespace vprism {

void RunStarts::add(double time) {
  const std::int64_t row = rows_++;
  if (std::isnan(time)) return;
  if (std::isnan(first_)) {
    first_ = began_ = time;
    starts_ = {row};
  } else if (time > before_) {
    longest_ = std::max(longest_, time - before_);
  } else if (time < before_ && row - starts_.back() >= least_rows &&
             std::abs(time - first_) <= std::min(2 * longest_, 0.2 * (before_ - began_))) {
    starts_.push_back(row);
    began_ = time;
  } else {
    broken_ = true;
  }
  before_ = time;
}

bool RunStarts::add_rising(std::span<const double> times) {
  if (times.empty() || !(times[0] > before_)) return false;
  bool rise = true;
  double longest = std::max(longest_, times[0] - before_);
  for (std::size_t n = 1; n < times.size(); ++n) {
    const double step = times[n] - times[n - 1];
    rise = rise && step > 0;
    longest = step > longest ? step : longest;
  }
  if (!rise) return false;
  longest_ = longest, before_ = times.back();
  rows_ += static_cast<std::int64_t>(times.size());
  return true;
}

std::vector<Part> RunStarts::parts(bool whole) const {
  std::vector<Part> out;
  for (std::size_t r = 0; r < starts_.size(); ++r) {
    const std::string until = r + 1 < starts_.size() ? std::to_string(starts_[r + 1])
                              : whole                ? std::to_string(rows_)
                                                     : "";
    out.push_back({std::to_string(r + 1), "rows " + std::to_string(starts_[r] + 1) + ".." + until});
  }
  return out;
}

Caution RunStarts::caution() const {
  return {"runs-apart", Severity::warning, "",
          "the times begin anew in row " + std::to_string(starts_[1] + 1) + ", " +
              std::to_string(starts_.size()) + " runs: each is a part; the first is taken",
          "choose another with --part; inspect lists them; --axis none and --rate take the rows as one "
          "recording"};
}

}  // namespace vprism
