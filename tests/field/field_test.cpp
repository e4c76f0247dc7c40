// Recordings of many points whose motion is known: a ringing plate, waves that stand and travel, gaps.
#include "field/field.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "base/error.h"
#include "field/shape_pairs.h"

namespace vprism::field_test {
namespace {

using std::numbers::pi;

/// 9 x 5 points on 0.8 x 0.4, one variable of value(point, time).
template <typename Value>
HeldPoints made(std::size_t frames, double rate, const Value& value, std::size_t variables = 1) {
  PointRecording r;
  r.file = "made";
  r.frames = static_cast<std::int64_t>(frames);
  r.axis.interval = 1 / rate;
  for (std::size_t v = 0; v < variables; ++v)
    r.variables.push_back({"v" + std::to_string(v), Unit::parse("m/s"), "velocity"});
  for (int row = 0; row < 5; ++row)
    for (int column = 0; column < 9; ++column)
      r.points.push_back({row * 9 + column + 1, 0.1 * column, 0.1 * row, 0});
  std::vector<double> values;
  for (const Node& n : r.points)
    for (std::size_t v = 0; v < variables; ++v)
      for (std::size_t f = 0; f < frames; ++f) values.push_back(value(n, static_cast<double>(f) / rate, v));
  return HeldPoints(std::move(r), std::move(values));
}

TEST(Field, ARingingPlateGivesItsModesAndShapes) {
  std::mt19937_64 dice(3);
  std::normal_distribution<double> noise(0, 0.003);
  const double hz[] = {41.3, 97.8}, damping[] = {0.012, 0.007};
  HeldPoints source = made(800, 1000, [&](const Node& n, double t, std::size_t) {
    double v = noise(dice);
    for (int m = 0; m < 2; ++m) {
      const double w = 2 * pi * hz[m];
      v += std::cos((m + 1) * pi * n.x / 0.8) * (1 + n.y) * std::exp(-damping[m] * w * t) *
           std::cos(w * std::sqrt(1 - damping[m] * damping[m]) * t + m);
    }
    return v;
  });
  const FieldResult r = analyse_field(source, {});
  EXPECT_TRUE(r.decays);
  EXPECT_EQ(r.plan.window.kind, WindowKind::rectangular);
  ASSERT_EQ(r.shapes.size(), 2u);
  for (std::size_t m = 0; m < 2; ++m) {
    const FieldShape& s = r.shapes[m];
    EXPECT_NEAR(s.hz, hz[m], 5 * s.hz_std);
    EXPECT_NEAR(s.damping, damping[m], 5 * s.damping_std);
    EXPECT_LT(s.hz_std, 0.01);
    EXPECT_TRUE(s.standing());
    // Against the first point, where the shape is 1: cos((m + 1) pi x / 0.8) (1 + y).
    for (std::size_t p = 0; p < r.points.size(); ++p) {
      const double expected =
          std::cos(static_cast<double>(m + 1) * pi * r.points[p].x / 0.8) * (1 + r.points[p].y);
      EXPECT_NEAR((s.amplitude[0][p] / s.amplitude[0][0]).real(), expected, 0.08);
    }
  }
  EXPECT_LT(r.assurances[0][1], 0.15);
  EXPECT_NEAR(r.assurances[0][0], 1, 1e-12);
  // Of the first, half a wave over the width: it does not move half way.
  const auto still = nodal_places(r.points, r.shapes[0], 0);
  ASSERT_GE(still.size(), 5u);
  for (const Node& n : still) EXPECT_NEAR(n.x, 0.4, 0.02);
}

TEST(Field, StandingAndTravellingWavesAreToldApart) {
  HeldPoints source = made(512, 512, [](const Node& n, double t, std::size_t) {
    return 0.5 * std::sin(2 * pi * n.x / 0.8) * std::cos(2 * pi * 40 * t) +
           0.3 * std::cos(2 * pi * 90 * t - 2 * pi * n.x / 0.8);
  });
  FieldSettings settings;
  settings.phase_point = 0;
  const FieldResult r = analyse_field(source, settings);
  EXPECT_FALSE(r.decays);
  ASSERT_EQ(r.shapes.size(), 2u);
  EXPECT_NEAR(r.shapes[0].hz, 40, 0.01);
  EXPECT_TRUE(r.shapes[0].standing());
  EXPECT_NEAR(r.shapes[0].max_level, 0.5, 0.01);
  EXPECT_NEAR(r.shapes[1].hz, 90, 0.01);
  EXPECT_FALSE(r.shapes[1].standing());
  // The wave's phase falls by a whole turn over the width, against the first point; amplitude everywhere 0.3.
  for (std::size_t c = 0; c < 9; ++c) {
    EXPECT_NEAR(std::abs(r.shapes[1].amplitude[0][c]), 0.3, 0.01);
    EXPECT_NEAR(
        std::remainder(std::arg(r.shapes[1].amplitude[0][c]) + 2 * pi * static_cast<double>(c) / 8, 2 * pi),
        0, 0.03);
  }
  // RMS over points of the travelling wave: 0.3 everywhere.
  EXPECT_NEAR(r.shapes[1].mean_level, 0.3, 0.01);
  EXPECT_TRUE(nodal_places(r.points, r.shapes[1], 0).empty());
}

TEST(Field, APhaseIsNotToldAgainstAPointThatStandsStill) {
  // The first shape is strongest in the middle, where the second, of one wave over the width, does not move.
  HeldPoints source = made(512, 512, [](const Node& n, double t, std::size_t) {
    return std::sin(pi * n.x / 0.8) * std::cos(2 * pi * 40 * t) +
           0.5 * std::sin(2 * pi * n.x / 0.8) * std::cos(2 * pi * 90 * t + 1);
  });
  const FieldResult r = analyse_field(source, {});
  ASSERT_EQ(r.shapes.size(), 2u);
  EXPECT_NEAR(r.points[r.shapes[0].phase_point].x, 0.4, 1e-9);
  EXPECT_NEAR(std::abs(r.points[r.shapes[1].phase_point].x - 0.4), 0.2, 1e-9);
  // Its greatest point is real and positive, as every standing shape's against its own.
  const std::complex<double> top = r.shapes[1].amplitude[0][r.shapes[1].max_point];
  EXPECT_NEAR(top.real(), 0.5, 0.01);
  EXPECT_NEAR(top.imag(), 0, 0.005);
}

TEST(Field, MeanAndGreatestSpectraAreThoseOfThePoints) {
  // Amplitude x at each point, on a bin: mean square of x^2 / 2 over points.
  HeldPoints source = made(
      256, 256, [](const Node& n, double t, std::size_t) { return 5 + n.x * std::cos(2 * pi * 32 * t); });
  FieldSettings settings;
  settings.window = parse_window("rectangular");
  settings.at_hz = {32};
  settings.watched = {8};
  const FieldResult r = analyse_field(source, settings);
  double sum = 0;
  for (int c = 0; c < 9; ++c) sum += 0.01 * c * c / 9;
  EXPECT_NEAR(r.mean_power()[32], sum / 2, 1e-12);
  EXPECT_NEAR(r.max_power()[32], 0.64 / 2, 1e-12);
  EXPECT_EQ((r.sums.max_point[0][32] + 1) % 9, 0u);
  EXPECT_NEAR(r.mean_power()[0], 0, 1e-20);
  ASSERT_EQ(r.sums.kept.size(), 1u);
  EXPECT_NEAR(r.sums.kept[0][0][32].real(), 0.8, 1e-12);
  EXPECT_NEAR(r.sums.rms[0][8], 0.8 / std::sqrt(2.0), 1e-12);
  EXPECT_NEAR(r.sums.top_hz[0][8], 32, 1e-12);
}

TEST(Field, DerivedQuantitiesAreMultipliedByTheirFrequency) {
  HeldPoints source =
      made(256, 256, [](const Node&, double t, std::size_t) { return std::cos(2 * pi * 32 * t); });
  FieldSettings settings;
  settings.at_hz = {32};
  settings.derive = -1;
  const FieldResult r = analyse_field(source, settings);
  EXPECT_NEAR(r.shapes[0].max_level, 1 / (2 * pi * 32), 1e-9);
  EXPECT_NEAR(std::sqrt(2 * r.mean_power()[32]), 1 / (2 * pi * 32), 1e-9);
}

TEST(Field, MissingValuesAreBridgedOrThePointIsLeftOut) {
  HeldPoints source = made(400, 400, [](const Node& n, double t, std::size_t) {
    const int frame = static_cast<int>(std::lround(t * 400));
    if (n.label == 7 && frame % 100 == 50) return std::nan("");
    if (n.label == 12 && frame > 100) return std::nan("");
    return std::cos(2 * pi * 5 * t);
  });
  FieldSettings settings;
  settings.at_hz = {5};
  const FieldResult r = analyse_field(source, settings);
  EXPECT_EQ(r.sums.points, 44u);
  EXPECT_THAT(r.sums.bridged, ::testing::ElementsAre(6u));
  EXPECT_THAT(r.sums.left_out, ::testing::ElementsAre(11u));
  EXPECT_NEAR(std::abs(r.shapes[0].amplitude[0][6]), 1, 0.01);
  EXPECT_TRUE(std::isnan(r.shapes[0].amplitude[0][11].real()));
  EXPECT_TRUE(std::isnan(r.sums.rms[0][11]));
}

TEST(Field, ChosenFramesPointsAndVariables) {
  HeldPoints source = made(
      400, 400,
      [](const Node& n, double t, std::size_t v) {
        return (v == 1 ? 2 : 1) * n.x * std::cos(2 * pi * 20 * t);
      },
      2);
  FieldSettings settings;
  settings.first_frame = 100, settings.last_frame = 299, settings.frame_step = 2;
  settings.variables = {1};
  settings.region = parse_region("x 0.35..");
  settings.every = 2;
  settings.at_hz = {20};
  const FieldResult r = analyse_field(source, settings);
  EXPECT_EQ(r.plan.frames.size(), 100u);
  EXPECT_DOUBLE_EQ(r.plan.rate_hz, 200);
  // Every second row and column of five.
  EXPECT_EQ(r.points.size(), 9u);
  EXPECT_NEAR(r.shapes[0].max_level, 1.6, 1e-9);
  settings.region = parse_region("x 5..6");
  EXPECT_THROW(analyse_field(source, settings), Error);
}

TEST(Field, ResultsDoNotDependOnTheGroups) {
  std::mt19937_64 dice(5);
  std::normal_distribution<double> noise;
  HeldPoints source = made(
      300, 300, [&](const Node&, double, std::size_t) { return noise(dice); }, 2);
  FieldSettings small, large;
  small.at_hz = large.at_hz = {50, 60};
  small.group_bytes = 7 * 300 * 2 * 8;
  const FieldResult a = analyse_field(source, small), b = analyse_field(source, large);
  EXPECT_EQ(a.sums.mean_power, b.sums.mean_power);
  EXPECT_EQ(a.shapes[0].amplitude, b.shapes[0].amplitude);
}

TEST(Field, SmoothingIsTheMeanOverNeighbours) {
  HeldPoints source = made(256, 256, [](const Node& n, double t, std::size_t) {
    return (n.label == 23 ? 1.0 : 0.0) * std::cos(2 * pi * 32 * t);
  });
  FieldSettings settings;
  settings.at_hz = {32};
  settings.smooth_radius = 0.1;
  const FieldResult r = analyse_field(source, settings);
  // Point 23 stands inside: itself and four neighbours.
  EXPECT_NEAR(std::abs(r.shapes[0].amplitude[0][22]), 0.2, 1e-9);
  EXPECT_NEAR(std::abs(r.shapes[0].amplitude[0][23]), 0.2, 1e-9);
  EXPECT_NEAR(std::abs(r.shapes[0].amplitude[0][0]), 0, 1e-9);
}

TEST(ShapePairs, MovedNewAndGoneShapesByFrequencyAndLikeness) {
  ShapeSet a, b;
  for (int p = 0; p < 20; ++p) a.points.push_back({p + 1, 0.1 * p, 0, 0});
  // The same places in another order, one of them not in A.
  for (int p = 20; p >= 1; --p) b.points.push_back({p, 0.1 * p, 0, 0});
  const auto add = [](ShapeSet& set, double hz, double level, int waves) {
    FieldShape shape;
    shape.hz = hz;
    shape.amplitude.emplace_back();
    for (const Node& n : set.points) shape.amplitude[0].push_back(level * std::cos(waves * pi * n.x / 2));
    finish_shape(shape);
    set.shapes.push_back(shape);
  };
  add(a, 50, 1, 1), add(a, 50.4, 1, 2), add(a, 80, 1, 3);
  add(b, 50.1, 2, 2), add(b, 50.5, 1, 1), add(b, 120, 1, 5);
  const auto pairs = pair_shapes(a, b, 1);
  ASSERT_EQ(pairs.size(), 4u);
  // They crossed: likeness pairs them, not the nearest frequency.
  EXPECT_EQ(*pairs[0].a, 0u);
  EXPECT_EQ(*pairs[0].b, 1u);
  EXPECT_NEAR(pairs[0].delta_hz, 0.5, 1e-9);
  EXPECT_NEAR(pairs[0].assurance, 1, 1e-9);
  EXPECT_EQ(*pairs[1].b, 0u);
  EXPECT_NEAR(pairs[1].delta_db, 20 * std::log10(2.0), 0.3);
  EXPECT_FALSE(pairs[2].b);
  EXPECT_FALSE(pairs[3].a);
  for (Node& n : b.points) n.y = 5;
  EXPECT_THROW(pair_shapes(a, b, 1), Error);
}

}  // namespace
}  // namespace vprism::field_test
