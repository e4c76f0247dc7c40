// spectrum.cpp: see spectrum.h. One pass of the road feeds all that is asked for.
#include "cli/spectrum.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "identify/rounding_lines.h"
#include "identify/stamp_lines.h"
#include "transform/derived.h"
#include "transform/gaps.h"
#include "transform/levels.h"
#include "transform/spectrum_estimator.h"
#include "transform/zoom.h"

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

/// Channels that are cut and transformed alike.
struct Job {
  enum class Role { lines, shown, compared } role = Role::lines;
  std::vector<std::size_t> channels;
  double shift_hz = 0;  ///< Of complex channels: the frequency that 0 Hz stands for.
  std::optional<SpectrumEstimator> whole;
  std::optional<ZoomEstimator> zoom;

  void add(const Block& block) { whole ? whole->add(block) : zoom->add(block); }
  std::vector<Spectrum> result() { return whole ? whole->result() : zoom->result(); }
};

/// How a channel is to be cut; channels that agree share a job.
struct Cut {
  std::optional<Range> span;
  std::optional<double> resolution_hz;
  double carrier_hz = 0;
  bool operator==(const Cut& o) const {
    return resolution_hz == o.resolution_hz && carrier_hz == o.carrier_hz &&
           span.has_value() == o.span.has_value() &&
           (!span || (span->low == o.span->low && span->high == o.span->high));
  }
};

SpectrumPlan plan_for(const SpectrumSettings& settings, const Recording& recording,
                      const GapPattern* gaps = nullptr) {
  try {
    return gaps != nullptr ? plan_between_gaps(settings, *gaps, recording.axis.rate_hz())
                           : plan_spectrum(settings, recording.samples, recording.axis.rate_hz());
  } catch (const Error& error) {
    throw Error(error.status(), recording.file + ": " + error.what());
  }
}

void check_span(const Recording& recording, const Cut& cut, double rate_hz) {
  if (!cut.span) return;
  const double top = cut.carrier_hz + rate_hz / 2,
               bottom = recording.complex ? cut.carrier_hz - rate_hz / 2 : 0;
  const auto outside = [&](const std::string& what) {
    throw Error(Status::analysis, recording.file + ": the span " + what);
  };
  if (cut.span->low && *cut.span->low > top)
    outside("begins at " + format_quantity(*cut.span->low, "Hz", 9) +
            (recording.complex ? ", above the band's end, " : ", above half the rate, ") +
            format_quantity(top, "Hz", 9));
  if (cut.span->high && *cut.span->high < bottom)
    outside("ends at " + format_quantity(*cut.span->high, "Hz", 9) + ", below the band's beginning, " +
            format_quantity(bottom, "Hz", 9));
}

/// How gaps changed the cutting.
Caution parted_caution(const Recording& recording, const std::vector<std::size_t>& channels,
                       const GapPattern& pattern, const SpectrumPlan& plan) {
  std::int64_t used = 0;
  for (const auto& [length, count] : pattern.stretches)
    if (length >= static_cast<std::int64_t>(plan.segment))
      used += count * (static_cast<std::int64_t>(plan.segment) +
                       (length - static_cast<std::int64_t>(plan.segment)) /
                           static_cast<std::int64_t>(plan.hop) * static_cast<std::int64_t>(plan.hop));
  std::string names;
  for (std::size_t i = 0; i < std::min<std::size_t>(channels.size(), 4); ++i)
    names += (i > 0 ? ", " : "") + recording.channels[channels[i]].name;
  if (channels.size() > 4) names += ", ...";
  return {"gaps-parted", Severity::warning, channels.size() == 1 ? names : "",
          (channels.size() == 1 ? "" : names + ": ") + std::to_string(pattern.gaps) +
              (pattern.gaps == 1 ? " gap parts" : " gaps part") + " the record; segments of " +
              std::to_string(plan.segment) + " samples lie between, " + std::to_string(plan.averages) +
              " of them over " +
              format_number(100 * static_cast<double>(used) / static_cast<double>(pattern.samples), 3) +
              "% of the record",
          "gate to a stretch without gaps for a finer resolution"};
}

/// The jobs for one group of channels.
void add_jobs(const Recording& recording, const AnalysisSettings& settings, const Cut& cut,
              const std::vector<std::size_t>& channels, const GapPattern* gaps, std::vector<Job>& jobs) {
  const auto add = [&](Job::Role role, const SpectrumSettings& spectrum) {
    Job job;
    job.role = role;
    job.channels = channels;
    job.shift_hz = recording.complex ? cut.carrier_hz : 0;
    SpectrumPlan plan = plan_for(spectrum, recording, gaps);
    check_span(recording, cut, plan.rate_hz);
    SpectrumSettings final = spectrum;
    if (cut.span && cut.span->low && cut.span->high) {
      const Band band{*cut.span->low - job.shift_hz, *cut.span->high - job.shift_hz};
      final.band = {band.low_hz, band.high_hz};
      const auto zoom = spectrum.tapers > 0 || gaps != nullptr
                            ? std::nullopt
                            : plan_zoom(plan, spectrum.window, band, recording.samples, recording.complex);
      if (zoom) job.zoom.emplace(*zoom, final, channels);
    }
    if (!job.zoom) job.whole.emplace(plan, final, channels);
    jobs.push_back(std::move(job));
  };
  SpectrumSettings lines = settings.spectrum;
  if (cut.resolution_hz) lines.resolution_hz = cut.resolution_hz, lines.segment.reset();
  SpectrumSettings tapered = lines;
  lines.tapers = 0;
  if (tapered.tapers > 0) lines.pad = 1;
  add(Job::Role::lines, lines);
  if (tapered.tapers > 0) {
    // Cut like the windowed one, so that both tell of the same stretch.
    tapered.segment = plan_for(lines, recording, gaps).segment;
    tapered.resolution_hz.reset();
    add(Job::Role::shown, tapered);
  }
  for (const Window& window : settings.compared) {
    // The same segments, so that all curves have the same bins; each window has an RBW of its own.
    SpectrumSettings other = lines;
    other.window = window;
    other.segment = plan_for(lines, recording, gaps).segment;
    other.resolution_hz.reset();
    add(Job::Role::compared, other);
  }
}

/// Channels that are to be cut alike; `spans` gets that of each channel.
using CutGroups = std::vector<std::pair<Cut, std::vector<std::size_t>>>;
CutGroups cut_groups(const Recording& recording, const AnalysisSettings& settings,
                     std::vector<std::optional<Range>>& spans) {
  CutGroups groups;
  for (std::size_t c = 0; c < recording.channels.size(); ++c) {
    Cut cut;
    if (const SpanRule* rule = settings.span_of(recording, c)) {
      cut.span = rule->range;
      cut.resolution_hz = rule->resolution_hz;
    }
    spans.push_back(cut.span);
    if (recording.complex) cut.carrier_hz = recording.channels[c].carrier_hz;
    const auto found =
        std::find_if(groups.begin(), groups.end(), [&](const auto& g) { return g.first == cut; });
    if (found == groups.end())
      groups.push_back({cut, {c}});
    else
      found->second.push_back(c);
  }
  return groups;
}

/// Jobs that cut between the gaps: channels whose gaps lie alike share one. A channel in which no segment
/// finds room is left out, and `why` says so; where that is every channel, Error(analysis) is thrown.
std::vector<Job> jobs_between_gaps(const Recording& recording, const AnalysisSettings& settings,
                                   const CutGroups& groups, const std::vector<GapPattern>& gaps,
                                   std::vector<std::string>& why, std::vector<Caution>& cautions) {
  std::vector<Job> jobs;
  std::string first;
  for (const auto& [cut, channels] : groups) {
    std::vector<std::size_t> left = channels;
    while (!left.empty()) {
      const GapPattern& pattern = gaps[left.front()];
      std::vector<std::size_t> alike;
      for (const std::size_t c : left)
        if (gaps[c] == pattern) alike.push_back(c);
      std::erase_if(left, [&](std::size_t c) { return gaps[c] == pattern; });
      try {
        const std::size_t before = jobs.size();
        add_jobs(recording, settings, cut, alike, pattern.gaps > 0 ? &pattern : nullptr, jobs);
        if (pattern.gaps > 0 && jobs.size() > before && jobs[before].whole)
          cautions.push_back(parted_caution(recording, alike, pattern, jobs[before].whole->plan()));
      } catch (const Error& error) {
        if (error.status() != Status::analysis || pattern.gaps == 0) throw;
        if (first.empty()) first = error.what();
        for (const std::size_t c : alike) {
          why[c] = std::string(error.what()).substr(recording.file.size() + 2);
          cautions.push_back({"no-data", Severity::serious, recording.channels[c].name,
                              "no spectrum: " + why[c], "look at it with inspect; gate to what is valid"});
        }
      }
    }
  }
  if (jobs.empty()) throw Error(Status::analysis, first);
  return jobs;
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

/// Channels in parts of which each can be worked on in memory that does not grow with their number.
std::vector<CutGroups> in_parts(const CutGroups& groups, const Recording& recording,
                                const AnalysisSettings& settings) {
  constexpr double most_bytes = 384e6;
  std::vector<CutGroups> parts(1);
  // Cross spectra go with all channels at once.
  if (!settings.phase_reference.empty()) return {groups};
  double held = 0;
  for (const auto& [cut, channels] : groups) {
    SpectrumSettings lines = settings.spectrum;
    if (cut.resolution_hz) lines.resolution_hz = cut.resolution_hz, lines.segment.reset();
    const SpectrumPlan plan = plan_for(lines, recording);
    // Samples held, sums of powers in two lanes or more, a transform; and that again for what else is made.
    const double one = static_cast<double>(plan.segment) * (plan.averages > 1 ? 36 : 20) *
                       static_cast<double>((recording.complex ? 2 : 1) *
                                           (1 + settings.compared.size() + (lines.tapers > 0 ? 1 : 0)));
    CutGroups* part = &parts.back();
    part->push_back({cut, {}});
    for (const std::size_t c : channels) {
      if (held > 0 && held + one > most_bytes) {
        parts.push_back({{cut, {}}});
        part = &parts.back();
        held = 0;
      }
      part->back().second.push_back(c);
      held += one;
    }
  }
  for (CutGroups& part : parts) std::erase_if(part, [](const auto& group) { return group.second.empty(); });
  return parts;
}

/// The jobs' spectra, each to its channel.
void take_spectra(std::vector<Job>& jobs, SpectrumResult& result) {
  for (Job& job : jobs) {
    std::vector<Spectrum> spectra = job.result();
    for (std::size_t i = 0; i < spectra.size(); ++i) {
      Spectrum& spectrum = spectra[i];
      ChannelSpectrum& c = result.channels[job.channels[i]];
      spectrum.centre_hz += job.shift_hz;
      if (job.role == Job::Role::compared) {
        c.compared.push_back(std::move(spectrum));
      } else if (job.role == Job::Role::shown) {
        c.shown = std::move(spectrum);
      } else if (spectrum.transform != spectrum.plan.segment) {
        c.spectrum = spectrum.unpadded();
        c.shown = std::move(spectrum);
      } else {
        c.spectrum = std::move(spectrum);
      }
    }
  }
}

/// Peaks of the jobs' channels, each by itself, on all cores. Phases of every bin are let go of unless kept.
void find_all_peaks(const std::vector<Job>& jobs, const AnalysisSettings& settings, SpectrumResult& result,
                    std::vector<std::vector<Caution>>& found, bool phases_kept) {
  std::vector<std::size_t> channels;
  for (const Job& job : jobs)
    if (job.role == Job::Role::lines)
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

/// A spectrum of another quantity: levels, floor and lines with it.
void derive_all(ChannelSpectrum& c, const std::string& quantity) {
  const int steps = motion_order(std::string_view(quantity)) - motion_order(c.channel);
  if (steps == 0) return;
  const double factor = derive(c.channel, steps);
  derive(c.spectrum, steps, factor);
  if (c.shown) derive(*c.shown, steps, factor);
  for (Spectrum& other : c.compared) derive(other, steps, factor);
  for (std::size_t k = 0; k < c.floor.size(); ++k)
    c.floor[k] *= std::pow(factor * derived_gain(c.spectrum.frequency_hz(k), steps), 2);
  for (Peak& p : c.peaks) {
    const double gain = factor * derived_gain(p.frequency_hz, steps);
    p.rms *= gain, p.rms_std *= gain, p.band_rms *= gain, p.doubt_rms *= gain, p.floor_power *= gain * gain;
    p.phase_deg = std::remainder(p.phase_deg + 90 * steps, 360.0);
  }
  std::sort(c.peaks.begin(), c.peaks.end(), [](const Peak& a, const Peak& b) { return a.rms > b.rms; });
}

void finish_channel(ChannelSpectrum& c, const AnalysisSettings& settings, const Recording& recording) {
  if (!c.phase_deg.empty())
    for (Peak& peak : c.peaks) peak.phase_deg = c.phase_deg[peak.bin];
  else if (settings.phase_at_s)
    for (Peak& peak : c.peaks)
      peak.phase_deg =
          phase_at(peak.phase_deg, peak.frequency_hz - c.spectrum.centre_hz * (c.spectrum.two_sided ? 1 : 0),
                   *settings.phase_at_s - recording.axis.start);
  if (c.span) std::erase_if(c.peaks, [&](const Peak& p) { return !c.span->contains(p.frequency_hz); });
  if (!settings.derived.empty()) derive_all(c, settings.derived);
  if (c.peaks.size() > settings.peaks) c.peaks.resize(settings.peaks);
  if (settings.bands.empty()) return;
  int fraction = 0;
  c.bands = band_levels(c.curve(), bands_asked(settings.bands, c.curve(), &fraction));
  for (BandLevel& band : c.bands)
    if (fraction > 0) band.iec_class = octave_class(c.curve(), band.edges, fraction);
}

/// Sines fitted to the stamps, channel by channel.
SpectrumResult compute_by_stamps(Input& input, const AnalysisSettings& settings, const Progress& progress) {
  input.road().resolve();
  const Recording recording = input.road().recording();
  if (recording.axis.domain != Axis::Domain::time || recording.complex || !(recording.axis.interval > 0))
    throw Error(Status::analysis, recording.file + ": --method stamps needs real samples over time");
  if (recording.samples > (std::int64_t{1} << 24))
    throw Error(Status::analysis, recording.file +
                                      ": too many samples to fit sines to one by one; put them on an "
                                      "even grid with --chain regrid");
  std::vector<StampedSamples> samples(recording.channels.size());
  input.road().run(
      [&](Block& block) {
        for (std::size_t c = 0; c < samples.size(); ++c)
          for (std::size_t n = 0; n < block.size(); ++n) {
            if (std::isnan(block.samples(c)[n])) continue;
            samples[c].value.push_back(block.samples(c)[n]);
            samples[c].time_s.push_back(
                block.stamped() ? block.stamps()[n]
                                : recording.axis.start +
                                      recording.axis.interval *
                                          static_cast<double>(block.first() + static_cast<std::int64_t>(n)));
          }
      },
      progress);
  SpectrumResult result{input.facts(), {}, {}};
  result.cautions = result.facts.recording.cautions;
  for (std::size_t c = 0; c < samples.size(); ++c) {
    ChannelSpectrum out{recording.channels[c], {}};
    const SpanRule* const rule = settings.span_of(recording, c);
    try {
      const StampPlan plan =
          plan_stamps(samples[c].time_s, rule != nullptr ? rule->range.low : std::nullopt,
                      rule != nullptr ? rule->range.high : std::nullopt, settings.spectrum.window);
      out.spectrum = stamp_spectrum(samples[c], plan, settings.spectrum.window);
      PeakSearch search = stamp_lines(samples[c], plan, out.spectrum, settings.peaks);
      out.floor = std::move(search.floor);
      out.peaks = std::move(search.peaks);
    } catch (const Error& error) {
      throw Error(error.status(), recording.file + ": " + error.what());
    }
    if (rule != nullptr) out.span = rule->range;
    finish_channel(out, settings, recording);
    result.channels.push_back(std::move(out));
  }
  return result;
}

}  // namespace

std::vector<BandEdges> bands_asked(const std::string& text, const Spectrum& spectrum, int* fraction) {
  // A band needs two bins to tell anything.
  return bands_asked(text, spectrum.frequency_hz(0), spectrum.frequency_hz(spectrum.bins() - 1),
                     2 * spectrum.plan.rbw_hz, fraction);
}

std::vector<BandEdges> bands_asked(const std::string& text, double low_hz, double high_hz,
                                   double lowest_octave_hz, int* fraction) {
  static constexpr std::pair<const char*, int> known[] = {
      {"octave", 1}, {"third", 3}, {"1/1", 1}, {"1/3", 3}, {"1/6", 6}, {"1/12", 12}, {"1/24", 24}};
  for (const auto& [name, parts] : known)
    if (text == name) {
      if (fraction != nullptr) *fraction = parts;
      return octave_bands(parts, std::max(low_hz, lowest_octave_hz), high_hz);
    }
  std::vector<BandEdges> out;
  for (const std::string& part : split(text, ',')) {
    if (part.find("..") == std::string::npos)
      throw Error(
          Status::usage,
          "--bands: " + unknown_name("kind of band", part, {"octave", "third", "1/6", "1/12", "1/24"}) +
              "; or give ranges such as 10Hz..100Hz,100Hz..1kHz");
    const Range range = parse_range(trimmed(part), Dimension::frequency);
    const double low = range.low.value_or(low_hz), high = range.high.value_or(high_hz);
    out.push_back({low, (low + high) / 2, high, ""});
  }
  return out;
}

namespace {

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
  std::vector<std::vector<Job>> batches;
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
  const auto pass = [&](std::vector<Job>& jobs) {
    input.road().run(
        [&](Block& block) {
          for (Job& job : jobs) job.add(block);
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
  const auto take = [&](std::vector<Job>& jobs) {
    take_spectra(jobs, result);
    find_all_peaks(jobs, settings, result, found, phases_kept);
    jobs.clear();
  };
  pass(batches.front());
  std::vector<GapPattern> gaps = watch->result();
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
