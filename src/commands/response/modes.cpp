// modes.cpp: resonances of the command `response`: found, refined and checked.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/percentile.h"
#include "base/turns.h"
#include "commands/response/response.h"
#include "identify/modes/record_modes.h"
#include "transform/time/derived.h"

namespace vprism {

namespace {

/// What the mode fit is given: ratios with standard errors that are smoothed over neighbours, since from a
/// few averages they scatter themselves.
ModeData mode_data(const ResponseResult& result) {
  const ResponseSet& set = result.set;
  ModeData data;
  data.frequency_hz = set.frequency_hz;
  data.shared = set.shared;
  for (const ResponseCurve& curve : set.curves) {
    data.curves.push_back(curve.ratio);
    std::vector<double> error(curve.ratio.size(), 1.0);
    if (set.averages > 1) {
      double top = 0;
      for (std::size_t k = 0; k < error.size(); ++k)
        if (set.driven[k]) top = std::max(top, std::abs(curve.ratio[k]));
      for (std::size_t k = 0; k < error.size(); ++k) {
        std::vector<double> near;
        for (std::size_t j = k > 3 ? k - 3 : 0; j < std::min(error.size(), k + 4); ++j)
          if (!std::isnan(curve.error[j])) near.push_back(curve.error[j] * std::abs(curve.ratio[j]));
        const double usual = near.empty() ? 0 : median_in(near);
        error[k] = std::sqrt(usual * usual + 1e-8 * std::norm(curve.ratio[k]) + 1e-14 * top * top);
      }
    }
    for (std::size_t k = 0; k < error.size(); ++k)
      if (!set.driven[k]) error[k] = 0;
    data.error.push_back(std::move(error));
  }
  return data;
}

/// Takes what an exponential window adds off the fitted decay rates.
void correct_decay(Mode& mode, double added_per_s) {
  if (added_per_s == 0) return;
  const std::complex<double> pole = mode.pole() + added_per_s;
  const double w = std::abs(pole);
  mode.damping_std *= two_pi * mode.frequency_hz / w;
  mode.frequency_hz = w / two_pi;
  mode.damping = -pole.real() / w;
}

int order_of(const Channel& channel) {
  try {
    return motion_order(channel);
  } catch (const Error&) {
    return -1;
  }
}

void check_mode(ResponseResult& result, KnownMode& known, double fitted_hz, double fitted_damping,
                double room_hz) {
  const ResponseSet& set = result.set;
  const auto bin =
      static_cast<std::size_t>(std::clamp((fitted_hz - set.frequency_hz.front()) / set.bin_hz() + 0.5, 0.0,
                                          static_cast<double>(set.frequency_hz.size() - 1)));
  for (const ResponseCurve& curve : set.curves) {
    // Between the bins by the fit; where the fit is not the curve, the curve.
    known.magnitude.push_back(std::abs(curve.ratio[bin]));
    known.phase_deg.push_back(std::arg(curve.ratio[bin]) * 360 / two_pi);
    known.coherence.push_back(set.coherence[curve.channel][bin]);
  }
  double best = 0;
  for (std::size_t i = 0; i < set.curves.size(); ++i) {
    // By the share that the mode has of the curve around it.
    const double share = std::abs(known.mode.residue[i]) /
                         std::max(known.mode.residue_std[i], 1e-9 * std::abs(known.mode.residue[i]));
    if (share > best) best = share, known.strongest = i;
  }
  const ResponseCurve& curve = set.curves[known.strongest];
  const double width = 2 * fitted_damping * fitted_hz;
  const double reach = std::min(room_hz / 2, std::max(8 * width, 12 * set.bin_hz()));
  CurveStretch stretch;
  for (std::size_t k = 0; k < set.frequency_hz.size(); ++k)
    if (std::abs(set.frequency_hz[k] - fitted_hz) <= reach && set.driven[k] && set.frequency_hz[k] > 0) {
      stretch.frequency_hz.push_back(set.frequency_hz[k]);
      stretch.ratio.push_back(curve.ratio[k]);
    }
  known.narrow = result.window.kind != WindowKind::rectangular && width < 4 * set.rbw_hz;
  if (stretch.ratio.size() < 5) return;
  const double added = set.decay_per_s / (two_pi * fitted_hz);  // What the window adds to a damping ratio.
  known.peak = read_peak(stretch);
  known.half_power = read_half_power(stretch);
  if (known.half_power) known.half_power->damping -= added;
  const int order = order_of(result.channel_of(curve));
  known.circle = read_circle(stretch, {fitted_hz, fitted_damping}, order);
  if (known.circle) {
    const int used = order >= 0 ? order : 1;
    for (std::size_t k = 0; k < stretch.ratio.size(); ++k)
      if (std::abs(stretch.frequency_hz[k] - fitted_hz) < 3 * width)
        known.circle_points.push_back(
            stretch.ratio[k] * std::pow(std::complex<double>(0, two_pi * stretch.frequency_hz[k]), 1 - used));
    known.circle->mode.damping -= added;
  }
  if (!result.impulses[known.strongest].empty())
    known.decay = read_decay(result.impulses[known.strongest], set.rate_hz, {fitted_hz, fitted_damping},
                             room_hz, set.decay_per_s);
}

/// The curves that the search looks at: all, or of very many those that go with the reference most.
ModeData searched(const ModeData& all, const ResponseSet& set) {
  const std::size_t most = std::clamp<std::size_t>((std::size_t{1} << 18) / all.frequency_hz.size(), 6, 48);
  if (all.curves.size() <= most) return all;
  std::vector<std::pair<double, std::size_t>> ranked;
  for (std::size_t i = 0; i < set.curves.size(); ++i) {
    double sum = 0;
    for (std::size_t k = 0; k < set.driven.size(); ++k)
      if (set.driven[k]) sum += set.coherence[set.curves[i].channel][k];
    ranked.push_back({-sum, i});
  }
  std::sort(ranked.begin(), ranked.end());
  std::vector<std::size_t> kept;
  for (std::size_t i = 0; i < most; ++i) kept.push_back(ranked[i].second);
  std::sort(kept.begin(), kept.end());
  ModeData out;
  out.frequency_hz = all.frequency_hz, out.shared = all.shared;
  for (const std::size_t i : kept) out.curves.push_back(all.curves[i]), out.error.push_back(all.error[i]);
  return out;
}

/// The fit's modes as the structure has them.
std::vector<Mode> without_window(const ResponseResult& result) {
  std::vector<Mode> modes = result.fit.modes;
  for (Mode& mode : modes) correct_decay(mode, result.set.decay_per_s);
  return modes;
}

/// Poles from the whole record take the place of those from the ratios.
void take_from_record(ResponseResult& result, const std::vector<RecordMode>& refined,
                      std::vector<std::size_t>& bins) {
  std::vector<std::complex<double>> poles;
  // The ratios' own poles have what an exponential window added.
  for (const RecordMode& mode : refined) poles.push_back(mode.pole - result.set.decay_per_s);
  ModeFit again = modes_at(result.data, result.low_hz, result.high_hz, poles);
  for (std::size_t i = 0; i < again.modes.size(); ++i) {
    Mode& mode = again.modes[i];
    mode.frequency_std_hz = refined[i].frequency_std_hz, mode.damping_std = refined[i].damping_std;
    for (const Mode& before : result.fit.modes)
      if (std::abs(before.frequency_hz - mode.frequency_hz) <
          std::max(before.damping * before.frequency_hz, 0.005 * mode.frequency_hz))
        mode.orders = std::max(mode.orders, before.orders);
    bins.push_back(refined[i].refined ? refined[i].bins : 0);
  }
  again.chart = std::move(result.fit.chart);
  result.fit = std::move(again);
}

/// Samples before an impulse response begins: a line's, a buffer's, a sound's way through the air. Turned by
/// so many, its phase would have to be made of poles that are none.
int dead_samples(const std::vector<double>& h) {
  double top = 0;
  for (const double v : h) top = std::max(top, std::abs(v));
  if (!(top > 0)) return 0;
  const auto stands = [&](double v) { return std::abs(v) >= 0.25 * top; };
  if (std::any_of(h.begin() + static_cast<std::ptrdiff_t>(h.size() / 2), h.end(), stands)) return 0;
  const auto begins = std::find_if(h.begin(), h.end(), stands) - h.begin();
  return begins > 2 ? static_cast<int>(begins - 1) : 0;
}

/// Takes such delays off what the modes are fitted to.
void take_delays_off(ResponseResult& result, RecordSpectra* record) {
  const ResponseSet& set = result.set;
  if (set.references.size() != 1) return;
  for (std::size_t i = 0; i < set.curves.size(); ++i) {
    const int dead = dead_samples(result.impulses[i]);
    if (dead == 0) continue;
    for (std::size_t k = 0; k < set.frequency_hz.size(); ++k)
      result.data.curves[i][k] *= std::polar(1.0, two_pi * dead * set.frequency_hz[k] / set.rate_hz);
    if (record == nullptr) continue;
    std::vector<std::complex<double>>& values = record->values[set.curves[i].channel];
    for (std::size_t k = 0; k < values.size(); ++k)
      values[k] *=
          std::polar(1.0, two_pi * dead * static_cast<double>(k) / static_cast<double>(record->samples));
  }
}

}  // namespace

void find_modes(ResponseResult& result, const ResponseSettings& settings, RecordSpectra* record) {
  result.data = mode_data(result);
  take_delays_off(result, record);
  ModeData some = searched(result.data, result.set);
  // Where the record itself decides in the end, fewer bins are enough to begin with.
  constexpr std::size_t enough = 2048;
  if (record != nullptr && some.frequency_hz.size() > 2 * enough)
    some = averaged(some, 0, some.frequency_hz.size(), enough);
  result.fit = fit_modes(some, result.low_hz, result.high_hz, settings.search);
  if (some.curves.size() < result.data.curves.size() && !result.fit.modes.empty()) {
    std::vector<RecordMode> found;
    for (const Mode& mode : result.fit.modes)
      found.push_back(
          {mode.pole() + result.set.decay_per_s, mode.frequency_std_hz, mode.damping_std, 0, false});
    std::vector<std::size_t> none;
    take_from_record(result, found, none);
  }
  std::vector<std::size_t> bins;
  if (record != nullptr && !result.fit.modes.empty())
    take_from_record(result, refine_on_record(*record, without_window(result), result.low_hz, result.high_hz),
                     bins);
  for (std::size_t i = 0; i < result.fit.modes.size(); ++i) {
    const Mode& fitted = result.fit.modes[i];
    double room = std::min(fitted.frequency_hz, result.set.rate_hz / 2 - fitted.frequency_hz);
    for (std::size_t j = 0; j < result.fit.modes.size(); ++j)
      if (j != i) room = std::min(room, std::abs(result.fit.modes[j].frequency_hz - fitted.frequency_hz));
    KnownMode known;
    known.mode = fitted;
    known.record_bins = i < bins.size() ? bins[i] : 0;
    check_mode(result, known, fitted.frequency_hz, fitted.damping, room);
    correct_decay(known.mode, result.set.decay_per_s);
    result.modes.push_back(std::move(known));
  }
}

}  // namespace vprism
