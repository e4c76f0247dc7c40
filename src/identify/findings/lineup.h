// lineup.h: suspects, the frequencies that each would make, and which of them the lines found speak for.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/units/quantity.h"

namespace vprism {

/// One frequency that a suspect makes: a sum of multiples of base frequencies, and a constant.
struct ExpectedLine {
  struct Term {
    std::string suspect;  ///< "" for the suspect's own base.
    double factor = 1;
  };
  std::string what;  ///< "order 7", "sideband +1", "2 * cooler - fan".
  std::vector<Term> terms;
  double constant_hz = 0;
  double weight = 1;  ///< How much its presence says; main lines 1, higher orders less.
};

struct Suspect {
  std::string name;
  /// Where the base frequency (rotation, fundamental) may lie; none when all lines are formulas of others.
  std::optional<Range> base_hz;
  std::vector<ExpectedLine> lines;
  /// A structure that answers to whatever drives it: a hump within here, no line.
  std::optional<Range> resonance_hz;
  std::string near;  ///< Channel beside it.
  std::string note;  ///< How the base is known, for the evidence.
};

using LineUp = std::vector<Suspect>;

/// "2 * cooler - fan + 0.5 Hz"; `known` are the names that may stand in it. Throws Error(usage).
ExpectedLine parse_line_formula(std::string_view text, const std::vector<std::string>& known);

/// Orders of a rolling bearing on its shaft (outer race at rest): cage, outer race, inner race, ball.
struct BearingOrders {
  double cage = 0, outer = 0, inner = 0, ball = 0;
};
BearingOrders bearing_orders(double balls, double ball_diameter, double pitch_diameter, double angle_deg);

/// A line that was found, in any channel.
struct Observed {
  std::size_t channel = 0, peak = 0;
  double hz = 0, hz_std = 0;
  double rms = 0;
};

/// A line of a suspect that was looked for.
struct LineMatch {
  std::size_t line = 0;  ///< Of the suspect's.
  double expected_hz = 0;
  std::vector<std::size_t> observed;  ///< Indices, one a channel at most; empty: missing.
};

struct SuspectMatch {
  std::size_t suspect = 0;
  std::optional<double> base_hz, base_std_hz;
  std::vector<LineMatch> lines;
  /// 0 to 1: weight of the lines found over that of all that could be seen, times closeness, less what chance
  /// would make. A suspect with no line found has 0.
  double score = 0;
  double chance = 0;  ///< Probability that as many lines fall so close by accident.
  std::size_t found() const;
};

struct LineUpSettings {
  /// Least width that frequencies agree within, relative: clocks of recorders differ.
  double clock = 2e-5;
  double top_hz = 1e300;  ///< Half the rate: lines beyond can't be seen.
};

/// Matches every suspect with the lines, each with one base frequency for all of its orders; formulas of
/// others use the bases found (or the middle of their ranges). In the order of the line-up.
std::vector<SuspectMatch> match_suspects(const LineUp& lineup, const std::vector<Observed>& lines,
                                         const LineUpSettings& settings = {});

}  // namespace vprism
