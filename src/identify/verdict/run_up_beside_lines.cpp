// run_up_beside_lines.cpp: see run_up_beside_lines.h.
#include "identify/verdict/run_up_beside_lines.h"

namespace vprism {

RunUpBesideLines::RunUpBesideLines(const LinesOf& found, double rate_hz)
    : x_(found.samples()), rate_hz_(rate_hz) {
  if (!has_run_up_length(x_.size())) return;
  StandingLines standing(found, true);
  if (standing.any()) {
    without_ = standing.without(x_);
    course_ = find_speed_course(without_, rate_hz);
    if (course_) standing_ = std::move(standing);
  }
  if (!course_) course_ = find_speed_course(x_, rate_hz);
}

std::optional<RunUp> RunUpBesideLines::follow(std::size_t least_orders) {
  if (!course_) return {};
  std::optional<RunUp> run = follow_run_up(standing_ ? std::span<const double>(without_) : x_, rate_hz_,
                                           std::move(*course_), least_orders);
  course_.reset();
  if (!run) return run;
  if (standing_) standing_->put_back(run->rest);
  // Lines that are seen once it is gone.
  const StandingLines further{LinesOf(run->rest)};
  if (!further.any()) return run;
  const std::vector<double> again = further.without(x_);
  if (auto course = find_speed_course(again, rate_hz_))
    if (auto beside = follow_run_up(again, rate_hz_, std::move(*course), least_orders)) {
      run = std::move(beside);
      further.put_back(run->rest);
    }
  return run;
}

}  // namespace vprism
