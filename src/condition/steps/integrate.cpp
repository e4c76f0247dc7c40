// integrate.cpp: integrals and derivatives over time.
//
// In frequency, for records that fit in memory: X[k] is divided by (i 2 pi f)^N, or multiplied by it; the
// mean and all below the low cut-off are left out of integrals, and of odd derivatives of even records what
// is at half the rate. The record is taken as one period: its ends should meet.
//
// As filters, for longer ones. One integration is s / (s^2 + sqrt(2) w s + w^2), the integral of a
// second-order Butterworth high pass at the cut-off w: its poles and its zero go to z = exp(s T), which is
// half a sample early and has the wrong gain at high frequencies; a symmetrical filter with an even number of
// taps mends both. A derivative is sum h[m] x[n + m], h[m] = -(-1)^m / m in Kaiser's window, 255 taps.
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/fft.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"
#include "condition/filters/fir.h"
#include "condition/filters/sections.h"

namespace vprism {

namespace {

using std::numbers::pi;

/// The whole record in frequency.
class WholeRecord : public ColumnWorker {
 public:
  /// power -1: integrate once, 2: differentiate twice.
  WholeRecord(int power, double rate_hz, double from_hz, double factor)
      : power_(power), rate_hz_(rate_hz), from_hz_(from_hz), factor_(factor) {}
  void add(std::span<const double> in, std::vector<double>&) override {
    held_.insert(held_.end(), in.begin(), in.end());
  }
  void finish(std::vector<double>& out) override {
    const std::size_t n = held_.size();
    if (n == 0) return;
    for (const double x : held_)
      if (std::isnan(x))
        throw Error(Status::analysis,
                    "the record has gaps, and can't be integrated or differentiated across them; "
                    "use --missing interpolate, or gate a part without");
    const RealFft fft(n);
    FftArray<double> time(n);
    FftArray<std::complex<double>> bins(fft.bins());
    double mean = 0;
    for (const double x : held_) mean += x;
    mean /= static_cast<double>(n);
    for (std::size_t i = 0; i < n; ++i) time.data()[i] = held_[i] - mean;
    fft.run(time, bins);
    bins.data()[0] = 0;
    for (std::size_t k = 1; k < bins.size(); ++k) {
      const double f = static_cast<double>(k) * rate_hz_ / static_cast<double>(n);
      const bool last = 2 * k == n;
      // Cut-offs are written in decimals.
      if (f < from_hz_ * (1 - 1e-9) || (last && power_ % 2 != 0))
        bins.data()[k] = 0;
      else
        bins.data()[k] *=
            std::pow(std::complex<double>(0, 2 * pi * f), power_) * (factor_ / static_cast<double>(n));
    }
    fft.back(bins, time);
    out.insert(out.end(), time.data(), time.data() + n);
  }

 private:
  int power_;
  double rate_hz_, from_hz_, factor_;
  std::vector<double> held_;
};

/// An even number of taps gives one sample more than went in, at the end.
class DropLast : public ColumnWorker {
 public:
  explicit DropLast(std::unique_ptr<ColumnWorker> inner) : inner_(std::move(inner)) {}
  void add(std::span<const double> in, std::vector<double>& out) override { inner_->add(in, out); }
  void finish(std::vector<double>& out) override {
    inner_->finish(out);
    if (!out.empty()) out.pop_back();
  }

 private:
  std::unique_ptr<ColumnWorker> inner_;
};

/// One integration by filters: recursive section and taps.
struct Integrator {
  Section section;
  std::vector<double> taps;
  Integrator(double rate_hz, double from_hz, double factor) {
    const double w = 2 * pi * from_hz, damp = std::exp(-w / rate_hz * std::sqrt(0.5));
    section = {1, -1, 0, -2 * damp * std::cos(w / rate_hz * std::sqrt(0.5)), damp * damp};
    const auto left = [&](double cycles) {
      const double at = std::max(cycles, 1e-6), omega = 2 * pi * at * rate_hz;
      const std::complex<double> s(0, omega);
      return factor * std::abs(s / (s * s + std::sqrt(2.0) * w * s + w * w)) /
             std::abs(response(std::vector{section}, at));
    };
    taps = taps_from_gain(left, 96, 8);
  }
};

class Calculus : public ColumnStage {
 public:
  Calculus(bool integrate, StepWords& words)
      : integrate_(integrate), name_(integrate ? "integrate" : "differentiate") {
    if (const auto count = words.next()) {
      const long long value = parse_whole_number(*count, 1);
      if (value > 4) throw Error(Status::usage, "at most 4 times");
      times_ = static_cast<int>(value);
    }
    if (integrate)
      if (const auto from = words.keyed("from")) from_hz_ = parse_positive(*from, Dimension::frequency);
    if (words.flag("method")) {
      method_ = words.one_of({"frequency", "filter"}).value_or("");
      if (method_.empty()) throw Error(Status::usage, "\"method\" needs frequency or filter behind it");
    }
  }

  void start(Recording& passing) override {
    require_even_time(passing, name_);
    rate_hz_ = passing.axis.rate_hz();
    const std::size_t columns = passing.channels.size() * (passing.complex ? 2 : 1);
    const double size = static_cast<double>(passing.samples) * static_cast<double>(columns);
    in_frequency_ = method_.empty() ? size <= most_in_memory : method_ == "frequency";
    if (in_frequency_ && size > 1 << 27)
      throw Error(Status::analysis, passing.file + ": " + name_ +
                                        ": the record is too long for method frequency; "
                                        "use method filter");
    cut_hz_ = from_hz_ ? *from_hz_ : (in_frequency_ ? 1.0 : 4.0) / passing.duration_s();
    if (integrate_ && cut_hz_ >= rate_hz_ / 2)
      throw Error(Status::analysis, passing.file + ": integrate: the low cut-off, " +
                                        format_quantity(cut_hz_, "Hz") + ", is not below half the rate, " +
                                        format_quantity(rate_hz_ / 2, "Hz"));
    report_ = {
        name_, {{"times", std::to_string(times_)}, {"method", in_frequency_ ? "frequency" : "filter"}}, {}};
    if (integrate_) report_.values.emplace_back("low cut-off", format_quantity(cut_hz_, "Hz"));
    if (integrate_ && times_ > 1 && !from_hz_)
      report_.cautions.push_back({"drift-kept", Severity::note, "",
                                  "integrated " + std::to_string(times_) + " times down to " +
                                      format_quantity(cut_hz_, "Hz", 3) +
                                      ", where small low-frequency errors become large",
                                  "name a low cut-off: integrate " + std::to_string(times_) + " from " +
                                      format_quantity(10 * cut_hz_, "Hz", 1)});
    if (integrate_ && !in_frequency_) {
      // Each time a high-pass of second order: it leads by about sqrt(2) f_cut / f.
      const double clear_hz = times_ * std::sqrt(2.0) * cut_hz_ / (5 * pi / 180);
      report_.cautions.push_back(
          {"integral-leads", Severity::note, "",
           "method filter turns phases: by more than 5 degrees below " + format_quantity(clear_hz, "Hz", 3),
           "method frequency has no phase of its own; or name a lower cut-off"});
    }
    factors_.clear();
    for (Channel& channel : passing.channels) {
      const auto [unit, factor] = times_seconds(channel.unit, integrate_ ? times_ : -times_);
      report_.effects.emplace_back(channel.name, channel.unit.text() + " to " + unit.text());
      channel.unit = unit;
      channel.quantity = quantity_of(unit);
      factors_.push_back(factor);
    }
    column_ = 0;
    start_columns(passing);
  }

  std::optional<std::complex<double>> response(double hz) const override {
    if (hz <= 0 || (integrate_ && hz < cut_hz_)) return 0;
    return std::pow(std::complex<double>(0, 2 * pi * hz), integrate_ ? -times_ : times_);
  }
  StageReport report() const override { return report_; }

 protected:
  std::unique_ptr<ColumnWorker> make_worker() override {
    const double factor = factors_[column_++ % factors_.size()];
    if (in_frequency_)
      return std::make_unique<WholeRecord>(integrate_ ? -times_ : times_, rate_hz_, integrate_ ? cut_hz_ : 0,
                                           factor);
    std::vector<std::unique_ptr<ColumnWorker>> steps;
    for (int i = 0; i < times_; ++i) {
      if (integrate_) {
        const Integrator one(rate_hz_, cut_hz_, i == 0 ? factor : 1);
        steps.push_back(std::make_unique<DropLast>(make_centred_fir(one.taps)));
        steps.push_back(make_causal_filter({one.section}));
      } else {
        std::vector<double> taps(255);
        double slope = 0;
        for (int m = -127; m <= 127; ++m)
          if (m != 0) {
            double& tap = taps[static_cast<std::size_t>(m + 127)];
            tap = (m % 2 == 0 ? -1.0 : 1.0) / m * kaiser_window(13, m / 128.0);
            slope += m * tap;
          }
        // Exact for a line.
        for (double& tap : taps) tap *= rate_hz_ / slope * (i == 0 ? factor : 1);
        steps.push_back(make_centred_fir(taps));
      }
    }
    return std::make_unique<WorkerSeries>(std::move(steps));
  }

 private:
  static constexpr double most_in_memory = 1 << 22;
  bool integrate_, in_frequency_ = true;
  const char* name_;
  int times_ = 1;
  std::optional<double> from_hz_;
  std::string method_;
  double rate_hz_ = 1, cut_hz_ = 0;
  std::vector<double> factors_;
  std::size_t column_ = 0;
  StageReport report_;
};

}  // namespace

std::unique_ptr<Stage> make_integrate_stage(StepWords& words) {
  return std::make_unique<Calculus>(true, words);
}
std::unique_ptr<Stage> make_differentiate_stage(StepWords& words) {
  return std::make_unique<Calculus>(false, words);
}

}  // namespace vprism
