// envelope.cpp: the step envelope: |x + i H x|, H Hilbert's transform by h[m] = 2 / (pi m) for odd m in
// Kaiser's window.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"
#include "condition/column.h"
#include "condition/filters/fir.h"

namespace vprism {

namespace {

class EnvelopeWorker : public ColumnWorker {
 public:
  explicit EnvelopeWorker(std::vector<double> taps) : turned_(make_centred_fir(std::move(taps))) {}
  void add(std::span<const double> in, std::vector<double>& out) override {
    held_.insert(held_.end(), in.begin(), in.end());
    turned_->add(in, other_);
    hand_on(out);
  }
  void finish(std::vector<double>& out) override {
    turned_->finish(other_);
    hand_on(out);
  }

 private:
  void hand_on(std::vector<double>& out) {
    const std::size_t ready = std::min(held_.size(), other_.size());
    for (std::size_t n = 0; n < ready; ++n) out.push_back(std::hypot(held_[n], other_[n]));
    held_.erase(held_.begin(), held_.begin() + static_cast<std::ptrdiff_t>(ready));
    other_.erase(other_.begin(), other_.begin() + static_cast<std::ptrdiff_t>(ready));
  }
  std::unique_ptr<ColumnWorker> turned_;
  std::vector<double> held_, other_;
};

class Envelope : public ColumnStage {
 public:
  void start(Recording& passing) override {
    require_even_time(passing, "envelope");
    require_real(passing, "envelope");
    half_ = static_cast<int>(std::min<std::int64_t>(511, passing.samples / 4));
    if (half_ < 7)
      throw Error(Status::analysis,
                  passing.file + ": envelope: " + std::to_string(passing.samples) + " samples are too few");
    rate_hz_ = passing.axis.rate_hz();
    start_columns(passing);
  }
  StageReport report() const override {
    // Kaiser's transition at 60 dB.
    const double width = (60 - 7.95) / 14.36 / (2 * half_) * rate_hz_;
    return {"envelope",
            {},
            {{"true from", format_quantity(width, "Hz", 3)},
             {"to", format_quantity(rate_hz_ / 2 - width, "Hz", 3)}}};
  }

 protected:
  std::unique_ptr<ColumnWorker> make_worker() override {
    const double beta = kaiser_beta(60);
    std::vector<double> taps(static_cast<std::size_t>(2 * half_ + 1));
    for (int m = -half_; m <= half_; ++m)
      if (m % 2 != 0)
        taps[static_cast<std::size_t>(m + half_)] =
            -2 / (std::numbers::pi * m) * kaiser_window(beta, static_cast<double>(m) / (half_ + 1));
    return std::make_unique<EnvelopeWorker>(std::move(taps));
  }

 private:
  int half_ = 0;
  double rate_hz_ = 1;
};

}  // namespace

std::unique_ptr<Stage> make_envelope_stage(StepWords&) { return std::make_unique<Envelope>(); }

}  // namespace vprism
