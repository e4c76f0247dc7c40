// Figures with panels side by side, points, square axes, shapes in 3-D, and animations, as gnuplot is told.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "render/figure.h"
#include "render/figure_script.h"

namespace vprism::panels_test {
namespace {

using ::testing::HasSubstr;
using ::testing::Not;

Panel panel_with(std::vector<double> x, std::vector<double> y) {
  Panel panel;
  panel.x = {"Place", "m", false, {}, {}};
  panel.y = {"Level", "V", false, {}, {}};
  Curve curve;
  curve.x = std::move(x), curve.y = std::move(y);
  panel.curves.push_back(std::move(curve));
  return panel;
}

std::size_t count_of(const std::string& text, const std::string& what) {
  std::size_t count = 0;
  for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + 1)) ++count;
  return count;
}

TEST(Panels, SideBySideTheyShareThePagesWidth) {
  Figure figure;
  figure.columns = 2;
  for (int i = 0; i < 4; ++i) figure.panels.push_back(panel_with({0, 1}, {0, 1}));
  figure.panel_height = 300;
  const std::string script = figure_script(figure, Picture::png);
  EXPECT_THAT(script, HasSubstr("size 1280,660"));
  // Two columns: left margins at 0.085 and half a page on.
  EXPECT_EQ(count_of(script, "set lmargin at screen 0.085\n"), 2u);
  EXPECT_EQ(count_of(script, "set lmargin at screen 0.585\n"), 2u);
}

TEST(Panels, SquareOnesWidenTheShorterRange) {
  Figure figure;
  figure.panels.push_back(panel_with({0, 1}, {0, 1}));
  figure.panels[0].square = true;
  figure.panel_height = 740;
  const std::string script = figure_script(figure, Picture::png);
  double x0 = 0, x1 = 0, y0 = 0, y1 = 0;
  ASSERT_EQ(std::sscanf(script.c_str() + script.find("set xrange"),
                        "set xrange [%lf:%lf]\nset yrange [%lf:%lf]", &x0, &x1, &y0, &y1),
            4);
  // The frame is 0.9 of 1280 wide and 660 high (740 less margins of 34 and 46).
  EXPECT_NEAR((x1 - x0) / (y1 - y0), 0.9 * 1280 / 660, 0.01);
  EXPECT_LE(x0, 0);
  EXPECT_GE(x1, 1);
}

TEST(Panels, PointsAreDrawnAsPoints) {
  Figure figure;
  figure.panels.push_back(panel_with({0, 1, 2}, {3, 1, 2}));
  EXPECT_THAT(figure_script(figure, Picture::png), Not(HasSubstr("with points")));
  for (const auto& [kind, type] : {std::pair{Curve::Points::dots, "pointtype 7"},
                                   {Curve::Points::rings, "pointtype 6"},
                                   {Curve::Points::crosses, "pointtype 1"}}) {
    figure.panels[0].curves[0].points = kind;
    EXPECT_THAT(figure_script(figure, Picture::png), HasSubstr(std::string("with points ") + type));
  }
}

TEST(Panels, AMeshDrawsEveryLineAtRestAndMovedOnOneScale) {
  Figure figure;
  Panel panel;
  panel.x = {"x", "m", false, 0, 0.4};
  panel.y = {"y", "m", false, 0, 0.05};
  Mesh mesh;
  for (int i = 0; i < 5; ++i) {
    mesh.rest.push_back({0.1 * i, 0.05 * (i % 2), 0});
    mesh.moved.push_back({0.1 * i, 0.05 * (i % 2), 0.01 * i});
    mesh.value.push_back(i);
    if (i > 0) mesh.lines.push_back({static_cast<std::size_t>(i) - 1, static_cast<std::size_t>(i)});
  }
  mesh.z = {"z", "m", false, -0.05, 0.05};
  mesh.value_axis = {"Velocity", "mm/s", false, -4, 4};
  panel.mesh = mesh;
  figure.panels.push_back(panel);
  const std::string script = figure_script(figure, Picture::png);
  EXPECT_EQ(count_of(script, "binary record=(4)"), 2u);
  EXPECT_THAT(script, HasSubstr("set view equal xyz"));
  EXPECT_THAT(script, HasSubstr("set cbrange [-4:4]"));
  // All three in millimetres: the range of x is 400, that of z 100.
  EXPECT_THAT(script, HasSubstr("set xlabel 'x (mm)'"));
  EXPECT_THAT(script, HasSubstr("set zlabel 'z (mm)'"));
  EXPECT_EQ(draw(figure, Picture::png).substr(1, 3), "PNG");
}

TEST(Panels, AnAnimationIsOneFileOfAllItsPages) {
  std::vector<Figure> figures(5);
  for (std::size_t i = 0; i < figures.size(); ++i) {
    figures[i].width = 300, figures[i].panel_height = 200;
    figures[i].panels.push_back(panel_with({0, 1}, {0, static_cast<double>(i)}));
  }
  EXPECT_EQ(count_of(animation_script(figures, 6), "unset multiplot\n"), 5u);
  const std::string gif = draw_animation(figures, 6);
  EXPECT_EQ(gif.substr(0, 6), "GIF89a");
  EXPECT_GE(count_of(gif, "\x21\xf9\x04"), 5u);
  // Begins anew at its end.
  EXPECT_NE(gif.find("NETSCAPE2.0"), std::string::npos);
}

TEST(Panels, NamesAreQuotedInMeshesToo) {
  Figure figure;
  Panel panel;
  panel.title = "it's `date` \"x\"";
  panel.x = panel.y = {"x", "m", false, 0, 1};
  Mesh mesh;
  mesh.rest = mesh.moved = {{0, 0, 0}, {1, 1, 0}};
  mesh.value = {0, 1};
  mesh.lines = {{0, 1}};
  mesh.z = mesh.value_axis = {"z", "m", false, -1, 1};
  panel.mesh = mesh;
  figure.panels.push_back(panel);
  EXPECT_THAT(figure_script(figure, Picture::png), HasSubstr("set title 'it''s `date` \"x\"'"));
}

}  // namespace
}  // namespace vprism::panels_test
