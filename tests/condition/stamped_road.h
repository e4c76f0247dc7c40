// stamped_road.h: a chain run over samples at any times.
#pragma once

#include <string>
#include <vector>

#include "condition/road_over.h"

namespace vprism {

/// Samples with a time of their own, handed out thirteen at a time.
class Stamped : public SampleSource {
 public:
  Stamped(Recording r, std::vector<double> t, std::vector<double> x)
      : r_(std::move(r)), t_(std::move(t)), x_(std::move(x)) {
    r_.samples = static_cast<std::int64_t>(t_.size());
    r_.axis.start = t_.front();
    r_.axis.interval = (t_.back() - t_.front()) / static_cast<double>(t_.size() - 1);
    r_.axis.stamped = true;
  }
  const Recording& recording() const override { return r_; }
  bool carries_stamps() const override { return true; }
  void rewind() override { at_ = 0; }
  std::size_t read(Block& block) override {
    const std::size_t count = std::min<std::size_t>(13, t_.size() - at_);
    for (std::size_t n = 0; n < count; ++n)
      block.room(0)[n] = x_[at_ + n], block.stamp_room()[n] = t_[at_ + n];
    block.set(static_cast<std::int64_t>(at_), count);
    at_ += count;
    return count;
  }

 private:
  Recording r_;
  std::vector<double> t_, x_;
  std::size_t at_ = 0;
};

inline Road stamped_road(const std::string& chain, const std::vector<double>& t,
                         const std::vector<double>& x) {
  Recording recording;
  recording.file = "memory";
  recording.channels = {{"ch1", Unit::parse("V"), "voltage"}};
  return Road(std::make_unique<Stamped>(recording, t, x), parse_chain(chain));
}

}  // namespace vprism
