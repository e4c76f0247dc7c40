// Points chosen by where they lie.
#include "field/places.h"

#include <gmock/gmock.h>

#include "base/error.h"

namespace vprism::places_test {
namespace {

using testing::ElementsAre;

/// 6 x 5 points 10 mm apart in x and z, column by column from the right, y elsewhere.
std::vector<Node> plate() {
  std::vector<Node> out;
  for (int c = 5; c >= 0; --c)
    for (int r = 0; r < 5; ++r) out.push_back({c * 5 + r, 0.01 * c, 0.5, 0.01 * r});
  return out;
}

TEST(Places, TwoNumbersLieInThePlaneThreeInSpace) {
  const Place flat = parse_place("12mm, 0.5"), whole = parse_place("1 cm,2,3mm");
  EXPECT_EQ(flat.numbers, 2u);
  EXPECT_NEAR(flat.at[0], 0.012, 1e-15);
  EXPECT_NEAR(flat.at[1], 0.5, 1e-15);
  EXPECT_EQ(whole.numbers, 3u);
  EXPECT_NEAR(whole.at[2], 0.003, 1e-15);
  for (const char* wrong : {"12mm", "1,2,3,4", "1s,2", "a,b"})
    EXPECT_THROW(parse_place(wrong), Error) << wrong;
}

TEST(Places, TheNearestPointAndItsDistance) {
  const std::vector<Node> points = plate();
  const NearestPoint flat = nearest_point(points, parse_place("21mm,32mm"));
  EXPECT_NEAR(points[flat.point].x, 0.02, 1e-12);
  EXPECT_NEAR(points[flat.point].z, 0.03, 1e-12);
  EXPECT_NEAR(flat.distance, std::hypot(0.001, 0.002), 1e-12);
  const NearestPoint off = nearest_point(points, parse_place("20mm,0,30mm"));
  EXPECT_EQ(off.point, flat.point);
  EXPECT_NEAR(off.distance, 0.5, 1e-12);
}

TEST(Places, AGridIsThinnedByRowsAndColumns) {
  const std::vector<Node> points = plate();
  const std::vector<std::size_t> all = chosen_points(points, {}, 1), some = chosen_points(points, {}, 2);
  EXPECT_EQ(all.size(), 30u);
  ASSERT_EQ(some.size(), 9u);
  for (const std::size_t p : some) {
    EXPECT_EQ(std::lround(points[p].x * 100) % 2, 0);
    EXPECT_EQ(std::lround(points[p].z * 100) % 2, 0);
  }
  // Within a region the grid is that of the region.
  EXPECT_EQ(chosen_points(points, parse_region("x 10mm..30mm, z 0..20mm"), 2).size(), 4u);
  // Where there is no grid, the list.
  std::vector<Node> scattered = points;
  scattered.pop_back();
  EXPECT_EQ(chosen_points(scattered, {}, 7).size(), 5u);
  EXPECT_THAT(chosen_points({{0, 0, 0, 0}, {1, 1, 0, 0}, {2, 2, 0, 0}}, {}, 2), ElementsAre(0u, 2u));
}

}  // namespace
}  // namespace vprism::places_test
