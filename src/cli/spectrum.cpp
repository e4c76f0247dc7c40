// spectrum.cpp: see spectrum.h.
#include "cli/spectrum.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/text.h"
#include "cli/command.h"
#include "cli/console.h"
#include "transform/spectrum_estimator.h"

namespace vprism {

namespace {

/// A level as it is shown: in the scale's unit, or in dB.
struct Shown {
  const AnalysisSettings& settings;
  bool amplitude() const { return scale_entry(settings.scale).amplitude; }
  double value(double level) const {
    return settings.decibel_reference ? decibels(level, amplitude(), *settings.decibel_reference) : level;
  }
  std::string unit(const Unit& unit) const {
    const std::string plain = scale_unit(unit, settings.scale);
    if (!settings.decibel_reference) return plain;
    return "dB re " + format_number(*settings.decibel_reference) + (plain == "1" ? "" : " " + plain);
  }
};

std::pair<std::size_t, std::size_t> bins_of(const Spectrum& spectrum, const std::optional<Range>& span) {
  std::size_t low = 0, high = spectrum.bins();
  const double slack = 1e-9 * spectrum.plan.bin_hz;
  while (span && span->low && low < high && spectrum.frequency_hz(low) < *span->low - slack) ++low;
  while (span && span->high && high > low && spectrum.frequency_hz(high - 1) > *span->high + slack) --high;
  return {low, high};
}

double lowest_line_hz(const SpectrumResult& result) {
  double lowest = 1e300;
  for (const ChannelSpectrum& c : result.channels)
    for (const Peak& p : c.peaks) lowest = std::min(lowest, p.frequency_hz);
  return lowest;
}

/// A phase at the record's start, told for another time and brought to -180 .. 180.
double phase_at(double start_deg, double hz, double later_s) {
  return std::remainder(start_deg + 360 * std::remainder(hz * later_s, 1.0), 360.0);
}

std::string capital(std::string text) {
  if (!text.empty()) text[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(text[0])));
  return text;
}

}  // namespace

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

}  // namespace

SpectrumResult compute_spectrum(Input& input, const AnalysisSettings& settings, const Progress& progress) {
  input.require_even_axis();
  const Recording recording = input.road().recording();
  SpectrumPlan plan;
  try {
    plan = plan_spectrum(settings.spectrum, recording.samples, recording.axis.rate_hz());
  } catch (const Error& error) {
    throw Error(error.status(), recording.file + ": " + error.what());
  }
  if (settings.span && settings.span->low && *settings.span->low > plan.rate_hz / 2)
    throw Error(Status::analysis, recording.file + ": the span begins at " +
                                      format_quantity(*settings.span->low, "Hz") + ", above half the rate, " +
                                      format_quantity(plan.rate_hz / 2, "Hz"));
  SpectrumEstimator estimator(plan, settings.spectrum);
  input.road().run([&](Block& block) { estimator.add(block); }, progress);
  std::vector<Spectrum> spectra = estimator.result();

  SpectrumResult result{input.facts(), {}, {}};
  result.cautions = result.facts.recording.cautions;
  for (std::size_t c = 0; c < spectra.size(); ++c) {
    ChannelSpectrum out{recording.channels[c], std::move(spectra[c]), {}, {}};
    PeakSearch search = find_peaks(out.spectrum);
    out.floor = std::move(search.floor);
    out.peaks = std::move(search.peaks);
    if (settings.phase_at_s)
      for (Peak& peak : out.peaks)
        peak.phase_deg =
            phase_at(peak.phase_deg, peak.frequency_hz, *settings.phase_at_s - recording.axis.start);
    if (settings.span)
      std::erase_if(out.peaks, [&](const Peak& p) { return !settings.span->contains(p.frequency_hz); });
    if (out.peaks.size() > settings.peaks) out.peaks.resize(settings.peaks);
    for (Caution& caution : spectrum_cautions(out.channel, out.spectrum, out.peaks))
      result.cautions.push_back(std::move(caution));
    result.channels.push_back(std::move(out));
  }
  if (input.road().has_doubt()) weigh_doubt(input, plan, settings.spectrum, result);
  return result;
}

std::string plan_text(const Spectrum& s, double overlap) {
  return fmt::format("{}, segment {}, {}% overlap, {} {}, bin {}, RBW {}", s.window.name(), s.plan.segment,
                     format_number(100 * overlap, 3), s.plan.averages,
                     s.plan.averages == 1 ? "segment" : "averages", format_quantity(s.plan.bin_hz, "Hz"),
                     format_quantity(s.plan.rbw_hz, "Hz"));
}

TextTable peak_table(const ChannelSpectrum& c, const AnalysisSettings& settings) {
  const Shown shown{settings};
  TextTable table(
      {{"#"},
       {"frequency (Hz)"},
       {std::string("level (") + shown.unit(c.channel.unit) + " " + scale_entry(settings.scale).name + ")"},
       {"phase (deg)"},
       {"over noise (dB)"},
       {"", TextTable::Align::left}});
  for (std::size_t i = 0; i < c.peaks.size(); ++i) {
    const Peak& p = c.peaks[i];
    const double level = p.level(settings.scale, c.spectrum.plan);
    const double relative = (shown.amplitude() ? 1 : 2) * p.rms_std / p.rms;
    const std::string text = settings.decibel_reference ? fmt::format("{:.2f}", shown.value(level))
                                                        : format_uncertain(level, relative * level, "");
    table.add({std::to_string(i + 1), format_uncertain(p.frequency_hz, p.frequency_std_hz, ""), text,
               fmt::format("{:.1f}", p.phase_deg), fmt::format("{:.1f}", p.signal_to_noise_db()),
               p.doubtful() ? "interpolation?"
               : p.broad()  ? "broad"
                            : ""});
  }
  return table;
}

Json spectrum_json(const SpectrumResult& result, const AnalysisSettings& settings) {
  Json out = Json::array();
  const bool amplitude = scale_entry(settings.scale).amplitude;
  for (const ChannelSpectrum& c : result.channels) {
    const SpectrumPlan& plan = c.spectrum.plan;
    Json peaks = Json::array();
    for (const Peak& p : c.peaks) {
      const double level = p.level(settings.scale, plan);
      peaks.push_back(
          {{"frequency_hz", number(p.frequency_hz)},
           {"frequency_std_hz", number(p.frequency_std_hz)},
           {"level", number(level)},
           {"level_std", number((amplitude ? 1 : 2) * level * p.rms_std / p.rms)},
           {"level_db", number(decibels(level, amplitude, settings.decibel_reference.value_or(1)))},
           {"phase_deg", number(p.phase_deg)},
           {"prominence_db", number(p.prominence_db)},
           {"over_noise_db", number(p.signal_to_noise_db())},
           {"broad", p.broad()}});
      if (p.doubt_rms > 0) {
        peaks.back()["interpolated"] = p.doubtful();
        peaks.back()["interpolation_rms"] = number(p.doubt_rms);
      }
    }
    const auto [low, high] = bins_of(c.spectrum, settings.span);
    double square = 0;
    for (std::size_t k = low; k < high; ++k) square += c.spectrum.power[k] / c.spectrum.enbw_bins;
    const Json band = {{"low_hz", low < high ? number(c.spectrum.frequency_hz(low)) : Json(nullptr)},
                       {"high_hz", low < high ? number(c.spectrum.frequency_hz(high - 1)) : Json(nullptr)},
                       {"level", number(std::sqrt(square))}};
    out.push_back({{"channel", c.channel.name},
                   {"unit", c.channel.unit.label()},
                   {"file", result.facts.recording.file},
                   {"level_unit", scale_unit(c.channel.unit, settings.scale)},
                   {"rate_hz", number(plan.rate_hz)},
                   {"segment", plan.segment},
                   {"bin_hz", number(plan.bin_hz)},
                   {"rbw_hz", number(plan.rbw_hz)},
                   {"averages", plan.averages},
                   {"window", c.spectrum.window.name()},
                   {"scale", scale_entry(settings.scale).name},
                   {"mean", number(c.spectrum.mean)},
                   {"rms_total", number(c.spectrum.rms_total())},
                   {"peaks", std::move(peaks)},
                   {"bands", Json::array({band})}});
  }
  return out;
}

namespace {

/// Phase of each bin that stands out of the noise or is within 30 dB of the highest shown.
Panel phase_panel(const ChannelSpectrum& c, const Panel& amplitude, double later_s, std::size_t low,
                  std::size_t high) {
  Panel panel;
  panel.title = c.channel.name + ": phase";
  panel.x = amplitude.x;
  panel.y = {"Phase", "deg", false, -180, 180};
  Curve curve;
  double before = std::nan(""), most = 0;
  for (std::size_t k = low; k < high; ++k) most = std::max(most, c.spectrum.power[k]);
  for (std::size_t k = low; k < high; ++k) {
    const double hz = c.spectrum.frequency_hz(k);
    const bool clear = c.spectrum.power[k] > std::min(10 * c.floor[k], 1e-3 * most);
    const double phase =
        clear ? phase_at(std::arg(c.spectrum.first[k]) * 180 / std::numbers::pi, hz, later_s) : std::nan("");
    // A turn past 180 degrees is no line across the panel.
    if (std::abs(phase - before) > 180) {
      curve.x.push_back(hz);
      curve.y.push_back(std::nan(""));
    }
    curve.x.push_back(hz);
    curve.y.push_back(phase);
    before = phase;
  }
  panel.curves.push_back(std::move(curve));
  return panel;
}

}  // namespace

Figure spectrum_figure(const SpectrumResult& result, const AnalysisSettings& settings) {
  const Shown shown{settings};
  const Recording& r = result.facts.recording;
  Figure figure;
  figure.title = r.stem() + ": spectrum";
  const ScaleEntry& scale = scale_entry(settings.scale);
  figure.caption = plan_text(result.channels.front().spectrum, settings.spectrum.overlap) +
                   "; level: " + scale.name + " (" + scale.what + ")";
  const double lowest_line = lowest_line_hz(result);
  for (const ChannelSpectrum& c : result.channels) {
    const auto [low, high] = bins_of(c.spectrum, settings.span);
    Panel panel;
    panel.title = c.channel.name;
    // Lines in the lowest fiftieth of the range would stick to the edge of a linear axis.
    const double top = c.spectrum.frequency_hz(high > low ? high - 1 : low);
    const bool spread = !settings.span && lowest_line < 0.02 * top;
    panel.x = {"Frequency", "Hz", spread,
               spread ? std::min(lowest_line / 2, c.spectrum.frequency_hz(1)) : c.spectrum.frequency_hz(low),
               top};
    panel.y = {settings.scale == Scale::psd
                   ? "Density"
                   : capital(c.channel.quantity.empty() ? "level" : c.channel.quantity),
               shown.unit(c.channel.unit),
               !settings.decibel_reference,
               {},
               {}};
    if (panel.y.unit == "1") panel.y.unit.clear();
    if (scale.amplitude) panel.y.quantity += settings.scale == Scale::rms ? ", RMS" : ", peak";
    Curve curve;
    curve.name = c.channel.name;
    double least = 1e300;
    for (std::size_t k = low; k < high; ++k) {
      const double level = c.spectrum.level(k, settings.scale);
      curve.x.push_back(c.spectrum.frequency_hz(k));
      curve.y.push_back(shown.value(level));
      const double floor = settings.scale == Scale::psd     ? c.floor[k] / c.spectrum.plan.rbw_hz
                           : settings.scale == Scale::power ? c.floor[k]
                                                            : std::sqrt(c.floor[k]);
      if (floor > 0) least = std::min(least, floor);
    }
    // The axis ends a little below the lowest of the noise floor; single deep bins between are cut off.
    double most = 0;
    for (std::size_t k = low; k < high; ++k) most = std::max(most, c.spectrum.level(k, settings.scale));
    const double bottom =
        std::max(least * (scale.amplitude ? 0.1 : 0.01), most * (scale.amplitude ? 1e-9 : 1e-18));
    if (most > 0 && bottom < most) panel.y.low = shown.value(bottom);
    panel.curves.push_back(thinned(std::move(curve), 4000, panel.x.logarithmic));
    for (std::size_t i = 0; i < c.peaks.size(); ++i)
      panel.marks.push_back({c.peaks[i].frequency_hz,
                             shown.value(c.peaks[i].level(settings.scale, c.spectrum.plan)),
                             std::to_string(i + 1)});
    figure.panels.push_back(std::move(panel));
    if (settings.phase_at_s)
      figure.panels.push_back(
          phase_panel(c, figure.panels.back(), *settings.phase_at_s - r.axis.start, low, high));
  }
  return figure;
}

std::string spectrum_csv(const SpectrumResult& result, const AnalysisSettings& settings) {
  const Shown shown{settings};
  std::string out = "frequency (Hz)";
  for (const ChannelSpectrum& c : result.channels)
    out += "," +
           csv_cell(c.channel.name + " " + scale_entry(settings.scale).name + " (" +
                    shown.unit(c.channel.unit) + ")") +
           (settings.phase_at_s ? "," + csv_cell(c.channel.name + " phase (deg)") : "");
  out += "\n";
  const auto [low, high] = bins_of(result.channels.front().spectrum, settings.span);
  for (std::size_t k = low; k < high; ++k) {
    out += fmt::format("{}", result.channels.front().spectrum.frequency_hz(k));
    for (const ChannelSpectrum& c : result.channels) {
      out += fmt::format(",{:.10g}", shown.value(c.spectrum.level(k, settings.scale)));
      if (settings.phase_at_s)
        out += fmt::format(",{:.6g}", phase_at(std::arg(c.spectrum.first[k]) * 180 / std::numbers::pi,
                                               c.spectrum.frequency_hz(k),
                                               *settings.phase_at_s - result.facts.recording.axis.start));
    }
    out += "\n";
  }
  return out;
}

namespace {

class SpectrumTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    return {input_group(settings_.input), analysis_group(settings_.analysis), output_group(settings_.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    Console console(settings_.output);
    const AnalysisSettings& analysis = settings_.analysis;
    Telling telling;
    telling.command = "spectrum";
    telling.settings = settings;
    std::vector<SpectrumResult> results;
    for (auto& input : open_inputs(files, settings_.input)) {
      results.push_back(
          compute_spectrum(*input, analysis, console.progress("spectrum " + input->road().recording().file)));
      const SpectrumResult& result = results.back();
      telling.inputs.push_back(result.facts);
      telling.cautions.insert(telling.cautions.end(), result.cautions.begin(), result.cautions.end());
      for (Json& entry : spectrum_json(result, analysis)) telling.results.push_back(std::move(entry));
      telling.text += recording_lines_and_plan(result, analysis);
      for (const ChannelSpectrum& c : result.channels) {
        telling.text += "\n" + c.channel.name + ": total " +
                        format_quantity(c.spectrum.rms_total(), c.channel.unit.label()) + " RMS, mean " +
                        format_quantity(c.spectrum.mean, c.channel.unit.label()) + "\n";
        telling.text +=
            c.peaks.empty() ? "  no peak stands above the noise\n" : peak_table(c, analysis).text();
      }
    }
    const std::vector<std::string> stems = output_stems(input_files(files, settings_.input));
    deliver(
        telling, settings_.output, console,
        [&](OutputFolder& folder) {
          for (std::size_t i = 0; i < results.size(); ++i) {
            folder.add(stems[i] + "-spectrum.csv", spectrum_csv(results[i], analysis), "level of every bin");
            if (settings_.output.figure) {
              const Picture picture = *settings_.output.figure;
              folder.add(stems[i] + "-spectrum." + picture_ending(picture),
                         draw(spectrum_figure(results[i], analysis), picture),
                         "spectrum with the peaks of the table marked");
            }
          }
        },
        stems.front() + "-spectrum.json");
    return Status::done;
  }

 private:
  static std::string recording_lines_and_plan(const SpectrumResult& result,
                                              const AnalysisSettings& analysis) {
    const Recording& r = result.facts.recording;
    return clean_text(r.file) + "\n  " + std::to_string(r.samples) + " samples at " +
           format_quantity(r.axis.rate_hz(), "Hz", 9) + " (" + r.axis.source + ")\n  " +
           plan_text(result.channels.front().spectrum, analysis.spectrum.overlap) + "\n";
  }

  SpectrumTaskSettings settings_;
};

}  // namespace

std::unique_ptr<Task> make_spectrum_task() { return std::make_unique<SpectrumTask>(); }

}  // namespace vprism
