// record_verdict.cpp: see record_verdict.h.
#include "identify/verdict/record_verdict.h"

#include <algorithm>
#include <cmath>

#include "base/dot.h"
#include "identify/peaks/peak_sines.h"
#include "identify/verdict/decays.h"
#include "identify/verdict/run_up_beside_lines.h"

namespace vprism {

namespace {

/// What a line that moves through the band makes there is its own; but a line that stands far above what it
/// leaves in an RBW stays.
void take_sweep(std::span<const double> samples, double rate_hz, const Spectrum& spectrum,
                RecordVerdict& out) {
  const auto sweep = find_sweep(samples, rate_hz);
  if (!sweep) return;
  const double slack =
      4 * rate_hz / static_cast<double>(samples.size()) + 0.02 * (sweep->high_hz() - sweep->low_hz());
  JudgedBand band;
  band.low_hz = sweep->low_hz(), band.high_hz = sweep->high_hz();
  const auto within = [&](double hz) { return hz > band.low_hz - slack && hz < band.high_hz + slack; };
  band.verdict.kind = BandVerdict::Kind::sweep;
  band.verdict.sweep = *sweep;
  band.verdict.frequency_hz = (band.low_hz + band.high_hz) / 2;
  band.verdict.frequency_std_hz = (band.high_hz - band.low_hz) / std::sqrt(12.0);
  band.level_rms = sweep->level_rms;
  const auto passing_rms = [&](double hz) {
    const double span = band.high_hz - band.low_hz;
    const double density = sweep->exponential
                               ? 1 / (std::max(hz, band.low_hz) * std::log(band.high_hz / band.low_hz))
                               : 1 / span;
    return sweep->level_rms * std::sqrt(spectrum.plan.rbw_hz * density);
  };
  double others = 0;
  for (std::size_t i = 0; i < out.peaks.size(); ++i) {
    Peak& p = out.peaks[i];
    if (!within(p.frequency_hz)) continue;
    const bool stays = !p.broad() && p.rms > 4 * passing_rms(p.frequency_hz);
    p.of_band = !stays;
    if (stays)
      others += p.rms * p.rms;
    else
      band.members.push_back(i);
  }
  band.level_rms = std::min(band.level_rms, std::sqrt(std::max(0.0, spectrum.variance - others)));
  std::erase_if(out.bands, [&](const JudgedBand& b) { return within((b.low_hz + b.high_hz) / 2); });
  out.bands.push_back(std::move(band));
}

/// Whether there is more in a record than lines of kinds that are known by now.
bool leaves_much(const RecordVerdict& verdict, const Spectrum& spectrum) {
  double known = 0;
  for (const Peak& p : verdict.peaks)
    if (!p.broad() && !p.of_band) known += p.rms * p.rms;
  for (const JudgedBand& band : verdict.bands)
    if (band.verdict.kind == BandVerdict::Kind::decaying ||
        band.verdict.kind == BandVerdict::Kind::stepping || band.verdict.kind == BandVerdict::Kind::sweep)
      known += band.level_rms * band.level_rms;
  return spectrum.variance > 0 && spectrum.variance - known > 0.03 * spectrum.variance;
}

/// Bands, what dies away, and what moves.
RecordVerdict judge_bands_of(std::span<const double> samples, const Spectrum& spectrum,
                             const SpectrumSettings& settings, const PeakSettings& search,
                             std::vector<double> floor, std::vector<Peak> peaks,
                             const std::function<void(std::vector<Peak>&)>& choose) {
  const double rate = spectrum.plan.rate_hz;
  RecordVerdict out;
  std::vector<JudgedBand> taken;
  std::vector<Peak> taken_peaks;
  Spectrum rest = spectrum;
  for (int round = 0; round < 4; ++round) {
    const std::span<const double> x = out.rest.empty() ? samples : std::span<const double>(out.rest);
    std::vector<JudgedBand> bands = judge_bands(x, rate, rest, floor, peaks);
    std::vector<double> less;
    for (JudgedBand& band : bands) {
      const Exponential& e = band.verdict.exponential;
      if (round == 3 || band.verdict.kind != BandVerdict::Kind::decaying || !(e.decay_per_s > 0)) continue;
      if (less.empty()) less.assign(x.begin(), x.end());
      if (!take_off(e, rate, less)) continue;
      std::vector<std::size_t> members;
      for (const std::size_t m : band.members)
        members.push_back(taken_peaks.size()), taken_peaks.push_back(peaks[m]);
      band.members = std::move(members);
      taken.push_back(std::move(band));
      band.verdict.kind = BandVerdict::Kind::nothing;
    }
    const bool again = std::any_of(bands.begin(), bands.end(), [](const JudgedBand& band) {
      return band.verdict.kind == BandVerdict::Kind::nothing;
    });
    if (!again) {
      out.bands = std::move(bands);
      break;
    }
    out.rest = std::move(less);
    refine_together(rate, taken, out.rest);
    rest = spectrum_of(out.rest, spectrum.plan, settings);
    PeakSearch found = find_peaks(rest, search);
    floor = std::move(found.floor), peaks = std::move(found.peaks);
    choose(peaks);
  }
  for (JudgedBand& band : taken) {
    for (std::size_t& m : band.members) m += peaks.size();
    out.bands.push_back(std::move(band));
  }
  out.peaks = std::move(peaks), out.floor = std::move(floor);
  out.peaks.insert(out.peaks.end(), taken_peaks.begin(), taken_peaks.end());
  take_sweep(samples, rate, spectrum, out);
  return out;
}

/// What is left once something was taken off, by its own spectrum.
template <typename Judge>
RecordVerdict judge_rest(std::vector<double> rest, const Spectrum& spectrum, const SpectrumSettings& settings,
                         const PeakSettings& search, const std::function<void(std::vector<Peak>&)>& choose,
                         Judge judge) {
  const Spectrum beside = spectrum_of(rest, spectrum.plan, settings);
  PeakSearch found = find_peaks(beside, search);
  choose(found.peaks);
  RecordVerdict out =
      judge(rest, beside, settings, search, std::move(found.floor), std::move(found.peaks), choose);
  if (out.rest.empty()) out.rest = std::move(rest);
  return out;
}

/// Without the line that jumps, where there is one; beside lines that stand it is no single line.
std::optional<RecordVerdict> judge_beside_states(const LinesOf& found, const Spectrum& spectrum,
                                                 const SpectrumSettings& settings, const PeakSettings& search,
                                                 const std::function<void(std::vector<Peak>&)>& choose,
                                                 bool beside_lines) {
  const std::span<const double> samples = found.samples();
  const double rate_hz = spectrum.plan.rate_hz;
  std::optional<LineStates> states = find_line_states(samples, rate_hz);
  std::optional<StandingLines> standing;
  if (!states && beside_lines) {
    standing.emplace(found);
    if (standing->any()) states = find_line_states(standing->without(samples), rate_hz);
  }
  if (!states) return {};
  std::vector<double> rest = std::move(states->rest);
  if (standing) standing->put_back(rest);
  RecordVerdict out = judge_rest(std::move(rest), spectrum, settings, search, choose, judge_bands_of);
  out.states = std::move(states);
  return out;
}

/// Without the carriers that swing, where there are any.
std::optional<RecordVerdict> judge_beside_swing(std::span<const double> samples, const Spectrum& spectrum,
                                                const SpectrumSettings& settings, const PeakSettings& search,
                                                const std::function<void(std::vector<Peak>&)>& choose) {
  FrequencySwings swings = find_frequency_swings(samples, spectrum.plan.rate_hz);
  if (swings.carriers.empty()) return {};
  // A few lines that beat turn like a carrier that swings; as lines they leave as little.
  constexpr std::size_t few_lines = 3;
  if (left_by_steady_lines(samples, few_lines) < 1.2 * variance_of(swings.rest)) return {};
  RecordVerdict out = judge_rest(std::move(swings.rest), spectrum, settings, search, choose, judge_bands_of);
  // An amplitude is not known to better than 1%: what is less than that within a band is of its sidebands. So
  // is what no line explains, as far as the swing was too irregular to be followed.
  const auto of_swing = [&](double hz, double rms, double share) {
    return std::any_of(swings.carriers.begin(), swings.carriers.end(), [&](const FrequencySwing& swing) {
      const double beyond = 0.25 * (swing.band_high_hz - swing.band_low_hz);
      return hz > swing.band_low_hz - beyond && hz < swing.band_high_hz + beyond && rms < share * swing.rms;
    });
  };
  for (Peak& p : out.peaks) p.of_band = p.of_band || of_swing(p.frequency_hz, p.rms, 0.01);
  std::erase_if(out.bands, [&](const JudgedBand& band) {
    return of_swing(band.verdict.frequency_hz, band.level_rms,
                    band.verdict.kind == BandVerdict::Kind::decaying ? 0.01 : 0.07);
  });
  out.swings = std::move(swings.carriers);
  return out;
}

/// Without what runs up or down: several machines, one by one, the first as it was found.
std::optional<RecordVerdict> judge_beside_run_ups(RunUpBesideLines& first, std::size_t least_orders,
                                                  const Spectrum& spectrum, const SpectrumSettings& settings,
                                                  const PeakSettings& search,
                                                  const std::function<void(std::vector<Peak>&)>& choose) {
  constexpr std::size_t most = 3, most_turns = 2;
  std::vector<double> rest;
  std::vector<RunUp> runs;
  const auto of_runs = [&](double hz, double rms) {
    return std::any_of(runs.begin(), runs.end(), [&](const RunUp& run) { return run.may_leave(hz, rms); });
  };
  std::optional<RunUp> run = first.follow(least_orders);
  // What an order leaves where it was not followed closely runs along with it.
  while (run && !of_runs(run->from_hz, run->rms) &&
         std::none_of(runs.begin(), runs.end(), [&](const RunUp& other) { return run->runs_along(other); })) {
    rest = std::move(run->rest);
    runs.push_back(std::move(*run));
    run.reset();
    if (runs.size() == most) break;
    RunUpBesideLines next(LinesOf(rest), spectrum.plan.rate_hz);
    if (next.turns() <= most_turns) run = next.follow(2);
  }
  if (runs.empty()) return {};
  RecordVerdict out = judge_rest(std::move(rest), spectrum, settings, search, choose, judge_bands_of);
  for (Peak& p : out.peaks) p.of_band = p.of_band || (p.broad() && of_runs(p.frequency_hz, p.rms));
  std::erase_if(out.bands, [&](const JudgedBand& band) {
    return of_runs((band.low_hz + band.high_hz) / 2, band.level_rms);
  });
  out.run_ups = std::move(runs);
  return out;
}

/// What holds most of a record already.
bool is_one_line(const RecordVerdict& verdict, const Spectrum& spectrum) {
  const auto most = [&](double rms) { return rms * rms > 0.5 * spectrum.variance; };
  return std::any_of(verdict.peaks.begin(), verdict.peaks.end(),
                     [&](const Peak& p) { return !p.broad() && !p.of_band && most(p.rms); }) ||
         std::any_of(verdict.bands.begin(), verdict.bands.end(), [&](const JudgedBand& band) {
           const auto kind = band.verdict.kind;
           return kind == BandVerdict::Kind::sweep ||
                  ((kind == BandVerdict::Kind::wandering || kind == BandVerdict::Kind::stepping ||
                    kind == BandVerdict::Kind::decaying) &&
                   most(band.level_rms));
         });
}

/// Lines of a comb hold nearly all of a record.
bool is_a_comb(const RecordVerdict& verdict, const Spectrum& spectrum) {
  double square = 0;
  for (const Peak& p : verdict.peaks)
    if (p.of_comb && !p.of_band) square += p.rms * p.rms;
  return square > 0.9 * spectrum.variance;
}

/// A record without a course of its level.
RecordVerdict judge_lines(const LinesOf& found, const Spectrum& spectrum, const SpectrumSettings& settings,
                          const PeakSettings& search, std::vector<double> floor, std::vector<Peak> peaks,
                          const std::function<void(std::vector<Peak>&)>& choose) {
  const std::span<const double> samples = found.samples();
  GatedLines gated = find_gated_lines(samples, spectrum.plan.rate_hz);
  if (!gated.lines.empty()) {
    // One alone may have more states than on and off.
    if (gated.lines.size() == 1)
      if (auto states = judge_beside_states(found, spectrum, settings, search, choose, false))
        return std::move(*states);
    RecordVerdict beside =
        judge_rest(std::move(gated.rest), spectrum, settings, search, choose, judge_bands_of);
    beside.gated = std::move(gated.lines);
    return beside;
  }
  RecordVerdict out =
      judge_bands_of(samples, spectrum, settings, search, std::move(floor), std::move(peaks), choose);
  const bool lines =
      std::any_of(out.peaks.begin(), out.peaks.end(), [](const Peak& p) { return !p.broad(); });
  const bool much = leaves_much(out, spectrum);
  const bool sweep = std::any_of(out.bands.begin(), out.bands.end(), [](const JudgedBand& band) {
    return band.verdict.kind == BandVerdict::Kind::sweep;
  });
  constexpr std::size_t few_turns = 2;
  std::optional<RunUpBesideLines> moving;
  if (much) moving.emplace(found, spectrum.plan.rate_hz);
  // A line alone is a run where no sweep is known.
  if (moving && moving->any() && moving->turns() <= few_turns)
    if (auto beside = judge_beside_run_ups(*moving, sweep ? 2 : 1, spectrum, settings, search, choose))
      return std::move(*beside);
  // Lines that are exactly where a comb has them do not swing.
  if (!is_one_line(out, spectrum) && !(is_a_comb(out, spectrum) && !much))
    if (auto beside = judge_beside_swing(samples, spectrum, settings, search, choose)) {
      // One that jumps keeps its amplitude as well; beside others it would not be taken for a swing.
      auto states =
          much ? judge_beside_states(found, spectrum, settings, search, choose, false) : std::nullopt;
      return states ? std::move(*states) : std::move(*beside);
    }
  if (!much) return out;
  if (auto beside = judge_beside_states(found, spectrum, settings, search, choose, lines))
    return std::move(*beside);
  // Several lines that swing together: a speed that goes up and down again and again.
  if (moving && moving->turns() > few_turns)
    if (auto beside = judge_beside_run_ups(*moving, 2, spectrum, settings, search, choose))
      return std::move(*beside);
  return out;
}

/// A record whose noise is louder at some times: what only that makes is nothing.
RecordVerdict judge_beside_noise(std::span<const double> samples, const Spectrum& spectrum,
                                 const SpectrumSettings& settings, const PeakSettings& search,
                                 std::vector<double> floor, std::vector<Peak> peaks,
                                 const std::function<void(std::vector<Peak>&)>& choose) {
  const LinesOf found(samples);
  RecordVerdict out =
      judge_lines(found, spectrum, settings, search, std::move(floor), std::move(peaks), choose);
  // One that comes and goes at a rate is known by that.
  if (!out.swings.empty() || out.states || !out.run_ups.empty() ||
      std::any_of(out.bands.begin(), out.bands.end(),
                  [](const JudgedBand& band) { return band.impulses.has_value(); }))
    return out;
  std::optional<NoiseCourse> course = find_noise_course(samples);
  if (!course) return out;
  // Beside strong lines it is seen once they are gone.
  std::vector<double> less(samples.begin(), samples.end());
  take_off(less, found.get());
  course = find_noise_course(less);
  if (!course) return out;
  // What moves has skirts that come and go with it, as far as they are above the noise.
  constexpr double much_more = 4;
  if (std::any_of(out.bands.begin(), out.bands.end(),
                  [&](const JudgedBand& band) { return band.level_rms > much_more * course->excess_rms; }))
    return out;
  PeakSearch there = find_peaks(spectrum_of(course->evened(samples), spectrum.plan, settings), search);
  choose(there.peaks);
  const double reach = 2 * spectrum.plan.rbw_hz;
  const auto stands = [&](double low_hz, double high_hz) {
    return std::any_of(there.peaks.begin(), there.peaks.end(), [&](const Peak& p) {
      return p.frequency_hz > low_hz - reach && p.frequency_hz < high_hz + reach;
    });
  };
  for (const JudgedBand& band : out.bands)
    for (const std::size_t m : band.members) out.peaks[m].of_band = true;
  std::erase_if(out.bands, [&](const JudgedBand& band) { return !stands(band.low_hz, band.high_hz); });
  for (Peak& p : out.peaks) p.of_band = p.of_band || !stands(p.frequency_hz, p.frequency_hz);
  out.noise = std::move(course);
  return out;
}

/// A straight line beside lines of few periods, where these and it explain nearly all there is: it leaks into
/// all of them. Its slope per sample; 0 where there is none.
double slope_beside_few_periods(std::span<const double> samples, const Spectrum& spectrum,
                                const std::vector<Peak>& peaks) {
  constexpr double fewest = 2, most = 12, most_left = 0.1, least_share = 0.002;
  constexpr std::size_t most_lines = 8;
  const auto n = static_cast<double>(samples.size());
  std::vector<Sine> first = sines_of(peaks, spectrum, [&](const Peak& p) {
    return !p.broad() && !p.of_band && p.frequency_hz * n >= fewest * spectrum.plan.rate_hz;
  });
  if (first.empty() || first.size() > most_lines || !worth_fitting(first.size(), samples.size())) return 0;
  const auto lowest = std::min_element(first.begin(), first.end(), [](const Sine& a, const Sine& b) {
    return a.frequency_hz < b.frequency_hz;
  });
  if (lowest->frequency_hz * n > most * spectrum.plan.rate_hz) return 0;
  const SineFit fit = fit_sines_beside_wander(samples, spectrum.plan.rate_hz, std::move(first), 8, 1e-6);
  const double all = variance_of(samples), held = fit.slope * fit.slope * (n * n - 1) / 12;
  return held > least_share * all && variance_of(fit.residual) < most_left * all ? fit.slope : 0;
}

}  // namespace

RecordVerdict judge_record(std::span<const double> samples, const Spectrum& spectrum,
                           const SpectrumSettings& settings, const PeakSettings& search,
                           std::vector<double> floor, std::vector<Peak> peaks,
                           const std::function<void(std::vector<Peak>&)>& choose) {
  std::optional<SlowCourse> course = slow_course_of(samples);
  if (const double slope = course ? 0 : slope_beside_few_periods(samples, spectrum, peaks); slope != 0) {
    std::vector<double> rest(samples.begin(), samples.end());
    const double middle = (static_cast<double>(rest.size()) - 1) / 2;
    for (std::size_t i = 0; i < rest.size(); ++i) rest[i] -= slope * (static_cast<double>(i) - middle);
    RecordVerdict out = judge_rest(std::move(rest), spectrum, settings, search, choose, judge_beside_noise);
    out.slope = slope;
    return out;
  }
  if (!course)
    return judge_beside_noise(samples, spectrum, settings, search, std::move(floor), std::move(peaks),
                              choose);
  RecordVerdict out =
      judge_rest(std::move(course->rest), spectrum, settings, search, choose, judge_beside_noise);
  out.shift = course->shift;
  return out;
}

}  // namespace vprism
