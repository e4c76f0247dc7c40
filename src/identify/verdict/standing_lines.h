// standing_lines.h: lines that stand through a record, which other models are looked for without.
#pragma once

#include <algorithm>
#include <optional>
#include <span>
#include <vector>

#include "identify/lines/steady_lines.h"

namespace vprism {

/// The steady lines of a record, looked for when they are first asked for: several models want them.
class LinesOf {
 public:
  explicit LinesOf(std::span<const double> samples) : samples_(samples) {}
  std::span<const double> samples() const { return samples_; }
  const std::vector<SteadyLine>& get() const {
    if (!lines_) lines_ = steady_lines(samples_, {});
    return *lines_;
  }

 private:
  std::span<const double> samples_;
  mutable std::optional<std::vector<SteadyLine>> lines_;
};

/// Lines that stand through a record: what moves beside them is seen without.
class StandingLines {
 public:
  explicit StandingLines(const LinesOf& found, bool crossed = false) : lines_(found.get()) {
    const std::span<const double> samples = found.samples();
    std::erase_if(lines_, [&](SteadyLine& line) {
      return crossed ? !stands_in_most_pieces(samples, line) : !stands_in_each_piece(samples, line);
    });
  }
  bool any() const { return !lines_.empty(); }
  std::vector<double> without(std::span<const double> samples) const {
    std::vector<double> out(samples.begin(), samples.end());
    take_off(out, lines_);
    return out;
  }
  void put_back(std::vector<double>& rest) const {
    std::vector<SteadyLine> turned = lines_;
    for (SteadyLine& line : turned) line.cosine = -line.cosine, line.sine = -line.sine;
    take_off(rest, turned);
  }

 private:
  std::vector<SteadyLine> lines_;
};

}  // namespace vprism
