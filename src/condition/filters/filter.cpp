// filter.cpp: lowpass, highpass, bandpass, bandstop and notch as stages of the chain.
//
// Recursive kinds run causally, settled to the first sample, or forward and backward with `zero-phase` (gain
// squared, so that the edges are then at -6 dB). The kind `fir` is a windowed ideal filter, 80 dB down
// outside a transition of a quarter of the way to the nearest end of the band, run centred: its delay is
// taken off.
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"
#include "condition/filters/fir.h"
#include "condition/filters/sections.h"

namespace vprism {

namespace {

std::string decibels_text(std::complex<double> gain) {
  return format_number(20 * std::log10(std::max(std::abs(gain), 1e-20)), 4) + " dB";
}

class Filter : public ColumnStage {
 public:
  Filter(FilterBand band, const char* name, StepWords& words) : name_(name) {
    design_.band = band;
    const bool two = band == FilterBand::bandpass || band == FilterBand::bandstop;
    const std::string text = words.value();
    if (two) {
      const Range range = parse_range(text, Dimension::frequency);
      if (!range.low || !range.high)
        throw Error(Status::usage, "both edges are needed; write for example \"" + words.example() + "\"");
      low_hz_ = *range.low, high_hz_ = *range.high;
      if (!(low_hz_ > 0)) throw Error(Status::usage, "the lower edge must be above 0 Hz");
    } else {
      (band == FilterBand::lowpass ? high_hz_ : low_hz_) = parse_positive(text, Dimension::frequency);
    }
    const auto word = words.keyed("kind");
    kind_ = word ? *word : "butterworth";
    const std::vector<std::string> kinds = {"butterworth", "chebyshev", "bessel", "fir"};
    const auto found = std::find(kinds.begin(), kinds.end(), kind_);
    if (found == kinds.end()) throw Error(Status::usage, unknown_name("kind of filter", kind_, kinds));
    fir_ = kind_ == "fir";
    if (!fir_) design_.kind = static_cast<FilterKind>(found - kinds.begin());
    order_ = words.keyed_whole("order", 1, fir_ ? 1000000 : kind_ == "bessel" ? 12 : 20);
    design_.order = fir_ ? 0 : order_.value_or(4);
    if (const auto ripple = words.keyed("ripple")) {
      if (kind_ != "chebyshev") throw Error(Status::usage, "\"ripple\" is for kind chebyshev only");
      design_.ripple_db = parse_positive(*ripple, Dimension::decibel);
    }
    zero_phase_ = words.flag("zero-phase");
    if (fir_ && zero_phase_)
      throw Error(Status::usage, "kind fir has no phase anyway; leave \"zero-phase\" out");
  }

  void start(Recording& passing) override {
    require_even_time(passing, name_);
    rate_hz_ = passing.axis.rate_hz();
    design_.low = low_hz_ / rate_hz_, design_.high = high_hz_ / rate_hz_;
    for (const double edge : {low_hz_, high_hz_})
      if (edge >= rate_hz_ / 2)
        throw Error(Status::analysis, passing.file + ": " + name_ + ": the edge at " +
                                          format_quantity(edge, "Hz") + " is not below half the rate, " +
                                          format_quantity(rate_hz_ / 2, "Hz"));
    report_ = {name_, {}, {}};
    auto& values = report_.values;
    if (low_hz_ > 0)
      values.emplace_back(high_hz_ > 0 ? "lower edge" : "edge", format_quantity(low_hz_, "Hz", 9));
    if (high_hz_ > 0)
      values.emplace_back(low_hz_ > 0 ? "upper edge" : "edge", format_quantity(high_hz_, "Hz", 9));
    values.emplace_back("kind", kind_);
    if (fir_)
      design_taps(passing);
    else
      design_sections(passing);
    start_columns(passing);
  }

  std::optional<std::complex<double>> response(double hz) const override {
    if (fir_) return centred_gain(taps_, hz / rate_hz_);
    const std::complex<double> gain = vprism::response(sections_, hz / rate_hz_);
    return zero_phase_ ? std::complex<double>(std::norm(gain)) : gain;
  }
  StageReport report() const override { return report_; }

 protected:
  std::unique_ptr<ColumnWorker> make_worker() override {
    if (fir_) return make_centred_fir(taps_);
    return zero_phase_ ? make_zero_phase_filter(sections_, samples_) : make_causal_filter(sections_);
  }

 private:
  void design_sections(const Recording& passing) {
    samples_ = static_cast<std::size_t>(std::max<std::int64_t>(passing.samples, 1));
    try {
      sections_ = design_.sections();
    } catch (const Error& error) {
      throw Error(error.status(), passing.file + ": " + name_ + ": " + error.what());
    }
    const std::size_t settling = settling_samples(sections_);
    if (zero_phase_ && settling > std::size_t{1} << 22)
      throw Error(Status::analysis, passing.file + ": " + name_ + ": it rings for " +
                                        std::to_string(settling) +
                                        " samples, too long to run backward; decimate first");
    report_.values.emplace_back("order", std::to_string(design_.order));
    if (kind_ == "chebyshev") report_.values.emplace_back("ripple", format_quantity(design_.ripple_db, "dB"));
    report_.values.emplace_back("phase", zero_phase_ ? "none: run forward and backward" : "causal");
    for (const double edge : {low_hz_, high_hz_})
      if (edge > 0)
        report_.effects.emplace_back("gain at " + format_quantity(edge, "Hz"),
                                     decibels_text(*response(edge)));
    const double ring = static_cast<double>(settling) / rate_hz_;
    if (!zero_phase_ && passing.samples > 0 && ring > passing.duration_s())
      report_.cautions.push_back(
          {"filter-rings", Severity::note, "",
           std::string(name_) + " settles in " + format_quantity(ring, "s", 3) + ", longer than the record",
           "use zero-phase, a lower order or a longer record"});
  }

  void design_taps(const Recording&) {
    const bool two = low_hz_ > 0 && high_hz_ > 0;
    double width = 0.5;
    for (const double edge : {design_.low, design_.high})
      if (edge > 0) width = std::min({width, edge / 4, (0.5 - edge) / 4});
    if (two) width = std::min(width, (design_.high - design_.low) / 4);
    constexpr double attenuation_db = 80;
    std::size_t count = kaiser_taps(attenuation_db, width);
    if (order_) count = static_cast<std::size_t>(*order_) / 2 * 2 + 1;
    if (count > (std::size_t{1} << 22))
      throw Error(Status::analysis, std::string(name_) + ": it would take " + std::to_string(count) +
                                        " taps; decimate first, or name a lower order");
    const auto low_pass = [&](double edge) { return lowpass_taps(edge, count, attenuation_db); };
    if (two) {
      taps_ = low_pass(design_.high);
      const std::vector<double> less = low_pass(design_.low);
      for (std::size_t i = 0; i < count; ++i) taps_[i] -= less[i];
    } else {
      taps_ = low_pass(low_hz_ > 0 ? design_.low : design_.high);
    }
    if (design_.band == FilterBand::highpass || design_.band == FilterBand::bandstop) {
      for (double& tap : taps_) tap = -tap;
      taps_[count / 2] += 1;
    }
    report_.values.emplace_back("taps", std::to_string(count));
    report_.values.emplace_back("phase", "none: run centred");
    report_.effects.emplace_back("group delay compensated", std::to_string(count / 2) + " samples");
    for (const double edge : {low_hz_, high_hz_})
      if (edge > 0)
        report_.effects.emplace_back("gain at " + format_quantity(edge, "Hz"),
                                     decibels_text(*response(edge)));
  }

  const char* name_;
  FilterDesign design_;
  std::string kind_;
  double low_hz_ = 0, high_hz_ = 0, rate_hz_ = 1;
  std::optional<int> order_;
  bool fir_ = false, zero_phase_ = false;
  std::size_t samples_ = 0;
  std::vector<Section> sections_;
  std::vector<double> taps_;
  StageReport report_;
};

class Notch : public ColumnStage {
 public:
  explicit Notch(StepWords& words) {
    centre_hz_ = parse_positive(words.value(), Dimension::frequency);
    harmonics_ = words.keyed_whole("harmonics", 1, 10000).value_or(1);
    if (const auto q = words.keyed("q")) q_ = plain_number(*q);
    if (!(q_ > 0.5)) throw Error(Status::usage, "q must be above 0.5");
    zero_phase_ = words.flag("zero-phase");
  }

  void start(Recording& passing) override {
    require_even_time(passing, "notch");
    rate_hz_ = passing.axis.rate_hz();
    samples_ = static_cast<std::size_t>(std::max<std::int64_t>(passing.samples, 1));
    sections_.clear();
    std::string placed;
    int left_out = 0;
    for (int n = 1; n <= harmonics_; ++n) {
      const double at = n * centre_hz_ / rate_hz_, width = at / q_;
      if (at + width / 2 >= 0.5) {
        ++left_out;
        continue;
      }
      sections_.push_back(notch_section(at, width));
      if (n <= 8) placed += (n == 1 ? "" : ", ") + format_quantity(n * centre_hz_, "Hz", 9);
    }
    if (sections_.empty())
      throw Error(Status::analysis, passing.file + ": notch: " + format_quantity(centre_hz_, "Hz") +
                                        " is not below half the rate, " +
                                        format_quantity(rate_hz_ / 2, "Hz"));
    if (sections_.size() > 8) placed += ", ... (" + std::to_string(sections_.size()) + " in all)";
    report_ = {"notch",
               {{"centres", placed},
                {"q", format_number(q_)},
                {"phase", zero_phase_ ? "none: run forward and backward" : "causal"}},
               {}};
    if (left_out > 0)
      report_.effects.emplace_back("left out", std::to_string(left_out) + " multiples above half the rate");
    report_.effects.emplace_back(
        "settles in", format_quantity(static_cast<double>(settling_samples(sections_)) / rate_hz_, "s", 3));
    start_columns(passing);
  }

  std::optional<std::complex<double>> response(double hz) const override {
    const std::complex<double> gain = vprism::response(sections_, hz / rate_hz_);
    return zero_phase_ ? std::complex<double>(std::norm(gain)) : gain;
  }
  StageReport report() const override { return report_; }

 protected:
  std::unique_ptr<ColumnWorker> make_worker() override {
    return zero_phase_ ? make_zero_phase_filter(sections_, samples_) : make_causal_filter(sections_);
  }

 private:
  double centre_hz_ = 0, q_ = 30, rate_hz_ = 1;
  int harmonics_ = 1;
  bool zero_phase_ = false;
  std::size_t samples_ = 0;
  std::vector<Section> sections_;
  StageReport report_;
};

}  // namespace

std::unique_ptr<Stage> make_lowpass_stage(StepWords& words) {
  return std::make_unique<Filter>(FilterBand::lowpass, "lowpass", words);
}
std::unique_ptr<Stage> make_highpass_stage(StepWords& words) {
  return std::make_unique<Filter>(FilterBand::highpass, "highpass", words);
}
std::unique_ptr<Stage> make_bandpass_stage(StepWords& words) {
  return std::make_unique<Filter>(FilterBand::bandpass, "bandpass", words);
}
std::unique_ptr<Stage> make_bandstop_stage(StepWords& words) {
  return std::make_unique<Filter>(FilterBand::bandstop, "bandstop", words);
}
std::unique_ptr<Stage> make_notch_stage(StepWords& words) { return std::make_unique<Notch>(words); }

}  // namespace vprism
