// limit_levels.h: what a limit line's numbers mean for a channel, and the levels that are held against it.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "commands/limits/file.h"
#include "frame/analysis_options.h"
#include "identify/findings/limit_line.h"

namespace vprism {

/// The scale of a line's numbers for a channel in `unit`, and the factor to that scale's unit. Throws
/// Error(usage) where they don't fit.
std::pair<Scale, double> limit_meaning(const AskedLimit& limit, const Unit& unit,
                                       const AnalysisSettings& analysis, const std::string& file);

/// A line in decibels becomes one in levels.
void limit_from_decibels(AskedLimit& limit, Scale scale, const AnalysisSettings& analysis);

/// Bins low .. high - 1 of a spectrum, and fitted lines where those are higher than any bin; bins under a
/// line's lobe are as sure as its fit.
LimitLevels limit_levels(const Spectrum& curve, const std::vector<Peak>& peaks, std::size_t low,
                         std::size_t high, Scale scale);

/// Levels that something short reaches in a segment shorter than those of `levels`: `highest` is the highest
/// of such segments, `usual` their median. What steady noise or lines make is left as it was.
void lift_by_bursts(const Spectrum& highest, const Spectrum& usual, Scale scale, LimitLevels& levels);

}  // namespace vprism
