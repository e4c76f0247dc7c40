// grid_sampler.cpp: see grid_sampler.h.
#include "condition/grid/grid_sampler.h"

#include <algorithm>
#include <limits>

#include "base/error.h"
#include "condition/filters/fir.h"
#include "condition/steps/decimator.h"

namespace vprism {

namespace {

/// Parts of a step of the grid over which means are taken.
constexpr int fine_grid_parts = 8;

}  // namespace

void GridSampler::start(const GridPlan& plan) {
  plan_ = plan;
  this_ = LocalPolynomial(plan.points), more_ = LocalPolynomial(plan.points + 2);
  fine_count_ = (plan.count - 1) * (plan.finer ? fine_grid_parts : 1) + 1;
  workers_.clear(), fine_.assign(plan.finer ? plan.columns : 0, {});
  for (std::size_t c = 0; c < fine_.size(); ++c) {
    std::vector<std::unique_ptr<ColumnWorker>> series;
    // A mean over a part droops by (w h)^2 / 24.
    series.push_back(make_centred_fir({-1.0 / 24, 1 + 1.0 / 12, -1.0 / 24}));
    series.push_back(make_decimator(static_cast<std::size_t>(fine_grid_parts)));
    workers_.push_back(std::make_unique<WorkerSeries>(std::move(series)));
  }
  t_.clear();
  x_.assign(plan.columns, {});
  next_ = 0, left_ = 0, set_for_ = no_step;
  begun_ = false;
}

void GridSampler::add(const Block& block, Outlet& outlet) {
  if (!block.stamped()) throw Error(Status::analysis, "regrid: the samples have lost their times before it");
  if (!begun_) begun_ = true, dropped_ = 0, by_line_ = 0, bridged_ = 0, tallies_.assign(plan_.columns, {});
  for (std::size_t n = 0; n < block.size(); ++n) {
    const double t = block.stamps()[n];
    if (!t_.empty() && !(t > t_.back())) {
      ++dropped_;
      continue;
    }
    t_.push_back(t);
    for (std::size_t c = 0; c < plan_.columns; ++c) x_[c].push_back(block.samples(c)[n]);
  }
  run(false, outlet);
  hand_on(false, outlet);
}

void GridSampler::finish(Outlet& outlet) {
  run(true, outlet);
  hand_on(true, outlet);
}

/// From the parts of steps to steps.
void GridSampler::hand_on(bool ended, Outlet& outlet) {
  for (std::size_t c = 0; c < fine_.size(); ++c) {
    workers_[c]->add(fine_[c], outlet.column(c));
    if (ended) workers_[c]->finish(outlet.column(c));
    fine_[c].clear();
  }
}

void GridSampler::run(bool ended, Outlet& outlet) {
  const std::size_t points = t_.size();
  if (points < 2) return;
  const auto ahead = static_cast<std::size_t>(plan_.points / 2 + 1);
  const double step = 1 / (plan_.rate_hz * (plan_.finer ? fine_grid_parts : 1));
  for (; next_ < fine_count_; ++next_) {
    const double t = plan_.first_s + static_cast<double>(next_) * step;
    const double end = plan_.finer ? std::min(t + step / 2, t_.back()) : t;
    while (left_ + 2 < points && t_[left_ + 1] <= (plan_.finer ? t - step / 2 : t))
      leave_out(left_ + 1), ++left_;
    // Some points to the right are waited for, unless the record has ended.
    if (!ended && (left_ + ahead >= points || t_[points - ahead] <= end + step)) break;
    if (plan_.finer && next_ > 0 && next_ + 1 < fine_count_)
      average(t - step / 2, t + step / 2, outlet);
    else
      interpolate(t, outlet);
  }
  if (left_ > 65536) {
    const auto drop = static_cast<std::ptrdiff_t>(left_ - 6);
    t_.erase(t_.begin(), t_.begin() + drop);
    for (auto& x : x_) x.erase(x.begin(), x.begin() + drop);
    left_ = 6, set_for_ = no_step;
  }
}

void GridSampler::set(std::size_t left) {
  if (set_for_ == left) return;
  set_for_ = left;
  this_.set(t_, left), more_.set(t_, left);
}

/// Value and error of column c at the time that the polynomials are set to.
GridSampler::Valued GridSampler::valued(std::size_t c, std::size_t left, double t) {
  const double* const x = x_[c].data();
  const double share = (t - t_[left]) / (t_[left + 1] - t_[left]);
  // At a sample itself the neighbours, which may be missing, have no say.
  const double line = share == 0 ? x[left] : x[left] + share * (x[left + 1] - x[left]);
  if (t_.size() < 4) return {line, 0};
  const std::size_t inner = std::min(left > 0 ? left - 1 : 0, t_.size() - 4);
  const double by_this = this_.value(x), by_more = more_.value(x);
  const auto [low, high] = std::minmax_element(x + inner, x + inner + 4);
  // Near a crest the range may be narrow, but then two polynomials agree.
  const bool agree = plan_.points > 2 && more_.count() > this_.count() &&
                     std::abs(by_this - by_more) <= 0.1 * (*high - *low);
  const auto wild = [&](double y) { return std::isnan(y) || !(agree || is_plausible(y, x + inner, 4)); };
  const bool by_line = plan_.points == 2 || wild(by_this);
  by_line_ += by_line && plan_.points > 2 && !std::isnan(line) ? 1 : 0;
  const double y = by_line ? line : by_this;
  return {y, y - (wild(by_more) ? line : by_more)};
}

void GridSampler::interpolate(double t, Outlet& outlet) {
  std::size_t left = left_;
  while (left + 2 < t_.size() && t_[left + 1] <= t) ++left;
  if (bridges(left, t, outlet)) return;
  set(left);
  this_.at(t), more_.at(t);
  for (std::size_t c = 0; c < plan_.columns; ++c) put(c, valued(c, left, t), outlet);
}

/// Means over a part: four points of Gauss and Legendre on each piece between two samples, which are exact
/// for the polynomials.
void GridSampler::average(double from, double to, Outlet& outlet) {
  means_.assign(plan_.columns, {});
  for (std::size_t left = left_;; ++left) {
    const bool last = left + 2 >= t_.size() || t_[left + 1] >= to;
    const double a = std::max(from, t_[left]), b = last ? to : t_[left + 1];
    if (b > a) {
      set(left);
      for (std::size_t k = 0; k < gauss_points.size(); ++k) {
        const double t = (a + b) / 2 + gauss_points[k] * (b - a) / 2,
                     share = gauss_weights[k] / 2 * (b - a) / (to - from);
        this_.at(t), more_.at(t);
        for (std::size_t c = 0; c < plan_.columns; ++c) {
          const Valued v = valued(c, left, t);
          means_[c].value += share * v.value, means_[c].error += share * v.error;
        }
      }
    }
    if (last) break;
  }
  for (std::size_t c = 0; c < plan_.columns; ++c) put(c, means_[c], outlet);
}

/// Within a pause nothing is known.
bool GridSampler::bridges(std::size_t left, double t, Outlet& outlet) {
  const double usual = plan_.usual_step_s;
  if (!(usual > 0) || !(t_[left + 1] - t_[left] > longest_grid_bridge * usual)) return false;
  if (t - t_[left] <= 0.01 * usual || t_[left + 1] - t <= 0.01 * usual) return false;
  outlet.set_gaps();
  ++bridged_;
  for (std::size_t c = 0; c < plan_.columns; ++c)
    out(c, outlet).push_back(doubt_ ? 0 : std::numeric_limits<double>::quiet_NaN());
  return true;
}

void GridSampler::put(std::size_t c, Valued v, Outlet& outlet) {
  out(c, outlet).push_back(doubt_ ? v.error : v.value);
  if (std::isnan(v.value)) return;
  Tally& tally = tallies_[c];
  tally.by_order += v.error * v.error, tally.square += v.value * v.value, tally.sum += v.value;
  tally.outputs += 1;
}

/// How far sample i lies from what its neighbours make it.
void GridSampler::leave_out(std::size_t i) {
  LeftOut way(plan_.points);
  if (!way.set(t_, i)) return;
  const double span = t_[i + 1] - t_[i - 1];  // Short steps at a jump stand for little time.
  for (std::size_t c = 0; c < plan_.columns; ++c) {
    const double off = way.error(x_[c].data());
    if (std::isnan(off)) continue;
    tallies_[c].left_out += off * off * span, tallies_[c].predicted += span;
  }
}

}  // namespace vprism
