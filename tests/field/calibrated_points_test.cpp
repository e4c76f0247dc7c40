// calibrated_points_test.cpp: variables of points in their physical unit.
#include "field/calibrated_points.h"

#include <gtest/gtest.h>

#include "base/error.h"

namespace vprism::calibrated_points_test {
namespace {

std::unique_ptr<PointSource> two_points() {
  PointRecording r;
  r.file = "made.h5";
  r.points = {{1, 0, 0, 0}, {2, 1, 0, 0}};
  r.variables = {{"w", Unit::parse("V")}, {"T", Unit::parse("degC")}};
  r.frames = 3;
  r.axis.interval = 0.1;
  return std::make_unique<HeldPoints>(std::move(r),
                                      std::vector<double>{1, 2, 3, 10, 20, 30, 4, 5, 6, 40, 50, 60});
}

TEST(CalibratedPoints, StepsThenUnitsApplyToTheirVariableOnly) {
  const auto source = calibrated_points(two_points(), {parse_calibration_rule("w: sensitivity 100 mV/mm")},
                                        {parse_unit_rule("w: um"), parse_unit_rule("T: K")});
  EXPECT_EQ(source->recording().variables[0].unit.text(), "um");
  std::vector<double> out(12);
  source->read(std::vector<PointRun>{{0, 2}}, out, 3);
  EXPECT_NEAR(out[0], 10000, 1e-9);  // 1 V at 0.1 V/mm.
  EXPECT_NEAR(out[8], 60000, 1e-9);
  EXPECT_NEAR(out[3], 283.15, 1e-9);
  EXPECT_NEAR(out[11], 333.15, 1e-9);
}

TEST(CalibratedPoints, UnitsOneAfterTheOtherAreTheLast) {
  const auto source =
      calibrated_points(two_points(), {}, {parse_unit_rule("T: degF"), parse_unit_rule("T: K")});
  std::vector<double> out(12);
  source->read(std::vector<PointRun>{{0, 2}}, out, 3);
  EXPECT_NEAR(out[3], 283.15, 1e-9);
}

TEST(CalibratedPoints, WhatDoesNotFitIsRefused) {
  EXPECT_THROW(calibrated_points(two_points(), {}, {parse_unit_rule("w: kg")}), Error);
  EXPECT_THROW(calibrated_points(two_points(), {parse_calibration_rule("q: probe 10")}, {}), Error);
  const auto same = calibrated_points(two_points(), {}, {});
  EXPECT_EQ(same->recording().variables[0].unit.text(), "V");
}

}  // namespace
}  // namespace vprism::calibrated_points_test
