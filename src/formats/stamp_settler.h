// stamp_settler.h: when a source with stamps has seen all of them, and its axis is settled: once, by the
// first pass.
#pragma once

#include <algorithm>
#include <span>
#include <utility>
#include <vector>

#include "signal/stamps.h"

namespace vprism {

class StampSettler {
 public:
  /// Reads all stamps by `read(at, to)`, if they have not been seen yet.
  template <typename Read>
  void resolve(std::int64_t samples, Read read) {
    if (settled_ || seen_ == samples) return;
    std::vector<double> times(65536);
    judge_ = {}, seen_ = 0;
    while (seen_ < samples) {
      const auto to =
          std::span(times).subspan(0, static_cast<std::size_t>(std::min<std::int64_t>(
                                          static_cast<std::int64_t>(times.size()), samples - seen_)));
      read(seen_, to);
      add(seen_, to, samples);
    }
  }
  /// Stamps from `at` on, as a pass goes by; true once they are all seen.
  bool add(std::int64_t at, std::span<const double> stamps, std::int64_t samples) {
    if (settled_) return false;
    if (at == 0) judge_ = {}, seen_ = 0;
    judge_.add(stamps);
    seen_ = at + static_cast<std::int64_t>(stamps.size());
    return seen_ >= samples;
  }
  /// True for the first time.
  bool settle() { return !std::exchange(settled_, true); }
  const StampJudge& judge() const { return judge_; }

 private:
  StampJudge judge_;
  std::int64_t seen_ = 0;
  bool settled_ = false;
};

}  // namespace vprism
