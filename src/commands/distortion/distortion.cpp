// distortion.cpp: the command `distortion`.
#include "identify/tones/distortion.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/shared/channel_groups.h"
#include "commands/shared/held.h"
#include "frame/command.h"
#include "frame/console.h"

namespace vprism {

namespace {

struct Measured {
  InputFacts facts;
  std::vector<Channel> channels;
  std::vector<Distortion> distortions;
  std::vector<Caution> cautions;
};

std::string percent(double ratio) { return fmt::format("{:.4g} %", 100 * ratio); }
std::string db(double value) { return fmt::format("{:.2f} dB", value); }

class DistortionTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    return {input_group(input_),
            {"Distortion",
             {quantity_option("fundamental", "FREQUENCY",
                              "the line to measure, within 5% (default: the strongest)", Dimension::frequency,
                              settings_.fundamental_hz),
              count_option("harmonics", "highest order (default: 10)", 2, 1000, settings_.harmonics),
              switch_option("two-tone", "the two strongest lines and their products up to order 5",
                            settings_.two_tone),
              {"full-scale", "LEVEL", "peak of the largest sine that fits, for the effective bits", false,
               [this](const std::string& t) {
                 const double level = parse_any_quantity(t).value;
                 if (!(level > 0)) throw Error(Status::usage, "must be above zero");
                 settings_.full_scale = level;
               },
               [this] { return settings_.full_scale ? Json(*settings_.full_scale) : Json(nullptr); }},
              range_option("span", "noise and harmonics outside are not counted", Dimension::frequency,
                           settings_.span_hz)}},
            output_group(output_)};
  }
  std::size_t threads() const override { return output_.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    Console console(output_);
    Delivery delivery;
    delivery.command = "distortion";
    delivery.settings = settings;
    std::vector<Measured> all;
    const auto inputs = open_inputs(files, input_);
    const std::vector<std::string> stems = output_stems(input_files(files, input_), "-distortion");
    const auto outputs = open_outputs(output_, "distortion", files, stems);
    for (const auto& input : inputs) {
      all.push_back(measure(*input, console.progress("distortion " + input->road().recording().file)));
      const Measured& m = all.back();
      delivery.inputs.push_back(m.facts);
      delivery.cautions.insert(delivery.cautions.end(), m.cautions.begin(), m.cautions.end());
      for (std::size_t c = 0; c < m.channels.size(); ++c)
        delivery.results.push_back(json(m.channels[c], m.distortions[c]));
      delivery.text += text(m);
    }
    return deliver(
        delivery, output_, console, outputs.get(),
        [&](Outputs& folder) {
          for (std::size_t i = 0; i < all.size(); ++i) {
            folder.add(stems[i] + ".csv", csv(all[i]), "harmonics of each channel");
            folder.add_figure(stems[i], figure(all[i]), "spectrum in dB re the fundamental");
          }
        },
        stems.front() + ".json");
  }

 private:
  Measured measure(Input& input, const Progress& progress) const {
    Held held = hold_samples(input, progress, std::int64_t{5} << 19);
    const Recording& r = held.recording;
    const std::vector<std::vector<double>>& samples = held.columns;
    Measured m;
    m.facts = std::move(held.facts);
    m.channels = r.channels;
    m.cautions = m.facts.recording.cautions;
    m.distortions.resize(samples.size());
    for_each_channel(r, [&](std::size_t c) {
      m.distortions[c] = measure_distortion(samples[c], r.axis.rate_hz(), settings_);
    });
    for (std::size_t c = 0; c < samples.size(); ++c) warn(m.channels[c], m.distortions[c], m.cautions);
    return m;
  }

  static void warn(const Channel& channel, const Distortion& d, std::vector<Caution>& out) {
    const double off = 20 * std::log10(d.spectrum_rms / d.fundamental.rms);
    const double off_std =
        20 / std::log(10.0) *
        std::hypot(d.spectrum_rms_std / d.spectrum_rms, d.fundamental.rms_std / d.fundamental.rms);
    if (std::abs(off) > std::max(0.05, 4 * off_std))
      out.push_back(
          {"fits-disagree", Severity::warning, channel.name,
           fmt::format("the spectrum puts the fundamental {:+.2f} dB from the fit: it is not steady", off),
           "look at the spectrogram, or gate to a steady part"});
    std::string lost;
    for (const DistortionLine& l : d.harmonics)
      if (!l.counted) lost += (lost.empty() ? "" : ", ") + name(l);
    if (!lost.empty())
      out.push_back({"harmonics-hidden", Severity::note, channel.name,
                     "not counted, since they fall on other lines, on 0 Hz or outside the span: " + lost,
                     "another fundamental or rate parts them"});
  }

  static std::string name(const DistortionLine& l) {
    if (l.second == 0 && l.order > 0) return std::to_string(l.order);
    const auto times = [](int n, const char* f) {
      return (n == 1 ? std::string() : std::to_string(n) + " ") + f;
    };
    if (l.order == 0) return times(l.second, "f2");
    return times(l.order, "f1") + (l.second < 0 ? " - " : " + ") + times(std::abs(l.second), "f2");
  }

  static double relative_db(const DistortionLine& l, const Distortion& d) {
    return decibels(l.rms, true, d.fundamental.rms);
  }

  std::string text(const Measured& m) const {
    std::string out = clean_text(m.facts.recording.file) + "\n";
    std::vector<TextTable::Column> columns = {{"", TextTable::Align::left}};
    for (const Channel& c : m.channels) columns.push_back({c.name});
    TextTable table(columns);
    const auto row = [&](const char* what, const auto& cell) {
      std::vector<std::string> cells = {what};
      for (std::size_t c = 0; c < m.channels.size(); ++c)
        cells.push_back(cell(m.distortions[c], m.channels[c].unit.label()));
      table.add(std::move(cells));
    };
    using D = const Distortion&;
    using U = const std::string&;
    row("fundamental",
        [](D d, U) { return format_uncertain(d.fundamental.frequency_hz, d.fundamental_std_hz, "Hz"); });
    row("level, RMS", [](D d, U u) { return format_quantity(d.fundamental.rms, u, 6); });
    if (settings_.two_tone) {
      row("second tone", [](D d, U) { return format_quantity(d.second->frequency_hz, "Hz", 8); });
      row("its level, RMS", [](D d, U u) { return format_quantity(d.second->rms, u, 6); });
    }
    row("periods",
        [](D d, U) { return fmt::format("{:.3f}{}", d.periods, d.coherent() ? ", coherent" : ""); });
    row("mean", [](D d, U u) { return format_quantity(d.mean, u, 4); });
    row(settings_.two_tone ? "products" : "THD", [](D d, U) {
      return !d.any_counted() ? "none within the span"
             : d.thd_known()  ? percent(d.thd)
                              : "below " + percent(d.thd_upper) + " (95%)";
    });
    row("", [](D d, U) {
      return !d.any_counted() ? std::string()
             : d.thd_known()  ? db(d.thd_db())
                              : "below " + db(20 * std::log10(d.thd_upper)) + ", in the noise";
    });
    row("THD+N", [](D d, U) { return percent(d.thd_n()); });
    row("SNR", [](D d, U) { return db(d.snr_db()); });
    row("SINAD", [](D d, U) { return db(d.sinad_db()); });
    row("SFDR", [](D d, U) { return d.largest_spur_rms > 0 ? db(d.sfdr_db()) : std::string(); });
    row("largest spur", [](D d, U) {
      return d.largest_spur_rms > 0 ? "at " + format_quantity(d.largest_spur_hz, "Hz", 6)
                                    : std::string("none");
    });
    row("effective bits", [](D d, U) { return fmt::format("{:.2f}", d.enob()); });
    row("noise density", [](D d, U u) { return format_quantity(d.noise_density, u, 3) + "/√Hz"; });
    row("sine fit: SINAD", [](D d, U) { return db(d.sine_fit_sinad_db); });
    out += table.text();
    for (std::size_t c = 0; c < m.channels.size(); ++c) {
      const Distortion& d = m.distortions[c];
      TextTable lines({{settings_.two_tone ? "product" : "order", TextTable::Align::left},
                       {"frequency"},
                       {"level (RMS)"},
                       {"re fundamental"},
                       {"phase (deg)"},
                       {"re fundamental (deg)"},
                       {"", TextTable::Align::left}});
      for (const DistortionLine& l : d.harmonics) {
        if (settings_.two_tone && (!l.counted || l.below_noise())) continue;
        lines.add({name(l), format_quantity(l.frequency_hz, "Hz", 8),
                   l.counted ? format_quantity(l.rms, m.channels[c].unit.label(), 4) : "",
                   l.counted ? db(relative_db(l, d)) : "",
                   l.counted ? fmt::format("{:.1f}", l.phase_deg) : "",
                   l.counted ? fmt::format("{:.1f}", l.phase_to_first_deg) : "",
                   !l.counted        ? "not counted"
                   : l.below_noise() ? "in the noise"
                   : l.folded        ? "folded from " + format_quantity(l.true_hz, "Hz", 8)
                                     : ""});
      }
      out += "\n" + m.channels[c].name + "\n" + lines.text();
    }
    return out + "\n";
  }

  static Json json(const Channel& channel, const Distortion& d) {
    Json lines = Json::array();
    for (const DistortionLine& l : d.harmonics) {
      Json line = {{"order", l.order}};
      if (d.second) line["second_order"] = l.second;
      line.update({{"frequency_hz", number(l.frequency_hz)},
                   {"level", l.counted ? number(l.rms) : Json(nullptr)},
                   {"level_std", l.counted ? number(l.rms_std) : Json(nullptr)},
                   {"relative_db", l.counted ? number(relative_db(l, d)) : Json(nullptr)},
                   {"phase_deg", l.counted ? number(l.phase_deg) : Json(nullptr)},
                   {"phase_to_fundamental_deg", l.counted ? number(l.phase_to_first_deg) : Json(nullptr)},
                   {"folded", l.folded},
                   {"counted", l.counted},
                   {"below_noise", l.below_noise()}});
      lines.push_back(line);
    }
    Json out = {{"channel", channel.name},
                {"unit", channel.unit.label()},
                {"fundamental_hz", number(d.fundamental.frequency_hz)},
                {"fundamental_std_hz", number(d.fundamental_std_hz)},
                {"fundamental_level", number(d.fundamental.rms)},
                {"fundamental_phase_deg", number(d.fundamental.phase_deg)},
                {"mean", number(d.mean)},
                {"periods", number(d.periods)},
                {"coherent", d.coherent()},
                {"thd_percent", d.thd_known() ? number(100 * d.thd) : Json(nullptr)},
                {"thd_db", d.thd_known() ? number(d.thd_db()) : Json(nullptr)},
                {"thd_std_percent", d.thd_known() ? number(100 * d.thd_std) : Json(nullptr)},
                {"thd_upper_percent", d.any_counted() ? number(100 * d.thd_upper) : Json(nullptr)},
                {"thd_upper_db", d.any_counted() ? number(20 * std::log10(d.thd_upper)) : Json(nullptr)},
                {"thd_n_percent", number(100 * d.thd_n())},
                {"thd_n_db", number(-d.sinad_db())},
                {"snr_db", number(d.snr_db())},
                {"sinad_db", number(d.sinad_db())},
                {"sfdr_db", number(d.sfdr_db())},
                {"largest_spur_hz", number(d.largest_spur_hz)},
                {"enob", number(d.enob())},
                {"noise_rms", number(d.noise_rms)},
                {"noise_density", number(d.noise_density)},
                {"sine_fit_level", number(d.sine_fit_rms)},
                {"sine_fit_sinad_db", number(d.sine_fit_sinad_db)},
                {"spectrum_level", number(d.spectrum_rms)},
                {"harmonics", lines}};
    if (d.second) {
      out["second_hz"] = number(d.second->frequency_hz);
      out["second_level"] = number(d.second->rms);
    }
    return out;
  }

  std::string csv(const Measured& m) const {
    std::string out = "channel,line,frequency (Hz),level (RMS),unit,dB re fundamental,phase (deg)\n";
    for (std::size_t c = 0; c < m.channels.size(); ++c) {
      const auto add = [&](const DistortionLine& l) {
        if (l.counted)
          out += fmt::format("{},{},{:.10g},{:.8g},{},{:.4f},{:.3f}\n", csv_cell(m.channels[c].name),
                             csv_cell(name(l)), l.frequency_hz, l.rms, csv_cell(m.channels[c].unit.text()),
                             relative_db(l, m.distortions[c]), l.phase_deg);
      };
      add(m.distortions[c].fundamental);
      for (const DistortionLine& l : m.distortions[c].harmonics) add(l);
    }
    return out;
  }

  /// The fitted lines over the floor of the rest: what the table says, as a picture.
  Figure figure(const Measured& m) const {
    Figure figure;
    figure.title = m.facts.recording.stem() + ": distortion";
    figure.caption =
        "lines fitted to the samples, in dB re the fundamental; grey: what the noise hides, and its floor in "
        "one bin of the record";
    for (std::size_t c = 0; c < m.channels.size(); ++c) {
      const Distortion& d = m.distortions[c];
      Panel panel;
      const std::string thd = !d.any_counted() ? "no harmonic within the span"
                              : d.thd_known()  ? "THD " + percent(d.thd)
                                               : "THD below " + percent(d.thd_upper);
      panel.title = fmt::format("{}: {}, SINAD {}", m.channels[c].name, thd, db(d.sinad_db()));
      const double rate = m.facts.recording.axis.rate_hz(), top = rate / 2;
      const double floor_db = decibels(
          d.noise_density *
              std::sqrt(rate / static_cast<double>(std::max<std::int64_t>(1, m.facts.recording.samples))),
          true, d.fundamental.rms);
      double lowest = floor_db, highest_hz = 2 * d.fundamental.frequency_hz;
      for (const DistortionLine& l : d.harmonics)
        if (l.counted) {
          lowest = std::min(lowest, std::max(relative_db(l, d), floor_db - 20));
          highest_hz = std::max(highest_hz, l.frequency_hz);
        }
      const double bottom = 10 * std::floor(lowest / 10 - 1);
      panel.x = {"Frequency", "Hz", false, 0, std::min(top, 1.1 * highest_hz)};
      panel.y = {"Level", "dB re fundamental", false, bottom, 10};
      Curve floor;
      floor.x = {0, *panel.x.high};
      floor.y = {floor_db, floor_db};
      floor.colour = neutral_colour;
      panel.curves.push_back(std::move(floor));
      const auto stick = [&](const DistortionLine& l, const std::string& label) {
        Curve curve;
        curve.x = {l.frequency_hz, l.frequency_hz};
        curve.y = {bottom, std::max(bottom, relative_db(l, d))};
        if (l.below_noise()) curve.colour = neutral_colour;
        panel.curves.push_back(std::move(curve));
        if (relative_db(l, d) > bottom) panel.marks.push_back({l.frequency_hz, relative_db(l, d), label});
      };
      stick(d.fundamental, "1");
      if (d.second) stick(*d.second, "f2");
      for (const DistortionLine& l : d.harmonics)
        if (l.counted && !(settings_.two_tone && l.below_noise()))
          stick(l, settings_.two_tone ? name(l) : std::to_string(l.order));
      figure.panels.push_back(std::move(panel));
    }
    return figure;
  }

  InputSettings input_;
  OutputSettings output_;
  DistortionSettings settings_;
};

}  // namespace

std::unique_ptr<Task> make_distortion_task() { return std::make_unique<DistortionTask>(); }

}  // namespace vprism
