// fade.cpp: raised cosines at both ends of the record: sin^2(pi t / (2 T)) over the first and last T.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"

namespace vprism {

namespace {

class Fade : public Stage {
 public:
  explicit Fade(StepWords& words) : span_s_(parse_positive(words.value(), Dimension::time)) {}

  void start(Recording& passing) override {
    require_even_time(passing, "fade");
    samples_ = passing.samples;
    length_ = span_s_ / passing.axis.interval;
    if (2 * length_ > static_cast<double>(samples_))
      throw Error(Status::analysis, passing.file + ": fade: twice " + format_quantity(span_s_, "s") +
                                        " is longer than the record, " +
                                        format_quantity(passing.duration_s(), "s"));
  }
  void push(Block& block, const Sink& next) override {
    for (std::size_t n = 0; n < block.size(); ++n) {
      const std::int64_t at = block.first() + static_cast<std::int64_t>(n);
      const double near = static_cast<double>(std::min(at, samples_ - 1 - at));
      if (near >= length_) {
        // Past the rise: on to the fall, or out.
        const auto fall = samples_ - 1 - static_cast<std::int64_t>(std::ceil(length_));
        if (at < fall) n += static_cast<std::size_t>(fall - at - 1);
        continue;
      }
      const double s = std::sin(std::numbers::pi / 2 * near / length_), gain = s * s;
      for (std::size_t c = 0; c < block.columns(); ++c) block.samples(c)[n] *= gain;
    }
    next(block);
  }
  StageReport report() const override {
    return {"fade", {{"over", format_quantity(span_s_, "s")}}, {{"shape", "raised cosine at both ends"}}};
  }

 private:
  double span_s_, length_ = 0;
  std::int64_t samples_ = 0;
};

}  // namespace

std::unique_ptr<Stage> make_fade_stage(StepWords& words) { return std::make_unique<Fade>(words); }

}  // namespace vprism
