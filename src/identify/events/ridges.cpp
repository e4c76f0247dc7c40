// ridges.cpp: see ridges.h.
#include "identify/events/ridges.h"

#include <algorithm>
#include <cmath>

namespace vprism {

namespace {

struct RidgeTop {
  double row = 0;
  Ridge::Point point;
  bool taken = false;
};

struct Track {
  Ridge ridge;
  double row = 0, slope = 0;  ///< Rows and rows per column.
  std::size_t last = 0;       ///< Column.
};

/// The column's local maxima that stand out of their surroundings.
std::vector<RidgeTop> tops_of(const LevelMap& map, std::size_t column, double above_db,
                              const SummitTable& summit) {
  constexpr std::size_t around = 16;
  std::vector<RidgeTop> tops;
  const auto factor = static_cast<float>(std::pow(10, above_db / 10));
  for (std::size_t r = 1; r + 1 < map.rows(); ++r) {
    const float at = map.at(r, column), below = map.at(r - 1, column), above = map.at(r + 1, column);
    if (!(at > 0) || !(at >= below) || !(at > above)) continue;
    // Whether it stands so far over the median: more than half around lie that far below.
    const std::size_t from = r > around ? r - around : 0, to = std::min(map.rows(), r + around + 1);
    const float limit = at / factor;
    std::size_t below_limit = 0;
    for (std::size_t k = from; k < to; ++k) below_limit += map.at(k, column) <= limit ? 1U : 0U;
    if (2 * below_limit <= to - from) continue;
    const auto db = [](float power) { return std::log(std::max(static_cast<double>(power), 1e-37)); };
    const double bend = db(below) - 2 * db(at) + db(above);
    double off = bend < 0 ? std::clamp((db(below) - db(above)) / (2 * bend), -0.5, 0.5) : 0;
    double power = std::exp(db(at) - (db(below) - db(above)) * off / 4);
    summit.correct(off, power);
    RidgeTop top;
    top.row = static_cast<double>(r) + off;
    const double step = off < 0 ? map.frequency_hz[r] - map.frequency_hz[r - 1]
                                : map.frequency_hz[r + 1] - map.frequency_hz[r];
    top.point = {map.time_s(column), map.frequency_hz[r] + off * step, power};
    tops.push_back(top);
  }
  std::stable_sort(tops.begin(), tops.end(),
                   [](const RidgeTop& a, const RidgeTop& b) { return a.point.power > b.point.power; });
  if (tops.size() > 60) tops.resize(60);
  return tops;
}

double energy(const Ridge& ridge) { return ridge.mean_power() * static_cast<double>(ridge.points.size()); }

}  // namespace

SummitTable::SummitTable(const Window& window) {
  const WindowTransform transform(window, 1024);
  const auto level = [&](double bins) { return 2 * std::log(std::max(std::abs(transform(bins)), 1e-18)); };
  constexpr int steps = 25;
  for (int i = 0; i <= steps; ++i) {
    const double off = 0.5 * i / steps;
    const double below = level(1 + off), at = level(off), above = level(1 - off);
    const double bend = below - 2 * at + above;
    if (!(bend < 0)) {
      seen_.clear(), is_.clear(), factor_.clear();
      return;
    }
    const double seen = (below - above) / (2 * bend);
    if (!seen_.empty() && !(seen > seen_.back())) break;
    seen_.push_back(seen), is_.push_back(off);
    factor_.push_back(std::exp(-(at - (below - above) * seen / 4)));
  }
}

void SummitTable::correct(double& off, double& power) const {
  if (seen_.size() < 2) return;
  const double size = std::min(std::abs(off), seen_.back());
  const auto after = std::upper_bound(seen_.begin() + 1, seen_.end() - 1, size);
  const auto i = static_cast<std::size_t>(after - seen_.begin()) - 1;
  const double share = (size - seen_[i]) / (seen_[i + 1] - seen_[i]);
  off = std::copysign(is_[i] + share * (is_[i + 1] - is_[i]), off);
  power *= factor_[i] + share * (factor_[i + 1] - factor_[i]);
}

double Ridge::mean_power() const {
  double sum = 0;
  for (const Point& p : points) sum += p.power;
  return sum / static_cast<double>(points.size());
}
double Ridge::low_hz() const {
  return std::min_element(points.begin(), points.end(),
                          [](const Point& a, const Point& b) { return a.hz < b.hz; })
      ->hz;
}
double Ridge::high_hz() const {
  return std::max_element(points.begin(), points.end(),
                          [](const Point& a, const Point& b) { return a.hz < b.hz; })
      ->hz;
}
double Ridge::slope() const {
  double t = 0, f = 0, tt = 0, tf = 0;
  for (const Point& p : points) t += p.time_s, f += p.hz;
  t /= static_cast<double>(points.size()), f /= static_cast<double>(points.size());
  for (const Point& p : points) tt += (p.time_s - t) * (p.time_s - t), tf += (p.time_s - t) * (p.hz - f);
  return tt > 0 ? tf / tt : 0;
}

std::vector<Ridge> find_ridges(const LevelMap& map, const RidgeSearch& search) {
  std::vector<Track> open;
  std::vector<Ridge> done;
  const auto close = [&](Track& track) {
    if (track.ridge.points.size() >= search.least_columns) done.push_back(std::move(track.ridge));
  };
  for (std::size_t c = 0; c < map.columns; ++c) {
    std::vector<RidgeTop> tops = tops_of(map, c, search.above_db, search.summit);
    // The strongest tracks choose first.
    std::stable_sort(open.begin(), open.end(),
                     [](const Track& a, const Track& b) { return energy(a.ridge) > energy(b.ridge); });
    for (Track& track : open) {
      const auto steps = static_cast<double>(c - track.last);
      const double expected = track.row + track.slope * steps;
      RidgeTop* best = nullptr;
      for (RidgeTop& top : tops)
        if (!top.taken && std::abs(top.row - expected) <= search.most_step_rows * steps &&
            (best == nullptr || std::abs(top.row - expected) < std::abs(best->row - expected)))
          best = &top;
      if (best == nullptr) continue;
      best->taken = true;
      track.slope += 0.3 * ((best->row - track.row) / steps - track.slope);
      track.row = best->row, track.last = c;
      track.ridge.points.push_back(best->point);
    }
    std::erase_if(open, [&](Track& track) {
      if (c - track.last <= search.most_gap) return false;
      close(track);
      return true;
    });
    for (RidgeTop& top : tops)
      if (!top.taken) open.push_back({{{top.point}}, top.row, 0, c});
  }
  for (Track& track : open) close(track);
  std::stable_sort(done.begin(), done.end(),
                   [](const Ridge& a, const Ridge& b) { return energy(a) > energy(b); });
  if (done.size() > search.most) done.resize(search.most);
  return done;
}

}  // namespace vprism
