// versus.h: several chains on one recording, side by side: what each leaves of each line, ripple,
// delay, settling, noise.
#pragma once

#include <string>
#include <vector>

#include "commands/condition/condition.h"

namespace vprism {

/// What a chain does to a step of height 1, by running it: in seconds. Nothing for chains that are not linear
/// or do not come to rest within the record.
struct ChainSettling {
  double delay_s = 0;    ///< Of the half height.
  double settled_s = 0;  ///< Within 1% of the end for good.
  double before_s = 0;   ///< How much earlier than the step more than 1% of it is seen already.
  double overshoot = 0;  ///< Share of the step.
};
std::optional<ChainSettling> chain_settling(const std::string& chain, double rate_hz);

struct ChainTrial {
  std::string chain;
  ConditionResult result;
  std::optional<double> corner_hz;  ///< Last frequency from the pass band on with -3 dB.
  std::optional<double> ripple_db;  ///< Greatest less least gain within the pass band up to half the corner.
  std::optional<ChainSettling> settling;
  /// RMS of the noise between the lines of each channel.
  std::vector<double> noise;
};

/// `result` is what the chain made.
ChainTrial judge_chain(const std::string& chain, ConditionResult result);

std::string trials_text(const std::vector<ChainTrial>& trials);
Json trials_json(const std::vector<ChainTrial>& trials);
std::string trials_csv(const std::vector<ChainTrial>& trials);
/// Gains of all, and their spectra over the one before, of the first channels.
Figure trials_figure(const std::vector<ChainTrial>& trials, const AnalysisSettings& analysis);

}  // namespace vprism
