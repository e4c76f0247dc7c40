// weight.cpp: the frequency weightings A, C and Z of sound levels.
//
// IEC 61672-1:2013, annex E: with corner1 = 20.598997, corner2 = 107.65265, corner3 = 737.86223, corner4 =
// 12194.217 Hz
//     C(f) = corner4^2 f^2 / ((f^2 + corner1^2) (f^2 + corner4^2)),  A(f) = C(f) f^2 / sqrt((f^2 + corner2^2)
//     (f^2 + corner3^2)),
// each divided by its value at 1 kHz; Z is 1. The poles at corner1 to corner3 and zeros at 0 run as recursive
// sections (matched: z = exp(-2 pi f / fs)), which give the phase of the analogue network; what is left of
// the gain is smooth and is made by a centred filter without feedback, so that the weighting holds up to half
// the rate.
#include "condition/steps/weight.h"

#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"
#include "condition/filters/fir.h"
#include "condition/filters/sections.h"

namespace vprism {

namespace {

constexpr double corner1 = 20.598997, corner2 = 107.65265, corner3 = 737.86223, corner4 = 12194.217;

double c_gain(double f) {
  return corner4 * corner4 * f * f / ((f * f + corner1 * corner1) * (f * f + corner4 * corner4));
}
double a_gain(double f) {
  return c_gain(f) * f * f / std::sqrt((f * f + corner2 * corner2) * (f * f + corner3 * corner3));
}

}  // namespace

double weighting_gain(char letter, double hz) {
  return letter == 'A' ? a_gain(hz) / a_gain(1000) : letter == 'C' ? c_gain(hz) / c_gain(1000) : 1;
}

namespace {

class Weight : public ColumnStage {
 public:
  explicit Weight(StepWords& words) : letter_(words.value_of({"A", "C", "Z"}, "weighting")[0]) {}

  void start(Recording& passing) override {
    require_even_time(passing, "weight");
    rate_hz_ = passing.axis.rate_hz();
    const auto pole = [&](double f) { return std::exp(-2 * std::numbers::pi * f / rate_hz_); };
    const auto section = [&](double f, double g) {
      return Section{1, -2, 1, -(pole(f) + pole(g)), pole(f) * pole(g)};
    };
    sections_.clear();
    if (letter_ != 'Z') sections_.push_back(section(corner1, corner1));
    if (letter_ == 'A') sections_.push_back(section(corner2, corner3));
    const auto left = [&](double cycles) {
      const double at = std::max(cycles, 1e-5);
      return weighting_gain(letter_, at * rate_hz_) / std::abs(vprism::response(sections_, at));
    };
    taps_ = letter_ == 'Z' ? std::vector<double>{1} : taps_from_gain(left, 255, 8);
    for (Channel& channel : passing.channels)
      if (letter_ != 'Z' && !channel.quantity.empty())
        channel.quantity = std::string(1, letter_) + "-weighted " + channel.quantity;
    start_columns(passing);
  }

  std::optional<std::complex<double>> response(double hz) const override {
    return vprism::response(sections_, hz / rate_hz_) * centred_gain(taps_, hz / rate_hz_);
  }
  StageReport report() const override {
    StageReport report{"weight", {{"weighting", std::string(1, letter_)}, {"standard", "IEC 61672-1"}}, {}};
    if (letter_ != 'Z')
      report.effects.emplace_back("gain at 1 kHz",
                                  rate_hz_ > 2000
                                      ? format_number(20 * std::log10(std::abs(*response(1000))), 3) + " dB"
                                      : "above the band");
    return report;
  }

 protected:
  std::unique_ptr<ColumnWorker> make_worker() override {
    std::vector<std::unique_ptr<ColumnWorker>> both;
    both.push_back(make_centred_fir(taps_));
    both.push_back(make_causal_filter(sections_));
    return std::make_unique<WorkerSeries>(std::move(both));
  }

 private:
  char letter_;
  double rate_hz_ = 1;
  std::vector<Section> sections_;
  std::vector<double> taps_;
};

}  // namespace

std::unique_ptr<Stage> make_weight_stage(StepWords& words) { return std::make_unique<Weight>(words); }

}  // namespace vprism
