// gaps.cpp: see gaps.h.
#include "transform/time/gaps.h"

#include <algorithm>
#include <cmath>
#include <string>

#include "base/error.h"

namespace vprism {

GapWatch::GapWatch(std::size_t channels)
    : patterns_(channels + 1), open_(channels + 1, 0), in_gap_(channels + 1, false) {}

void GapWatch::step(std::size_t pattern, bool missing, std::int64_t at) {
  GapPattern& p = patterns_[pattern];
  if (!missing) {
    ++open_[pattern];
    in_gap_[pattern] = false;
    return;
  }
  if (!in_gap_[pattern]) {
    ++p.gaps;
    p.places = p.places * 1099511628211u + static_cast<std::uint64_t>(at) + 1;
  }
  in_gap_[pattern] = true;
  if (open_[pattern] > 0) ++p.stretches[open_[pattern]];
  open_[pattern] = 0;
}

void GapWatch::add(const Block& block) {
  const auto count = static_cast<std::int64_t>(block.size());
  const std::size_t channels = patterns_.size() - 1;
  for (GapPattern& p : patterns_) p.samples += count;
  if (!block.gaps()) {
    for (std::size_t i = 0; i < patterns_.size(); ++i) open_[i] += count, in_gap_[i] = false;
    return;
  }
  for (std::size_t n = 0; n < block.size(); ++n) {
    bool any = false;
    for (std::size_t c = 0; c < channels; ++c) {
      const bool missing =
          std::isnan(block.samples(c)[n]) || (block.complex() && std::isnan(block.imaginary(c)[n]));
      any = any || missing;
      step(c, missing, block.first() + static_cast<std::int64_t>(n));
    }
    step(channels, any, block.first() + static_cast<std::int64_t>(n));
  }
}

std::vector<GapPattern> GapWatch::result() {
  for (std::size_t i = 0; i < patterns_.size(); ++i) {
    if (open_[i] > 0) ++patterns_[i].stretches[open_[i]];
    open_[i] = 0;
    for (const auto& [length, count] : patterns_[i].stretches) patterns_[i].valid += length * count;
  }
  return patterns_;
}

SpectrumPlan plan_between_gaps(const SpectrumSettings& settings, const GapPattern& pattern, double rate_hz) {
  if (pattern.longest() < 4)
    throw Error(Status::analysis, pattern.valid == 0
                                      ? std::string("there is not one valid sample")
                                      : "between the gaps at most " + std::to_string(pattern.longest()) +
                                            " samples follow each other; 4 are needed");
  SpectrumSettings cut = settings;
  if (!cut.segment && !cut.resolution_hz) {
    // As long as for the whole record, or so long that three quarters of what is there lie in such stretches.
    const auto usual = static_cast<std::int64_t>(plan_spectrum(cut, pattern.valid, rate_hz).segment);
    std::int64_t covered = 0, length = pattern.longest();
    for (auto at = pattern.stretches.rbegin(); at != pattern.stretches.rend(); ++at) {
      if (4 * covered >= 3 * pattern.valid || at->first < 4) break;
      length = at->first;
      covered += at->first * at->second;
    }
    cut.segment = static_cast<std::size_t>(std::min(usual, length));
  }
  SpectrumPlan plan;
  try {
    plan = plan_spectrum(cut, pattern.longest(), rate_hz);
  } catch (const Error& error) {
    if (error.status() != Status::analysis) throw;
    throw Error(Status::analysis, std::string("between the gaps ") + error.what());
  }
  plan.averages = 0;
  for (const auto& [length, count] : pattern.stretches)
    if (length >= static_cast<std::int64_t>(plan.segment))
      plan.averages += count * (1 + (length - static_cast<std::int64_t>(plan.segment)) /
                                        static_cast<std::int64_t>(plan.hop));
  return plan;
}

}  // namespace vprism
