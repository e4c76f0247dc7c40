// spectrum.cpp: see spectrum.h. One pass of the road feeds all that is asked for.
#include "commands/spectrum/spectrum.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "commands/shared/span_cautions.h"
#include "commands/spectrum/finish.h"
#include "commands/spectrum/jobs.h"
#include "identify/findings/rounding_lines.h"
#include "transform/spectra/levels.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism {

namespace {

/// What interpolation on the way is estimated to have made of each line: the spectrum of its error, over the
/// main lobe.
void weigh_doubt(Input& input, const SpectrumPlan& plan, const SpectrumSettings& settings,
                 SpectrumResult& result) {
  SpectrumEstimator estimator(plan, settings);
  input.road().run_doubt([&](Block& block) { estimator.add(block); });
  const std::vector<Spectrum> doubts = estimator.result();
  const double half_width = window_half_width_bins(settings.window);
  for (std::size_t c = 0; c < doubts.size(); ++c) {
    const Spectrum& doubt = doubts[c];
    std::vector<double> lines;
    for (Peak& peak : result.channels[c].peaks) {
      peak.doubt_rms = doubt.rms_around(peak.frequency_hz, half_width);
      // It may be of any phase, and differ along the record: as noise of that amplitude would (the bound of
      // Cramer and Rao).
      peak.rms_std = std::hypot(peak.rms_std, peak.doubt_rms);
      if (peak.rms > 0)
        peak.frequency_std_hz =
            std::hypot(peak.frequency_std_hz, 0.55 / doubt.plan.segment_s() * peak.doubt_rms / peak.rms);
      if (peak.doubtful()) lines.push_back(peak.frequency_hz);
    }
    if (lines.empty()) continue;
    std::sort(lines.begin(), lines.end());
    result.cautions.push_back(
        {"regrid-lines", Severity::warning, result.channels[c].channel.name,
         std::to_string(lines.size()) + (lines.size() == 1 ? " line is" : " lines are") +
             " no higher than three times what the interpolation is estimated to make there, the first at " +
             format_quantity(lines.front(), "Hz") + "; marked in the table, and no finding",
         "export with shorter steps, or regrid cubic"});
  }
}

/// Segments as asked for may leave an end of the record that none of them reaches: more than a twentieth.
std::optional<Caution> unseen_end(const Recording& recording, const SpectrumPlan& plan) {
  const auto samples = static_cast<double>(plan.segment) +
                       static_cast<double>(plan.averages - 1) * static_cast<double>(plan.hop);
  const double share = 1 - samples / plan.rate_hz / recording.duration_s();
  if (!(share > 0.05) || plan.averages < 1) return {};
  return Caution{
      "end-unseen", Severity::warning, "",
      fmt::format("the last {:.0f}% of the record lie in no segment of {} samples: they are not in the "
                  "spectrum",
                  100 * share, plan.segment),
      "leave out --segment, --resolution and --overlap to have all of it looked at, or ask for another"};
}

/// What a channel without data has in place of a spectrum: not numbers.
Spectrum nothing_like(const Spectrum& other) {
  Spectrum none = other;
  std::fill(none.power.begin(), none.power.end(), std::nan(""));
  std::fill(none.first.begin(), none.first.end(), std::complex<double>(std::nan(""), std::nan("")));
  none.stretches.clear();
  none.mean = std::nan("");
  return none;
}

/// Peaks of the jobs' channels, each by itself, on all cores. Phases of every bin are let go of unless kept.
void find_all_peaks(const std::vector<SpectrumJob>& jobs, const AnalysisSettings& settings,
                    SpectrumResult& result, std::vector<std::vector<Caution>>& found, bool phases_kept) {
  std::vector<std::size_t> channels;
  for (const SpectrumJob& job : jobs)
    if (job.role == SpectrumJob::Role::lines)
      channels.insert(channels.end(), job.channels.begin(), job.channels.end());
  oneapi::tbb::parallel_for(std::size_t{0}, channels.size(), [&](std::size_t i) {
    ChannelSpectrum& out = result.channels[channels[i]];
    PeakSearch search = find_peaks(out.spectrum, settings.search);
    found[channels[i]] = spectrum_cautions(out.channel, out.spectrum, search, settings.scale);
    out.floor = std::move(search.floor);
    out.peaks = std::move(search.peaks);
    if (!phases_kept) std::vector<std::complex<double>>().swap(out.spectrum.first);
  });
}

/// Lines that rounding to steps makes are no lines from above half the rate, and their like lie under all
/// others.
void allow_for_rounding(const std::vector<Levels>& levels, SpectrumResult& result,
                        std::vector<std::vector<Caution>>& cautions) {
  for (std::size_t c = 0; c < result.channels.size(); ++c) {
    std::vector<Peak>& peaks = result.channels[c].peaks;
    const std::vector<std::size_t> members = quantised_peaks(levels[c], peaks);
    widen_by_rounding(levels[c], members, result.facts.recording.duration_s(), peaks);
    const double near = 0.95 * result.channels[c].spectrum.plan.rate_hz / 2;
    const auto of_rounding = [&](std::size_t m) { return peaks[m].frequency_hz > near; };
    if (std::any_of(members.begin(), members.end(), of_rounding))
      std::erase_if(cautions[c], [](const Caution& caution) {
        return caution.code == "near-half-rate" && caution.severity == Severity::note;
      });
  }
}

}  // namespace

SpectrumResult compute_spectrum(Input& input, const AnalysisSettings& settings, const Progress& progress) {
  if (settings.by_stamps) return compute_by_stamps(input, settings, progress);
  double band_hz = 0;
  for (const SpanRule& rule : settings.spans) band_hz = std::max(band_hz, rule.range.high.value_or(0));
  input.require_even_axis(band_hz);
  const Recording recording = input.road().recording();
  std::vector<std::optional<Range>> spans;
  const CutGroups groups = cut_groups(recording, settings, spans);
  std::vector<std::vector<SpectrumJob>> batches;
  for (const CutGroups& part : in_parts(groups, recording, settings)) {
    batches.emplace_back();
    for (const auto& [cut, channels] : part)
      add_jobs(recording, settings, cut, channels, nullptr, batches.back());
  }
  std::optional<CrossEstimator> cross;
  const auto begin_cross = [&](const GapPattern* gaps) {
    if (settings.phase_reference.empty()) return;
    cross.emplace(plan_for(settings.spectrum, recording, gaps), settings.spectrum,
                  std::vector{select_channels(recording, {settings.phase_reference}).front()});
  };
  begin_cross(nullptr);
  std::optional<GapWatch> watch(recording.channels.size());
  // Of short records, where what rounding makes may stand above all noise.
  constexpr std::int64_t most_rounded = std::int64_t{1} << 22;
  std::optional<LevelsEstimator> values;
  if (!recording.complex && settings.derived.empty() && recording.samples <= most_rounded)
    values.emplace(recording.channels.size());
  bool shared = false;
  const auto pass = [&](std::vector<SpectrumJob>& jobs) {
    std::vector<PartedSink*> parted;
    for (SpectrumJob& job : jobs)
      if (job.whole) parted.push_back(&*job.whole);
    // All that looks at the blocks, or nothing, can be shared.
    if (parted.size() < jobs.size() || cross || (watch && values)) parted.clear();
    shared = input.road().run_parted(
        parted,
        [&](Block& block) {
          for (SpectrumJob& job : jobs) job.add(block);
          if (cross) cross->add(block);
          if (watch && values) values->add(block);
          if (watch) watch->add(block);
        },
        progress);
  };

  SpectrumResult result;
  for (std::size_t c = 0; c < recording.channels.size(); ++c) {
    result.channels.push_back({recording.channels[c], {}});
    result.channels.back().span = spans[c];
  }
  std::vector<std::vector<Caution>> found(result.channels.size());
  const bool phases_kept = batches.size() == 1 || settings.shows_phase();
  const auto take = [&](std::vector<SpectrumJob>& jobs) {
    take_spectra(jobs, result);
    find_all_peaks(jobs, settings, result, found, phases_kept);
    jobs.clear();
  };
  pass(batches.front());
  // What ranks have shared has no gaps.
  std::vector<GapPattern> gaps = shared ? std::vector<GapPattern>(1) : watch->result();
  watch.reset();
  std::vector<std::string> why(recording.channels.size());
  std::vector<Caution> gap_cautions;
  if (gaps.back().gaps > 0) {
    // Only now is it known where they are: cut anew.
    if (!settings.phase_reference.empty())
      for (GapPattern& pattern : gaps) pattern = gaps.back();
    batches.resize(1);
    try {
      batches.front() = jobs_between_gaps(recording, settings, groups, gaps, why, gap_cautions);
    } catch (const Error& error) {
      // A run that fails shows no cautions.
      const std::vector<Caution> known = input.road().cautions();
      if (known.empty()) throw;
      throw Error(error.status(), std::string(error.what()) + "; channel \"" + known.front().channel +
                                      "\": " + known.front().text + "; " + known.front().remedy);
    }
    begin_cross(&gaps.back());
    pass(batches.front());
  }
  result.facts = input.facts();
  take(batches.front());
  for (std::size_t i = 1; i < batches.size(); ++i) {
    pass(batches[i]);
    take(batches[i]);
  }

  if (values) allow_for_rounding(values->result(), result, found);
  result.cautions = result.facts.recording.cautions;
  for (Caution& caution : span_cautions(settings, recording)) result.cautions.push_back(std::move(caution));
  result.cautions.insert(result.cautions.end(), gap_cautions.begin(), gap_cautions.end());
  if (gaps.back().gaps == 0)
    if (auto caution = unseen_end(recording, result.channels.front().spectrum.plan))
      result.cautions.push_back(std::move(*caution));
  for (std::size_t c = 0; c < result.channels.size(); ++c) result.channels[c].no_data = why[c];
  const auto some = std::find_if(result.channels.begin(), result.channels.end(),
                                 [](const ChannelSpectrum& c) { return c.no_data.empty(); });
  for (ChannelSpectrum& c : result.channels) {
    if (c.no_data.empty()) continue;
    c.spectrum = nothing_like(some->spectrum);
    c.floor.assign(c.spectrum.bins(), 0.0);
    for (const Spectrum& other : some->compared) c.compared.push_back(nothing_like(other));
    if (some->shown) c.shown = nothing_like(*some->shown);
  }
  CrossSpectra crosses;
  if (cross) crosses = cross->result();
  for (std::size_t c = 0; c < result.channels.size(); ++c) {
    ChannelSpectrum& out = result.channels[c];
    for (Caution& caution : found[c]) result.cautions.push_back(std::move(caution));
    if (!out.no_data.empty()) continue;
    if (cross && crosses.own[c].bins() == out.spectrum.bins())
      for (std::size_t k = 0; k < out.spectrum.bins(); ++k) {
        out.phase_deg.push_back(crosses.phase_deg(c, 0, k));
        out.coherence.push_back(crosses.coherence(c, 0, k));
      }
  }
  if (input.road().has_doubt()) {
    SpectrumSettings plain = settings.spectrum;
    plain.average = Average::mean;
    plain.tapers = 0;
    plain.pad = 1;
    weigh_doubt(input, plan_for(plain, recording), plain, result);
  }
  for (ChannelSpectrum& out : result.channels) finish_channel(out, settings, recording);
  return result;
}

}  // namespace vprism
