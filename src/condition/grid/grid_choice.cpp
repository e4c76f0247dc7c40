// grid_choice.cpp: see grid_choice.h.
#include "condition/grid/grid_choice.h"

#include <algorithm>
#include <cmath>

namespace vprism {

namespace {

constexpr std::size_t first_grid_steps = 1001, most_grid_steps = std::size_t{1} << 20;

double step_quantile(std::vector<double> values, std::size_t of, std::size_t parts) {
  const auto at = values.begin() + static_cast<std::ptrdiff_t>(values.size() * of / parts);
  std::nth_element(values.begin(), at, values.end());
  return *at;
}

}  // namespace

void GridChoice::Steps::add(double step, double usual) {
  const double places = std::round(step / usual);
  if (places < 1 || std::abs(step / usual - places) > 0.1) ++off;
  if (places > 1) absent += static_cast<std::size_t>(std::min(places, 1e15)) - 1;
  at += step, place += std::max(1.0, places), n += 1;
  sum_p += place, sum_t += at, sum_pp += place * place, sum_pt += place * at;
}

void GridChoice::take_step(double step) {
  if (first_steps_.size() < first_grid_steps) {
    first_steps_.push_back(step);
  } else {
    if (usual_ == 0) {
      usual_ = step_quantile(first_steps_, 1, 2);
      for (const double first : first_steps_) on_grid_.add(first, usual_);
    }
    on_grid_.add(step, usual_);
  }
  if (steps_++ % each_ != 0) return;
  some_steps_.push_back(step);
  if (some_steps_.size() < most_grid_steps) return;
  for (std::size_t i = 0; 2 * i < some_steps_.size(); ++i) some_steps_[i] = some_steps_[2 * i];
  some_steps_.resize(some_steps_.size() / 2);
  each_ *= 2;
}

void GridChoice::add(const Block& block) {
  const std::size_t columns = block.columns();
  x_.resize(columns), sums_.resize(columns);
  for (std::size_t n = 0; n < block.size(); ++n) {
    const double t = block.stamps()[n];
    if (stamps_ == 0) first_t_ = t;
    sum_n_ += stamps_, sum_t_ += t - first_t_;
    sum_nn_ += stamps_ * stamps_, sum_nt_ += stamps_ * (t - first_t_);
    stamps_ += 1;
    if (!t_.empty() && !(t > t_.back())) continue;
    if (!t_.empty()) take_step(t - t_.back());
    t_.push_back(t);
    for (std::size_t c = 0; c < columns; ++c) x_[c].push_back(block.samples(c)[n]);
  }
  leave_out();
}

void GridChoice::leave_out() {
  for (; looked_ + 5 < t_.size(); ++looked_) {
    // All of a short record, a share of a long one.
    if (++done_ > 30000 && done_ % 16 != 0) continue;
    std::array<LeftOut, 4> ways = {LeftOut(2), LeftOut(4), LeftOut(6), LeftOut(8)};
    bool all = true;
    for (LeftOut& way : ways) all = way.set(t_, looked_) && all;
    if (!all) continue;
    const double span = t_[looked_ + 1] - t_[looked_ - 1];  // Short steps at a jump stand for little time.
    for (std::size_t c = 0; c < x_.size(); ++c) {
      const double* const x = x_[c].data();
      std::array<double, 5> error{};
      for (std::size_t k = 0; k < 4; ++k) error[k] = ways[k].error(x);
      error[4] = (4 * (x[looked_ - 1] + x[looked_ + 1]) - x[looked_ - 2] - x[looked_ + 2]) / 6 - x[looked_];
      if (std::any_of(error.begin(), error.end(), [](double e) { return std::isnan(e); })) continue;
      for (std::size_t k = 0; k < 5; ++k) sums_[c].square[k] += error[k] * error[k] * span;
      sums_[c].weight += span;
    }
  }
  if (t_.size() <= 65536) return;
  const auto drop = static_cast<std::ptrdiff_t>(looked_ - 5);
  t_.erase(t_.begin(), t_.begin() + drop);
  for (auto& x : x_) x.erase(x.begin(), x.begin() + drop);
  looked_ = 5;
}

std::optional<double> GridChoice::usual_rate() {
  Steps steps = on_grid_;
  double usual = usual_;
  if (usual == 0) {
    if (first_steps_.empty()) return {};
    usual = step_quantile(first_steps_, 1, 2);
    for (const double step : first_steps_) steps.add(step, usual);
  }
  // Of a solver's steps the short ones may be many: no more than four times as many samples.
  if (static_cast<double>(steps.off) > 0.02 * steps.n || steps.absent == 0 ||
      static_cast<double>(steps.absent) > 3 * steps.n || steps.n < 8)
    return {};
  reason_ = "the usual step; " + std::to_string(steps.absent) +
            (steps.absent == 1 ? " place is" : " places are") + " empty";
  usual_grid_ = usual;
  return (steps.sum_pp - steps.sum_p * steps.sum_p / steps.n) /
         (steps.sum_pt - steps.sum_p * steps.sum_t / steps.n);
}

double GridChoice::rate_hz(double mean_hz, double band_hz) {
  usual_grid_ = 0;
  reason_ = "the mean of the steps";
  if (some_steps_.empty()) return mean_hz;
  double rate = mean_hz;
  if (const auto usual = usual_rate()) {
    rate = *usual;
  } else if (const double tenth = step_quantile(some_steps_, 1, 10); tenth * mean_hz <= 0.5) {
    reason_ = "the shorter steps";
    rate = std::min(1 / tenth, 4 * mean_hz);
  }
  const double wanted = std::min(2.56 * band_hz, 64 * mean_hz);
  if (wanted > rate) {
    reason_ = "the band asked for";
    rate = wanted;
  }
  return rate;
}

bool GridChoice::finer_than(double rate_hz) const {
  if (usual_grid_ > 0) return false;
  const auto fine = static_cast<std::size_t>(std::count_if(
      some_steps_.begin(), some_steps_.end(), [&](double step) { return step * rate_hz < 0.25; }));
  return fine > 4 && fine * 1000 > some_steps_.size();
}

int GridChoice::points() const {
  // Relative to the cubic, over all columns that hold anything.
  std::array<double, 4> logs{};
  std::size_t known = 0;
  for (const Sums& sums : sums_) {
    if (!(sums.square[1] > 0) || !(sums.square[0] > 0)) continue;
    for (std::size_t k = 0; k < 4; ++k)
      logs[k] += 0.5 * std::log(std::max(sums.square[k], 1e-20 * sums.square[0]) / sums.square[1]);
    ++known;
  }
  if (known == 0) return 4;
  for (double& x : logs) x /= static_cast<double>(known);
  if (logs[0] < std::log(0.9)) return 2;
  // More points only where they help; noise isn't foretold better by any number of them.
  if (logs[2] > std::log(0.7)) return 4;
  return logs[3] < logs[2] + std::log(0.7) ? 8 : 6;
}

std::optional<double> GridChoice::better_as_even() const {
  double logs = 0;
  std::size_t known = 0;
  for (const Sums& sums : sums_) {
    if (!(sums.square[1] > 0) || !(sums.square[4] > 0)) continue;
    logs += 0.5 * std::log(sums.square[1] / sums.square[4]);
    ++known;
  }
  if (known == 0) return {};
  return std::exp(logs / static_cast<double>(known));
}

double GridChoice::even_rate_hz() const {
  const double slope = sum_nt_ - sum_n_ * sum_t_ / stamps_;
  return slope > 0 ? (sum_nn_ - sum_n_ * sum_n_ / stamps_) / slope : 0;
}

}  // namespace vprism
