// frame_order.h: whether numbered, stamped samples follow each other as a header says.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "signal/recording.h"

namespace vprism {

class FrameOrder {
 public:
  /// `interval_s`: what the header says, 0: nothing; `resolution_s`: last digit of a stamp.
  FrameOrder(double interval_s, double resolution_s) : interval_s_(interval_s), resolution_s_(resolution_s) {}
  /// The next sample; NaN for a stamp or a number that is not written.
  void add(double number, double stamp_s);
  /// Cautions on numbers that repeat or jump, and on stamps that disagree with the rate.
  void report_to(Recording& recording) const;

 private:
  double interval_s_, resolution_s_;
  std::int64_t samples_ = 0, repeated_ = 0, jumps_ = 0, first_repeat_ = 0, first_jump_ = 0;
  double last_number_ = 0, jump_from_ = 0, jump_to_ = 0;
  double first_stamp_ = 0, last_stamp_ = 0, worst_off_s_ = 0;
  std::int64_t stamps_ = 0, first_stamped_ = 0, last_stamped_ = 0;
};

}  // namespace vprism
