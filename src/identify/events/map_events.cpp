// map_events.cpp: see map_events.h. Cells are taken from the highest down; each joins the summit of a
// neighbour that came before, or is a summit itself. Where two summits meet, the lower one is taken over if
// it rises less than `split_db` above the place where they meet.
#include "identify/events/map_events.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numeric>

#include "base/percentile.h"

namespace vprism {

namespace {

/// Where a parabola through three levels has its top, -0.5 .. 0.5 from the middle one.
double summit_offset(double before, double at, double after) {
  const double bend = before - 2 * at + after;
  return bend < 0 ? std::clamp((before - after) / (2 * bend), -0.5, 0.5) : 0;
}

class Summits {
 public:
  Summits(const LevelMap& map, const std::vector<RowNoise>& noise, double split_db)
      : map_(map), noise_(noise), split_(std::pow(10, split_db / 10)), label_(map.power.size(), none) {}

  std::vector<MapEvent> run() {
    for (const std::uint32_t cell : high_cells()) take(cell);
    return outlines();
  }

 private:
  static constexpr std::uint32_t none = 0xffffffffU;

  std::vector<std::uint32_t> high_cells() const {
    std::vector<std::uint32_t> cells;
    for (std::size_t r = 0; r < map_.rows(); ++r)
      for (std::size_t c = noise_[r].first; c < noise_[r].end; ++c)
        if (noise_[r].power > 0 && map_.at(r, c) > noise_[r].threshold)
          cells.push_back(static_cast<std::uint32_t>(r * map_.columns + c));
    std::sort(cells.begin(), cells.end(), [&](std::uint32_t a, std::uint32_t b) {
      return map_.power[a] != map_.power[b] ? map_.power[a] > map_.power[b] : a < b;
    });
    return cells;
  }

  std::uint32_t root(std::uint32_t label) {
    while (parent_[label] != label) label = parent_[label] = parent_[parent_[label]];
    return label;
  }

  void take(std::uint32_t cell) {
    const std::size_t r = cell / map_.columns, c = cell % map_.columns;
    std::uint32_t best = none, nearest = none;
    float nearest_level = 0;
    std::vector<std::uint32_t>& met = met_;
    met.clear();
    for (int dr = -1; dr <= 1; ++dr)
      for (int dc = -1; dc <= 1; ++dc) {
        const std::size_t nr = r + static_cast<std::size_t>(dr), nc = c + static_cast<std::size_t>(dc);
        if (nr >= map_.rows() || nc >= map_.columns || label_[nr * map_.columns + nc] == none) continue;
        const std::uint32_t label = root(label_[nr * map_.columns + nc]);
        met.push_back(label);
        if (best == none || peak_level(label) > peak_level(best)) best = label;
        if (map_.at(nr, nc) > nearest_level) nearest_level = map_.at(nr, nc), nearest = label;
      }
    if (best == none) {
      label_[cell] = static_cast<std::uint32_t>(parent_.size());
      parent_.push_back(label_[cell]);
      summit_.push_back(cell);
      return;
    }
    for (const std::uint32_t other : met)
      if (other != best && root(other) != best && peak_level(other) < split_ * map_.power[cell])
        parent_[other] = best;
    label_[cell] = root(nearest);
  }

  double peak_level(std::uint32_t label) const { return map_.power[summit_[label]]; }

  std::vector<MapEvent> outlines() {
    std::vector<MapEvent> events(parent_.size());
    std::vector<std::size_t> left(parent_.size(), map_.columns), right(parent_.size(), 0),
        low(parent_.size(), map_.rows()), high(parent_.size(), 0);
    for (std::size_t cell = 0; cell < label_.size(); ++cell) {
      if (label_[cell] == none) continue;
      const std::uint32_t l = root(label_[cell]);
      if (map_.power[cell] < peak_level(l) / 4) continue;
      const std::size_t r = cell / map_.columns, c = cell % map_.columns;
      ++events[l].cells;
      left[l] = std::min(left[l], c), right[l] = std::max(right[l], c);
      low[l] = std::min(low[l], r), high[l] = std::max(high[l], r);
    }
    std::vector<MapEvent> out;
    for (std::uint32_t l = 0; l < parent_.size(); ++l) {
      if (parent_[l] != l) continue;
      MapEvent e = events[l];
      const std::size_t r = summit_[l] / map_.columns, c = summit_[l] % map_.columns;
      if (2 * (right[l] - left[l] + 1) > noise_[r].end - noise_[r].first) continue;
      e.start_s = map_.start_s + static_cast<double>(left[l]) * map_.step_s;
      e.end_s = map_.start_s + static_cast<double>(right[l] + 1) * map_.step_s;
      e.low_hz = map_.frequency_hz[low[l]], e.high_hz = map_.frequency_hz[high[l]];
      e.power = peak_level(l), e.background = noise_[r].power, e.threshold = noise_[r].threshold;
      e.peak_s = map_.time_s(c);
      if (c > 0 && c + 1 < map_.columns)
        e.peak_s += map_.step_s * summit_offset(map_.at(r, c - 1), e.power, map_.at(r, c + 1));
      e.peak_hz = map_.frequency_hz[r];
      if (r > 0 && r + 1 < map_.rows()) {
        const double off = summit_offset(map_.at(r - 1, c), e.power, map_.at(r + 1, c));
        e.peak_hz += off * (map_.frequency_hz[r + 1] - map_.frequency_hz[r - 1]) / 2;
      }
      cross(e, r, c);
      out.push_back(e);
    }
    return out;
  }

  /// Where the summit's row and column fall to half its amplitude.
  void cross(MapEvent& e, std::size_t row, std::size_t column) const {
    const double half = std::sqrt(e.power) / 2;
    // Cells from the summit to the crossing, a fraction among them; `level`(i) is the amplitude i cells away.
    const auto cells = [&](std::size_t most, const auto& level) {
      for (std::size_t i = 1; i <= most; ++i) {
        const double now = level(i), before = level(i - 1);
        if (std::isnan(now)) return static_cast<double>(i - 1);
        if (now < half) return static_cast<double>(i) - (half - now) / std::max(before - now, 1e-300);
      }
      return static_cast<double>(most);
    };
    const auto amplitude = [&](std::size_t r, std::size_t c) {
      return std::sqrt(static_cast<double>(map_.at(r, c)));
    };
    e.row_start_s = map_.time_s(column) -
                    map_.step_s * cells(column, [&](std::size_t i) { return amplitude(row, column - i); });
    e.row_end_s = map_.time_s(column) + map_.step_s * cells(map_.columns - 1 - column, [&](std::size_t i) {
                                          return amplitude(row, column + i);
                                        });
    const auto hz = [&](double at) {
      const auto below =
          static_cast<std::size_t>(std::clamp(std::floor(at), 0.0, static_cast<double>(map_.rows() - 1)));
      const std::size_t above = std::min(below + 1, map_.rows() - 1);
      return map_.frequency_hz[below] +
             (at - static_cast<double>(below)) * (map_.frequency_hz[above] - map_.frequency_hz[below]);
    };
    e.column_low_hz =
        hz(static_cast<double>(row) - cells(row, [&](std::size_t i) { return amplitude(row - i, column); }));
    e.column_high_hz = hz(static_cast<double>(row) + cells(map_.rows() - 1 - row, [&](std::size_t i) {
                            return amplitude(row + i, column);
                          }));
  }

  const LevelMap& map_;
  const std::vector<RowNoise>& noise_;
  double split_;
  std::vector<std::uint32_t> label_, parent_, summit_, met_;
};

}  // namespace

std::vector<RowNoise> row_noise(const LevelMap& map, const std::vector<double>& independent,
                                const std::vector<std::pair<std::size_t, std::size_t>>& trusted,
                                std::size_t smooth_rows, double false_alarms) {
  std::vector<RowNoise> out(map.rows());
  double looks = 0;
  for (std::size_t r = 0; r < map.rows(); ++r) {
    out[r].first = trusted[r].first, out[r].end = std::max(trusted[r].first, trusted[r].second);
    std::vector<double> levels;
    for (std::size_t c = out[r].first; c < out[r].end; ++c)
      if (!std::isnan(map.at(r, c))) levels.push_back(map.at(r, c));
    if (levels.size() < 8) continue;
    // The median of the greatest of g looks at exponential squares.
    const double g = std::max(1.0, independent[r]);
    const double usual = -std::log(-std::expm1(-std::log(2.0) / g));
    out[r].power = median_in(levels) / usual;
    looks += g * static_cast<double>(levels.size());
  }
  std::vector<double> raw(map.rows()), near;
  for (std::size_t r = 0; r < map.rows(); ++r) raw[r] = out[r].power;
  for (std::size_t r = 0; r < map.rows(); ++r) {
    if (raw[r] <= 0) continue;
    near.clear();
    for (std::size_t k = r > smooth_rows ? r - smooth_rows : 0; k < std::min(map.rows(), r + smooth_rows + 1);
         ++k)
      if (raw[k] > 0) near.push_back(raw[k]);
    // A steady line's own row: an event there must stand out of the line.
    out[r].power = std::max(raw[r], median_in(near));
    out[r].threshold = out[r].power * std::log(std::max(2.0, looks) / false_alarms);
  }
  return out;
}

std::vector<MapEvent> without_wanderers(const LevelMap& map, std::vector<MapEvent> events) {
  std::vector<bool> busy(map.columns, false);
  for (const MapEvent& e : events)
    for (std::size_t c = map.column_at(e.start_s); c <= map.column_at(e.end_s - map.step_s / 2); ++c)
      busy[c] = true;
  const auto taken = static_cast<std::size_t>(std::count(busy.begin(), busy.end(), true));
  if (3 * taken > map.columns) events.clear();
  return events;
}

std::vector<MapEvent> find_map_events(const LevelMap& map, const std::vector<RowNoise>& noise,
                                      double split_db, std::size_t most) {
  std::vector<MapEvent> events = Summits(map, noise, split_db).run();
  std::stable_sort(events.begin(), events.end(),
                   [](const MapEvent& a, const MapEvent& b) { return a.over_noise() > b.over_noise(); });
  if (events.size() > most) events.resize(most);
  return events;
}

}  // namespace vprism
