// identify.cpp: see identify.h. Two passes of the road: the spectrum that lines are found in, and a second
// one that looks at those lines segment by segment in all channels, and fits them to the samples where the
// record is short enough to be held.
#include "commands/identify/identify.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/parallel_invoke.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "identify/lines/lattice.h"
#include "identify/peaks/peak_sines.h"
#include "identify/verdict/record_verdict.h"
#include "transform/time/statistics.h"

namespace vprism {

namespace {

/// Records up to this many samples are fitted sample by sample.
constexpr std::int64_t most_fitted = std::int64_t{1} << 20;
constexpr std::size_t most_samples_held = std::size_t{1} << 22;
/// Steady lines fitted to the samples themselves. The slope beside lines of few periods, where it was looked
/// for.
std::optional<double> refine(ChannelSpectrum& c, const std::vector<double>& samples) {
  const double rate = c.spectrum.plan.rate_hz;
  const std::vector<Sine> first =
      sines_of(c.peaks, c.spectrum, [](const Peak& p) { return !p.broad() && !p.of_band; });
  if (!worth_fitting(first.size(), samples.size())) return {};
  const double record_bin = rate / static_cast<double>(samples.size());
  const SineFit fit = fit_sines_beside_wander(samples, rate, first, 8, 1e-6);
  for (Peak& p : c.peaks) {
    if (p.broad() || p.of_band || p.beside_wander) continue;
    const auto same = std::min_element(fit.sines.begin(), fit.sines.end(), [&](const Sine& a, const Sine& b) {
      return std::abs(a.frequency_hz - p.frequency_hz) < std::abs(b.frequency_hz - p.frequency_hz);
    });
    // A line that is not steady has no one frequency and phase: what its average power told stays.
    const double rms = same->amplitude / std::sqrt(2.0);
    const bool steady =
        std::abs(same->frequency_hz - p.frequency_hz) < std::max(2 * record_bin, 4 * p.frequency_std_hz) &&
        std::abs(rms - p.rms) < std::max(0.1 * p.rms, 5 * p.rms_std) && same->frequency_std_hz > 0;
    if (!steady) continue;
    p.frequency_hz = same->frequency_hz;
    // Within noise of a band the record's own noise is not all that there is.
    p.frequency_std_hz = std::max(same->frequency_std_hz, p.least_frequency_std_hz);
    p.rms = rms;
    p.rms_std = std::max(same->amplitude_std / std::sqrt(2.0), p.least_rms_std);
    p.phase_deg = same->phase_deg;
  }
  return fit.beside_line ? std::optional(fit.slope) : std::nullopt;
}

std::vector<std::size_t> reference_channels(const Recording& r, const IdentifySettings& settings,
                                            const SuspectsFile& suspects) {
  std::vector<std::size_t> out;
  const auto add = [&](const std::string& name, bool must) {
    try {
      for (const std::size_t c : select_channels(r, {name}))
        if (std::find(out.begin(), out.end(), c) == out.end()) out.push_back(c);
    } catch (const Error&) {
      if (must) throw;
    }
  };
  for (const std::string& name : settings.references) add(name, true);
  for (const Suspect& s : suspects.lineup)
    if (!s.near.empty()) add(s.near, false);
  return out;
}

/// How wide a finding is, where it is; a burst reaches to its peaks on either side.
double width_of(const Finding& f, const std::vector<Peak>& peaks) {
  double low = 0, high = 0, width = 0;
  for (const auto& [key, value] : f.numbers) {
    if (key == "low_hz") low = value;
    if (key == "high_hz") high = value;
    if (key == "width_hz") width = value;
  }
  for (const std::size_t m : f.kind == "burst" ? f.members : std::vector<std::size_t>())
    width = std::max(width, 2 * std::abs(peaks[m].frequency_hz - f.frequency_hz));
  return std::max(width, high - low);
}

/// Peaks of exactly these frequencies.
std::vector<std::size_t> places_of(const std::vector<double>& hz, const std::vector<Peak>& peaks) {
  std::vector<std::size_t> out;
  for (std::size_t i = 0; i < peaks.size(); ++i)
    if (std::find(hz.begin(), hz.end(), peaks[i].frequency_hz) != hz.end()) out.push_back(i);
  return out;
}

void rank(IdentifyResult& result) {
  std::vector<std::size_t> order(result.findings.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  const auto share = [&](std::size_t i) {
    return result.findings[i].level_rms / std::max(result.rms[result.channels[i]], 1e-300);
  };
  std::stable_sort(order.begin(), order.end(),
                   [&](std::size_t a, std::size_t b) { return share(a) > share(b); });
  IdentifyResult sorted;
  for (const std::size_t i : order) {
    sorted.findings.push_back(std::move(result.findings[i]));
    sorted.channels.push_back(result.channels[i]);
    sorted.watches.push_back(std::move(result.watches[i]));
  }
  result.findings = std::move(sorted.findings);
  result.channels = std::move(sorted.channels);
  result.watches = std::move(sorted.watches);
}

}  // namespace

IdentifyResult compute_identify(Input& input, const IdentifySettings& settings, const SuspectsFile& suspects,
                                const Progress& progress) {
  AnalysisSettings analysis = settings.analysis;
  analysis.search.false_alarms = settings.false_alarms;
  analysis.peaks = analysis.search.most;
  IdentifyResult result;
  result.spectrum = compute_spectrum(input, analysis, progress);
  result.cautions = result.spectrum.cautions;
  const Recording recording = input.road().recording();
  const std::vector<std::size_t> references = reference_channels(recording, settings, suspects);
  std::vector<ChannelSpectrum>& spectra = result.spectrum.channels;
  std::vector<Watch> watches;
  for (std::size_t c = 0; c < spectra.size(); ++c) {
    leave_out_by_settings(settings, spectra[c].peaks);
    result.noise.push_back(noise_shape(spectra[c].spectrum, spectra[c].floor));
    (void)mark_lattice(spectra[c].peaks, spectra[c].spectrum.plan, spectra[c].spectrum.variance);
    for (Finding& f : name_channel(recording, spectra[c], result.noise.back(), settings)) {
      double width = 0;
      for (const auto& [key, value] : f.numbers)
        if (key == "width_hz") width = value;
      watches.push_back(
          {f.frequency_hz, std::max(24 * spectra[c].spectrum.plan.bin_hz, 0.08 * f.frequency_hz), c, width});
      result.channels.push_back(c);
      result.findings.push_back(std::move(f));
    }
  }
  const SpectrumPlan& plan = spectra.front().spectrum.plan;
  const bool hold = !recording.complex && recording.samples <= most_fitted &&
                    static_cast<std::size_t>(recording.samples) * spectra.size() <= most_samples_held;
  std::vector<std::vector<double>> held(hold ? spectra.size() : 0);
  std::vector<std::vector<double>> rests(
      spectra.size());  // Without what dies away or jumps, where something does.
  StatisticsEstimator statistics(recording.channels.size() * (recording.complex ? 2 : 1));
  LevelsEstimator levels_of_values(recording.channels.size() * (recording.complex ? 2 : 1));
  RestEstimator rests_of_values(recording.channels.size() * (recording.complex ? 2 : 1));
  std::vector<Slope> slopes(recording.channels.size());
  std::vector<std::optional<LevelShift>> shifts(recording.channels.size());
  std::vector<std::optional<NoiseCourse>> courses(recording.channels.size());
  std::vector<std::vector<RunUp>> run_ups(recording.channels.size());
  OutlineEstimator outlines(recording.channels.size() * (recording.complex ? 2 : 1));
  std::optional<LineWatch> watch;
  if (!watches.empty() && !recording.complex && !spectra.front().spectrum.two_sided) {
    const SpectrumPlan looked = plan_watch(plan, analysis.spectrum, recording.samples);
    result.watch_rbw_hz = looked.rbw_hz;
    watch.emplace(looked, analysis.spectrum.window, watches, references);
  }
  bool gaps = false;
  std::vector<double> ramp;
  input.road().run(
      [&](Block& block) {
        while (ramp.size() < block.size()) ramp.push_back(static_cast<double>(ramp.size()));
        // Side by side; each by itself goes through the blocks in order.
        oneapi::tbb::parallel_invoke(
            [&] {
              if (watch) watch->add(block);
            },
            [&] {
              statistics.add(block);
              outlines.add(block);
              rests_of_values.add(block);
            },
            [&] {
              levels_of_values.add(block);
              for (std::size_t c = 0; c < slopes.size(); ++c) slopes[c].add(block, c, ramp);
            });
        gaps = gaps || block.gaps();
        for (std::size_t c = 0; c < held.size(); ++c)
          held[c].insert(held[c].end(), block.samples(c).begin(), block.samples(c).end());
      },
      progress);
  try {
    if (watch) result.watches = watch->result();
  } catch (const Error& error) {
    // Gaps may leave no stretch that all channels share; findings then stand without what it would say of
    // them.
    if (error.status() != Status::analysis) throw;
    result.cautions.push_back(
        {"not-followed", Severity::note, "",
         std::string("lines were not followed from segment to segment: ") + error.what(),
         "choose channels that have data at the same times"});
  }
  result.watches.resize(result.findings.size());
  const std::vector<Rests> stood = rests_of_values.result();
  std::vector<std::optional<double>> slope_beside_lines(spectra.size());  // Per sample.
  {
    // Where something was learnt since, the families are looked for anew.
    const bool judged = hold && !gaps && settings.analysis.derived.empty();
    std::vector<Finding> findings;
    std::vector<WatchResult> kept;
    std::vector<std::size_t> channels;
    std::vector<std::vector<JudgedBand>> bands(spectra.size());
    std::vector<std::optional<LineStates>> states(spectra.size());
    std::vector<std::vector<FrequencySwing>> swings(spectra.size());
    std::vector<std::vector<LineStates>> gated(spectra.size());
    const std::vector<Levels> known = levels_of_values.result();
    std::vector<std::vector<std::size_t>> quantised(spectra.size());
    std::vector<std::vector<double>> rounding(spectra.size());  // Frequencies: places change.
    const auto mark_rounding = [&](std::size_t c) {
      for (const std::size_t m : quantised_peaks(known[c], spectra[c].peaks)) {
        spectra[c].peaks[m].of_band = true;
        rounding[c].push_back(spectra[c].peaks[m].frequency_hz);
      }
    };
    for (std::size_t c = 0; c < spectra.size() && !recording.complex && settings.analysis.derived.empty();
         ++c)
      mark_rounding(c);
    if (judged)
      oneapi::tbb::parallel_for(std::size_t{0}, spectra.size(), [&](std::size_t c) {
        RecordVerdict verdict = judge_record(
            held[c], spectra[c].spectrum, analysis.spectrum, analysis.search, spectra[c].floor,
            std::move(spectra[c].peaks), [&](std::vector<Peak>& peaks) {
              const auto& span = spectra[c].span;
              if (span) std::erase_if(peaks, [&](const Peak& p) { return !span->contains(p.frequency_hz); });
              leave_out_by_settings(settings, peaks);
            });
        bands[c] = std::move(verdict.bands);
        spectra[c].peaks = std::move(verdict.peaks);
        if (!verdict.rest.empty()) {
          spectra[c].floor = std::move(verdict.floor);
          result.noise[c] = noise_shape(spectra[c].spectrum, spectra[c].floor);
          rounding[c].clear();
          mark_rounding(c);
        }
        const auto slope = refine(spectra[c], verdict.rest.empty() ? held[c] : verdict.rest);
        if (verdict.slope || verdict.rest.empty())
          slope_beside_lines[c] = verdict.slope ? verdict.slope : slope;
        rests[c] = std::move(verdict.rest);
        shifts[c] = verdict.shift;
        states[c] = std::move(verdict.states), swings[c] = std::move(verdict.swings);
        run_ups[c] = std::move(verdict.run_ups);
        courses[c] = std::move(verdict.noise), gated[c] = std::move(verdict.gated);
      });
    for (std::size_t c = 0; c < spectra.size(); ++c) {
      quantised[c] = places_of(rounding[c], spectra[c].peaks);
      widen_by_rounding(known[c], quantised[c], recording.duration_s(), spectra[c].peaks);
    }
    for (std::size_t c = 0; c < spectra.size(); ++c) {
      if (!judged && quantised[c].empty()) {
        for (std::size_t i = 0; i < result.findings.size(); ++i) {
          if (result.channels[i] != c) continue;
          kept.push_back(result.watches[i]);
          channels.push_back(c);
          findings.push_back(std::move(result.findings[i]));
        }
        continue;
      }
      const double rounded = quantised[c].empty() ? 0 : 1.5 * known[c].step / std::sqrt(12.0);
      double small = 0;  // Squares of what rounding may have made besides.
      std::vector<Finding> named = name_channel(recording, spectra[c], result.noise[c], settings, bands[c]);
      if (states[c]) named.insert(named.begin(), report_switching(recording, spectra[c], *states[c]));
      for (const LineStates& line : gated[c])
        named.insert(named.begin(), report_switching(recording, spectra[c], line));
      for (const RunUp& run : run_ups[c]) {
        leave_to_run_up(run, named);
        named.insert(named.begin(), report_run_up(recording, spectra[c], run));
      }
      for (const FrequencySwing& swing : swings[c])
        named.insert(named.begin(), report_swing(recording, spectra[c], swing));
      // Where neighbours are alike but nothing rests, rounding errs as slowly as the signal: its noise has
      // humps.
      const Rests& still = stood[c];
      const bool slow = 3 * still.alike > still.samples - still.resting && 2 * still.resting < still.samples;
      const double of_steps = slow ? known[c].step / std::sqrt(12.0) : 0;
      const auto of_noise = [](const Finding& f) {
        return f.kind == "resonance" || f.kind == "broadband" || f.kind == "impulse-family";
      };
      std::size_t below = 0;
      for (Finding& f : named) {
        if (f.level_rms < of_steps && of_noise(f) && ++below > 0) continue;
        if (f.level_rms < rounded) {
          small += f.level_rms * f.level_rms;
          continue;
        }
        // The watch that stood nearest to it.
        const WatchResult* nearest = nullptr;
        for (const WatchResult& w : result.watches)
          if (w.segments > 0 && w.watch.channel == c &&
              (nearest == nullptr ||
               std::abs(w.watch.hz - f.frequency_hz) < std::abs(nearest->watch.hz - f.frequency_hz)))
            nearest = &w;
        kept.push_back(nearest != nullptr && std::abs(nearest->watch.hz - f.frequency_hz) <
                                                 std::max(result.watch_rbw_hz, width_of(f, spectra[c].peaks))
                           ? *nearest
                           : WatchResult{});
        channels.push_back(c);
        findings.push_back(std::move(f));
      }
      if (below > 0) result.cautions.push_back(below_rounding(recording.channels[c], known[c].step, below));
      if (!quantised[c].empty()) {
        findings.push_back(report_quantisation(recording, spectra[c], known[c], quantised[c], small));
        kept.emplace_back();
        channels.push_back(c);
      }
    }
    result.findings = std::move(findings);
    result.watches = std::move(kept);
    result.channels = std::move(channels);
  }
  bool coherent = false;
  for (std::size_t i = 0; i < result.findings.size(); ++i) {
    if (result.watches[i].segments == 0) continue;
    const Finding& f = result.findings[i];
    // Below the first bins of the shorter segments, and beside other lines, they tell of something else.
    if (f.frequency_hz < 3 * result.watch_rbw_hz) continue;
    const auto& peaks = spectra[result.channels[i]].peaks;
    const bool crowded = std::any_of(peaks.begin(), peaks.end(), [&](const Peak& p) {
      const auto index = static_cast<std::size_t>(&p - peaks.data());
      const bool mine =
          of_one_band(f) && std::find(f.members.begin(), f.members.end(), index) != f.members.end();
      return !mine && !p.broad() && std::abs(p.frequency_hz - f.frequency_hz) < 2.5 * result.watch_rbw_hz &&
             std::abs(p.frequency_hz - f.frequency_hz) > plan.bin_hz && p.rms > 0.05 * f.level_rms;
    });
    const std::size_t before = f.evidence.size();
    if (!crowded)
      show_behaviour(result.watches[i], result.channels[i], result.watch_rbw_hz, plan, result.findings[i]);
    show_channels(recording, references, result.watches[i], result.channels[i], result.findings[i]);
    coherent = coherent || result.findings[i].evidence.size() > before + 1;
  }
  merge_drifts(result.findings, result.watches, result.channels);
  const std::vector<Statistics> levels = statistics.result();
  const std::vector<Outline> outlined = outlines.result();
  for (std::size_t c = 0; c < recording.channels.size() && !recording.complex; ++c) {
    const NoiseCourse* const course = courses[c] ? &*courses[c] : nullptr;
    if (c >= rests.size() || rests[c].empty()) {
      const std::span<const double> samples =
          c < held.size() ? std::span<const double>(held[c]) : std::span<const double>();
      name_events(recording, c, outlined[c], levels[c].std, samples, course, run_ups[c], result);
      continue;
    }
    OutlineEstimator rest(1);
    rest.add(0, rests[c]);
    name_events(recording, c, rest.result()[0], levels[c].std, rests[c], course, run_ups[c], result);
  }
  for (std::size_t c = 0; c < recording.channels.size() && !recording.complex; ++c)
    if (auto caution = rest_caution(recording.channels[c], stood[c], levels[c], recording.axis)) {
      leave_out_of_rests(c, stood[c], levels[c].std, recording.axis.rate_hz(), result);
      result.cautions.push_back(std::move(*caution));
    }
  for (std::size_t c = 0; c < recording.channels.size(); ++c)
    for (Caution& caution : level_cautions(recording.channels[c], levels[c], {}, {}, recording.axis)) {
      if (caution.code != "clipping" && caution.code != "dropouts") continue;
      result.cautions.push_back(caution);
      if (caution.code == "dropouts") continue;
      for (std::size_t i = 0; i < result.findings.size(); ++i)
        if (result.channels[i] == c && result.findings[i].kind == "harmonic-family")
          result.findings[i].evidence.push_back(
              "against a source of its own: the channel is clipped, and clipping makes harmonics");
    }
  // Samples are in the units of what was recorded; what is derived has its spectrum alone.
  const bool as_recorded = !recording.complex && settings.analysis.derived.empty();
  for (std::size_t c = 0; c < spectra.size(); ++c) {
    const Spectrum& spectrum = spectra[c].spectrum;
    result.rms.push_back(as_recorded ? levels[c].std : spectrum.rms_total());
    if (!as_recorded) continue;
    const auto add = [&](Finding finding) {
      result.findings.push_back(std::move(finding));
      result.watches.emplace_back();
      result.channels.push_back(c);
    };
    const auto& beside = slope_beside_lines[c];
    const double slope = beside.value_or(slopes[c].per_sample()),
                 length = static_cast<double>(recording.samples);
    const double share =
        beside ? slope * slope * (length * length - 1) / 12 / std::pow(levels[c].std, 2) : slopes[c].share();
    auto slow = shifts[c] ? report_step(recording, recording.channels[c], *shifts[c])
                          : report_trend(recording, recording.channels[c], slope * recording.axis.rate_hz(),
                                         share, result.rms[c], beside.has_value());
    if (slow && (shifts[c] || beside || !slow_line(recording, c, *slow, result))) add(std::move(*slow));
    if (courses[c]) add(report_noise_course(recording, recording.channels[c], *courses[c]));
  }
  for (std::size_t c = 0; c < spectra.size() && as_recorded; ++c) hold_power_rule(c, result);
  rank(result);
  if (!suspects.lineup.empty()) judge_suspects(suspects, settings, result);
  if (coherent)
    result.cautions.push_back({"coherence-no-proof", Severity::note, "",
                               "channels that go together may both follow a third: coherence shows where to "
                               "look, not what causes what",
                               "switch the suspect off and compare"});
  return result;
}

}  // namespace vprism
