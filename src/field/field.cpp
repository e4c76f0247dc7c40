// field.cpp: see field.h.
#include "field/field.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

#include "base/error.h"
#include "base/percentile.h"
#include "base/text.h"
#include "field/field_groups.h"
#include "field/mode_places.h"
#include "field/places.h"
#include "field/ring_down.h"
#include "identify/lines/peaks.h"
#include "identify/modes/record_modes.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;

ChosenPoints choose(const PointRecording& r, const FieldSettings& settings) {
  ChosenPoints out;
  out.points = chosen_points(r.points, settings.region, settings.every);
  if (out.points.empty())
    throw Error(Status::usage, "--region holds none of the " + std::to_string(r.points.size()) + " points");
  out.variables = settings.variables;
  if (out.variables.empty()) {
    out.variables.resize(r.variables.size());
    std::iota(out.variables.begin(), out.variables.end(), std::size_t{0});
  }
  return out;
}

FieldPlan plan_frames(const PointRecording& r, const FieldSettings& settings) {
  FieldPlan plan;
  const auto all = static_cast<std::size_t>(r.frames);
  const std::size_t first = settings.first_frame.value_or(0),
                    last = std::min(settings.last_frame.value_or(all - 1), all - 1);
  if (first > last)
    throw Error(Status::usage, "--frames: frame " + std::to_string(first) + " is beyond the last, " +
                                   std::to_string(all - 1));
  for (std::size_t f = first; f <= last; f += settings.frame_step) plan.frames.push_back(f);
  if (plan.frames.size() < 16)
    throw Error(Status::analysis,
                std::to_string(plan.frames.size()) + " frames; a spectrum over time needs at least 16");
  plan.rate_hz = r.axis.rate_hz() / static_cast<double>(settings.frame_step);
  return plan;
}

/// Mean square over all points, frame by frame.
std::vector<double> level_in_time(const FieldResult& r) {
  std::vector<double> level(r.plan.frames.size(), 0.0);
  for (std::size_t v = 0; v < r.variables.size(); ++v)
    if (r.shares_unit(v))
      for (std::size_t n = 0; n < level.size(); ++n) level[n] += r.sums.mean_square_in_time[v][n];
  return level;
}

RingDown judge_decay(FieldResult& r) {
  const RingDown found = judge_ring_down(level_in_time(r));
  r.decays = found.decays, r.left = found.left;
  if (r.decays && r.left > 0)
    r.falls_to_1_s =
        0.9 * static_cast<double>(found.to - found.from) / r.plan.rate_hz * std::log(0.01) / std::log(r.left);
  return found;
}

/// Points that move most, at most `most` of them, spread over the whole.
std::vector<std::size_t> lively_points(const FieldResult& r, std::size_t most) {
  std::vector<std::pair<double, std::size_t>> all;
  for (std::size_t p = 0; p < r.points.size(); ++p) {
    double sum = 0;
    for (std::size_t v = 0; v < r.variables.size(); ++v)
      if (!std::isnan(r.sums.rms[v][p])) sum += r.sums.rms[v][p] * r.sums.rms[v][p];
    if (sum > 0) all.push_back({sum, p});
  }
  std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
    return a.first != b.first ? a.first > b.first : a.second < b.second;
  });
  std::vector<std::size_t> out;
  const std::size_t half = std::max<std::size_t>(1, all.size() / 2),
                    step = std::max<std::size_t>(1, half / most);
  for (std::size_t i = 0; i < half && out.size() < most; i += step) out.push_back(all[i].second);
  std::sort(out.begin(), out.end());
  return out;
}

void smooth(std::vector<Complex>& values, const std::vector<std::vector<std::size_t>>& near) {
  std::vector<Complex> out(values.size(), {std::nan(""), std::nan("")});
  for (std::size_t p = 0; p < values.size(); ++p) {
    Complex sum = 0;
    double count = 0;
    for (const std::size_t q : near[p])
      if (!std::isnan(values[q].real())) sum += values[q], ++count;
    if (count > 0 && !std::isnan(values[p].real())) out[p] = sum / count;
  }
  values = std::move(out);
}

}  // namespace

namespace {

/// Passes over a source with one set of choices.
struct Passes {
  PointSource& source;
  FieldSettings settings;  ///< With the frames that were found ruined.
  const FieldProgress& progress;
  std::size_t done = 0, all = 1;
  GroupRooms rooms{};
  bool judged = false;  ///< Frames were chosen by what they show.

  /// The sums of some points by a plan, into `result`.
  void run(FieldResult& result, const ChosenPoints& chosen, FieldPlan plan,
           const FieldEstimator::Keep& keep = {}) {
    plan.saved = source.saved();
    plan.source_points = chosen.points, plan.source_variables = chosen.variables;
    FieldEstimator estimator(plan, chosen.points.size(), keep);
    run_groups(source, chosen, settings, estimator, rooms, [&](std::size_t points) {
      if (progress) progress(done * chosen.points.size() + points, all * chosen.points.size());
    });
    ++done;
    result.plan = plan;
    result.sums = estimator.result();
  }
};

/// Points that stand for all where there are many: short rows of neighbours, evenly spread.
ChosenPoints sample_of(const ChosenPoints& all) {
  constexpr std::size_t rows = 16, row = 16;
  if (all.points.size() < 8 * rows * row) return all;
  ChosenPoints out;
  out.variables = all.variables;
  for (std::size_t i = 0; i < rows; ++i)
    for (std::size_t j = 0; j < row; ++j)
      out.points.push_back(all.points[(2 * i + 1) * all.points.size() / (2 * rows) + j]);
  return out;
}

/// The frames of the ring-down, unless frames were chosen, and without those that are ruined.
void take_frames(Passes& passes, const RingDown& decay, FieldPlan& plan, FieldResult& result) {
  FieldSettings& settings = passes.settings;
  for (const std::size_t n : decay.ruined) {
    settings.leave_out.push_back(plan.frames[n]);
    result.ruined.push_back(plan.frames[n]);
  }
  if (!decay.decays || settings.first_frame || settings.last_frame) return;
  result.before = decay.from > 0 ? plan.frames[decay.from] : 0;
  result.behind = decay.to < plan.frames.size() ? plan.frames[decay.to] : 0;
  plan.frames.assign(plan.frames.begin() + static_cast<std::ptrdiff_t>(decay.from),
                     plan.frames.begin() + static_cast<std::ptrdiff_t>(decay.to));
}

/// The damping of modes that lie where shapes are asked for.
void take_damping(std::vector<ModePlace>& places, const std::vector<ModePlace>& modes, double bin_hz) {
  for (ModePlace& place : places)
    for (const ModePlace& mode : modes)
      if (std::abs(mode.hz - place.hz) < std::max(bin_hz, mode.damping * mode.hz))
        place.damping = mode.damping, place.damping_std = mode.damping_std;
}

/// Whether the motion of some points dies away, the window that follows from it, and where their peaks are.
std::vector<ModePlace> scout(Passes& passes, const ChosenPoints& chosen, FieldPlan& plan,
                             FieldResult& scratch) {
  const FieldSettings& settings = passes.settings;
  scratch.points.clear();
  for (const std::size_t p : chosen.points) scratch.points.push_back(passes.source.recording().points[p]);
  plan.at_hz.clear(), plan.kept_points.clear();
  passes.run(scratch, chosen, plan);
  const RingDown decay = judge_decay(scratch);
  if (passes.source.saved() == nullptr && !passes.judged) take_frames(passes, decay, plan, scratch);
  passes.judged = true;
  // Where all dies away, a window would weigh what is gone.
  const bool free = passes.source.saved() == nullptr && !settings.window;
  if (free && decay.decays) plan.window = {WindowKind::rectangular, 0};
  std::vector<ModePlace> places;
  for (const double hz : settings.at_hz) places.push_back({hz, 0});
  if (!places.empty() && !decay.decays) return places;
  // Modes that decay are known from transforms without a window alone, whatever the window of the levels.
  if (decay.decays && (passes.source.saved() == nullptr || plan.window.kind == WindowKind::rectangular)) {
    FieldPlan again = plan;
    again.window = {WindowKind::rectangular, 0};
    again.kept_points = lively_points(scratch, 40);
    ++passes.all;
    passes.run(scratch, chosen, again);
    constexpr std::size_t all_modes = 64;
    const std::vector<ModePlace> modes =
        decaying_places(scratch, settings, places.empty() ? settings.most_peaks : all_modes);
    if (places.empty())
      places = modes;
    else
      take_damping(places, modes, plan.bin_hz());
  }
  if (!settings.at_hz.empty()) return places;
  if (places.empty()) {
    places = steady_places(scratch, settings, settings.most_peaks);
    // A line that dies away is no line of the window's: how well its top is known, a bin says.
    if (decay.decays)
      for (ModePlace& place : places) place.std = std::max(place.std, plan.bin_hz());
  }
  std::sort(places.begin(), places.end(), [](const ModePlace& a, const ModePlace& b) { return a.hz < b.hz; });
  return places;
}

/// Whether all points together show a peak that the sample did not.
bool shows_more(const FieldResult& result, const FieldSettings& settings,
                const std::vector<ModePlace>& places) {
  for (const std::size_t k : tops_of(result.mean_power(), settings.most_peaks)) {
    const double hz = result.frequency_hz(k);
    if (!asked_for(settings, hz)) continue;
    const bool known = std::any_of(places.begin(), places.end(), [&](const ModePlace& p) {
      return std::abs(p.hz - hz) < std::max(2 * result.plan.bin_hz(), p.damping * p.hz);
    });
    if (!known) return true;
  }
  return false;
}

}  // namespace

FieldResult analyse_field(PointSource& source, const FieldSettings& settings, const FieldProgress& progress) {
  const PointRecording& r = source.recording();
  const ChosenPoints chosen = choose(r, settings);
  FieldPlan plan = plan_frames(r, settings);
  plan.variables = chosen.variables.size();
  plan.derive = settings.derive;
  plan.window = settings.window.value_or(Window{WindowKind::hann, 0});
  if (const SavedTransforms* saved = source.saved()) {
    if (settings.window || settings.first_frame || settings.last_frame || settings.frame_step != 1 ||
        !settings.leave_out.empty())
      throw Error(Status::usage,
                  "saved transforms have their window and frames already; give those when they are made");
    plan.window = parse_window(saved->window);
  }
  FieldResult result;
  for (const std::size_t v : chosen.variables) result.variables.push_back(r.variables[v]);
  Passes passes{source, settings, progress};
  ChosenPoints scouted = sample_of(chosen);
  std::vector<ModePlace> places = scout(passes, scouted, plan, result);
  for (;;) {
    result.points.clear();
    for (const std::size_t p : chosen.points) result.points.push_back(r.points[p]);
    FieldPlan last = plan;
    for (const ModePlace& p : places) last.at_hz.push_back(p.hz);
    last.kept_points = settings.watched;
    ++passes.all;
    passes.run(result, chosen, last, settings.keep);
    if (!settings.at_hz.empty() || scouted.points.size() == chosen.points.size() ||
        !shows_more(result, settings, places))
      break;
    scouted = chosen;
    places = scout(passes, scouted, plan, result);
  }
  judge_decay(result);
  result.cautions = r.cautions;
  result.plan.kept_points = settings.watched;
  std::vector<std::vector<std::size_t>> near;
  if (settings.smooth_radius > 0) near = points_within(result.points, settings.smooth_radius);
  for (std::size_t i = 0; i < places.size(); ++i) {
    FieldShape shape;
    shape.hz = places[i].hz, shape.hz_std = places[i].std;
    shape.damping = places[i].damping, shape.damping_std = places[i].damping_std;
    shape.amplitude = std::move(result.sums.amplitude[i]);
    if (!near.empty())
      for (auto& variable : shape.amplitude) smooth(variable, near);
    finish_shape(shape);
    result.shapes.push_back(std::move(shape));
  }
  // Phases against one point: the one asked for, else where the strongest shape is greatest.
  std::size_t strongest = 0;
  for (std::size_t i = 0; i < result.shapes.size(); ++i)
    if (result.shapes[i].max_level > result.shapes[strongest].max_level) strongest = i;
  if (settings.phase_point)
    result.phase_point = *settings.phase_point;
  else if (!result.shapes.empty())
    result.phase_point = result.shapes[strongest].max_point;
  for (FieldShape& shape : result.shapes) {
    shape.phase_point = result.phase_point;
    // A point that hardly moves in a shape would turn all of it by its own noise.
    if (!settings.phase_point && FieldResult::size_at(shape, result.phase_point) < shape.max_level / 5)
      shape.phase_point = shape.max_point;
    std::size_t v = 0;
    for (std::size_t i = 1; i < shape.amplitude.size(); ++i)
      if (std::abs(shape.amplitude[i][shape.phase_point]) > std::abs(shape.amplitude[v][shape.phase_point]))
        v = i;
    const Complex at = shape.amplitude[v][shape.phase_point];
    if (!(std::abs(at) > 0)) continue;
    for (auto& variable : shape.amplitude)
      for (Complex& a : variable) a *= std::conj(at) / std::abs(at);
  }
  for (const FieldShape& a : result.shapes) {
    result.assurances.emplace_back();
    for (const FieldShape& b : result.shapes) {
      std::vector<Complex> one, other;
      for (std::size_t v = 0; v < a.amplitude.size(); ++v) {
        one.insert(one.end(), a.amplitude[v].begin(), a.amplitude[v].end());
        other.insert(other.end(), b.amplitude[v].begin(), b.amplitude[v].end());
      }
      result.assurances.back().push_back(assurance(one, other));
    }
  }
  return result;
}

}  // namespace vprism
