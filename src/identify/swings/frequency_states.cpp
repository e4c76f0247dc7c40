// frequency_states.cpp: see frequency_states.h.
#include "identify/swings/frequency_states.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/percentile.h"

namespace vprism {

namespace {

struct Stay {
  std::size_t first, end;
  double level = 0;
  std::size_t state = 0;
};

/// The level between two steps, the samples beside them left out where there are enough.
double level_of(const std::vector<double>& series, const Stay& stay) {
  const std::size_t size = stay.end - stay.first, edge = size > 12 ? 3 : 0;
  std::vector<double> inside(series.begin() + static_cast<std::ptrdiff_t>(stay.first + edge),
                             series.begin() + static_cast<std::ptrdiff_t>(stay.end - edge));
  return median_in(inside);
}

}  // namespace

std::vector<FrequencyState> frequency_states(std::vector<double>& series, double rate_hz,
                                             const std::vector<std::size_t>& places,
                                             std::size_t& transitions) {
  transitions = 0;
  if (places.size() < 3) return {};
  std::vector<Stay> stays;
  std::size_t from = 0;
  for (std::size_t i = 0; i <= places.size(); ++i) {
    const std::size_t end = i < places.size() ? places[i] : series.size();
    if (end > from) stays.push_back({from, end});
    from = end;
  }
  std::vector<double> sorted;
  for (Stay& stay : stays) stay.level = level_of(series, stay), sorted.push_back(stay.level);
  std::sort(sorted.begin(), sorted.end());
  // Apart where a gap is much wider than those within.
  const double range = sorted.back() - sorted.front();
  std::vector<double> cuts;
  for (std::size_t i = 1; i < sorted.size(); ++i)
    if (sorted[i] - sorted[i - 1] > 0.15 * range) cuts.push_back((sorted[i] + sorted[i - 1]) / 2);
  if (!(range > 0) || cuts.empty() || cuts.size() > 5) return {};
  std::vector<FrequencyState> states(cuts.size() + 1);
  std::vector<double> sums(states.size(), 0.0), squares(states.size(), 0.0), counts(states.size(), 0.0);
  for (Stay& stay : stays) {
    stay.state =
        static_cast<std::size_t>(std::upper_bound(cuts.begin(), cuts.end(), stay.level) - cuts.begin());
    const std::size_t edge = stay.end - stay.first > 12 ? 3 : 0;
    for (std::size_t n = stay.first + edge; n + edge < stay.end; ++n) {
      const double off = series[n] - stay.level;
      sums[stay.state] += series[n], squares[stay.state] += off * off, counts[stay.state] += 1;
    }
  }
  for (std::size_t i = 0; i < stays.size(); ++i) {
    FrequencyState& state = states[stays[i].state];
    const bool goes_on = i > 0 && stays[i - 1].state == stays[i].state;
    if (!goes_on) ++state.visits;
    if (i > 0 && !goes_on) ++transitions;
    state.dwell_s += static_cast<double>(stays[i].end - stays[i].first) / rate_hz;
  }
  const double whole = static_cast<double>(series.size()) / rate_hz;
  double scatter = 0;
  for (std::size_t s = 0; s < states.size(); ++s) {
    if (!(counts[s] > 0)) return {};
    states[s].frequency_hz = sums[s] / counts[s];
    states[s].frequency_std_hz = std::sqrt(squares[s]) / counts[s];
    states[s].share = states[s].dwell_s / whole;
    states[s].dwell_s /= static_cast<double>(std::max<std::size_t>(1, states[s].visits));
  }
  for (const Stay& stay : stays)
    scatter = std::max(scatter, std::abs(stay.level - states[stay.state].frequency_hz));
  // Levels that wander within a state are no states.
  if (scatter > 0.15 * range || transitions < 3) return {};
  const std::size_t main = static_cast<std::size_t>(
      std::max_element(states.begin(), states.end(),
                       [](const auto& a, const auto& b) { return a.share < b.share; }) -
      states.begin());
  const double level = states[main].frequency_hz;
  for (const Stay& stay : stays)
    for (std::size_t n = stay.first; n < stay.end; ++n) series[n] += level - states[stay.state].frequency_hz;
  std::sort(states.begin(), states.end(), [](const auto& a, const auto& b) { return a.share > b.share; });
  return states;
}

}  // namespace vprism
