// modulation.cpp: the command `modulation`: a carrier's amplitude, frequency and phase against time.
#include "identify/modulation.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "cli/each_input.h"
#include "cli/held.h"
#include "cli/write_recording.h"
#include "identify/whole_lines.h"
#include "transform/band_shift.h"
#include "transform/carrier_band.h"
#include "transform/spectrum_estimator.h"

namespace vprism {

namespace {

/// Samples of the series that are held for each channel.
constexpr std::size_t most_of_carrier = std::size_t{1} << 24;
/// As many are wanted at least; a span nobody asked for is as wide as that takes.
constexpr double fewest_of_carrier = 512;

struct ChannelModulation {
  CarrierBand band;
  Demodulated series;
  Modulation measured;
  double cut_sidebands = 0;  ///< Share of a deviation.
};

struct ModulationResult {
  InputFacts facts;
  std::vector<ChannelModulation> channels;
};

class ModulationTask : public EachInputTask<ModulationResult> {
 public:
  ModulationTask() : EachInputTask("modulation") {}

  std::vector<OptionGroup> options() override {
    return {
        input_group(input_),
        {"Carrier",
         {quantity_option("carrier", "FREQUENCY", "the carrier (default: the middle of what stands out)",
                          Dimension::frequency, carrier_hz_),
          range_option("span", "what belongs to it (default: as far as it stands out of the noise)",
                       Dimension::frequency, span_),
          format_option(to_, "format of the recording of amplitude, frequency and phase (default: hdf5)")}},
        output_group(output_)};
  }

 protected:
  ModulationResult measure(Input& input, const Progress& progress) override {
    input.require_even_axis();
    const Recording r = input.road().recording();
    ModulationResult result;
    // Where the carriers are.
    SpectrumSettings spectrum;
    const SpectrumPlan plan = plan_spectrum(spectrum, r.samples, r.axis.rate_hz());
    SpectrumEstimator estimator(plan, spectrum);
    bool gaps = false;
    input.road().run(
        [&](Block& block) {
          gaps = gaps || block.gaps();
          estimator.add(block);
        },
        progress);
    if (gaps) refuse_gaps(input);
    std::vector<Spectrum> spectra = estimator.result();
    std::vector<BandShift> shifts;
    std::vector<std::size_t> factors;
    result.channels.resize(spectra.size());
    for (std::size_t c = 0; c < spectra.size(); ++c) {
      if (r.complex) spectra[c].centre_hz = r.channels[c].carrier_hz;
      result.channels[c].band = band_of(spectra[c], r, c);
      const CarrierBand& band = result.channels[c].band;
      const double rate = r.axis.rate_hz();
      // Enough samples are left to show something, however narrow the span.
      const std::size_t factor = whole_factor(
          std::min(0.4 * rate / band.half_hz, static_cast<double>(r.samples) / fewest_of_carrier));
      if (static_cast<std::size_t>(r.samples) / factor > most_of_carrier)
        throw Error(Status::analysis, r.file + ": channel \"" + clean_text(r.channels[c].name) +
                                          "\": a span of " + format_quantity(2 * band.half_hz, "Hz") +
                                          " leaves more than " + std::to_string(most_of_carrier) +
                                          " samples; give a narrower --span or a --gate");
      const double left = 0.45 * rate / static_cast<double>(factor);
      shifts.emplace_back(rate, band.carrier_hz - spectra[c].centre_hz, factor, std::vector<std::size_t>{c},
                          band.half_hz < 0.8 * left ? band.half_hz : 0);
      factors.push_back(factor);
    }
    std::vector<std::vector<double>> re(shifts.size()), im(shifts.size());
    const auto collect = [&] {
      for (std::size_t c = 0; c < shifts.size(); ++c) {
        std::vector<std::vector<double>>& ready = shifts[c].ready();
        if (ready.empty()) continue;
        re[c].insert(re[c].end(), ready[0].begin(), ready[0].end());
        im[c].insert(im[c].end(), ready[1].begin(), ready[1].end());
        for (auto& column : ready) column.clear();
      }
    };
    input.road().run([&](Block& block) {
      for (BandShift& shift : shifts) shift.add(block);
      collect();
    });
    for (BandShift& shift : shifts) shift.finish();
    collect();
    result.facts = input.facts();
    for (std::size_t c = 0; c < shifts.size(); ++c) {
      ChannelModulation& channel = result.channels[c];
      channel.series = demodulate(re[c], im[c], r.axis.rate_hz() / static_cast<double>(factors[c]),
                                  channel.band.carrier_hz, r.complex ? 1 : 2);
      // What the filters made up at the ends.
      trim(channel.series, std::min(shifts[c].reach(), channel.series.frequency.size() / 8));
      trim(channel.series, ringing_at_ends(channel.series));
      if (channel.series.frequency.size() < 64)
        throw Error(Status::analysis,
                    r.file + ": " + std::to_string(r.samples) + " samples are too few to follow a carrier");
      channel.measured = measure_modulation(channel.series);
      channel.measured.move_carrier(static_cast<double>(r.samples - 1) / 2 * r.axis.interval -
                                    channel.series.start_s - channel.measured.middle_s);
      channel.cut_sidebands =
          allow_for_cut_sidebands(channel.measured, channel.band.carrier_hz - channel.band.half_hz,
                                  channel.band.carrier_hz + channel.band.half_hz);
      warn(result, c);
    }
    return result;
  }

  void tell(const ModulationResult& result, Telling& telling) override {
    const Recording& r = result.facts.recording;
    telling.inputs.push_back(result.facts);
    telling.cautions.insert(telling.cautions.end(), r.cautions.begin(), r.cautions.end());
    telling.text += clean_text(r.file) + "\n";
    for (std::size_t c = 0; c < result.channels.size(); ++c) {
      telling.text += "\n" + text(result, c);
      telling.results.push_back(json(result, c));
      for (const Jump& jump : result.channels[c].measured.jumps)
        telling.findings.push_back(finding(r, c, jump, result.channels[c].series.start_s));
    }
    telling.text += "\n";
  }

  void write(ModulationResult& result, const std::string& base, Outputs& folder) override {
    const Recording& r = result.facts.recording;
    const WriteFormat& format = find_write_format(to_.empty() ? "hdf5" : to_);
    for (std::size_t c = 0; c < result.channels.size(); ++c) {
      const Demodulated& series = result.channels[c].series;
      Recording out;
      out.file = r.file;
      const std::string name = r.channels[c].name;
      out.channels = {{name + " amplitude", r.channels[c].unit, r.channels[c].quantity},
                      {name + " frequency", Unit::parse("Hz"), "frequency"},
                      {name + " phase", Unit::parse("rad"), "angle"}};
      out.axis = r.axis;
      out.axis.interval = 1 / series.rate_hz;
      out.axis.start += series.start_s;
      out.samples = static_cast<std::int64_t>(series.amplitude.size());
      out.zero_ns = r.zero_ns;
      write_recording(out, Columns{series.amplitude, series.frequency, series.phase}, folder,
                      base + (result.channels.size() > 1 ? "-" + std::to_string(c + 1) : ""), format, {});
    }
    for (std::size_t c = 0; c < result.channels.size(); ++c)
      folder.add_figure(base + (result.channels.size() > 1 ? "-" + std::to_string(c + 1) : ""),
                        figure(result, c), "amplitude and frequency against time, and what they swing at");
  }

 private:
  CarrierBand band_of(const Spectrum& spectrum, const Recording& r, std::size_t c) const {
    const std::string where = r.file + ": channel \"" + clean_text(r.channels[c].name) + "\"";
    std::optional<double> low, high;
    if (span_) low = span_->low, high = span_->high;
    const double bottom = spectrum.two_sided ? spectrum.frequency_hz(0) : 0,
                 top = spectrum.frequency_hz(spectrum.bins() - 1);
    if (carrier_hz_ && (*carrier_hz_ < low.value_or(bottom) || *carrier_hz_ > high.value_or(top)))
      throw Error(Status::analysis, where + ": the carrier, " + format_quantity(*carrier_hz_, "Hz", 6) +
                                        ", lies outside " + format_quantity(low.value_or(bottom), "Hz", 6) +
                                        ".." + format_quantity(high.value_or(top), "Hz", 6));
    const std::optional<CarrierBand> found = find_carrier(spectrum, low, high);
    if (!found && !(carrier_hz_ && span_))
      throw Error(Status::analysis,
                  where + ": no carrier stands out of the noise; give --carrier and --span");
    CarrierBand band = found.value_or(CarrierBand{});
    band.half_hz = std::max(band.half_hz, 0.4 * fewest_of_carrier / r.duration_s());
    if (carrier_hz_) {
      band.half_hz += std::abs(*carrier_hz_ - band.carrier_hz);
      band.carrier_hz = *carrier_hz_;
    }
    if (span_) {
      const double from = std::max(low.value_or(bottom), bottom), to = std::min(high.value_or(top), top);
      if (!carrier_hz_) band.carrier_hz = (from + to) / 2;
      band.half_hz = std::max(to - band.carrier_hz, band.carrier_hz - from);
    }
    // A real channel's other half must stay outside.
    if (!spectrum.two_sided)
      band.half_hz = std::min({band.half_hz, 0.95 * band.carrier_hz, 0.95 * (top - band.carrier_hz)});
    if (!(band.half_hz > spectrum.plan.bin_hz))
      throw Error(Status::analysis, where + ": nothing is left of the span around " +
                                        format_quantity(band.carrier_hz, "Hz", 6));
    return band;
  }

  static std::size_t whole_factor(double most) {
    for (auto factor = static_cast<std::size_t>(std::max(1.0, most)); factor > 1; --factor) {
      std::size_t rest = factor;
      for (const std::size_t p : {2u, 3u, 5u, 7u})
        while (rest % p == 0) rest /= p;
      if (rest == 1) return factor;
    }
    return 1;
  }

  static void warn(ModulationResult& result, std::size_t c) {
    const ChannelModulation& channel = result.channels[c];
    const Modulation& m = channel.measured;
    const std::string name = result.facts.recording.channels[c].name;
    std::vector<Caution>& out = result.facts.recording.cautions;
    const double low = channel.band.carrier_hz - channel.band.half_hz,
                 high = channel.band.carrier_hz + channel.band.half_hz;
    if (m.lowest_hz < low + 0.05 * channel.band.half_hz || m.highest_hz > high - 0.05 * channel.band.half_hz)
      out.push_back(
          {"carrier-at-span-edge", Severity::warning, name,
           fmt::format(
               "the frequency goes from {} to {}, to the edge of the span {}..{} or beyond: what lies "
               "outside is cut off",
               format_quantity(m.lowest_hz, "Hz", 6), format_quantity(m.highest_hz, "Hz", 6),
               format_quantity(low, "Hz", 6), format_quantity(high, "Hz", 6)),
           "give a wider --span"});
    if (channel.cut_sidebands > 1e-3)
      out.push_back({"sidebands-cut-off", Severity::note, name,
                     fmt::format("sidebands of a swing lie outside the span {}..{}: its deviation is off by "
                                 "about {:.2g}%, which its uncertainty holds",
                                 format_quantity(low, "Hz", 4), format_quantity(high, "Hz", 4),
                                 100 * channel.cut_sidebands),
                     "give a wider --span"});
    for (const Jump& jump : m.edge_jumps)
      out.push_back(
          {"jump-at-end", Severity::note, name,
           "the frequency seems to step by " + format_quantity(jump.step_hz, "Hz", 3) + " at " +
               format_quantity(result.facts.recording.axis.start + channel.series.start_s + jump.time_s, "s",
                               6) +
               ", so near an end that the filters could make it: it is not listed, and the carrier may hold "
               "it",
           "record on beyond it, or gate it off"});
    if (channel.series.suppressed) return;
    const double least = *std::min_element(channel.series.amplitude.begin(), channel.series.amplitude.end());
    if (least < 0.1 * m.level)
      out.push_back(
          {"carrier-drops", Severity::warning, name,
           fmt::format(
               "the carrier's amplitude falls to {:.2g}% of its mean: its phase and frequency are lost "
               "there",
               100 * least / m.level),
           "look at the amplitude against time; gate, or narrow the span"});
  }

  static std::string swing_text(const Swing& s, const std::string& what) {
    return fmt::format("{}, {} ({:.4f} alike), at {}, period {}", what, s.shape, s.likeness,
                       format_uncertain(s.rate_hz, s.rate_std_hz, "Hz"),
                       format_quantity(1 / s.rate_hz, "s", 5));
  }

  std::string text(const ModulationResult& result, std::size_t c) const {
    const ChannelModulation& channel = result.channels[c];
    const Recording& r = result.facts.recording;
    const Modulation& m = channel.measured;
    const std::string unit = r.channels[c].unit.label();
    std::string out = r.channels[c].name + "\n";
    const auto line = [&](const std::string& key, const std::string& value) {
      out += fmt::format("  {:<22}{}\n", key, value);
    };
    line("span", format_quantity(channel.band.carrier_hz - channel.band.half_hz, "Hz", 7) + " to " +
                     format_quantity(channel.band.carrier_hz + channel.band.half_hz, "Hz", 7) +
                     ", series at " + format_quantity(channel.series.rate_hz, "Hz", 6));
    line("carrier", format_uncertain(m.carrier_hz, m.carrier_std_hz, "Hz") +
                        (m.jumps.empty() ? "" : " (before the first jump)"));
    line("amplitude", format_quantity(m.level, unit, 5) +
                          (channel.series.suppressed ? " (RMS; the carrier is suppressed: the amplitude goes "
                                                       "through zero)"
                                                     : " (peak)"));
    line("frequency range", format_quantity(m.lowest_hz, "Hz", 9) + " to " +
                                format_quantity(m.highest_hz, "Hz", 9) +
                                fmt::format(", {:.4g} ppm of the carrier",
                                            1e6 * (m.highest_hz - m.lowest_hz) / std::abs(m.carrier_hz)));
    if (channel.band.occupied_hz > 0)
      line("occupied (99%)", format_quantity(channel.band.occupied_hz, "Hz", 4));
    line("drift", format_uncertain(m.drift_hz_per_s, m.drift_std_hz_per_s, "Hz") + " each second");
    for (std::size_t i = 0; i < m.states.size(); ++i) {
      const FrequencyState& s = m.states[i];
      line(i == 0 ? "states" : "",
           fmt::format("{}, {:.3g}% of the time, {} {} of {} on average",
                       format_uncertain(s.frequency_hz, s.frequency_std_hz, "Hz"), 100 * s.share, s.visits,
                       s.visits == 1 ? "visit" : "visits", format_quantity(s.dwell_s, "s", 3)));
    }
    if (!m.states.empty()) line("", fmt::format("{} transitions", m.transitions));
    for (std::size_t i = 0; i < m.frequency.size(); ++i) {
      const Swing& s = m.frequency[i];
      line(i == 0 ? "frequency swings" : "",
           swing_text(s, "+-" + format_uncertain(s.peak, s.peak_std, "Hz")));
    }
    for (std::size_t i = 0; i < m.amplitude.size(); ++i) {
      const Swing& s = m.amplitude[i];
      line(i == 0 ? "amplitude swings" : "",
           swing_text(s, channel.series.suppressed ? "+-" + format_quantity(s.peak, unit, 4)
                                                   : fmt::format("depth {:.4g}%", 100 * s.peak / m.level)));
    }
    for (const Jump& jump : m.jumps)
      line("jump", format_uncertain(jump.step_hz, jump.step_std_hz, "Hz") + " at " +
                       format_number(r.axis.start + channel.series.start_s + jump.time_s, 7) + " s");
    line("frequency noise", format_quantity(m.frequency_noise_hz, "Hz", 3) + " RMS within " +
                                format_quantity(channel.series.rate_hz / 2, "Hz", 3));
    return out;
  }

  static Json swings_json(const std::vector<Swing>& swings) {
    Json out = Json::array();
    for (const Swing& s : swings)
      out.push_back({{"rate_hz", number(s.rate_hz)},
                     {"rate_std_hz", number(s.rate_std_hz)},
                     {"peak", number(s.peak)},
                     {"peak_std", number(s.peak_std)},
                     {"shape", s.shape},
                     {"likeness", number(s.likeness)},
                     {"phase_deg", number(s.phase_deg)}});
    return out;
  }

  static Json json(const ModulationResult& result, std::size_t c) {
    const ChannelModulation& channel = result.channels[c];
    const Modulation& m = channel.measured;
    // The main swing: of the frequency, or of the amplitude where that alone swings.
    const Swing* main = !m.frequency.empty()  ? &m.frequency.front()
                        : m.amplitude.empty() ? nullptr
                                              : &m.amplitude.front();
    Json jumps = Json::array();
    for (const Jump& jump : m.jumps)
      jumps.push_back(
          {{"time_s", number(result.facts.recording.axis.start + channel.series.start_s + jump.time_s)},
           {"step_hz", number(jump.step_hz)},
           {"step_std_hz", number(jump.step_std_hz)}});
    Json states = Json::array();
    for (const FrequencyState& s : m.states)
      states.push_back({{"frequency_hz", number(s.frequency_hz)},
                        {"frequency_std_hz", number(s.frequency_std_hz)},
                        {"share", number(s.share)},
                        {"visits", s.visits},
                        {"dwell_s", number(s.dwell_s)}});
    const auto of_main = [&](double Swing::*value) {
      return main != nullptr ? number(main->*value) : Json(nullptr);
    };
    return {{"channel", result.facts.recording.channels[c].name},
            {"unit", result.facts.recording.channels[c].unit.label()},
            {"carrier_hz", number(m.carrier_hz)},
            {"carrier_std_hz", number(m.carrier_std_hz)},
            {"level", number(m.level)},
            {"deviation_hz", number(m.frequency.empty() ? 0 : m.frequency.front().peak)},
            {"rate_hz", of_main(&Swing::rate_hz)},
            {"period_s", main != nullptr ? number(1 / main->rate_hz) : Json(nullptr)},
            {"depth", channel.series.suppressed ? Json(nullptr) : number(m.depth())},
            {"carrier_suppressed", channel.series.suppressed},
            {"shape", main != nullptr ? Json(main->shape) : Json(nullptr)},
            {"drift_hz_per_s", number(m.drift_hz_per_s)},
            {"drift_std_hz_per_s", number(m.drift_std_hz_per_s)},
            {"states", std::move(states)},
            {"transitions", m.transitions},
            {"lowest_hz", number(m.lowest_hz)},
            {"highest_hz", number(m.highest_hz)},
            {"spread_ppm", number(1e6 * (m.highest_hz - m.lowest_hz) / std::abs(m.carrier_hz))},
            {"occupied_hz", number(channel.band.occupied_hz)},
            {"frequency_noise_hz", number(m.frequency_noise_hz)},
            {"span_hz",
             {number(channel.band.carrier_hz - channel.band.half_hz),
              number(channel.band.carrier_hz + channel.band.half_hz)}},
            {"series_rate_hz", number(channel.series.rate_hz)},
            {"jumps", std::move(jumps)},
            {"frequency_swings", swings_json(m.frequency)},
            {"amplitude_swings", swings_json(m.amplitude)}};
  }

  static Finding finding(const Recording& r, std::size_t c, const Jump& jump, double start_s) {
    const double time_s = r.axis.start + start_s + jump.time_s;
    Finding f;
    f.kind = "event";
    f.recording = r.file, f.channel = r.channels[c].name;
    f.frequency_hz = std::abs(jump.step_hz), f.frequency_std_hz = jump.step_std_hz;
    f.unit = r.channels[c].unit.label();
    f.text = fmt::format("the carrier jumps by {} at {} s",
                         format_uncertain(jump.step_hz, jump.step_std_hz, "Hz"), format_number(time_s, 6));
    f.numbers = {{"time_s", time_s}, {"step_hz", jump.step_hz}};
    return f;
  }

  /// Lowest and highest of stretches, so that no excursion is lost.
  static Curve outline(const std::vector<double>& values, double start, double rate_hz) {
    Curve curve;
    const std::size_t step = std::max<std::size_t>(1, values.size() / 1500);
    for (std::size_t at = 0; at < values.size(); at += step) {
      const auto first = values.begin() + static_cast<std::ptrdiff_t>(at);
      const auto last = values.begin() + static_cast<std::ptrdiff_t>(std::min(values.size(), at + step));
      curve.x.push_back(start + static_cast<double>(at) / rate_hz);
      curve.y.push_back(*std::min_element(first, last));
      if (step > 1) curve.high.push_back(*std::max_element(first, last));
    }
    return curve;
  }

  static Panel swing_panel(const std::vector<double>& values, double rate_hz,
                           const std::vector<Swing>& swings, const std::string& title,
                           const std::string& unit, const std::vector<Jump>& jumps) {
    std::vector<double> level = values;
    for (std::size_t n = 0; n < level.size(); ++n)
      for (const Jump& jump : jumps)
        if (static_cast<double>(n) / rate_hz >= jump.time_s) level[n] -= jump.step_hz;
    double mean = 0;
    for (const double v : level) mean += v / static_cast<double>(level.size());
    for (double& v : level) v -= mean;
    const Spectrum s = whole_spectrum(level, rate_hz);
    Panel panel;
    panel.title = title;
    double top = 0;
    for (const Swing& swing : swings) top = std::max(top, 12 * swing.rate_hz);
    panel.x = {"Frequency", "Hz", false, 0, top > 0 ? std::min(top, rate_hz / 2) : rate_hz / 2};
    Curve curve;
    for (std::size_t k = 1; k < s.bins() && s.frequency_hz(k) <= *panel.x.high; ++k) {
      curve.x.push_back(s.frequency_hz(k));
      curve.y.push_back(s.level(k, Scale::peak));
    }
    panel.y = {"Swing (peak)", unit, true};
    panel.curves.push_back(thinned(std::move(curve), 4000, false));
    for (std::size_t i = 0; i < std::min<std::size_t>(6, swings.size()); ++i)
      panel.marks.push_back({swings[i].rate_hz, swings[i].fundamental, std::to_string(i + 1)});
    return panel;
  }

  static Figure figure(const ModulationResult& result, std::size_t c) {
    const ChannelModulation& channel = result.channels[c];
    const Recording& r = result.facts.recording;
    const Modulation& m = channel.measured;
    const std::string unit = r.channels[c].unit.label();
    Figure figure;
    figure.title = r.stem() + ": " + r.channels[c].name + " around " + format_quantity(m.carrier_hz, "Hz", 6);
    figure.caption = fmt::format("span {} to {}, series at {}; dashed: jumps",
                                 format_quantity(channel.band.carrier_hz - channel.band.half_hz, "Hz", 6),
                                 format_quantity(channel.band.carrier_hz + channel.band.half_hz, "Hz", 6),
                                 format_quantity(channel.series.rate_hz, "Hz", 5));
    Panel frequency;
    frequency.title = "frequency less " + format_quantity(m.carrier_hz, "Hz", 9);
    frequency.x = {"Time", "s"};
    frequency.y = {"Frequency", "Hz"};
    std::vector<double> off = channel.series.frequency;
    for (double& f : off) f -= m.carrier_hz;
    const double start = r.axis.start + channel.series.start_s;
    frequency.curves.push_back(outline(off, start, channel.series.rate_hz));
    for (const Jump& jump : m.jumps) frequency.verticals.push_back(start + jump.time_s);
    Panel amplitude;
    amplitude.title = "amplitude (peak)";
    amplitude.x = {"Time", "s"};
    amplitude.y = {r.channels[c].quantity.empty() ? "Amplitude" : r.channels[c].quantity, unit};
    amplitude.curves.push_back(outline(channel.series.amplitude, start, channel.series.rate_hz));
    figure.panels.push_back(std::move(frequency));
    figure.panels.push_back(std::move(amplitude));
    figure.panels.push_back(swing_panel(channel.series.frequency, channel.series.rate_hz, m.frequency,
                                        "what the frequency swings at", "Hz", m.jumps));
    figure.panels.push_back(swing_panel(channel.series.amplitude, channel.series.rate_hz, m.amplitude,
                                        "what the amplitude swings at", unit, {}));
    figure.panel_height = 230;
    return figure;
  }

  std::optional<double> carrier_hz_;
  std::optional<Range> span_;
  std::string to_;
};

}  // namespace

std::unique_ptr<Task> make_modulation_task() { return std::make_unique<ModulationTask>(); }

}  // namespace vprism
