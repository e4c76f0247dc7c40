// rolling.cpp: see rolling.h.
#include "transform/rolling.h"

#include <algorithm>

namespace vprism {

RollingSamples::RollingSamples(std::size_t columns, std::size_t samples)
    : capacity_(std::max<std::size_t>(1, samples)), data_(columns, std::vector<double>(2 * capacity_)) {}

void RollingSamples::add(const Block& block) {
  // What would be overwritten at once is passed over.
  const std::size_t skip = block.size() > capacity_ ? block.size() - capacity_ : 0;
  const std::size_t begin = (at_ + skip) % capacity_;
  for (std::size_t c = 0; c < data_.size(); ++c) {
    const std::span<const double> x = block.samples(c);
    std::size_t to = begin;
    for (std::size_t n = skip; n < x.size(); ++n) {
      data_[c][to] = data_[c][to + capacity_] = x[n];
      to = to + 1 == capacity_ ? 0 : to + 1;
    }
  }
  at_ = (at_ + block.size()) % capacity_;
  held_ = std::min(capacity_, held_ + block.size());
  came_ += static_cast<std::int64_t>(block.size());
}

std::vector<std::span<const double>> RollingSamples::columns() const {
  std::vector<std::span<const double>> out;
  const std::size_t end = at_ + capacity_;
  for (const auto& column : data_) out.emplace_back(column.data() + end - held_, held_);
  return out;
}

void RollingMap::add(double time_s, std::vector<float> power) {
  list_.push_back({time_s, std::move(power)});
  if (list_.size() > most_) list_.pop_front();
}

LevelMap RollingMap::map(const std::vector<double>& frequency_hz) const {
  LevelMap map;
  map.resize(frequency_hz.size(), list_.size());
  map.frequency_hz = frequency_hz;
  if (list_.size() > 1)
    map.step_s = (list_.back().time_s - list_.front().time_s) / static_cast<double>(list_.size() - 1);
  if (!list_.empty()) map.start_s = list_.front().time_s - map.step_s / 2;
  for (std::size_t c = 0; c < list_.size(); ++c)
    for (std::size_t r = 0; r < std::min(map.rows(), list_[c].power.size()); ++r)
      map.at(r, c) = list_[c].power[r];
  return map;
}

}  // namespace vprism
