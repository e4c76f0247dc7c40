// linear_map.cpp: y = factor * x + offset, for calibration (a map per channel) and for scale, offset and
// invert.
#include <algorithm>

#include "base/error.h"
#include "base/text.h"
#include "condition/chain.h"

namespace vprism {

namespace {

void apply_map(const Conversion& map, std::span<double> samples) {
  if (map.plain()) return;
  for (double& x : samples) x = map(x);
}

class LinearMap : public Stage {
 public:
  LinearMap(std::string name, Conversion map) : name_(std::move(name)), map_(map) {}
  void start(Recording&) override {}
  bool needs_axis() const override { return false; }
  bool by_sample() const override { return true; }
  void push(Block& block, const Sink& next) override {
    for (std::size_t c = 0; c < block.columns(); ++c)
      apply_map(c < block.channels() && !doubt_ ? map_ : Conversion{map_.factor, 0}, block.samples(c));
    next(block);
  }
  void doubt(bool on) override { doubt_ = on; }
  std::optional<std::complex<double>> response(double) const override { return map_.factor; }
  StageReport report() const override {
    return {
        name_, {{"factor", format_number(map_.factor, 9)}, {"offset", format_number(map_.offset, 9)}}, {}};
  }

 private:
  std::string name_;
  Conversion map_;
  bool doubt_ = false;
};

class Calibrate : public Stage {
 public:
  explicit Calibrate(std::vector<CalibrationRule> rules) : rules_(std::move(rules)) {}
  bool needs_axis() const override { return false; }
  bool by_sample() const override { return true; }

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
    calibrations_.clear();
    report_ = {"calibrate", {}, {}};
    for (std::size_t c = 0; c < passing.channels.size(); ++c) {
      Channel& channel = passing.channels[c];
      Calibration calibration;
      try {
        calibration = make_calibration(steps[c], channel.unit);
      } catch (const Error& error) {
        throw Error(error.status(), "--calibrate for channel \"" + channel.name + "\": " + error.what());
      }
      calibrations_.push_back(calibration);
      if (steps[c].empty()) continue;
      report_.values.emplace_back(channel.name, calibration.text);
      report_.effects.emplace_back(
          channel.name,
          "x " + format_number(calibration.factor, 9) + ", + " + format_number(calibration.offset, 9) +
              (calibration.table.empty()
                   ? ""
                   : ", read off a table of " + std::to_string(calibration.table.size()) + " points") +
              ", in " + calibration.unit.text() + " (stored in " + channel.unit.text() + ")");
      channel.unit = calibration.unit;
      channel.quantity = quantity_of(channel.unit);
    }
  }

  void push(Block& block, const Sink& next) override {
    for (std::size_t c = 0; c < block.columns(); ++c) {
      const bool imaginary = c >= block.channels();
      const Calibration& calibration = calibrations_[imaginary ? c - block.channels() : c];
      if (calibration.table.empty())
        apply_map({calibration.factor, imaginary ? 0 : calibration.offset}, block.samples(c));
      else
        for (double& x : block.samples(c)) x = calibration.value(x);
    }
    next(block);
  }
  StageReport report() const override { return report_; }

 private:
  std::vector<CalibrationRule> rules_;
  std::vector<Calibration> calibrations_;
  StageReport report_;
};

/// Channels in another unit of the same quantity.
class ConvertUnits : public Stage {
 public:
  explicit ConvertUnits(std::vector<UnitRule> rules) : rules_(std::move(rules)) {}
  bool needs_axis() const override { return false; }
  bool by_sample() const override { return true; }
  void start(Recording& passing) override {
    maps_.assign(passing.channels.size(), {});
    report_ = {"unit", {}, {}};
    for (const UnitRule& rule : rules_) {
      std::vector<std::size_t> chosen;
      try {
        chosen = select_channels(passing, {rule.channels});
      } catch (const Error&) {
        continue;  // It may be meant for another recording of the same command.
      }
      for (const std::size_t c : chosen) {
        Channel& channel = passing.channels[c];
        if (!channel.unit.converts_to(rule.unit))
          throw Error(Status::usage, "--unit: channel \"" + channel.name + "\" is in " + channel.unit.text() +
                                         ", which can't be converted to " + rule.unit.text() +
                                         "; name the stored unit with --calibrate '" + channel.name +
                                         ": unit UNIT'");
        const Conversion now = channel.unit.conversion(rule.unit);
        maps_[c] = maps_[c].then(now);
        report_.effects.emplace_back(channel.name, "x " + format_number(now.factor, 9) + ", from " +
                                                       channel.unit.text() + " to " + rule.unit.text());
        channel.unit = rule.unit;
        channel.quantity = quantity_of(channel.unit);
      }
    }
  }
  void push(Block& block, const Sink& next) override {
    for (std::size_t c = 0; c < block.columns(); ++c) {
      const bool imaginary = c >= block.channels();
      const Conversion map = maps_[imaginary ? c - block.channels() : c];
      apply_map({map.factor, imaginary ? 0 : map.offset}, block.samples(c));
    }
    next(block);
  }
  StageReport report() const override { return report_; }

 private:
  std::vector<UnitRule> rules_;
  std::vector<Conversion> maps_;
  StageReport report_;
};

}  // namespace

std::unique_ptr<Stage> make_unit_stage(std::vector<UnitRule> rules) {
  return std::make_unique<ConvertUnits>(std::move(rules));
}

std::unique_ptr<Stage> make_linear_map_stage(std::string name, double factor, double offset) {
  return std::make_unique<LinearMap>(std::move(name), Conversion{factor, offset});
}

std::unique_ptr<Stage> make_calibrate_stage(std::vector<CalibrationRule> rules) {
  return std::make_unique<Calibrate>(std::move(rules));
}

}  // namespace vprism
