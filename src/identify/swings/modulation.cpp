// modulation.cpp: see modulation.h.
#include "identify/swings/modulation.h"

#include <algorithm>
#include <cmath>

#include "base/percentile.h"
#include "condition/filters/fir.h"
#include "identify/swings/frequency_states.h"

namespace vprism {

namespace {

constexpr std::size_t most_fitted = std::size_t{1} << 17;

/// What long series are fitted by: every few-th value of what swings slowly enough.
struct Thinned {
  std::size_t group = 1;
  double rate_hz = 0, start_s = 0;
  std::vector<double> values;
  /// Below this all of a swing has passed, above it what the filter leaves may lie where it isn't.
  double passed_hz() const { return group == 1 ? rate_hz : 0.4 * rate_hz; }
  /// Below this, nine orders of a swing have.
  double whole_hz() const { return group == 1 ? rate_hz : 0.05 * rate_hz; }
};

Thinned thinned(const std::vector<double>& x, double rate_hz) {
  Thinned out{std::max<std::size_t>(1, x.size() / most_fitted), rate_hz, 0, {}};
  if (out.group == 1) {
    out.values = x;
    return out;
  }
  const auto group = static_cast<double>(out.group);
  constexpr double attenuation_db = 100;
  const std::vector<double> taps =
      lowpass_taps(0.5 / group, kaiser_taps(attenuation_db, 0.2 / group), attenuation_db);
  // Beside the ends of the series the filter has nothing to go by.
  const std::size_t beside = (taps.size() / 2 + out.group - 1) / out.group;
  const auto filter = make_centred_fir(taps, out.group);
  filter->add(x, out.values);
  filter->finish(out.values);
  out.values.resize(out.values.size() - beside);
  out.values.erase(out.values.begin(), out.values.begin() + static_cast<std::ptrdiff_t>(beside));
  out.rate_hz /= group, out.start_s = static_cast<double>(beside * out.group) / rate_hz;
  return out;
}

double turned_back(double phase_deg, double turns) { return std::remainder(phase_deg - 360 * turns, 360.0); }

/// Places (first sample after the step) where the mean of the next few samples is far from that of the last
/// few.
std::vector<std::size_t> steps_of(std::span<const double> f, double rate_hz) {
  const std::size_t w = std::clamp<std::size_t>(f.size() / 2000, 4, 64);
  if (f.size() < 8 * w) return {};
  std::vector<double> sums(f.size() + 1, 0.0), change(f.size(), 0.0), sizes;
  for (std::size_t n = 0; n < f.size(); ++n) sums[n + 1] = sums[n] + (f[n] - f[0]);
  for (std::size_t n = w; n + w <= f.size(); ++n) {
    change[n] = (sums[n + w] - 2 * sums[n] + sums[n - w]) / static_cast<double>(w);
    sizes.push_back(std::abs(change[n]));
  }
  const double usual = median_in(sizes), most = percentile_of(sizes, 0.9);
  const double limit = std::max({12 * usual, 2.5 * most, 1e-12 * rate_hz});
  std::vector<std::size_t> out;
  for (std::size_t n = w; n + w <= f.size(); ++n) {
    if (std::abs(change[n]) < limit) continue;
    std::size_t top = n;
    for (; n + w <= f.size() && std::abs(change[n]) >= limit; ++n)
      if (std::abs(change[n]) > std::abs(change[top])) top = n;
    out.push_back(top);
  }
  return out;
}

/// Steps and their sizes from the means to either side.
CourseSteps sized(const Demodulated& series, const std::vector<std::size_t>& places) {
  CourseSteps out;
  const std::size_t count = series.frequency.size(), w = std::clamp<std::size_t>(count / 2000, 4, 64);
  for (const std::size_t n : places) {
    out.at_s.push_back(static_cast<double>(n) / series.rate_hz);
    double before = 0, after = 0;
    for (std::size_t k = 1; k <= w; ++k)
      before += series.frequency[n - k], after += series.frequency[n + k - 1];
    out.sizes.push_back((after - before) / static_cast<double>(w));
  }
  return out;
}

/// Carrier, drift, jumps and swings; steps that the fit does not bear out go.
CourseFit fit_with_steps(const Thinned& f, double series_rate_hz, CourseSteps& steps,
                         std::vector<Jump>& at_edges) {
  for (double& s : steps.at_s) s -= f.start_s;
  // Near an end of the series a step and what the filters make of the record's end look alike.
  const auto count = static_cast<double>(f.values.size());
  const double least_s = std::max(32.0, 0.02 * count) / f.rate_hz;
  for (std::size_t i = steps.at_s.size(); i-- > 0;) {
    if (steps.at_s[i] >= least_s && count / f.rate_hz - steps.at_s[i] >= least_s) continue;
    at_edges.push_back({steps.at_s[i] + f.start_s, steps.sizes[i], 0});
    steps.at_s.erase(steps.at_s.begin() + static_cast<std::ptrdiff_t>(i));
    steps.sizes.erase(steps.sizes.begin() + static_cast<std::ptrdiff_t>(i));
  }
  CourseFit fitted = fit_course(f.values, f.rate_hz, steps, series_rate_hz);
  for (int round = 0; round < 4 && !steps.at_s.empty(); ++round) {
    CourseSteps kept;
    for (std::size_t i = 0; i < steps.sizes.size(); ++i) {
      const auto at = static_cast<Eigen::Index>(2 + i);
      if (!(std::abs(fitted.values(at)) > 4 * fitted.deviations(at))) continue;
      kept.at_s.push_back(steps.at_s[i]), kept.sizes.push_back(fitted.values(at));
    }
    const bool settled = round >= 2 && kept.sizes.size() == steps.sizes.size();
    steps = std::move(kept);
    if (settled) break;
    fitted = fit_course(f.values, f.rate_hz, steps, series_rate_hz);
  }
  return fitted;
}

/// Swings too quick for the thinned series, found among as many values in the middle of the whole, and all
/// orders of those that were cut short; `noise` is what is then left there.
std::vector<Swing> all_swings(const std::vector<double>& whole, double rate_hz, bool differences,
                              const Thinned& slow, const CourseFit& fit, double& noise) {
  std::vector<Swing> out = fit.swings;
  std::erase_if(out, [&](const Swing& s) { return s.rate_hz >= slow.passed_hz(); });
  for (Swing& s : out) s.phase_deg = turned_back(s.phase_deg, s.rate_hz * slow.start_s);
  noise = fit.rms;
  if (slow.group == 1) return out;
  const std::size_t first = (whole.size() - most_fitted) / 2;
  std::vector<double> middle(whole.begin() + static_cast<std::ptrdiff_t>(first),
                             whole.begin() + static_cast<std::ptrdiff_t>(first + most_fitted));
  const double middle_s = static_cast<double>(first) / rate_hz,
               bin_hz = rate_hz / static_cast<double>(most_fitted);
  fit.take_off(middle, rate_hz, middle_s - slow.start_s, slow.whole_hz());
  CourseSteps within;
  for (const double at : fit.steps_s) {
    const double after_s = at + slow.start_s - middle_s;
    if (after_s * rate_hz > 64 && after_s * rate_hz < static_cast<double>(most_fitted) - 64)
      within.at_s.push_back(after_s), within.sizes.push_back(0);
  }
  const CourseFit quick = fit_course(middle, rate_hz, within, differences ? rate_hz : 0);
  noise = quick.rms;
  for (Swing s : quick.swings) {
    if (s.rate_hz < 0.9 * slow.whole_hz()) continue;
    s.phase_deg = turned_back(s.phase_deg, s.rate_hz * middle_s);
    const auto known = std::find_if(out.begin(), out.end(), [&](const Swing& other) {
      return std::abs(other.rate_hz - s.rate_hz) < bin_hz + 3 * s.rate_std_hz;
    });
    if (known != out.end()) {
      // All its orders from here, its rate and phase from the longer series.
      s.rate_hz = known->rate_hz, s.rate_std_hz = known->rate_std_hz, s.phase_deg = known->phase_deg;
      if (s.shape != "sine") *known = s;
      continue;
    }
    const bool order = std::any_of(out.begin(), out.end(), [&](const Swing& other) {
      const double n = std::round(s.rate_hz / other.rate_hz), reach = bin_hz + 3 * n * other.rate_std_hz;
      return n >= 2 && s.fundamental < 2 / n * other.fundamental && reach < 0.1 * other.rate_hz &&
             std::abs(s.rate_hz - n * other.rate_hz) < reach;
    });
    if (!order) out.push_back(s);
  }
  std::stable_sort(out.begin(), out.end(), [](const Swing& a, const Swing& b) { return a.peak > b.peak; });
  return out;
}

}  // namespace

Modulation measure_modulation(const Demodulated& series) {
  Modulation m;
  const std::vector<std::size_t> places = steps_of(series.frequency, series.rate_hz);
  std::vector<double> steady = series.frequency;
  m.states = frequency_states(steady, series.rate_hz, places, m.transitions);
  CourseSteps steps;
  if (places.size() <= 8) {
    steady = series.frequency;
    steps = sized(series, places);
  } else if (m.states.empty()) {
    steady = series.frequency;
  }
  const Thinned f = thinned(steady, series.rate_hz), a = thinned(series.amplitude, series.rate_hz);
  const CourseFit fitted = fit_with_steps(f, series.rate_hz, steps, m.edge_jumps);
  m.carrier_hz = fitted.values(0), m.carrier_std_hz = fitted.deviations(0);
  const double whole_s = static_cast<double>(f.values.size()) / f.rate_hz;
  m.drift_hz_per_s = fitted.values(1) / whole_s, m.drift_std_hz_per_s = fitted.deviations(1) / whole_s;
  m.middle_s = static_cast<double>(f.values.size() - 1) / 2 / f.rate_hz + f.start_s;
  m.frequency = all_swings(steady, series.rate_hz, true, f, fitted, m.frequency_noise_hz);
  // What harmonics and filters leave at an end is of the size of the noise.
  std::erase_if(m.edge_jumps, [&](const Jump& jump) { return std::abs(jump.step_hz) < 10 * fitted.rms; });
  for (std::size_t i = 0; i < steps.sizes.size(); ++i)
    m.jumps.push_back({steps.at_s[i] + f.start_s, fitted.values(static_cast<Eigen::Index>(2 + i)),
                       fitted.deviations(static_cast<Eigen::Index>(2 + i))});
  // What swings to and fro in one shape is no set of states.
  if (!m.frequency.empty() && m.frequency.front().shape == "square" && m.frequency.front().likeness > 0.98) {
    m.states.clear();
    m.transitions = 0;
  }
  const CourseFit amplitude = fit_course(a.values, a.rate_hz, {});
  m.level = amplitude.values(0);
  if (series.suppressed) {
    double square = 0;
    for (const double v : a.values) square += v * v;
    m.level = std::sqrt(square / static_cast<double>(std::max<std::size_t>(1, a.values.size())));
  }
  double left = 0;
  m.amplitude = all_swings(series.amplitude, series.rate_hz, false, a, amplitude, left);
  // A carrier that moves through the span is weighed by the ripple of the filter that cut it out, 80 dB down.
  const bool moves = percentile_of(f.values, 0.99) - percentile_of(f.values, 0.01) > 0.01 * series.rate_hz;
  std::erase_if(m.amplitude, [&](const Swing& s) { return moves && s.peak < 1e-4 * m.level; });
  m.lowest_hz = percentile_of(series.frequency, 0.001), m.highest_hz = percentile_of(series.frequency, 0.999);
  return m;
}

double allow_for_cut_sidebands(Modulation& m, double low_hz, double high_hz) {
  double all = 0, greatest = 0, level_lost = 0, hz_lost = 0;
  for (const Swing& s : m.frequency) all += s.peak;
  for (Swing& s : m.frequency) {
    // The other swings carry it to and fro.
    const double room = std::min(m.carrier_hz - low_hz, high_hz - m.carrier_hz) - (all - s.peak),
                 index = s.peak / s.rate_hz, order = std::max(1.0, std::floor(room / s.rate_hz) + 1);
    // Beyond these nothing is left.
    if (!(room > 0) || index > 1000 || order > index + 20 + 6 * std::cbrt(index)) continue;
    const double lost = std::cyl_bessel_j(order, index), hz = lost * std::min(1.0, index) * s.rate_hz;
    s.peak_std = std::hypot(s.peak_std, hz);
    greatest = std::max(greatest, hz / s.peak), hz_lost = std::max(hz_lost, hz),
    level_lost = std::hypot(level_lost, 2 * lost * m.level);
  }
  // They are distortions too, at multiples of its rate or what folds to elsewhere.
  std::erase_if(m.frequency, [&](const Swing& s) { return s.peak < hz_lost; });
  for (Swing& s : m.amplitude) s.peak_std = std::hypot(s.peak_std, level_lost);
  std::erase_if(m.amplitude, [&](const Swing& s) { return level_lost > 0 && s.peak < 3 * s.peak_std; });
  return greatest;
}

}  // namespace vprism
