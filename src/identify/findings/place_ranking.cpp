// place_ranking.cpp: see place_ranking.h.
#include "identify/findings/place_ranking.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace vprism {

namespace {

constexpr double alike_db = 3, alone_db = 10;

PlaceRanking::Verdict judge(const PlaceRanking& ranking, const std::vector<double>& metres) {
  using Verdict = PlaceRanking::Verdict;
  const std::vector<PlacedLevel>& levels = ranking.levels;
  if (ranking.without.empty() && levels.back().below_db < alike_db) return Verdict::alike;
  const bool alone = levels.size() == 1 || levels[1].below_db > alone_db;
  if (metres.empty()) return alone ? Verdict::local : Verdict::mixed;
  // In order along the line; places that do not show it are below all that do.
  struct Step {
    double at, below;
  };
  std::vector<Step> steps;
  for (const PlacedLevel& l : levels) steps.push_back({metres[l.place], l.below_db});
  for (const std::size_t p : ranking.without) steps.push_back({metres[p], levels.back().below_db + alone_db});
  std::sort(steps.begin(), steps.end(), [](const Step& a, const Step& b) { return a.at < b.at; });
  const auto top = static_cast<std::size_t>(
      std::min_element(steps.begin(), steps.end(),
                       [](const Step& a, const Step& b) { return a.below < b.below; }) -
      steps.begin());
  // It falls away from the strongest, with what 1 dB of scatter allows.
  bool falls = true;
  for (std::size_t i = top; i + 1 < steps.size(); ++i)
    falls = falls && steps[i + 1].below > steps[i].below - 1;
  for (std::size_t i = top; i > 0; --i) falls = falls && steps[i - 1].below > steps[i].below - 1;
  if (!falls) return alone ? Verdict::local : Verdict::mixed;
  return top == 0 || top + 1 == steps.size() ? Verdict::boundary : Verdict::local;
}

}  // namespace

std::vector<PlaceRanking> rank_places(const std::vector<std::vector<ComparedLine>>& lines,
                                      const std::vector<double>& metres, const PairSettings& settings) {
  std::vector<std::vector<bool>> taken;
  struct Start {
    std::size_t place, line;
  };
  std::vector<Start> starts;
  for (std::size_t p = 0; p < lines.size(); ++p) {
    taken.emplace_back(lines[p].size(), false);
    for (std::size_t i = 0; i < lines[p].size(); ++i) starts.push_back({p, i});
  }
  std::sort(starts.begin(), starts.end(), [&](const Start& a, const Start& b) {
    const double x = lines[a.place][a.line].rms, y = lines[b.place][b.line].rms;
    return x != y ? x > y : a.place != b.place ? a.place < b.place : a.line < b.line;
  });
  std::vector<PlaceRanking> out;
  for (const Start& start : starts) {
    if (taken[start.place][start.line]) continue;
    const ComparedLine& strongest = lines[start.place][start.line];
    PlaceRanking ranking;
    ranking.hz = strongest.hz, ranking.hz_std = strongest.hz_std;
    for (std::size_t p = 0; p < lines.size(); ++p) {
      std::vector<ComparedLine> free;
      std::vector<std::size_t> which;
      for (std::size_t i = 0; i < lines[p].size(); ++i)
        if (!taken[p][i] && (p != start.place || i == start.line))
          free.push_back(lines[p][i]), which.push_back(i);
      bool found = false;
      for (const LinePair& pair : pair_lines({strongest}, free, settings)) {
        if (!pair.a || !pair.b) continue;
        taken[p][which[*pair.b]] = true;
        ranking.levels.push_back({p, free[*pair.b].rms, free[*pair.b].rms_std, 0});
        found = true;
      }
      if (!found) ranking.without.push_back(p);
    }
    std::stable_sort(ranking.levels.begin(), ranking.levels.end(),
                     [](const PlacedLevel& a, const PlacedLevel& b) { return a.rms > b.rms; });
    for (PlacedLevel& l : ranking.levels) l.below_db = 20 * std::log10(ranking.levels.front().rms / l.rms);
    if (!metres.empty() && ranking.levels.size() >= 3) {
      // Least squares through the strongest place.
      double xx = 0, xy = 0;
      for (const PlacedLevel& l : ranking.levels) {
        const double away = std::abs(metres[l.place] - metres[ranking.levels.front().place]);
        xx += away * away, xy += away * l.below_db;
      }
      if (xx > 0) ranking.fall_db_per_m = xy / xx;
    }
    ranking.verdict = judge(ranking, metres);
    out.push_back(std::move(ranking));
  }
  return out;
}

std::string verdict_text(const PlaceRanking& ranking, const std::vector<std::string>& names) {
  const std::string& top = names[ranking.levels.front().place];
  std::string out;
  switch (ranking.verdict) {
    case PlaceRanking::Verdict::local:
      out = "a source at or near " + top;
      break;
    case PlaceRanking::Verdict::boundary:
      out = "enters at " + top + ", or lies beyond it";
      break;
    case PlaceRanking::Verdict::alike:
      out = "alike everywhere: the whole moves, or the source is far";
      break;
    default:
      out = "strongest at " + top + ", no simple fall from there";
  }
  if (ranking.fall_db_per_m) out += "; falls by " + format_number(*ranking.fall_db_per_m, 3) + " dB a metre";
  return out;
}

}  // namespace vprism
