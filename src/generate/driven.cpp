// driven.cpp: terms that other terms or channels drive.
//
// A chain of n equal masses between two walls, springs between neighbours, with w0 = sqrt(k / m) and one
// damping ratio d for every mode. Displacement of mass p times k over the force on mass q:
//     H = sum_j s_pj s_qj w0^2 / (w_j^2 - w^2 + 2 i d w_j w),  w_j = 2 w0 sin(j pi / (2 (n + 1))),
//     s_pj = sqrt(2 / (n + 1)) sin(p j pi / (n + 1)).
// A pole s of a mode, driven by a force that runs straight from sample to sample, is stepped exactly: with
// z' = s z + f and e = exp(s h), z1 = e z0 + f0 (A - B) + f1 B, A = (e - 1) / s, B = (e - 1 - s h) / (s^2 h);
// the mode moves as Im(z) / Im(s). So frequencies and damping are those of the formula at any rate.
#include <cmath>
#include <complex>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "generate/term.h"

namespace vprism {

namespace {

using std::numbers::pi;
using Complex = std::complex<double>;

class MassChain : public Term {
 public:
  MassChain(std::unique_ptr<Term> drive, int masses, double hz, double damping, int at, int from)
      : drive_(std::move(drive)), masses_(masses), hz_(hz), damping_(damping), at_(at), from_(from) {
    const double n1 = masses + 1;
    for (int j = 1; j <= masses; ++j) {
      const double constant = 2 / n1 * std::sin(at * j * pi / n1) * std::sin(from * j * pi / n1);
      modes_.push_back({2 * hz * std::sin(j * pi / (2 * n1)), constant, {}, {}, {}, {}});
    }
  }

  void start(const Stretch& stretch) override {
    if (modes_.back().hz >= stretch.rate_hz / 2)
      throw Error(Status::usage, "chain: its highest mode, " + format_quantity(modes_.back().hz, "Hz") +
                                     ", is not below half the rate");
    drive_->start(stretch);
    const double h = 1 / stretch.rate_hz;
    for (Mode& m : modes_) {
      const double w = 2 * pi * m.hz, wd = w * std::sqrt(1 - damping_ * damping_);
      const Complex s(-damping_ * w, wd), e = std::exp(s * h), a = (e - 1.0) / s,
                                          b = (e - 1.0 - s * h) / (s * s * h);
      m.step = e, m.before = a - b, m.now = b, m.state = 0;
      m.gain = m.constant * std::pow(2 * pi * hz_, 2) / wd;
    }
    last_ = 0;
    begun_ = false;
  }

  void add(std::int64_t first, std::span<const double> t, std::span<double> out) override {
    made_.assign(out.size(), 0.0);
    drive_->add(first, t, made_);
    for (std::size_t n = 0; n < out.size(); ++n) {
      double sum = 0;
      for (Mode& m : modes_) {
        if (begun_) m.state = m.step * m.state + last_ * m.before + made_[n] * m.now;
        sum += m.gain * m.state.imag();
      }
      last_ = made_[n];
      begun_ = true;
      out[n] += sum;
    }
  }

  Truth truth() const override {
    Truth out = drive_->truth();
    std::vector<double> hz, constants;
    for (const Mode& m : modes_) hz.push_back(m.hz), constants.push_back(m.constant);
    out.emplace_back("chain_masses", static_cast<double>(masses_));
    out.emplace_back("chain_at", static_cast<double>(at_));
    out.emplace_back("chain_from", static_cast<double>(from_));
    out.emplace_back("mode_hz", hz);
    out.emplace_back("mode_damping", damping_);
    out.emplace_back("mode_constants", constants);
    return out;
  }

 private:
  struct Mode {
    double hz, constant;
    Complex step, before, now, state;
    double gain = 0;
  };
  std::unique_ptr<Term> drive_;
  int masses_;
  double hz_, damping_;
  int at_, from_;
  std::vector<Mode> modes_;
  std::vector<double> made_;
  double last_ = 0;
  bool begun_ = false;
};

/// What an earlier channel of the same recording holds.
class EarlierChannel : public Term {
 public:
  EarlierChannel(const EarlierChannels* channels, std::size_t index) : channels_(channels), index_(index) {}
  void start(const Stretch&) override {}
  void add(std::int64_t, std::span<const double>, std::span<double> out) override {
    const std::span<const double> x = channels_->samples[index_];
    for (std::size_t n = 0; n < out.size(); ++n) out[n] += x[n];
  }
  Truth truth() const override {
    return {{"kind", std::string("channel")}, {"channel", channels_->names[index_]}};
  }

 private:
  const EarlierChannels* channels_;
  std::size_t index_;
};

double damping_of(StepWords& words, double usual) {
  const auto text = words.keyed("damping");
  const double damping = text ? parse_quantity(*text, Dimension::ratio) : usual;
  if (!(damping > 0 && damping < 1)) throw Error(Status::usage, "the damping must lie between 0 and 1");
  return damping;
}

}  // namespace

std::unique_ptr<Term> make_mass_chain(StepWords& words, std::unique_ptr<Term> drive) {
  const double count = plain_number(words.value());
  if (!(count >= 1 && count <= 200) || count != std::floor(count))
    throw Error(Status::usage, "a chain has 1 to 200 masses");
  const auto masses = static_cast<int>(count);
  const double hz = parse_positive(words.value(), Dimension::frequency);
  const double damping = damping_of(words, 0.01);
  const int at = words.keyed_whole("at", 1, masses).value_or(masses);
  const int from = words.keyed_whole("from", 1, masses).value_or(1);
  return std::make_unique<MassChain>(std::move(drive), masses, hz, damping, at, from);
}

std::unique_ptr<Term> make_earlier_channel(StepWords& words, const TermContext& context) {
  std::string name = words.value();
  while (const auto more = words.next()) name += " " + *more;
  if (context.earlier != nullptr)
    for (std::size_t c = 0; c < context.earlier->names.size(); ++c)
      if (context.earlier->names[c] == name) return std::make_unique<EarlierChannel>(context.earlier, c);
  throw Error(Status::usage,
              unknown_name("earlier channel", name,
                           context.earlier == nullptr ? std::vector<std::string>() : context.earlier->names));
}

}  // namespace vprism
