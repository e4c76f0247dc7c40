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

bool rises_evenly(std::span<const double> times) {
  if (times.size() < 8) return false;
  const double step = (times.back() - times.front()) / static_cast<double>(times.size() - 1);
  bool counts = true;
  for (std::size_t n = 1; n < times.size(); ++n) {
    if (!(std::abs(times[n] - times[n - 1] - step) <= 0.2 * step)) return false;
    counts = counts && times[n] - times[n - 1] == 1;
  }
  return step > 0 && !counts;
}

void StampJudge::add(std::span<const double> stamps) {
  std::size_t i = 0;
  if (count_ == 0 && !stamps.empty()) {
    first_ = last_ = stamps[0];
    count_ = 1;
    i = 1;
  }
  if (i >= stamps.size()) return;
  if (count_ == 1) {
    guess_ = stamps[i] - last_;
    least_step_ = greatest_step_ = guess_;
  }
  // Sums and extremes of the whole stretch in one plain loop; what is out of the ordinary is looked for only
  // where the extremes say that there is some.
  const std::size_t begin = i;
  double before = last_, least = stamps[i] - last_, greatest = least;
  for (; i < stamps.size(); ++i) {
    const double t = stamps[i], step = t - before;
    before = t;
    least = step < least ? step : least;
    greatest = step > greatest ? step : greatest;
    const auto n = static_cast<double>(count_ + static_cast<std::int64_t>(i - begin));
    const double d = t - first_ - n * guess_;
    sum_d_ += d;
    sum_nd_ += n * d;
    sum_dd_ += d * d;
  }
  const auto step_at = [&](std::size_t k) { return stamps[k] - (k == begin ? last_ : stamps[k - 1]); };
  const auto number = [&](std::size_t k) { return count_ + static_cast<std::int64_t>(k - begin); };
  if (least <= 0)
    for (std::size_t k = begin; k < stamps.size(); ++k) {
      const double step = step_at(k);
      if (step == 0) ++repeated_;
      if (step < 0 && reversed_++ == 0) reversed_at_ = number(k);
    }
  if (greatest > greatest_step_ || greatest_at_ == 0)
    for (std::size_t k = begin; k < stamps.size(); ++k)
      if (step_at(k) == greatest) {
        greatest_at_ = number(k);
        break;
      }
  least_step_ = std::min(least_step_, least);
  greatest_step_ = std::max(greatest_step_, greatest);
  std::size_t k = begin;
  for (; k < stamps.size() && first_steps_.size() < most_first_steps; ++k) first_steps_.push_back(step_at(k));
  if (k < stamps.size()) {
    if (later_.usual == 0) later_.usual = usual_step();
    if (std::abs(least - later_.usual) <= 0.1 * later_.usual &&
        std::abs(greatest - later_.usual) <= 0.1 * later_.usual) {
      later_.all += static_cast<std::int64_t>(stamps.size() - k);
    } else {
      for (; k < stamps.size(); ++k) later_.weigh(step_at(k));
    }
  }
  last_ = stamps.back();
  count_ += static_cast<std::int64_t>(stamps.size() - begin);
}

void StampJudge::Steps::weigh(double step) {
  ++all;
  const double ratio = std::min(step / usual, 1e15), whole = std::round(ratio);
  if (whole < 1 || std::abs(ratio - whole) > 0.1) ++odd;
  if (ratio > 1.5) {
    ++longer;
    lost += static_cast<std::int64_t>(whole) - 1;
  }
}

double StampJudge::usual_step() const {
  std::vector<double> steps = first_steps_;
  if (steps.empty()) return 0;
  const auto middle = steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2);
  std::nth_element(steps.begin(), middle, steps.end());
  return *middle;
}

bool StampJudge::counts(double unit) const {
  const auto is = [&](double x, double y) {
    return std::abs(x - y * unit) <= 1e-9 * unit * (1 + std::abs(y));
  };
  return count_ > 2 && (is(first_, 0) || is(first_, 1)) && is(least_step_, 1) && is(greatest_step_, 1);
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
  constexpr double shortest = 1e-100, longest = 1e100;  // Beyond, rates and their squares are no numbers.
  if (!(axis.interval > shortest && axis.interval < longest))
    throw Error(Status::input,
                "the time column goes from " + format_number(first_, 9) + " s to " + format_number(last_, 9) +
                    " s, no span that was measured; name the right column with --axis, or --axis "
                    "none and --rate");
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
  const std::string unit = axis.unit.text();
  const bool timed = axis.domain == Axis::Domain::time;
  if (reversed_ > 0 && axis.stamped)
    out.push_back({"axis-reversed", Severity::serious, "",
                   std::to_string(reversed_) + (reversed_ == 1 ? " stamp runs" : " stamps run") +
                       " backwards, the first at " + row(reversed_at_),
                   "check the export; leave the stamps out with --axis none --rate if the samples are even"});
  if (repeated_ > 0)
    out.push_back({"axis-repeated", axis.stamped ? Severity::warning : Severity::note, "",
                   std::to_string(repeated_) + (repeated_ == 1 ? " stamp repeats" : " stamps repeat") +
                       " the one before",
                   "export more digits of time, or give --rate"});
  if (!timed) return out;  // A sweep or a scan may step as it likes.
  // Among steps that are whole numbers of the usual one, longer ones are samples left out; a solver's
  // changing steps are not. A clock that was set anew makes a few odd steps.
  Steps steps = later_;
  steps.usual = usual_step();
  for (const double step : first_steps_) steps.weigh(step);
  if (axis.stamped && steps.usual > 0 && steps.longer > 0 &&
      (steps.odd <= 3 ? steps.all >= 10 : steps.odd * 50 <= steps.all))
    out.push_back({"axis-gap", Severity::warning, "",
                   std::to_string(steps.longer) + (steps.longer == 1 ? " step is" : " steps are") +
                       " over 1.5 times the usual " + format_quantity(steps.usual, unit, 4) +
                       ", the longest " + format_number(greatest_step_ / steps.usual, 4) + " times, before " +
                       row(greatest_at_) + ": about " + std::to_string(steps.lost) +
                       (steps.lost == 1 ? " sample is" : " samples are") + " missing",
                   "gate the analysis to a stretch without gaps"});
  if (axis.stamped)
    out.push_back({"axis-uneven", Severity::warning, "",
                   "steps run from " + format_quantity(least_step_, unit, 4) + " to " +
                       format_quantity(greatest_step_, unit, 4) + "; stamps stray " +
                       format_number(axis.jitter, 3) + " of an interval (RMS) from an even grid",
                   "where an even grid is needed one is made; if the stamps are only badly printed, give "
                   "--axis none and --rate"});
  else if (axis.jitter > 1e-3)
    out.push_back({"axis-jitter", Severity::note, "",
                   "stamps stray " + format_number(100 * axis.jitter, 3) +
                       "% of an interval (RMS) from an even grid; the grid is used",
                   "nothing, if the stamps were rounded when they were written"});
  return out;
}

}  // namespace vprism
