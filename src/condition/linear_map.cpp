// linear_map.cpp: y = factor * x + offset, for calibration (a map per channel) and for scale, offset and
// invert.
#include <algorithm>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"

namespace vprism {

namespace {

struct Map {
  double factor = 1, offset = 0;
};

void apply_map(const Map& map, std::span<double> samples) {
  if (map.factor == 1 && map.offset == 0) return;
  for (double& x : samples) x = map.factor * x + map.offset;
}

class LinearMap : public Stage {
 public:
  LinearMap(std::string name, Map map) : name_(std::move(name)), map_(map) {}
  void start(Recording&) override {}
  bool needs_axis() const override { return false; }
  void push(Block& block, const Sink& next) override {
    for (std::size_t c = 0; c < block.columns(); ++c)
      apply_map(c < block.channels() ? map_ : Map{map_.factor, 0}, block.samples(c));
    next(block);
  }
  StageReport report() const override {
    return {
        name_, {{"factor", format_number(map_.factor, 9)}, {"offset", format_number(map_.offset, 9)}}, {}};
  }

 private:
  std::string name_;
  Map map_;
};

class Calibrate : public Stage {
 public:
  explicit Calibrate(std::vector<CalibrationRule> rules) : rules_(std::move(rules)) {}
  bool needs_axis() const override { return false; }

  void start(Recording& passing) override {
    std::vector<std::vector<std::string>> steps(passing.channels.size());
    for (const CalibrationRule& rule : rules_) {
      // A rule may be meant for another recording of the same command; the command checks that each is used
      // once.
      std::vector<std::size_t> chosen;
      try {
        chosen = select_channels(passing, {rule.channels});
      } catch (const Error&) {
        continue;
      }
      for (const std::size_t c : chosen)
        steps[c].insert(steps[c].end(), rule.steps.begin(), rule.steps.end());
    }
    maps_.clear();
    report_ = {"calibrate", {}, {}};
    for (std::size_t c = 0; c < passing.channels.size(); ++c) {
      Channel& channel = passing.channels[c];
      Calibration calibration;
      try {
        calibration = make_calibration(steps[c], channel.unit);
      } catch (const Error& error) {
        throw Error(error.status(), "--calibrate for channel \"" + channel.name + "\": " + error.what());
      }
      maps_.push_back({calibration.factor, calibration.offset});
      if (steps[c].empty()) continue;
      report_.values.emplace_back(channel.name, calibration.text);
      report_.effects.emplace_back(channel.name, "x " + format_number(calibration.factor, 9) + ", + " +
                                                     format_number(calibration.offset, 9) + ", in " +
                                                     calibration.unit.text() + " (stored in " +
                                                     channel.unit.text() + ")");
      channel.unit = calibration.unit;
      channel.quantity = quantity_of(channel.unit);
    }
  }

  void push(Block& block, const Sink& next) override {
    for (std::size_t c = 0; c < block.channels(); ++c) apply_map(maps_[c], block.samples(c));
    next(block);
  }
  StageReport report() const override { return report_; }

 private:
  std::vector<CalibrationRule> rules_;
  std::vector<Map> maps_;
  StageReport report_;
};

}  // namespace

std::unique_ptr<Stage> make_linear_map_stage(std::string name, double factor, double offset) {
  return std::make_unique<LinearMap>(std::move(name), Map{factor, offset});
}

std::unique_ptr<Stage> make_calibrate_stage(std::vector<CalibrationRule> rules) {
  return std::make_unique<Calibrate>(std::move(rules));
}

}  // namespace vprism
