// stamps.cpp: one pass over the stamps.
//
// Distance from the even grid: e_n = d_n - n delta with d_n = t_n - t_0 - n g (g a first guess of the
// interval) and delta = interval - g, so sum e^2 = sum d^2 - 2 delta sum(n d) + delta^2 sum n^2, and the mean
// of e is taken off: an even grid through the ends may lie to one side of stamps that are all late by the
// same amount.
#include "signal/stamps.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

void StampJudge::add(std::span<const double> stamps) {
  for (const double t : stamps) {
    if (count_ == 0) {
      first_ = t;
    } else {
      const double step = t - last_;
      if (count_ == 1) guess_ = least_step_ = greatest_step_ = step;
      if (step == 0) ++repeated_;
      if (step < 0 && reversed_++ == 0) reversed_at_ = count_;
      least_step_ = std::min(least_step_, step);
      if (step > greatest_step_) {
        greatest_step_ = step;
        greatest_at_ = count_;
      }
      const auto n = static_cast<double>(count_);
      const double d = t - first_ - n * guess_;
      sum_d_ += d;
      sum_nd_ += n * d;
      sum_dd_ += d * d;
    }
    last_ = t;
    ++count_;
  }
}

Axis StampJudge::axis(double resolution_s) const {
  Axis axis;
  axis.start = first_;
  axis.source = "time column";
  if (count_ < 2) return axis;
  const auto n = static_cast<double>(count_);
  if (!(last_ > first_))
    throw Error(Status::input, "the time column does not increase: it starts at " + format_number(first_, 9) +
                                   " s and ends at " + format_number(last_, 9) +
                                   " s; name the right column with --axis, or --axis none and --rate");
  axis.interval = (last_ - first_) / (n - 1);
  const double delta = axis.interval - guess_;
  const double sum_n = n * (n - 1) / 2, sum_nn = (n - 1) * n * (2 * n - 1) / 6;
  const double mean = (sum_d_ - delta * sum_n) / n;
  const double square = (sum_dd_ - 2 * delta * sum_nd_ + delta * delta * sum_nn) / n - mean * mean;
  const double rms = std::sqrt(std::max(0.0, square));
  axis.jitter = rms / axis.interval;
  const bool even = axis.jitter < 0.01 || rms <= 0.5 * resolution_s;
  axis.stamped = !even || (reversed_ > 0 && least_step_ < -resolution_s * 1.5);
  return axis;
}

std::vector<Caution> StampJudge::cautions(const Axis& axis) const {
  std::vector<Caution> out;
  const auto row = [](std::int64_t n) { return "sample " + std::to_string(n + 1); };
  if (reversed_ > 0 && axis.stamped)
    out.push_back(
        {"axis-reversed", Severity::serious, "",
         std::to_string(reversed_) + " time stamps run backwards, the first at " + row(reversed_at_),
         "check the export; leave the stamps out with --axis none --rate if the samples are even"});
  if (repeated_ > 0)
    out.push_back({"axis-repeated", axis.stamped ? Severity::warning : Severity::note, "",
                   std::to_string(repeated_) + " time stamps repeat the one before",
                   "export more digits of time, or give --rate"});
  if (axis.stamped && greatest_step_ > 1.5 * axis.interval)
    out.push_back({"axis-gap", Severity::warning, "",
                   "the longest step is " + format_number(greatest_step_ / axis.interval, 3) +
                       " mean intervals, before " + row(greatest_at_),
                   "gate the analysis to a stretch without gaps"});
  if (axis.stamped)
    out.push_back(
        {"axis-uneven", Severity::serious, "",
         "steps run from " + format_quantity(least_step_, "s", 4) + " to " +
             format_quantity(greatest_step_, "s", 4) + "; stamps stray " +
             format_number(100 * axis.jitter, 3) + "% of an interval (RMS) from an even grid",
         "a spectrum needs an even grid; if the stamps are only badly printed, give --axis none and --rate"});
  else if (axis.jitter > 1e-3)
    out.push_back({"axis-jitter", Severity::note, "",
                   "stamps stray " + format_number(100 * axis.jitter, 3) +
                       "% of an interval (RMS) from an even grid; the grid is used",
                   "nothing, if the stamps were rounded when they were written"});
  return out;
}

}  // namespace vprism
