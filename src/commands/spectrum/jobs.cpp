// jobs.cpp: see jobs.h.
#include "commands/spectrum/jobs.h"

#include <algorithm>

#include "base/error.h"

namespace vprism {

namespace {

void check_span(const Recording& recording, const SpectrumCut& cut, double rate_hz) {
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

}  // namespace

SpectrumPlan plan_for(const SpectrumSettings& settings, const Recording& recording, const GapPattern* gaps) {
  try {
    return gaps != nullptr ? plan_between_gaps(settings, *gaps, recording.axis.rate_hz())
                           : plan_spectrum(settings, recording.samples, recording.axis.rate_hz());
  } catch (const Error& error) {
    throw Error(error.status(), recording.file + ": " + error.what());
  }
}

void add_jobs(const Recording& recording, const AnalysisSettings& settings, const SpectrumCut& cut,
              const std::vector<std::size_t>& channels, const GapPattern* gaps,
              std::vector<SpectrumJob>& jobs) {
  const auto add = [&](SpectrumJob::Role role, const SpectrumSettings& spectrum) {
    SpectrumJob job;
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
  add(SpectrumJob::Role::lines, lines);
  if (tapered.tapers > 0) {
    // Cut like the windowed one: both are of the same stretch.
    tapered.segment = plan_for(lines, recording, gaps).segment;
    tapered.resolution_hz.reset();
    add(SpectrumJob::Role::shown, tapered);
  }
  for (const Window& window : settings.compared) {
    // The same segments, so that all curves have the same bins; each window has an RBW of its own.
    SpectrumSettings other = lines;
    other.window = window;
    other.segment = plan_for(lines, recording, gaps).segment;
    other.resolution_hz.reset();
    add(SpectrumJob::Role::compared, other);
  }
}

CutGroups cut_groups(const Recording& recording, const AnalysisSettings& settings,
                     std::vector<std::optional<Range>>& spans) {
  CutGroups groups;
  for (std::size_t c = 0; c < recording.channels.size(); ++c) {
    SpectrumCut cut;
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

std::vector<SpectrumJob> jobs_between_gaps(const Recording& recording, const AnalysisSettings& settings,
                                           const CutGroups& groups, const std::vector<GapPattern>& gaps,
                                           std::vector<std::string>& why, std::vector<Caution>& cautions) {
  std::vector<SpectrumJob> jobs;
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
    // Samples held, sums of powers in two lanes or more, those of the parts before, a transform; and that
    // again for what else is made.
    const double one = static_cast<double>(plan.segment) * (plan.averages > 1 ? 44 : 20) *
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

void take_spectra(std::vector<SpectrumJob>& jobs, SpectrumResult& result) {
  for (SpectrumJob& job : jobs) {
    std::vector<Spectrum> spectra = job.result();
    for (std::size_t i = 0; i < spectra.size(); ++i) {
      Spectrum& spectrum = spectra[i];
      ChannelSpectrum& c = result.channels[job.channels[i]];
      spectrum.centre_hz += job.shift_hz;
      if (job.role == SpectrumJob::Role::compared) {
        c.compared.push_back(std::move(spectrum));
      } else if (job.role == SpectrumJob::Role::shown) {
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

}  // namespace vprism
