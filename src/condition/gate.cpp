// gate.cpp: keeps the samples whose time t has T1 <= t < T2, so that gates which touch share no sample.
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"

namespace vprism {

namespace {

class Gate : public Stage {
 public:
  explicit Gate(Range times) : times_(times) {}

  void start(Recording& passing) override {
    const Axis& axis = passing.axis;
    // A hundredth of an interval of slack: the ends are written in decimals, the axis is computed.
    const auto index = [&](double t) {
      return static_cast<std::int64_t>(std::ceil((t - axis.start) / axis.interval - 0.01));
    };
    first_ = times_.low ? std::max<std::int64_t>(0, index(*times_.low)) : 0;
    end_ = times_.high ? std::min(passing.samples, index(*times_.high)) : passing.samples;
    if (first_ >= end_)
      throw Error(Status::analysis, passing.file + ": the gate holds no sample; the recording runs from " +
                                        format_quantity(axis.start, "s", 7) + " to " +
                                        format_quantity(axis.start + passing.duration_s(), "s", 7));
    passing.axis.start = axis.start + static_cast<double>(first_) * axis.interval;
    passing.samples = end_ - first_;
    report_ = {"gate",
               {{"from", format_quantity(passing.axis.start, "s", 9)},
                {"to", format_quantity(passing.axis.start + passing.duration_s(), "s", 9)}},
               {{"samples kept", std::to_string(passing.samples)}}};
    ended_ = false;
  }

  void push(Block& block, const Sink& next) override {
    const std::int64_t from = std::max(first_, block.first());
    const std::int64_t to = std::min(end_, block.first() + static_cast<std::int64_t>(block.size()));
    if (block.first() + static_cast<std::int64_t>(block.size()) >= end_) ended_ = true;
    if (from >= to) return;
    const auto skip = static_cast<std::ptrdiff_t>(from - block.first());
    if (skip > 0) {
      for (std::size_t c = 0; c < block.columns(); ++c) {
        const auto room = block.room(c);
        std::copy(room.begin() + skip, room.begin() + skip + static_cast<std::ptrdiff_t>(to - from),
                  room.begin());
      }
    }
    block.set(from - first_, static_cast<std::size_t>(to - from));
    next(block);
  }

  bool wants_more() const override { return !ended_; }
  StageReport report() const override { return report_; }

 private:
  Range times_;
  std::int64_t first_ = 0, end_ = 0;
  bool ended_ = false;
  StageReport report_;
};

}  // namespace

std::unique_ptr<Stage> make_gate_stage(Range times) { return std::make_unique<Gate>(times); }

}  // namespace vprism
