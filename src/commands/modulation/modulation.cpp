// modulation.cpp: the command `modulation`: a carrier's amplitude, frequency and phase against time.
#include "identify/swings/modulation.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/modulation/report.h"
#include "commands/shared/each_input.h"
#include "commands/shared/held.h"
#include "commands/shared/write_recording.h"
#include "identify/lines/whole_lines.h"
#include "transform/bands/band_shift.h"
#include "transform/bands/carrier_band.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism {

namespace {

/// Samples of the series that are held for each channel.
constexpr std::size_t most_of_carrier = std::size_t{1} << 24;
/// As many are wanted at least; a span nobody asked for is as wide as that takes.
constexpr double fewest_of_carrier = 512;

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
      warn_of_modulation(result, c);
    }
    return result;
  }

  void report(const ModulationResult& result, Delivery& delivery) override {
    const Recording& r = result.facts.recording;
    delivery.inputs.push_back(result.facts);
    delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
    delivery.text += clean_text(r.file) + "\n";
    for (std::size_t c = 0; c < result.channels.size(); ++c) {
      delivery.text += "\n" + modulation_text(result, c);
      delivery.results.push_back(modulation_json(result, c));
      for (const Jump& jump : result.channels[c].measured.jumps)
        delivery.findings.push_back(jump_finding(r, c, jump, result.channels[c].series.start_s));
    }
    delivery.text += "\n";
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
                        modulation_figure(result, c),
                        "amplitude and frequency against time, and what they swing at");
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

  std::optional<double> carrier_hz_;
  std::optional<Range> span_;
  std::string to_;
};

}  // namespace

std::unique_ptr<Task> make_modulation_task() { return std::make_unique<ModulationTask>(); }

}  // namespace vprism
