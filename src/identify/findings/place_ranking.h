// place_ranking.h: the same quantity at several places: where each line is strongest, and how it falls away.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "identify/lines/line_pairs.h"

namespace vprism {

/// A line at one place.
struct PlacedLevel {
  std::size_t place = 0;
  double rms = 0, rms_std = 0;
  double below_db = 0;  ///< Under the strongest: 0 or more.
};

struct PlaceRanking {
  double hz = 0, hz_std = 0;         ///< Of the strongest place.
  std::vector<PlacedLevel> levels;   ///< Strongest first; only places that show the line.
  std::vector<std::size_t> without;  ///< Places that do not show it.
  /// Fall of the level with the distance from the strongest place, where places are given and three show the
  /// line.
  std::optional<double> fall_db_per_m;
  enum class Verdict {
    local,     ///< Strongest inside, weaker on both sides; or far stronger at one place than anywhere else.
    boundary,  ///< Strongest at an end, falling from there on: it enters there or lies beyond.
    alike,     ///< Within 3 dB everywhere: the whole moves, or the source is far.
    mixed      ///< None of these.
  } verdict = Verdict::mixed;
};

/// Lines of all places that are one (as pair_lines joins them, by `settings`), by falling level of the
/// strongest. `metres`: positions along a line, one for each place; empty: not known.
std::vector<PlaceRanking> rank_places(const std::vector<std::vector<ComparedLine>>& lines,
                                      const std::vector<double>& metres, const PairSettings& settings = {});

/// In words, with the names of the places.
std::string verdict_text(const PlaceRanking& ranking, const std::vector<std::string>& names);

}  // namespace vprism
