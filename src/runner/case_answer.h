// case_answer.h: what the documents of a case's steps say together: who did it, by how much, what fails, what
// is not explained.
#pragma once

#include <string>
#include <vector>

#include "identify/findings/finding.h"
#include "render/document.h"

namespace vprism {

/// One suspect's part in one channel.
struct Culprit {
  std::string suspect, recording, channel, unit;
  double level_rms = 0;          ///< Of all findings that are laid to it.
  double share = 0;              ///< Of the channel's mean square.
  std::vector<double> lines_hz;  ///< Of the findings, the strongest first.
};

/// A line of a suspect within two half-widths of a resonance.
struct NearResonance {
  std::string suspect, channel, where;  ///< Where: the recording the resonance was found in.
  double line_hz = 0, resonance_hz = 0, damping = 0;
  double half_widths = 0;  ///< How far apart.
};

struct CaseLimit {
  std::string recording, channel, limit;
  std::string verdict;  ///< "pass", "fail", "not judged in full".
  double frequency_hz = 0, margin_db = 0;
  std::string suspect;  ///< Of the line there, if one is known.
};

struct LineUpRow {
  std::string suspect;
  std::vector<std::string> verdicts;  ///< For each of the answer's `recordings`; "" where it was not judged.
};

struct CaseAnswer {
  std::vector<std::string> sentences;
  std::string verdict;            ///< "pass", "fail", "not judged in full" or "" where there are no limits.
  std::vector<Culprit> culprits;  ///< In the channels of concern: channel by channel, the greatest first.
  std::vector<NearResonance> near;
  std::vector<CaseLimit> limits;
  std::vector<Finding> findings;     ///< Channels of concern first, then by share of their channel's power.
  std::vector<double> shares;        ///< Of each finding; NaN where the channel's level is not known.
  std::vector<Finding> unexplained;  ///< In the channels of concern.
  std::vector<std::string> recordings;
  std::vector<LineUpRow> line_up;
  Json json() const;
};

/// `documents`: those of the steps, in order; null ones are passed over. `concern`: patterns of channels;
/// none: all channels.
CaseAnswer answer_case(const std::vector<Json>& documents, const std::vector<std::string>& concern);

}  // namespace vprism
