// limits.h: levels of recordings held against limit lines.
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/limits/limit_levels.h"
#include "commands/spectrum/spectrum.h"
#include "frame/command.h"
#include "frame/console.h"

namespace vprism {

inline const std::string outside_span = "outside the span";
/// The shortest segments in which a burst is looked for.
constexpr std::size_t shortest_segment = 64;

/// One channel against one line.
struct HeldLine {
  AskedLimit limit;
  Channel channel;
  Scale scale = Scale::rms;
  LimitLevels levels;
  LimitVerdict verdict;
  std::string dead;  ///< Why the channel can't be judged at all; "" where it can.
  std::string plan;

  bool judged() const { return dead.empty() && verdict.compared > 0; }
  /// What lies outside a span that was asked for is not missing.
  bool in_full() const {
    return judged() && std::all_of(verdict.not_judged.begin(), verdict.not_judged.end(),
                                   [](const LimitGap& gap) { return gap.why == outside_span; });
  }
  bool fails() const { return judged() && !verdict.pass; }
  const char* word() const {
    return fails() ? "FAIL" : in_full() ? "pass" : judged() ? "pass in part" : "NOT JUDGED";
  }
};

struct Recorded {
  InputFacts facts;
  std::vector<HeldLine> held;
  std::vector<Caution> cautions;
};

class LimitsTask : public Task {
 public:
  std::vector<OptionGroup> options() override;
  std::size_t threads() const override { return output_.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override;

 private:
  Recorded hold(Input& input, const std::vector<AskedLimit>& limits, const Progress& progress) const;

  /// Whether nothing but the mean is there.
  static bool still(const Spectrum& s);

  /// Whether the levels end at half the rate or at the end of a span is for the reader to know.
  static void name_gaps(HeldLine& h, double top_hz);

  static std::string decibels(double value, double std_db, bool sign);

  std::string unit_of(const HeldLine& h) const {
    return h.plan.empty() ? h.channel.unit.label() : scale_unit(h.channel.unit, h.scale);
  }

  std::string text(const Recorded& r) const;

  static Json violation_json(const LimitViolation& v);

  Json json(const HeldLine& h) const;

  std::string csv(const Recorded& r) const;

  Figure figure(const Recorded& r) const;

  InputSettings input_;
  AnalysisSettings analysis_;
  OutputSettings output_;
  std::string file_;
  bool partial_ = false;
  LimitCourse course_ = LimitCourse::logarithmic;
};

}  // namespace vprism
