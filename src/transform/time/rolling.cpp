// rolling.cpp: see rolling.h.
#include "transform/time/rolling.h"

#include <algorithm>
#include <cmath>

namespace vprism {

RollingSamples::RollingSamples(std::size_t columns, std::size_t samples)
    : capacity_(std::max<std::size_t>(1, samples)), data_(columns, std::vector<double>(capacity_)) {}

void RollingSamples::add(const Block& block) {
  // What would be overwritten at once is passed over.
  const std::size_t skip = block.size() > capacity_ ? block.size() - capacity_ : 0;
  const std::size_t begin = (at_ + skip) % capacity_;
  for (std::size_t c = 0; c < data_.size(); ++c) {
    const std::span<const double> x = block.samples(c);
    std::size_t to = begin;
    for (std::size_t n = skip; n < x.size(); ++n) {
      data_[c][to] = x[n];
      to = to + 1 == capacity_ ? 0 : to + 1;
    }
  }
  at_ = (at_ + block.size()) % capacity_;
  held_ = std::min(capacity_, held_ + block.size());
  came_ += static_cast<std::int64_t>(block.size());
}

Block RollingSamples::block() const {
  Block out(data_.size(), held_);
  const std::size_t begin = (at_ + capacity_ - held_) % capacity_, head = std::min(held_, capacity_ - begin);
  bool gaps = false;
  for (std::size_t c = 0; c < data_.size(); ++c) {
    const std::span<double> to = out.room(c);
    std::copy_n(data_[c].begin() + static_cast<std::ptrdiff_t>(begin), head, to.begin());
    std::copy_n(data_[c].begin(), held_ - head, to.begin() + static_cast<std::ptrdiff_t>(head));
    gaps = gaps || std::any_of(to.begin(), to.end(), [](double v) { return std::isnan(v); });
  }
  out.set(first(), held_);
  out.set_gaps(gaps);
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
