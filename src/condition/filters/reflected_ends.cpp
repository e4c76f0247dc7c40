// reflected_ends.cpp: see reflected_ends.h.
#include "condition/filters/reflected_ends.h"

#include <algorithm>

namespace vprism {

void ReflectedEnds::begin(std::vector<double>& out) {
  begun_ = true;
  if (held_.empty()) return;
  const double first = held_.front();
  for (std::size_t k = reach_; k > 0; --k) out.push_back(2 * first - held_[std::min(k, held_.size() - 1)]);
  out.insert(out.end(), held_.begin(), held_.end());
}

void ReflectedEnds::add(std::span<const double> in, std::vector<double>& out) {
  if (!begun_) {
    held_.insert(held_.end(), in.begin(), in.end());
    if (held_.size() > reach_) begin(out);
    return;
  }
  out.insert(out.end(), in.begin(), in.end());
  // The last samples are kept for the end.
  if (in.size() > reach_) {
    held_.assign(in.end() - static_cast<std::ptrdiff_t>(reach_ + 1), in.end());
  } else {
    held_.insert(held_.end(), in.begin(), in.end());
    if (held_.size() > 2 * reach_ + 4096)
      held_.erase(held_.begin(), held_.end() - static_cast<std::ptrdiff_t>(reach_ + 1));
  }
}

void ReflectedEnds::finish(std::vector<double>& out) {
  if (!begun_) begin(out);
  if (held_.empty()) return;
  const std::size_t last = held_.size() - 1;
  for (std::size_t k = 1; k <= reach_; ++k) out.push_back(2 * held_[last] - held_[last - std::min(k, last)]);
}

}  // namespace vprism
