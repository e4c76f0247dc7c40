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
    const Axis axis = passing.axis;
    stamped_ = axis.stamped;
    ended_ = false;
    if (stamped_) return start_stamped(passing);
    // A hundredth of an interval of slack: the ends are written in decimals, the axis is computed.
    const auto index = [&](double t) {
      return static_cast<std::int64_t>(std::ceil((t - axis.start) / axis.interval - 0.01));
    };
    first_ = times_.low ? std::max<std::int64_t>(0, index(*times_.low)) : 0;
    end_ = times_.high ? std::min(passing.samples, index(*times_.high)) : passing.samples;
    if (first_ >= end_) throw_empty(passing);
    const std::int64_t recorded = passing.samples;
    passing.axis.start = axis.start + static_cast<double>(first_) * axis.interval;
    passing.samples = end_ - first_;
    report_ = {"gate",
               {{"from", format_quantity(passing.axis.start, "s", 9)},
                {"to", format_quantity(passing.axis.start + passing.duration_s(), "s", 9)}},
               {{"samples kept", std::to_string(passing.samples)}}};
    note_beyond(axis.start, axis.start + static_cast<double>(recorded) * axis.interval, axis.interval);
  }

  // Which samples of a stamped record lie within is only known once its stamps have been seen.
  bool surveys() const override { return stamped_; }
  bool survey_reshapes() const override { return stamped_; }
  void survey(const Block& block) override {
    for (const double t : block.stamps()) {
      if (!seen_) earliest_ = latest_ = t;
      earliest_ = std::min(earliest_, t), latest_ = std::max(latest_, t);
      seen_ = true;
      if (times_.low && t < *times_.low) {
        ++first_;
        ++end_;
      } else if (!times_.high || t <= *times_.high) {
        if (first_ == end_) from_ = t;
        to_ = t;
        ++end_;
      }
    }
    seen_ = true;
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
      if (block.stamped())
        std::copy(block.stamp_room().begin() + skip,
                  block.stamp_room().begin() + skip + static_cast<std::ptrdiff_t>(to - from),
                  block.stamp_room().begin());
    }
    block.set(from - first_, static_cast<std::size_t>(to - from));
    if (block.gaps()) block.set_gaps(misses_any(block));
    next(block);
  }

  bool wants_more() const override { return !ended_; }
  StageReport report() const override { return report_; }

 private:
  void start_stamped(Recording& passing) {
    if (!seen_) return;
    if (first_ >= end_) throw_empty(passing);
    passing.samples = end_ - first_;
    passing.axis.start = from_;
    if (passing.samples > 1) passing.axis.interval = (to_ - from_) / static_cast<double>(passing.samples - 1);
    report_ = {"gate",
               {{"from", format_quantity(from_, "s", 9)}, {"to", format_quantity(to_, "s", 9)}},
               {{"samples kept", std::to_string(passing.samples)}}};
    note_beyond(earliest_, latest_, 1.5 * passing.axis.interval);
  }

  /// A gate that reaches beyond the record by more than a sample is cut there, and that is said.
  void note_beyond(double from, double to, double slack) {
    const bool early = times_.low && *times_.low < from - slack,
               late = times_.high && *times_.high > to + slack;
    if (!early && !late) return;
    report_.cautions.push_back({"gate-beyond", Severity::warning, "",
                                std::string("the gate ") +
                                    (early ? "begins at " + format_quantity(*times_.low, "s", 6) : "") +
                                    (early && late ? " and " : "") +
                                    (late ? "ends at " + format_quantity(*times_.high, "s", 6) : "") +
                                    "; the record runs from " + format_quantity(from, "s", 6) + " to " +
                                    format_quantity(to, "s", 6) + ": what lies beyond is not there",
                                "choose the gate by the times of the record"});
  }

  [[noreturn]] static void throw_empty(const Recording& passing) {
    throw Error(Status::analysis, passing.file + ": the gate holds no sample; the recording runs from " +
                                      format_quantity(passing.axis.start, "s", 7) + " to " +
                                      format_quantity(passing.axis.start + passing.duration_s(), "s", 7));
  }

  static bool misses_any(const Block& block) {
    for (std::size_t c = 0; c < block.columns(); ++c)
      for (const double x : block.samples(c))
        if (std::isnan(x)) return true;
    return false;
  }

  Range times_;
  std::int64_t first_ = 0, end_ = 0;
  bool stamped_ = false, seen_ = false, ended_ = false;
  double from_ = 0, to_ = 0;          ///< Of a stamped record: first and last stamp within.
  double earliest_ = 0, latest_ = 0;  ///< And of all.
  StageReport report_;
};

}  // namespace

std::unique_ptr<Stage> make_gate_stage(Range times) { return std::make_unique<Gate>(times); }

}  // namespace vprism
