// condition.cpp: see condition.h.
#include "commands/condition/condition.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "commands/condition/versus.h"
#include "frame/command.h"
#include "frame/console.h"

namespace vprism {

namespace {

constexpr std::size_t lines_shown = 6;

/// The chain's gain at a frequency, over the stages that have one.
std::optional<std::complex<double>> chain_gain(const Chain& chain, double hz, std::string* names = nullptr) {
  std::optional<std::complex<double>> gain;
  for (const auto& stage : chain) {
    const auto one = stage->response(hz);
    if (!one) continue;
    gain = gain.value_or(1) * *one;
    if (names != nullptr) *names += (names->empty() ? "" : ", ") + stage->report().name;
  }
  return gain;
}

std::vector<ChangedLine> changed_lines(const ChannelSpectrum& before, const ChannelSpectrum& after,
                                       const Chain& chain) {
  std::vector<ChangedLine> out;
  const double half_width = window_half_width_bins(before.spectrum.window);
  for (const Peak& peak : before.peaks) {
    if (out.size() == lines_shown) break;
    ChangedLine line;
    line.frequency_hz = peak.frequency_hz;
    line.before = peak.rms;
    if (const auto gain = chain_gain(chain, peak.frequency_hz)) line.gain = std::abs(*gain);
    if (peak.frequency_hz > after.spectrum.plan.rate_hz / 2) {
      out.push_back(line);  // Above the new band: nothing is left of it.
      continue;
    }
    const double near = std::max(before.spectrum.plan.rbw_hz, after.spectrum.plan.rbw_hz) / 2;
    const Peak* nearest = nullptr;
    for (const Peak& p : after.peaks)
      if (std::abs(p.frequency_hz - peak.frequency_hz) < near &&
          (nearest == nullptr || std::abs(p.frequency_hz - peak.frequency_hz) <
                                     std::abs(nearest->frequency_hz - peak.frequency_hz)))
        nearest = &p;
    line.found_after = nearest != nullptr;
    line.after = nearest != nullptr ? nearest->rms
                                    : peak.rms * after.spectrum.rms_around(peak.frequency_hz, half_width) /
                                          before.spectrum.rms_around(peak.frequency_hz, half_width);
    out.push_back(line);
  }
  return out;
}

std::optional<SpectrumResult> spectrum_if_even(Input& input, const AnalysisSettings& analysis,
                                               const Progress& progress, std::vector<Caution>& cautions) {
  // All lines are needed, to find those of before again.
  AnalysisSettings wide = analysis;
  wide.peaks = 1000;
  wide.compared.clear();
  try {
    return compute_spectrum(input, wide, progress);
  } catch (const Error& error) {
    if (error.status() != Status::analysis) throw;
    cautions.push_back({"no-spectrum", Severity::note, "", error.what(), ""});
    return {};
  }
}

}  // namespace

ConditionBefore compute_before(Input& before, const AnalysisSettings& analysis,
                               const std::function<Progress(const std::string&)>& progress) {
  const std::string file = before.road().recording().file;
  ConditionBefore out{compute_inspect(before, progress("before " + file)), {}};
  std::vector<Caution> unneeded;
  out.spectrum = spectrum_if_even(before, analysis, progress("spectrum before " + file), unneeded);
  return out;
}

ConditionResult compute_condition(const ConditionBefore& before, Input& after,
                                  const AnalysisSettings& analysis,
                                  const std::function<Progress(const std::string&)>& progress) {
  const std::string file = after.road().recording().file;
  ConditionResult result{
      before.inspect, compute_inspect(after, progress("after " + file)), before.spectrum, {}, {}, {}, {}};
  // Another rate would give another RBW, under which lines that wander read otherwise.
  AnalysisSettings alike = analysis;
  if (result.spectrum_before && !result.spectrum_before->channels.empty() && !alike.spectrum.segment &&
      !alike.spectrum.resolution_hz &&
      after.road().recording().samples != before.inspect.facts.recording.samples)
    alike.spectrum.resolution_hz = result.spectrum_before->channels.front().spectrum.plan.rbw_hz;
  result.spectrum_after =
      spectrum_if_even(after, alike, progress("spectrum after " + file), result.after.cautions);
  if (!result.spectrum_after && alike.spectrum.resolution_hz != analysis.spectrum.resolution_hz) {
    std::erase_if(result.after.cautions,
                  [](const Caution& caution) { return caution.code == "no-spectrum"; });
    result.spectrum_after =
        spectrum_if_even(after, analysis, progress("spectrum after " + file), result.after.cautions);
  }
  const Chain& chain = after.road().chain();
  if (result.spectrum_before && result.spectrum_after)
    for (std::size_t c = 0; c < result.spectrum_after->channels.size(); ++c)
      result.lines.push_back(
          changed_lines(result.spectrum_before->channels[c], result.spectrum_after->channels[c], chain));
  for (auto* spectrum : {&result.spectrum_before, &result.spectrum_after})
    if (*spectrum)
      for (ChannelSpectrum& c : (*spectrum)->channels)
        if (c.peaks.size() > analysis.peaks) c.peaks.resize(analysis.peaks);

  const Axis& axis = after.road().recording().axis;
  if (axis.interval > 0 && chain_gain(chain, axis.rate_hz() / 4, &result.response_of)) {
    const double top = axis.rate_hz() / 2,
                 bottom = std::max(0.5 / result.after.facts.recording.duration_s(), top * 1e-5);
    constexpr int points = 2000;
    for (int i = 0; i < points; ++i) {
      const double hz = bottom * std::pow(top / bottom, i / (points - 1.0)) * (1 - 1e-9);
      result.response.emplace_back(hz, std::abs(*chain_gain(chain, hz)));
    }
  }
  return result;
}

namespace {

/// Two figures' panels of one channel on one scale, or under each other when the units differ.
void put_together(Figure& figure, Panel before, Panel after, bool same_unit) {
  const std::string what = before.x.quantity == "Frequency" ? "spectrum" : "time trace";
  before.title = what + (same_unit ? "" : " before"), after.title = what + " after";
  if (!same_unit) {
    figure.panels.push_back(std::move(before));
    figure.panels.push_back(std::move(after));
    return;
  }
  before.curves[0].name = "before";
  before.curves[0].colour = neutral_colour;
  for (Curve& curve : after.curves) {
    curve.name = "after";
    curve.colour = 0;
    // A band may be too thin to be seen: its middle is drawn as a line.
    Curve middle = curve;
    if (!curve.high.empty()) {
      for (std::size_t i = 0; i < curve.y.size(); ++i) middle.y[i] = (curve.y[i] + curve.high[i]) / 2;
      middle.high.clear();
      middle.name.clear();
    }
    const bool band = !curve.high.empty();
    before.curves.push_back(std::move(curve));
    if (band) before.curves.push_back(std::move(middle));
  }
  before.marks.clear();
  // What a filter took away far below the rest is not worth most of the panel.
  if (before.y.low && after.y.low)
    before.y.low = std::min(*before.y.low, std::max(*after.y.low, *before.y.low * 1e-3));
  figure.panels.push_back(std::move(before));
}

}  // namespace

Figure condition_figure(const ConditionResult& result, std::size_t channel,
                        const AnalysisSettings& analysis) {
  const Recording& before = result.before.facts.recording;
  const Recording& after = result.after.facts.recording;
  const bool same = before.channels[channel].unit == after.channels[channel].unit;
  Figure figure;
  figure.title = before.stem() + ": " + after.channels[channel].name + " before and after conditioning";
  std::string steps;
  for (const StageReport& stage : result.after.facts.chain)
    steps += (steps.empty() ? "" : " | ") + stage.name;
  figure.caption = "chain: " + steps;
  const Figure trace = trace_figure(result.before), trace_after = trace_figure(result.after);
  put_together(figure, trace.panels[channel], trace_after.panels[channel], same);
  if (result.spectrum_before && result.spectrum_after) {
    put_together(figure, level_panel(*result.spectrum_before, channel, analysis),
                 level_panel(*result.spectrum_after, channel, analysis), same);
    figure.caption +=
        "; " + plan_text(result.spectrum_before->channels.front().spectrum, analysis.spectrum.overlap);
  } else if (result.spectrum_after) {
    figure.panels.push_back(level_panel(*result.spectrum_after, channel, analysis));
    figure.caption +=
        "; " + plan_text(result.spectrum_after->channels.front().spectrum, analysis.spectrum.overlap);
  }
  if (!result.response.empty()) {
    Panel panel;
    panel.title = "response of " + result.response_of;
    panel.x = {"Frequency", "Hz", true, result.response.front().first, result.response.back().first};
    // In step with the spectrum above it.
    if (figure.panels.back().x.quantity == "Frequency") panel.x = figure.panels.back().x;
    panel.y = {"Gain", "dB", false, {}, {}};
    Curve curve;
    double most = -400;
    for (const auto& [hz, gain] : result.response) {
      curve.x.push_back(hz);
      curve.y.push_back(decibels(gain, true));
      most = std::max(most, curve.y.back());
    }
    panel.y.low = most - 120;
    panel.curves.push_back(std::move(curve));
    figure.panels.push_back(std::move(panel));
  }
  return figure;
}

namespace {

class ConditionTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    return {input_group(settings_.input),
            {"Condition",
             {{"versus", "CHAIN", "another chain to be set beside the first; may be repeated", true,
               [this](const std::string& t) {
                 (void)parse_chain(t);
                 versus_.push_back(t);
               },
               [this] { return Json(versus_); }}}},
            analysis_group(settings_.analysis, {"peaks", "phase-at"}),
            output_group(settings_.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    if (settings_.input.chain.empty())
      throw Error(Status::usage,
                  "--chain is missing: name the steps, for example --chain 'detrend linear | lowpass 15Hz'");
    Console console(settings_.output);
    Delivery delivery;
    delivery.command = "condition";
    delivery.settings = settings;
    InputSettings plain = settings_.input;
    plain.chain.clear();
    std::vector<ConditionResult> results;
    std::vector<std::vector<ChainTrial>> trials;
    Json side_by_side = Json::array();
    auto befores = open_inputs(files, plain), afters = open_inputs(files, settings_.input);
    const std::vector<std::string> stems = output_stems(input_files(files, settings_.input), "-condition");
    const auto outputs = open_outputs(settings_.output, "condition", files, stems);
    for (std::size_t i = 0; i < afters.size(); ++i) {
      const auto progress = [&](const std::string& label) { return console.progress(label); };
      const ConditionBefore before = compute_before(*befores[i], settings_.analysis, progress);
      results.push_back(compute_condition(before, *afters[i], settings_.analysis, progress));
      const ConditionResult& result = results.back();
      delivery.inputs.push_back(result.after.facts);
      delivery.cautions.insert(delivery.cautions.end(), result.after.cautions.begin(),
                               result.after.cautions.end());
      // What reading and the chain found is there already.
      if (result.spectrum_after) add_new_cautions(delivery.cautions, result.spectrum_after->cautions);
      for (Json& entry : condition_json(result)) delivery.results.push_back(std::move(entry));
      delivery.text += recording_lines(result.after.facts.recording) + "\n" +
                       steps_text(result.after.facts.chain) + "\n" + levels_table(result).text();
      for (std::size_t c = 0; c < result.lines.size(); ++c)
        if (!result.lines[c].empty())
          delivery.text += "\nstrongest lines of " + result.after.columns[c].name + "\n" +
                           lines_table(result.lines[c], result.before.columns[c].unit.label(),
                                       result.after.columns[c].unit.label())
                               .text();
      if (!versus_.empty())
        trials.push_back(tried(before,
                               input_files(files, settings_.input).size() > 1 ? std::vector{files[i]} : files,
                               result, console));
      if (!versus_.empty()) delivery.text += trials_text(trials.back());
      if (!versus_.empty()) side_by_side.push_back(trials_json(trials.back()));
    }
    if (!versus_.empty()) delivery.further["versus"] = side_by_side;
    return deliver(
        delivery, settings_.output, console, outputs.get(),
        [&](Outputs& folder) {
          for (std::size_t i = 0; i < results.size(); ++i) {
            if (!results[i].response.empty())
              folder.add(stems[i] + "-gain.csv", gain_csv(results[i]), "gain of " + results[i].response_of);
            if (!versus_.empty()) {
              folder.add(stems[i] + "-versus.csv", trials_csv(trials[i]),
                         "what each chain leaves of each line");
              folder.add_figure(stems[i] + "-versus", trials_figure(trials[i], settings_.analysis),
                                "the chains side by side");
            }
            if (!settings_.output.wants_figures()) continue;
            const auto& channels = results[i].after.facts.recording.channels;
            constexpr std::size_t most = 16;
            for (std::size_t c = 0; c < channels.size() && c < most; ++c)
              folder.add_figure(stems[i] + "-" + std::to_string(c + 1),
                                condition_figure(results[i], c, settings_.analysis),
                                "before and after: " + channels[c].name);
          }
        },
        stems.front() + ".json");
  }

 private:
  /// The first chain and those it is set against, on one input made of `files`.
  std::vector<ChainTrial> tried(const ConditionBefore& before, const std::vector<std::string>& files,
                                const ConditionResult& first, Console& console) const {
    std::vector<ChainTrial> out = {judge_chain(settings_.input.chain, first)};
    for (const std::string& chain : versus_) {
      InputSettings other = settings_.input;
      other.chain = chain;
      const auto after = open_inputs(files, other);
      out.push_back(judge_chain(
          chain, compute_condition(before, *after.front(), settings_.analysis,
                                   [&](const std::string& label) { return console.progress(label); })));
    }
    return out;
  }

  ConditionSettings settings_;
  std::vector<std::string> versus_;
};

}  // namespace

std::unique_ptr<Task> make_condition_task() { return std::make_unique<ConditionTask>(); }

}  // namespace vprism
