// part_sums.cpp: see part_sums.h.
#include "transform/spectra/part_sums.h"

#include <algorithm>
#include <utility>

namespace vprism {

void PartSums::begin(std::size_t slots, Join join) {
  join_ = join;
  now_.assign(slots, {});
}

void PartSums::part_at(std::vector<std::int64_t> first_segments) {
  first_segments_ = std::move(first_segments);
  joined_.resize(now_.size());
  waiting_.resize(now_.size());
  part_.assign(now_.size(), 0);
}

void PartSums::put_to(const std::vector<double>& part, std::vector<double>& all) const {
  if (part.empty()) return;
  if (all.empty())
    all = part;
  else
    join_(part, all);
}

void PartSums::settle(std::size_t slot) {
  std::vector<double>& part = now_[slot];
  if (part.empty()) return;
  if (from_start_)
    put_to(part, joined_[slot]);
  else
    waiting_[slot].push_back(part);
  part.clear();  // Its room is for the next one.
}

std::vector<double>& PartSums::at(std::size_t slot, std::int64_t segment) {
  if (!first_segments_.empty()) {
    const auto after = std::upper_bound(first_segments_.begin(), first_segments_.end(), segment);
    const auto part = static_cast<std::size_t>(after - first_segments_.begin());
    if (part != part_[slot]) settle(slot), part_[slot] = part;
  }
  return now_[slot];
}

void PartSums::pass_on(Baton& before, Baton& after) {
  for (std::size_t slot = 0; slot < now_.size(); ++slot) {
    settle(slot);
    std::vector<double> all = before.empty() ? std::vector<double>() : before.numbers();
    put_to(joined_[slot], all);
    for (const std::vector<double>& part : waiting_[slot]) put_to(part, all);
    after.put(all);
    std::vector<std::vector<double>>().swap(waiting_[slot]);
    std::vector<double>().swap(joined_[slot]);
  }
}

void PartSums::take(Baton& all) {
  for (std::vector<double>& slot : joined_) slot = all.numbers();
  from_start_ = true;
}

std::vector<std::vector<double>> PartSums::result() {
  if (first_segments_.empty()) return std::move(now_);
  for (std::size_t slot = 0; slot < now_.size(); ++slot) settle(slot);
  return std::move(joined_);
}

}  // namespace vprism
