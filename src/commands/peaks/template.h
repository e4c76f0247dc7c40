// template.h: peaks by their shape, for the command `peaks`: its passes over the channels themselves or
// over what a matched filter makes of them.
#pragma once

#include <functional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "commands/peaks/peaks.h"
#include "commands/shared/input.h"

namespace vprism {

/// "0.2s..0.3s" in seconds. Throws Error(usage).
std::pair<double, double> template_range(const std::string& text);

/// Which way up the peaks stand in what the finders see: what a matched filter makes always has maxima.
inline double view_sign(const ChannelPeaks& c) { return c.shape.empty() ? c.sign : 1; }

/// One pass over the recording: `work` gets, for the channel of each of `result.channels`, its samples (or
/// those behind its matched filter, as many) and stamps, side by side; `whole` each block as it is.
void each_view(
    Input& input, const PeaksResult& result, const std::vector<std::size_t>& column, const Progress& progress,
    const std::function<void(std::size_t, std::span<const double>, std::span<const double> stamps)>& work,
    const std::function<void(const Block&)>& whole = {});

/// Takes each channel's shape from that stretch of time. Throws Error(analysis) where there is none.
void take_stretches(Input& input, PeaksResult& result, const std::vector<std::size_t>& column,
                    std::pair<double, double> range, const Progress& progress);
/// From the mean of the peaks that `first` holds, two widths to each side.
void take_means(Input& input, const PeaksResult& first, PeaksResult& result,
                const std::vector<std::size_t>& column, const Progress& progress);

/// Likeness and uncertainties of each peak; what is less alike than asked for, or than half the median, goes.
void judge_matches(Input& input, PeaksResult& result, const std::vector<std::size_t>& column,
                   const std::optional<double>& min_likeness, const Progress& progress);

}  // namespace vprism
