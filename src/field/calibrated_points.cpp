// calibrated_points.cpp: see calibrated_points.h.
#include "field/calibrated_points.h"

#include "base/error.h"

namespace vprism {

namespace {

class CalibratedPoints : public PointSource {
 public:
  CalibratedPoints(std::unique_ptr<PointSource> source, PointRecording recording,
                   std::vector<Calibration> calibrations, std::vector<Conversion> conversions)
      : source_(std::move(source)),
        recording_(std::move(recording)),
        calibrations_(std::move(calibrations)),
        conversions_(std::move(conversions)) {}

  const PointRecording& recording() const override { return recording_; }
  bool by_frames() const override { return source_->by_frames(); }

  void read(std::span<const PointRun> runs, std::span<double> out, std::size_t step) override {
    source_->read(runs, out, step);
    std::size_t points = 0;
    for (const PointRun& run : runs) points += run.count;
    const std::size_t variables = calibrations_.size(), frames = series_length(), series = points * variables;
    // In the order in which the numbers lie.
    const std::size_t outer = by_frames() ? frames : series, inner = by_frames() ? series : frames;
    for (std::size_t i = 0; i < outer; ++i)
      for (std::size_t k = 0; k < inner; ++k) {
        const std::size_t v = (by_frames() ? k : i) % variables;
        double& x = out[i * step + k];
        x = conversions_[v](calibrations_[v].value(x));
      }
  }

 private:
  std::unique_ptr<PointSource> source_;
  PointRecording recording_;
  std::vector<Calibration> calibrations_;
  std::vector<Conversion> conversions_;
};

}  // namespace

std::unique_ptr<PointSource> calibrated_points(std::unique_ptr<PointSource> source,
                                               const std::vector<CalibrationRule>& rules,
                                               const std::vector<UnitRule>& units) {
  if (rules.empty() && units.empty()) return source;
  PointRecording recording = source->recording();
  if (source->saved() != nullptr)
    throw Error(Status::usage, recording.file +
                                   ": saved transforms keep the unit they were made in; give "
                                   "--calibrate and --unit with --keep-transforms");
  Recording named;
  named.file = recording.file, named.channels = recording.variables;
  std::vector<std::vector<std::string>> steps(named.channels.size());
  for (const CalibrationRule& rule : rules)
    for (const std::size_t v : select_channels(named, {rule.channels}))
      steps[v].insert(steps[v].end(), rule.steps.begin(), rule.steps.end());
  std::vector<Calibration> calibrations;
  for (std::size_t v = 0; v < steps.size(); ++v) {
    Channel& variable = recording.variables[v];
    try {
      calibrations.push_back(make_calibration(steps[v], variable.unit));
    } catch (const Error& error) {
      throw Error(error.status(), "--calibrate for variable \"" + variable.name + "\": " + error.what());
    }
    if (steps[v].empty()) continue;
    variable.unit = calibrations[v].unit, variable.quantity = quantity_of(variable.unit);
    recording.notes.emplace_back("calibrate " + variable.name, calibrations[v].text);
  }
  std::vector<Conversion> conversions(steps.size());
  for (const UnitRule& rule : units)
    for (const std::size_t v : select_channels(named, {rule.channels})) {
      Channel& variable = recording.variables[v];
      if (!variable.unit.converts_to(rule.unit))
        throw Error(Status::usage, "--unit for variable \"" + variable.name + "\": " + variable.unit.text() +
                                       " does not convert to " + rule.unit.text());
      conversions[v] = conversions[v].then(variable.unit.conversion(rule.unit));
      variable.unit = rule.unit, variable.quantity = quantity_of(variable.unit);
    }
  return std::make_unique<CalibratedPoints>(std::move(source), std::move(recording), std::move(calibrations),
                                            std::move(conversions));
}

}  // namespace vprism
