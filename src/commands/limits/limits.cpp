// limits.cpp: the command `limits`.
#include "commands/limits/limits.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/limits/limit_levels.h"
#include "commands/spectrum/spectrum.h"
#include "frame/command.h"
#include "frame/console.h"

namespace vprism {

std::vector<OptionGroup> LimitsTask::options() {
  return {
      input_group(input_),
      analysis_group(analysis_, {"peaks", "phase-at", "db"}),
      {"Limits",
       {text_option("limit", "FILE", "limit lines: a table over frequency, or TOML (needed; docs/formats.md)",
                    file_),
        {"course", "logarithmic|linear|step",
         "how a line that does not say so runs between its points (default: logarithmic)", false,
         [this](const std::string& t) { course_ = parse_course(t); },
         [this] {
           static const char* const names[] = {"logarithmic", "linear", "step"};
           return Json(names[static_cast<int>(course_)]);
         }},
        switch_option("partial",
                      "let what can be judged decide: a line that runs beyond half the rate, under the RBW "
                      "or over a gap does not fail for that",
                      partial_)}},
      output_group(output_)};
}

Status LimitsTask::run(const std::vector<std::string>& files, const Json& settings) {
  if (file_.empty()) throw Error(Status::usage, "--limit FILE is needed: a table over frequency, or TOML");
  Console console(output_);
  Delivery delivery;
  delivery.command = "limits";
  delivery.settings = settings;
  const std::vector<AskedLimit> limits = read_limits(file_, course_);
  std::vector<Recorded> all;
  bool pass = true, in_full = true, any = false;
  const auto inputs = open_inputs(files, input_);
  const std::vector<std::string> stems = output_stems(input_files(files, input_), "-limits");
  const auto outputs = open_outputs(output_, "limits", files, stems);
  for (const auto& input : inputs) {
    all.push_back(hold(*input, limits, console.progress("limits " + input->road().recording().file)));
    const Recorded& r = all.back();
    delivery.inputs.push_back(r.facts);
    delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
    delivery.text += text(r);
    for (const HeldLine& h : r.held) {
      delivery.results.push_back(json(h));
      pass = pass && !h.fails();
      in_full = in_full && h.in_full();
      any = any || h.judged();
    }
  }
  if (!any) {
    const HeldLine& h = all.front().held.front();
    throw Error(Status::analysis,
                all.front().facts.recording.file + ": " +
                    (!h.dead.empty() ? h.channel.name + " can't be judged: " + h.dead
                                     : "the limit \"" + clean_text(h.limit.line.name) + "\" runs from " +
                                           format_quantity(h.limit.line.points.front().first, "Hz") + " to " +
                                           format_quantity(h.limit.line.points.back().first, "Hz") +
                                           ", where there is no level to compare with"));
  }
  const bool enough = in_full || partial_;
  const std::string verdict = !pass ? "fail" : enough ? "pass" : "not judged in full";
  delivery.text += !pass ? "FAIL: limits are exceeded\n\n"
                   : !enough
                       ? "NOT JUDGED IN FULL: nothing that was judged exceeds its limit, but not all was; "
                         "--partial lets that decide\n\n"
                   : in_full ? "PASS: all levels keep their limits\n\n"
                             : "PASS in part: all that was judged keeps its limit\n\n";
  delivery.further["verdict"] = verdict;
  delivery.further["judged_in_full"] = in_full;
  return deliver(
      delivery, output_, console, outputs.get(),
      [&](Outputs& folder) {
        for (std::size_t i = 0; i < all.size(); ++i) {
          folder.add(stems[i] + ".csv", csv(all[i]), "violations and least margins");
          folder.add_figure(stems[i], figure(all[i]), "levels, limits and what exceeds them");
        }
      },
      stems.front() + ".json", pass && enough ? Status::done : Status::check_failed);
}

Recorded LimitsTask::hold(Input& input, const std::vector<AskedLimit>& limits,
                          const Progress& progress) const {
  Recorded out;
  const bool stored = holds_spectra(input);
  std::optional<SpectrumResult> mean, peak;
  std::vector<std::pair<SpectrumResult, SpectrumResult>> shorter;  // Highest and median.
  std::vector<StoredSpectrum> curves;
  if (stored) {
    curves = read_stored_spectra(input);
    out.facts = curves.front().facts;
  } else {
    AnalysisSettings analysis = analysis_;
    analysis.peaks = analysis.search.most;
    const auto wants = [&](bool p) {
      return std::any_of(limits.begin(), limits.end(),
                         [&](const AskedLimit& l) { return l.peak_detector == p; });
    };
    if (wants(false)) mean = compute_spectrum(input, analysis, progress);
    analysis.spectrum.average = Average::peak_hold;
    if (wants(true)) {
      peak = compute_spectrum(input, analysis, progress);
      // Segments that nobody chose are too long for a burst: shorter ones are looked at as well.
      const bool chosen = analysis_.spectrum.segment || analysis_.spectrum.resolution_hz;
      std::size_t segment = chosen ? 0 : peak->channels.front().spectrum.plan.segment / 4;
      for (analysis.peaks = 0; segment >= shortest_segment; segment /= 4) {
        analysis.spectrum.segment = segment;
        analysis.spectrum.average = Average::peak_hold;
        SpectrumResult highest = compute_spectrum(input, analysis, progress);
        analysis.spectrum.average = Average::median;
        shorter.emplace_back(std::move(highest), compute_spectrum(input, analysis, progress));
      }
    }
    const SpectrumResult& one = mean ? *mean : *peak;
    out.facts = one.facts;
    out.cautions = one.cautions;
  }
  const Recording& r = out.facts.recording;
  for (const AskedLimit& limit : limits)
    for (const std::size_t c : select_channels(r, {limit.channels})) {
      HeldLine h;
      double least_hz = 0, top_hz = 0;
      h.limit = limit;
      h.channel = r.channels[c];
      if (stored) {
        h.levels.hz = curves[c].hz;
        h.levels.level = curves[c].level;
        h.scale = limit.scale.value_or(analysis_.scale);
        const bool fits = limit.decibels || limit.unit.text() == "1" ||
                          limit.unit.text() == h.channel.unit.text() ||
                          (limit.unit.known() && limit.unit.converts_to(h.channel.unit));
        if (!fits)
          throw Error(Status::usage, r.file + ": the limit \"" + clean_text(limit.line.name) + "\" is in " +
                                         clean_text(limit.unit.text()) + ", the spectrum in " +
                                         clean_text(h.channel.unit.text()));
        const double factor =
            limit.unit.known() && h.channel.unit.known() && limit.unit.text() != "1" && !limit.decibels
                ? limit.unit.convert(1, h.channel.unit)
                : 1;
        for (auto& [hz, level] : h.limit.line.points) level *= factor;
      } else {
        const ChannelSpectrum& s = (limit.peak_detector ? *peak : *mean).channels[c];
        const auto [scale, factor] = limit_meaning(limit, h.channel.unit, analysis_, r.file);
        h.scale = scale;
        if (!limit.decibels)
          for (auto& [hz, level] : h.limit.line.points) level *= factor;
        const auto [low, high] =
            s.curve().bins_within(s.span ? s.span->low : std::nullopt, s.span ? s.span->high : std::nullopt);
        h.levels = limit_levels(s.curve(), s.peaks, low, high, scale);
        if (limit.peak_detector) {
          h.levels.std_db.clear();  // The highest of all segments is what it is.
          for (const auto& [highest, usual] : shorter)
            if (c < highest.channels.size())
              lift_by_bursts(highest.channels[c].spectrum, usual.channels[c].spectrum, scale, h.levels);
        }
        h.plan = plan_text(s.curve(), analysis_.spectrum.overlap);
        least_hz = s.curve().two_sided ? 0 : s.curve().plan.rbw_hz;
        top_hz = s.curve().frequency_hz(s.curve().bins() - 1);
        // A sensor that is stuck keeps every limit.
        if (!s.no_data.empty())
          h.dead = s.no_data;
        else if (still(s.spectrum))
          h.dead = "it holds " + format_quantity(s.spectrum.mean, h.channel.unit.label()) +
                   " throughout, as a dead sensor would";
      }
      limit_from_decibels(h.limit, h.scale, analysis_);
      h.verdict = judge_limit(h.limit.line, h.levels, scale_entry(h.scale).amplitude, least_hz);
      name_gaps(h, top_hz);
      const LimitViolation& worst = h.verdict.worst;
      if (h.judged() && std::abs(worst.margin_db) < 2 * worst.margin_std_db)
        out.cautions.push_back(
            {"verdict-unsure", h.verdict.pass ? Severity::note : Severity::warning, h.channel.name,
             fmt::format("the least margin to {}, {:+.2f} dB, is within twice its uncertainty, {:.2g} dB",
                         clean_text(h.limit.line.name), worst.margin_db, worst.margin_std_db),
             "record longer, or average more with a coarser --resolution"});
      out.held.push_back(std::move(h));
    }
  return out;
}

bool LimitsTask::still(const Spectrum& s) {
  const auto beside_mean = static_cast<std::size_t>(window_half_width_bins(s.window)) + 1;
  double square = 0;
  for (std::size_t k = s.mirrored() ? beside_mean : 0; k < s.bins(); ++k) square += s.share(k);
  return !(std::sqrt(square) > 1e-12 * std::abs(s.mean));
}

void LimitsTask::name_gaps(HeldLine& h, double top_hz) {
  for (LimitGap& gap : h.verdict.not_judged)
    if (top_hz > 0 && gap.why == "beyond the last level")
      gap.why = h.levels.hz.back() >= 0.999 * top_hz ? "beyond half the rate" : outside_span;
    else if (top_hz > 0 && gap.why == "below the first level")
      gap.why = outside_span;
}

std::string LimitsTask::decibels(double value, double std_db, bool sign) {
  if (!(std_db > 0)) return sign ? fmt::format("{:+.2f} dB", value) : fmt::format("{:.2f} dB", value);
  return (sign && value >= 0 ? "+" : "") + format_uncertain(value, std_db, "dB");
}

std::unique_ptr<Task> make_limits_task() { return std::make_unique<LimitsTask>(); }

}  // namespace vprism
