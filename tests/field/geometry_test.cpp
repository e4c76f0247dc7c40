// Places of points: planes, grids, neighbours, lines, regions.
#include "field/geometry.h"

#include <gtest/gtest.h>

#include <cmath>

#include "base/error.h"

namespace vprism::geometry_test {
namespace {

/// 4 x 3 points 0.1 m apart in x and z, in an order of its own.
std::vector<Node> wall() {
  std::vector<Node> out;
  for (int c = 3; c >= 0; --c)
    for (int r = 0; r < 3; ++r) out.push_back({c * 3 + r, 0.1 * c, 0.5, 0.1 * r});
  return out;
}

TEST(Geometry, PlaneIsWhereThePointsSpread) {
  const Plane plane = plane_of(wall());
  EXPECT_EQ(plane.across, 0u);
  EXPECT_EQ(plane.up, 2u);
  EXPECT_EQ(plane.out, 1u);
}

TEST(Geometry, GridIsFoundInAnyOrderAndOnlyWhereItIsFull) {
  std::vector<Node> points = wall();
  const auto grid = grid_of(points, plane_of(points));
  ASSERT_TRUE(grid);
  EXPECT_EQ(grid->u.size(), 4u);
  EXPECT_EQ(grid->v.size(), 3u);
  for (std::size_t r = 0; r < 3; ++r)
    for (std::size_t c = 0; c < 4; ++c) {
      EXPECT_NEAR(points[grid->at(c, r)].x, 0.1 * static_cast<double>(c), 1e-12);
      EXPECT_NEAR(points[grid->at(c, r)].z, 0.1 * static_cast<double>(r), 1e-12);
    }
  // 3 * 3 + 2 * 4 lines between neighbours.
  EXPECT_EQ(joined_points(points).size(), 17u);
  points[5].x += 0.05;
  EXPECT_FALSE(grid_of(points, plane_of(points)));
}

TEST(Geometry, NeighboursAndDistances) {
  const std::vector<Node> points = wall();
  EXPECT_NEAR(usual_distance(points), 0.1, 1e-12);
  const auto near = points_within(points, 0.1);
  // A corner has two neighbours beside itself, the point next to it three.
  EXPECT_EQ(near[0].size(), 3u);
  EXPECT_EQ(near[1].size(), 4u);
}

TEST(Geometry, LinesGoThroughThePointsBetween) {
  const std::vector<Node> points = wall();
  // Along the bottom, from x = 0.3 to x = 0.
  const PointLine line = points_along(points, 0, 9, 0.02);
  ASSERT_EQ(line.points.size(), 4u);
  for (std::size_t i = 0; i < 4; ++i) EXPECT_NEAR(line.along[i], 0.1 * static_cast<double>(i), 1e-12);
}

TEST(Geometry, RegionsHoldTheirBounds) {
  const Region region = parse_region("x 0.05..200mm, z ..0.15");
  EXPECT_TRUE(region.holds({0, 0.1, 9, 0.1}));
  EXPECT_FALSE(region.holds({0, 0.3, 0, 0}));
  EXPECT_FALSE(region.holds({0, 0.1, 0, 0.2}));
  EXPECT_THROW(parse_region("x"), Error);
  EXPECT_THROW(parse_region("w 0..1"), Error);
  EXPECT_THROW(parse_region("x 0..1Hz"), Error);
}

TEST(Geometry, CellsTakeTheNearestPointAndLeaveHolesWhite) {
  const std::vector<Node> points = {{1, 0, 0, 0}, {2, 1, 0, 0}, {3, 0, 1, 0}, {4, 5, 5, 0}};
  std::array<double, 4> ends{};
  const auto cells = spread_over_cells(points, plane_of(points), {1, 2, 3, 4}, 60, 60, ends);
  const auto at = [&](double u, double v) {
    const auto c = static_cast<std::size_t>((u - ends[0]) / (ends[1] - ends[0]) * 60),
               r = static_cast<std::size_t>((v - ends[2]) / (ends[3] - ends[2]) * 60);
    return cells[r * 60 + c];
  };
  EXPECT_EQ(at(0.05, 0.05), 1);
  EXPECT_EQ(at(1.05, 0.05), 2);
  EXPECT_EQ(at(5, 5), 4);
  EXPECT_TRUE(std::isnan(at(3, 3)));
}

}  // namespace
}  // namespace vprism::geometry_test
