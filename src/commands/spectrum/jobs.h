// jobs.h: how the channels of a recording are cut into segments, and who transforms which.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "commands/spectrum/spectrum.h"
#include "transform/bands/zoom.h"
#include "transform/spectra/spectrum_estimator.h"
#include "transform/time/gaps.h"

namespace vprism {

/// Channels that are cut and transformed alike.
struct SpectrumJob {
  enum class Role { lines, shown, compared } role = Role::lines;
  std::vector<std::size_t> channels;
  double shift_hz = 0;  ///< Of complex channels: the frequency that 0 Hz stands for.
  std::optional<SpectrumEstimator> whole;
  std::optional<ZoomEstimator> zoom;

  void add(const Block& block) { whole ? whole->add(block) : zoom->add(block); }
  std::vector<Spectrum> result() { return whole ? whole->result() : zoom->result(); }
};

/// How a channel is to be cut; channels that agree share a job.
struct SpectrumCut {
  std::optional<Range> span;
  std::optional<double> resolution_hz;
  double carrier_hz = 0;
  bool operator==(const SpectrumCut& o) const {
    return resolution_hz == o.resolution_hz && carrier_hz == o.carrier_hz &&
           span.has_value() == o.span.has_value() &&
           (!span || (span->low == o.span->low && span->high == o.span->high));
  }
};

/// Throws Error naming the recording.
SpectrumPlan plan_for(const SpectrumSettings& settings, const Recording& recording,
                      const GapPattern* gaps = nullptr);

/// Channels that are to be cut alike.
using CutGroups = std::vector<std::pair<SpectrumCut, std::vector<std::size_t>>>;
/// `spans` gets that of each channel.
CutGroups cut_groups(const Recording& recording, const AnalysisSettings& settings,
                     std::vector<std::optional<Range>>& spans);

/// The jobs for one group of channels.
void add_jobs(const Recording& recording, const AnalysisSettings& settings, const SpectrumCut& cut,
              const std::vector<std::size_t>& channels, const GapPattern* gaps,
              std::vector<SpectrumJob>& jobs);

/// Jobs that cut between the gaps: channels whose gaps lie alike share one. A channel in which no segment
/// finds room is left out, and `why` says so; where that is every channel, Error(analysis) is thrown.
std::vector<SpectrumJob> jobs_between_gaps(const Recording& recording, const AnalysisSettings& settings,
                                           const CutGroups& groups, const std::vector<GapPattern>& gaps,
                                           std::vector<std::string>& why, std::vector<Caution>& cautions);

/// Channels in parts of which each can be worked on in memory that does not grow with their number.
std::vector<CutGroups> in_parts(const CutGroups& groups, const Recording& recording,
                                const AnalysisSettings& settings);

/// The jobs' spectra, each to its channel.
void take_spectra(std::vector<SpectrumJob>& jobs, SpectrumResult& result);

}  // namespace vprism
