// Figures in the characters of a terminal.
#include "render/text_figure.h"

#include <gmock/gmock.h>

#include <cmath>

#include "base/text.h"

namespace vprism::text_figure_test {
namespace {

using ::testing::HasSubstr;
using ::testing::Not;

std::vector<std::string> lines_of(const std::string& text) { return split(text, '\n'); }

/// The dots of a drawn figure by column from the left, two to a character: the highest one's height from
/// below.
std::vector<int> heights(const std::string& text) {
  std::vector<std::string> rows;
  for (const std::string& line : lines_of(text)) {
    std::size_t at = line.find("\u2502");
    if (at == std::string::npos) at = line.find("\u2524");
    if (at != std::string::npos) rows.push_back(line.substr(at + 3));
  }
  std::vector<int> out(400, -1);
  for (std::size_t r = 0; r < rows.size(); ++r) {
    std::size_t column = 0;
    for (std::size_t at = 0; at < rows[r].size(); ++column) {
      const auto c = static_cast<unsigned char>(rows[r][at]);
      if (c != 0xE2) {
        ++at;
        continue;
      }
      const unsigned dots = (static_cast<unsigned char>(rows[r][at + 1]) & 0x03U) << 6U |
                            (static_cast<unsigned char>(rows[r][at + 2]) & 0x3FU);
      at += 3;
      const unsigned bits[4][2] = {{0x01, 0x08}, {0x02, 0x10}, {0x04, 0x20}, {0x40, 0x80}};
      for (unsigned down = 0; down < 4; ++down)
        for (unsigned across = 0; across < 2; ++across)
          if ((dots & bits[down][across]) != 0)
            out[2 * column + across] =
                std::max(out[2 * column + across], static_cast<int>(4 * (rows.size() - r) - 1 - down));
    }
  }
  while (!out.empty() && out.back() < 0) out.pop_back();
  return out;
}

Figure ramp(bool logarithmic) {
  Figure figure;
  Panel panel;
  panel.x = {"Frequency", "Hz"}, panel.y = {"Level", "V", logarithmic};
  Curve curve;
  for (int i = 0; i <= 100; ++i)
    curve.x.push_back(20 * i), curve.y.push_back(logarithmic ? std::pow(10, -i / 25.0) : i);
  panel.curves.push_back(curve);
  figure.panels.push_back(panel);
  return figure;
}

TEST(TextFigure, DrawsALineFromCornerToCorner) {
  const std::string text = text_figure(ramp(false), 80, false);
  const std::vector<int> top = heights(text);
  ASSERT_GT(top.size(), 100U);
  EXPECT_EQ(top.front(), 0);
  EXPECT_EQ(top.back(), 4 * 18 - 1);
  EXPECT_NEAR(top[top.size() / 2], 2 * 18, 1.5);
  for (std::size_t i = 1; i < top.size(); ++i) EXPECT_GE(top[i], top[i - 1]);
  EXPECT_THAT(text, HasSubstr("Level (V)"));
  EXPECT_THAT(text, HasSubstr("Frequency (kHz)"));
  EXPECT_THAT(text, HasSubstr("\n 50\u2524"));
  EXPECT_THAT(text, HasSubstr(" 0.5 "));
  for (const std::string& line : lines_of(text)) EXPECT_LE(display_width(line), 80U);
}

TEST(TextFigure, DrawsLogarithmicAxes) {
  const std::vector<int> top = heights(text_figure(ramp(true), 80, false));
  ASSERT_GT(top.size(), 100U);
  EXPECT_EQ(top.back(), 0);  // 1e-4 below 1: a straight line.
  EXPECT_NEAR(top[top.size() / 4], 3 * 18, 1.5);
}

TEST(TextFigure, DrawsWhatOnlyPassesThroughTheView) {
  // A limit line from 10 to 10,010 of which 1 in 10,000 is seen: half way up there.
  Figure figure = ramp(false);
  Panel& panel = figure.panels[0];
  panel.x.low = 5009.5, panel.x.high = 5010.5, panel.y.low = 0, panel.y.high = 100;
  panel.curves[0].x = {10, 10010}, panel.curves[0].y = {0, 100};
  const std::vector<int> top = heights(text_figure(figure, 80, false));
  ASSERT_GT(top.size(), 100U);
  for (const int height : top) EXPECT_NEAR(height, 2 * 18, 1.5);
}

TEST(TextFigure, EndsForNumbersThatHardlyDiffer) {
  Figure figure = ramp(false);
  for (double& x : figure.panels[0].curves[0].x) x = 1e17 + 48;
  figure.panels[0].curves[0].x.back() = 1e17 + 80;
  figure.panels[0].verticals = {-1, 1e300};
  EXPECT_THAT(text_figure(figure, 80, false), HasSubstr("Level (V)"));
}

TEST(TextFigure, NumbersMarksAndNamesCurves) {
  Figure figure = ramp(false);
  figure.panels[0].marks.push_back({1000, 50, "7"});
  figure.panels[0].curves.push_back(figure.panels[0].curves[0]);
  figure.panels[0].curves[0].name = "mast", figure.panels[0].curves[1].name = "pier\033[2J";
  const std::string plain = text_figure(figure, 80, false), coloured = text_figure(figure, 80, true);
  EXPECT_THAT(plain, HasSubstr("7"));
  EXPECT_THAT(plain, HasSubstr("mast"));
  EXPECT_THAT(plain, Not(HasSubstr("\033")));
  EXPECT_THAT(coloured, HasSubstr("\033[38;5;32m"));
  EXPECT_THAT(coloured, Not(HasSubstr("\033[2J")));  // Names are untrusted.
}

TEST(TextFigure, ShowsTheHighestOfWhatAMapHasAtAPlace) {
  Figure figure;
  Panel panel;
  ColourMap map;
  map.columns = 1000, map.rows = 300, map.x_high = 10, map.y_high = 500, map.quantity = "Level",
  map.unit = "V";
  map.values.assign(map.columns * map.rows, 0.0F);
  map.values[299 * map.columns + 999] = 1;  // One cell, at the upper right.
  panel.map = map, panel.x = {"Time", "s"}, panel.y = {"Frequency", "Hz"};
  figure.panels.push_back(panel);
  const std::string text = text_figure(figure, 80, false);
  for (const std::string& line : lines_of(text))
    if (line.find("500") != std::string::npos) {
      EXPECT_TRUE(line.ends_with("\u2588")) << text;
      break;
    }
  EXPECT_THAT(text, HasSubstr("Level 0 to 1 V"));
  EXPECT_THAT(text_figure(figure, 80, true), HasSubstr("\033[38;5;229;48;5;16m"));
}

TEST(TextFigure, SaysWhatItLeavesOut) {
  Figure figure;
  for (int i = 0; i < 30; ++i) figure.panels.push_back(ramp(false).panels[0]);
  EXPECT_THAT(text_figure(figure, 80, false), HasSubstr("22 panels more"));
  Figure shape;
  shape.panels.emplace_back();
  shape.panels[0].mesh.emplace();
  EXPECT_THAT(text_figure(shape, 80, false), HasSubstr("--figure png"));
  Figure none;
  none.panels.emplace_back();
  EXPECT_THAT(text_figure(none, 80, false), HasSubstr("nothing to draw"));
}

}  // namespace
}  // namespace vprism::text_figure_test
