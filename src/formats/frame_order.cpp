// frame_order.cpp: see frame_order.h.
#include "formats/frame_order.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace vprism {

void FrameOrder::add(double number, double stamp_s) {
  if (samples_ > 0 && !std::isnan(number) && !std::isnan(last_number_)) {
    const double step = number - last_number_;
    if (step == 0 && repeated_++ == 0) first_repeat_ = samples_ + 1;
    if (step != 0 && step != 1 && jumps_++ == 0)
      first_jump_ = samples_ + 1, jump_from_ = last_number_, jump_to_ = number;
  }
  last_number_ = number;
  if (!std::isnan(stamp_s)) {
    if (stamps_++ == 0) first_stamp_ = stamp_s, first_stamped_ = samples_;
    last_stamp_ = stamp_s, last_stamped_ = samples_;
    if (interval_s_ > 0)
      worst_off_s_ = std::max(
          worst_off_s_,
          std::abs(stamp_s - first_stamp_ - interval_s_ * static_cast<double>(samples_ - first_stamped_)));
  }
  ++samples_;
}

void FrameOrder::report_to(Recording& recording) const {
  if (repeated_ > 0)
    recording.cautions.push_back({"numbers-repeat", Severity::warning, "",
                                  std::to_string(repeated_) +
                                      (repeated_ == 1 ? " sample repeats" : " samples repeat") +
                                      " the number of the one before, the first is sample " +
                                      std::to_string(first_repeat_) + "; all are read",
                                  "export it again, or gate to a stretch that is in order"});
  if (jumps_ > 0)
    recording.cautions.push_back(
        {"numbers-jump", Severity::warning, "",
         "the numbers of the samples jump " + std::to_string(jumps_) + (jumps_ == 1 ? " time" : " times") +
             ", first from " + format_number(jump_from_, 12) + " to " + format_number(jump_to_, 12) +
             " at sample " + std::to_string(first_jump_) + "; what is there is read as if it followed on",
         "times behind a jump are wrong unless the stamps are used; gate to a stretch that is in order"});
  const double slack = 1.5 * resolution_s_ + 0.5 * interval_s_;
  if (interval_s_ > 0 && stamps_ > 1 && last_stamp_ > first_stamp_ && worst_off_s_ > slack) {
    const double by_stamps =
        static_cast<double>(last_stamped_ - first_stamped_) / (last_stamp_ - first_stamp_);
    recording.cautions.push_back(
        {"rate-disagrees", Severity::warning, "",
         "the configuration makes the rate " + format_quantity(1 / interval_s_, "Hz", 7) +
             ", the stamps make it " + format_quantity(by_stamps, "Hz", 7) + " and stray up to " +
             format_quantity(worst_off_s_, "s", 3) + " from the configuration's; the configuration is used",
         "give --rate if the stamps are right"});
  }
}

}  // namespace vprism
