// waves.cpp: terms with a closed form: tones, hum, square and other waves, sweeps, bursts, steps.
//
// Band-limited waves are their Fourier series up to half the rate:
//   square, duty d   A (2 d - 1) + sum 4 A / (n pi) sin(n pi d) cos(2 pi n (F t - d / 2))
//   triangle         8 A / pi^2 sum over odd n of (-1)^((n-1)/2) / n^2 sin(2 pi n F t)
//   sawtooth         2 A / pi sum (-1)^(n+1) / n sin(2 pi n F t)
#include <cmath>
#include <functional>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "generate/term.h"

namespace vprism {

namespace {

using std::numbers::pi;

/// A term given by a function of time.
class Wave : public Term {
 public:
  using Value = std::function<double(double t)>;
  /// `make` is asked for the function once the stretch is known.
  Wave(std::function<Value(const Stretch&)> make, Truth truth)
      : make_(std::move(make)), truth_(std::move(truth)) {}
  void start(const Stretch& stretch) override { value_ = make_(stretch); }
  void add(std::int64_t, std::span<const double> t, std::span<double> out) override {
    for (std::size_t n = 0; n < t.size(); ++n) out[n] += value_(t[n]);
  }
  Truth truth() const override { return truth_; }

 private:
  std::function<Value(const Stretch&)> make_;
  Truth truth_;
  Value value_;
};

std::unique_ptr<Term> wave(Wave::Value value, Truth truth) {
  return std::make_unique<Wave>([value](const Stretch&) { return value; }, std::move(truth));
}

double frequency_of(StepWords& words) { return parse_positive(words.value(), Dimension::frequency); }

double degrees(const std::string& text) {
  const Quantity quantity = parse_any_quantity(text);
  if (quantity.unit.text() == "1") return quantity.value;
  const Unit degree = Unit::parse("degree");
  if (!quantity.unit.converts_to(degree))
    throw Error(Status::usage, "\"" + clean_text(text) + "\" is no angle; write for example \"30deg\"");
  return quantity.unit.convert(quantity.value, degree);
}

/// Sum of a Fourier series below half the rate.
class Series : public Term {
 public:
  struct Line {
    double amplitude, phase;  ///< amplitude cos(2 pi n F t + phase)
  };
  Series(double hz, double mean, std::function<Line(int n)> line, Truth truth)
      : hz_(hz), mean_(mean), line_(std::move(line)), truth_(std::move(truth)) {}
  void start(const Stretch& stretch) override {
    lines_.clear();
    for (int n = 1; n * hz_ < stretch.rate_hz / 2; ++n) {
      if (lines_.size() > 100000)
        throw Error(Status::usage, "more than 100000 harmonics lie below half the rate");
      lines_.push_back(line_(n));
    }
  }
  void add(std::int64_t, std::span<const double> t, std::span<double> out) override {
    for (std::size_t n = 0; n < t.size(); ++n) {
      double sum = mean_;
      for (std::size_t k = 0; k < lines_.size(); ++k)
        if (lines_[k].amplitude != 0)
          sum += lines_[k].amplitude *
                 std::cos(2 * pi * std::fmod(static_cast<double>(k + 1) * hz_ * t[n], 1.0) + lines_[k].phase);
      out[n] += sum;
    }
  }
  Truth truth() const override {
    Truth out = truth_;
    out.emplace_back("harmonics", static_cast<double>(lines_.size()));
    return out;
  }

 private:
  double hz_, mean_;
  std::function<Line(int)> line_;
  Truth truth_;
  std::vector<Line> lines_;
};

Truth basic(const char* kind, double hz, double amplitude) {
  return {{"kind", std::string(kind)}, {"frequency_hz", hz}, {"amplitude", amplitude}};
}

/// Place within the period, 0 to 1. Products that rounding left just below a whole number are taken as that,
/// so that edges that fall on samples do so in every period.
double turn(double hz, double t) {
  const double x = hz * t, part = x - std::floor(x);
  return part > 1 - 1e-9 ? 0 : part;
}

/// High from `low` to `low + height` for the share `duty` of the period.
std::unique_ptr<Term> rectangles(double hz, double low, double height, double duty, bool limited,
                                 Truth truth) {
  if (limited)
    return std::make_unique<Series>(
        hz, low + height * duty,
        [=](int n) {
          return Series::Line{2 * height / (n * pi) * std::sin(n * pi * duty), -pi * n * duty};
        },
        std::move(truth));
  return wave([=](double t) { return turn(hz, t) < duty - 1e-9 ? low + height : low; }, std::move(truth));
}

}  // namespace

std::unique_ptr<Term> make_tone(StepWords& words, const TermContext& context) {
  const double hz = frequency_of(words), a = parse_amount(words.value(), context.unit);
  Truth truth = basic("tone", hz, a);
  const auto phase_text = words.keyed("phase");
  const double phase = phase_text ? degrees(*phase_text) : 0;
  truth.emplace_back("phase_deg", phase);
  std::vector<double> relative = {1};
  if (const auto list = words.keyed("harmonics")) {
    std::vector<double> amplitudes;
    for (const std::string& one : split(*list, ',')) {
      relative.push_back(parse_quantity(one, Dimension::ratio));
      amplitudes.push_back(a * relative.back());
    }
    truth.emplace_back("harmonic_amplitudes", amplitudes);
  }
  const auto modulation = [&](const char* what, Dimension dimension, double& size, double& rate) {
    const std::string rate_key = std::string(what) + "-rate";
    const auto text = words.keyed(what), rate_text = words.keyed(rate_key);
    if (!text && !rate_text) return;
    if (!text || !rate_text)
      throw Error(Status::usage, std::string("\"") + what + "\" and \"" + rate_key + "\" belong together");
    size = parse_quantity(*text, dimension);
    rate = parse_positive(*rate_text, Dimension::frequency);
    truth.emplace_back(std::string(what) + (dimension == Dimension::ratio ? "_depth" : "_deviation_hz"),
                       size);
    truth.emplace_back(std::string(what) + "_rate_hz", rate);
  };
  double am = 0, am_hz = 0, fm = 0, fm_hz = 0;
  modulation("am", Dimension::ratio, am, am_hz);
  modulation("fm", Dimension::frequency, fm, fm_hz);
  return wave(
      [=](double t) {
        double angle = 2 * pi * std::fmod(hz * t, 1.0) + phase * pi / 180;
        if (fm != 0) angle += fm / fm_hz * std::sin(2 * pi * fm_hz * t);
        const double size = am != 0 ? a * (1 + am * std::cos(2 * pi * am_hz * t)) : a;
        double sum = 0;
        for (std::size_t k = 0; k < relative.size(); ++k)
          sum += relative[k] * std::cos(static_cast<double>(k + 1) * angle);
        return size * sum;
      },
      std::move(truth));
}

std::unique_ptr<Term> make_hum(StepWords& words, const TermContext& context) {
  const double a = parse_amount(words.value(), context.unit);
  const auto at = words.keyed("at");
  const double hz = at ? parse_positive(*at, Dimension::frequency) : 50;
  Truth truth = basic("hum", hz, a);
  truth.emplace_back("orders", std::vector<double>{1, 3, 5, 7});
  truth.emplace_back("amplitudes", std::vector<double>{a, a * 0.25, a * 0.15, a * 0.07});
  return wave(
      [=](double t) {
        const double x = 2 * pi * std::fmod(hz * t, 1.0);
        return a * (std::cos(x) + 0.25 * std::cos(3 * x) + 0.15 * std::cos(5 * x) + 0.07 * std::cos(7 * x));
      },
      std::move(truth));
}

std::unique_ptr<Term> make_square(StepWords& words, const TermContext& context) {
  const double hz = frequency_of(words), a = parse_amount(words.value(), context.unit);
  const auto text = words.keyed("duty");
  const double duty = text ? parse_quantity(*text, Dimension::ratio) : 0.5;
  if (!(duty > 0 && duty < 1)) throw Error(Status::usage, "the duty must lie between 0 and 100%");
  Truth truth = basic("square", hz, a);
  truth.emplace_back("duty", duty);
  return rectangles(hz, -a, 2 * a, duty, words.flag("band-limited"), std::move(truth));
}

std::unique_ptr<Term> make_pulses(StepWords& words, const TermContext& context) {
  const double hz = frequency_of(words), a = parse_amount(words.value(), context.unit);
  const auto text = words.keyed("width");
  if (!text)
    throw Error(Status::usage, "\"width\" is missing; write for example \"" + words.example() + "\"");
  const double width = parse_positive(*text, Dimension::time);
  if (!(width * hz < 1)) throw Error(Status::usage, "the width must be shorter than the period");
  Truth truth = basic("pulses", hz, a);
  truth.emplace_back("width_s", width);
  return rectangles(hz, 0, a, width * hz, words.flag("band-limited"), std::move(truth));
}

std::unique_ptr<Term> make_triangle(StepWords& words, const TermContext& context) {
  const double hz = frequency_of(words), a = parse_amount(words.value(), context.unit);
  Truth truth = basic("triangle", hz, a);
  if (words.flag("band-limited"))
    return std::make_unique<Series>(
        hz, 0,
        [=](int n) {
          return Series::Line{n % 2 == 0 ? 0 : 8 * a / (pi * pi * n * n) * (n % 4 == 1 ? 1 : -1), -pi / 2};
        },
        std::move(truth));
  return wave([=](double t) { return a * (1 - 4 * std::abs(turn(hz, t + 0.25 / hz) - 0.5)); },
              std::move(truth));
}

std::unique_ptr<Term> make_sawtooth(StepWords& words, const TermContext& context) {
  const double hz = frequency_of(words), a = parse_amount(words.value(), context.unit);
  Truth truth = basic("sawtooth", hz, a);
  if (words.flag("band-limited"))
    return std::make_unique<Series>(
        hz, 0,
        [=](int n) {
          return Series::Line{2 * a / (pi * n) * (n % 2 == 1 ? 1 : -1), -pi / 2};
        },
        std::move(truth));
  return wave([=](double t) { return a * (2 * turn(hz, t + 0.5 / hz) - 1); }, std::move(truth));
}

std::unique_ptr<Term> make_sweep(StepWords& words, const TermContext& context) {
  const Range range = parse_range(words.value(), Dimension::frequency);
  if (!range.low || !range.high) throw Error(Status::usage, "both frequencies are needed");
  const double f1 = *range.low, f2 = *range.high, a = parse_amount(words.value(), context.unit);
  const bool log = words.one_of({"linear", "log"}).value_or("linear") == "log";
  if (log && !(f1 > 0)) throw Error(Status::usage, "a logarithmic sweep can't begin at 0 Hz");
  const auto from = words.keyed("from"), span = words.keyed("for");
  const std::optional<double> begin =
      from ? std::optional(parse_quantity(*from, Dimension::time)) : std::nullopt;
  const std::optional<double> length =
      span ? std::optional(parse_positive(*span, Dimension::time)) : std::nullopt;
  return std::make_unique<Wave>(
      [=](const Stretch& stretch) {
        const double t0 = begin.value_or(stretch.start_s);
        const double T = length.value_or(stretch.start_s + stretch.duration_s() - t0),
                     k = std::log(f2 / std::max(f1, 1e-300));
        return [=](double t) {
          const double s = t - t0;
          if (s < 0 || s >= T) return 0.0;
          const double turns =
              log ? f1 * T / k * std::expm1(s * k / T) : f1 * s + (f2 - f1) * s * s / (2 * T);
          return a * std::cos(2 * pi * std::fmod(turns, 1.0));
        };
      },
      Truth{{"kind", std::string("sweep")},
            {"low_hz", f1},
            {"high_hz", f2},
            {"amplitude", a},
            {"law", std::string(log ? "log" : "linear")}});
}

std::unique_ptr<Term> make_burst(StepWords& words, const TermContext& context) {
  const std::string text = words.value();
  double f1 = 0, f2 = 0;
  if (text.find("..") != std::string::npos) {
    const Range range = parse_range(text, Dimension::frequency);
    if (!range.low || !range.high) throw Error(Status::usage, "both frequencies are needed");
    f1 = *range.low, f2 = *range.high;
  } else {
    f1 = f2 = parse_positive(text, Dimension::frequency);
  }
  const double a = parse_amount(words.value(), context.unit);
  const auto from = words.keyed("from"), span = words.keyed("for"), every = words.keyed("every");
  if (!from || !span)
    throw Error(Status::usage,
                "\"from\" and \"for\" are needed; write for example \"" + words.example() + "\"");
  const double begin = parse_quantity(*from, Dimension::time), T = parse_positive(*span, Dimension::time);
  const double period = every ? parse_positive(*every, Dimension::time) : 0;
  if (every && period < T) throw Error(Status::usage, "bursts that come sooner than one ends would overlap");
  Truth truth = {{"kind", std::string("burst")},
                 {"low_hz", f1},
                 {"high_hz", f2},
                 {"amplitude", a},
                 {"from_s", begin},
                 {"length_s", T}};
  if (every) truth.emplace_back("every_s", period);
  return wave(
      [=](double t) {
        double s = t - begin;
        if (period > 0 && s >= 0) s -= period * std::floor(s / period);
        if (s < 0 || s >= T) return 0.0;
        const double shape = std::sin(pi * s / T);
        return a * shape * shape * std::cos(2 * pi * (f1 * s + (f2 - f1) * s * s / (2 * T)));
      },
      std::move(truth));
}

std::unique_ptr<Term> make_impulse(StepWords& words, const TermContext& context) {
  const double at = parse_quantity(words.value(), Dimension::time),
               a = parse_amount(words.value(), context.unit);
  return std::make_unique<Wave>(
      [=](const Stretch& stretch) {
        // The sample nearest to that time.
        const double half = 0.5 / stretch.rate_hz;
        return [=](double t) { return t - at > -half && t - at <= half ? a : 0.0; };
      },
      Truth{{"kind", std::string("impulse")}, {"at_s", at}, {"amplitude", a}});
}

std::unique_ptr<Term> make_step(StepWords& words, const TermContext& context) {
  const double at = parse_quantity(words.value(), Dimension::time),
               a = parse_amount(words.value(), context.unit);
  return std::make_unique<Wave>(
      [=](const Stretch& stretch) {
        const double slack = 1e-6 / stretch.rate_hz;  // Times are sums of rounded intervals.
        return [=](double t) { return t >= at - slack ? a : 0.0; };
      },
      Truth{{"kind", std::string("step")}, {"at_s", at}, {"amplitude", a}});
}

std::unique_ptr<Term> make_offset(StepWords& words, const TermContext& context) {
  const double a = parse_amount(words.value(), context.unit);
  return wave([=](double) { return a; }, {{"kind", std::string("offset")}, {"amplitude", a}});
}

std::unique_ptr<Term> make_drift(StepWords& words, const TermContext& context) {
  const double a = parse_amount(words.value(), context.unit);
  return std::make_unique<Wave>(
      [=](const Stretch& stretch) {
        const double start = stretch.start_s, T = stretch.duration_s();
        return [=](double t) { return a * (t - start) / T; };
      },
      Truth{{"kind", std::string("drift")}, {"amplitude", a}});
}

}  // namespace vprism
