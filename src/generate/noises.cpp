// noises.cpp: random terms, and resonators that other terms drive.
//
// White noise of one-sided density D (unit per square root of Hz) has the variance D^2 fs / 2. Pink noise is
// white noise through sections with poles and zeros in turn, four to the decade, whose gain falls by 10 dB a
// decade from 1e-5 of the rate up to half of it (within 0.1 dB, but for the last octave), scaled to D at its
// frequency. A resonator is H(s) = w^2 / (s^2 + 2 z w s + w^2), gain 1 at 0, by the bilinear transform with
// its frequency kept.
#include <cmath>
#include <complex>
#include <functional>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "condition/filters/sections.h"
#include "generate/random.h"
#include "generate/term.h"

namespace vprism {

namespace {

using std::numbers::pi;

class Noise : public Term {
 public:
  /// `shape` gives the sections that white noise of that density runs through.
  Noise(RandomStream stream, double density, std::function<std::vector<Section>(const Stretch&)> shape,
        Truth truth)
      : stream_(stream), density_(density), shape_(std::move(shape)), truth_(std::move(truth)) {}

  void start(const Stretch& stretch) override {
    std_ = density_ * std::sqrt(stretch.rate_hz / 2);
    sections_ = shape_(stretch);
    runner_ = SectionRunner(sections_);
    runner_.settle(0);
    // What the filter remembers from before the record.
    lead_ = std::min<std::size_t>(sections_.empty() ? 0 : settling_samples(sections_), 100000);
    std::vector<double> before(lead_);
    for (std::size_t n = 0; n < lead_; ++n) before[n] = std_ * stream_.gaussian(n);
    if (lead_ > 0) runner_.run(before.data(), lead_);
  }
  void add(std::int64_t first, std::span<const double>, std::span<double> out) override {
    made_.resize(out.size());
    for (std::size_t n = 0; n < out.size(); ++n)
      made_[n] = std_ * stream_.gaussian(lead_ + static_cast<std::uint64_t>(first) + n);
    if (!sections_.empty()) runner_.run(made_.data(), made_.size());
    for (std::size_t n = 0; n < out.size(); ++n) out[n] += made_[n];
  }
  Truth truth() const override {
    Truth out = truth_;
    if (sections_.empty()) out.emplace_back("rms", std_);
    return out;
  }

 private:
  RandomStream stream_;
  double density_, std_ = 0;
  std::function<std::vector<Section>(const Stretch&)> shape_;
  Truth truth_;
  std::vector<Section> sections_;
  SectionRunner runner_{{}};
  std::size_t lead_ = 0;
  std::vector<double> made_;
};

Truth noise_truth(const char* kind, double density) {
  return {{"kind", std::string(kind)}, {"density", density}};
}

/// Falls by 10 dB a decade; gain 1 at `hz`.
std::vector<Section> pink_sections(double rate_hz, double hz) {
  std::vector<Section> out;
  const double step = std::pow(10.0, 0.25), apart = std::sqrt(step);
  const auto place = [&](double f) { return std::exp(-2 * pi * f / rate_hz); };
  for (double f = 1e-5 * rate_hz; f < rate_hz; f *= step)
    out.push_back({1, -place(f * apart), 0, -place(f), 0});
  const double gain = std::abs(response(out, hz / rate_hz));
  out.front().b0 /= gain, out.front().b1 /= gain;
  return out;
}

class Spikes : public Term {
 public:
  Spikes(RandomStream stream, double hz, double amplitude)
      : stream_(stream), hz_(hz), amplitude_(amplitude) {}
  void start(const Stretch& stretch) override {
    chance_ = hz_ / stretch.rate_hz;
    if (chance_ > 0.5) throw Error(Status::usage, "spikes: more of them than half the samples");
    // They are few: their times are told.
    at_.clear();
    for (std::int64_t n = 0; n < stretch.samples && at_.size() < 1000; ++n)
      if (stream_.uniform(static_cast<std::uint64_t>(n)) <= chance_)
        at_.push_back(stretch.start_s + static_cast<double>(n) / stretch.rate_hz);
  }
  void add(std::int64_t first, std::span<const double>, std::span<double> out) override {
    for (std::size_t n = 0; n < out.size(); ++n) {
      const double dice = stream_.uniform(static_cast<std::uint64_t>(first) + n);
      if (dice <= chance_) out[n] += dice <= chance_ / 2 ? amplitude_ : -amplitude_;
    }
  }
  Truth truth() const override {
    return {{"kind", std::string("spikes")}, {"rate_hz", hz_}, {"amplitude", amplitude_}, {"times_s", at_}};
  }

 private:
  RandomStream stream_;
  double hz_, amplitude_, chance_ = 0;
  std::vector<double> at_;
};

class Resonator : public Term {
 public:
  Resonator(std::unique_ptr<Term> drive, double hz, double damping)
      : drive_(std::move(drive)), hz_(hz), damping_(damping) {}
  void start(const Stretch& stretch) override {
    if (hz_ >= stretch.rate_hz / 2)
      throw Error(Status::usage, "resonator: " + format_quantity(hz_, "Hz") + " is not below half the rate");
    drive_->start(stretch);
    // Exact poles; between samples the drive runs straight, so what it answers are second differences of the
    // answer to a ramp.
    const double w = 2 * pi * hz_, step = 1 / stretch.rate_hz;
    const std::complex<double> turn = w * std::sqrt(std::complex<double>(1 - damping_ * damping_));
    const auto ramp = [&](double t) {
      const std::complex<double> sine =
          std::abs(turn) * t > 1e-9 ? std::sin(turn * t) / turn : std::complex<double>(t);
      const std::complex<double> dying =
          2 * damping_ / w * std::cos(turn * t) + (2 * damping_ * damping_ - 1) * sine;
      return t - 2 * damping_ / w + std::exp(-damping_ * w * t) * dying.real();
    };
    const double r1 = ramp(step), r2 = ramp(2 * step), r3 = ramp(3 * step);
    const double h0 = r1 / step, h1 = (r2 - 2 * r1) / step, h2 = (r3 - 2 * r2 + r1) / step;
    const double a1 = -2 * std::exp(-damping_ * w * step) * std::cos(turn * step).real(),
                 a2 = std::exp(-2 * damping_ * w * step);
    runner_ = SectionRunner({{h0, h1 + a1 * h0, h2 + a1 * h1 + a2 * h0, a1, a2}});
    runner_.settle(0);
  }
  void add(std::int64_t first, std::span<const double> t, std::span<double> out) override {
    made_.assign(out.size(), 0.0);
    drive_->add(first, t, made_);
    runner_.run(made_.data(), made_.size());
    for (std::size_t n = 0; n < out.size(); ++n) out[n] += made_[n];
  }
  Truth truth() const override {
    Truth out = drive_->truth();
    out.emplace_back("resonator_hz", hz_);
    out.emplace_back("resonator_damping", damping_);
    return out;
  }

 private:
  std::unique_ptr<Term> drive_;
  double hz_, damping_;
  SectionRunner runner_{{}};
  std::vector<double> made_;
};

double density_of(StepWords& words) {
  const double density = plain_number(words.value());
  if (!(density >= 0)) throw Error(Status::usage, "a density can't be negative");
  return density;
}

}  // namespace

std::unique_ptr<Term> make_white(StepWords& words, const TermContext& context) {
  const double density = density_of(words);
  return std::make_unique<Noise>(
      RandomStream(context.seed, context.label), density,
      [](const Stretch&) { return std::vector<Section>(); }, noise_truth("white", density));
}

std::unique_ptr<Term> make_pink(StepWords& words, const TermContext& context) {
  const double density = density_of(words);
  const auto at = words.keyed("at");
  const double hz = at ? parse_positive(*at, Dimension::frequency) : 1000;
  Truth truth = noise_truth("pink", density);
  truth.emplace_back("at_hz", hz);
  return std::make_unique<Noise>(
      RandomStream(context.seed, context.label), density,
      [hz](const Stretch& stretch) {
        if (hz >= stretch.rate_hz / 2)
          throw Error(Status::usage, "pink: " + format_quantity(hz, "Hz") +
                                         " is not below half the rate; name another "
                                         "frequency with \"at\"");
        return pink_sections(stretch.rate_hz, hz);
      },
      std::move(truth));
}

std::unique_ptr<Term> make_band(StepWords& words, const TermContext& context) {
  const Range range = parse_range(words.value(), Dimension::frequency);
  if (!range.low || !range.high || !(*range.low > 0))
    throw Error(Status::usage, "both edges are needed, above 0 Hz");
  const double density = density_of(words), low = *range.low, high = *range.high;
  Truth truth = noise_truth("band", density);
  truth.emplace_back("low_hz", low);
  truth.emplace_back("high_hz", high);
  return std::make_unique<Noise>(
      RandomStream(context.seed, context.label), density,
      [low, high](const Stretch& stretch) {
        if (high >= stretch.rate_hz / 2)
          throw Error(Status::usage, "band: " + format_quantity(high, "Hz") + " is not below half the rate");
        return FilterDesign{FilterKind::butterworth, FilterBand::bandpass,   4,
                            low / stretch.rate_hz,   high / stretch.rate_hz, 0}
            .sections();
      },
      std::move(truth));
}

std::unique_ptr<Term> make_spikes(StepWords& words, const TermContext& context) {
  const double hz = parse_positive(words.value(), Dimension::frequency);
  return std::make_unique<Spikes>(RandomStream(context.seed, context.label), hz,
                                  parse_amount(words.value(), context.unit));
}

std::unique_ptr<Term> make_resonator(StepWords& words, std::unique_ptr<Term> drive) {
  const double hz = parse_positive(words.value(), Dimension::frequency);
  const auto text = words.keyed("damping");
  const double damping = text ? parse_quantity(*text, Dimension::ratio) : 0.02;
  if (!(damping > 0 && damping < 1)) throw Error(Status::usage, "the damping must lie between 0 and 1");
  return std::make_unique<Resonator>(std::move(drive), hz, damping);
}

}  // namespace vprism
