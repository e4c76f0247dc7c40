// What gnuplot is told: maps, bars, bounds, listings, many curves; texts stay texts.
#include "render/figure_script.h"

#include <gmock/gmock.h>

#include "formats/files/map_writer.h"
#include "formats/scratch_folder.h"

namespace vprism::figure_script_test {
namespace {

using ::testing::HasSubstr;
using ::testing::Not;

Figure with(Panel panel) {
  Figure figure;
  figure.title = "a figure";
  figure.panels.push_back(std::move(panel));
  return figure;
}

Panel plain() {
  Panel panel;
  panel.x = {"Frequency", "Hz", false, {}, {}};
  panel.y = {"Level", "V", false, {}, {}};
  Curve curve;
  curve.x = {1, 2, 3}, curve.y = {1, 4, 2};
  panel.curves.push_back(curve);
  return panel;
}

TEST(FigureScript, StepsOfAnAxisThatSpansLittleAreToldApart) {
  EXPECT_THAT(figure_script(with(plain()), Picture::png), HasSubstr("set format x '%g'\nset format y '%g'"));
  Panel narrow = plain();
  narrow.curves[0].x = {2.00520150, 2.00520156, 2.00520162};
  narrow.x.unit = "V";
  // Steps of about 1e-8 in 2: nine digits.
  EXPECT_THAT(figure_script(with(narrow), Picture::png),
              ::testing::AnyOf(HasSubstr("set format x '%.9g'"), HasSubstr("set format x '%.10g'")));
}

TEST(FigureScript, AMapIsAnImageWithItsColoursBesideIt) {
  Panel panel = plain();
  ColourMap map;
  map.columns = 2, map.rows = 2;
  map.x_low = 0, map.x_high = 4, map.y_low = 0, map.y_high = 8;
  map.values = {1, 2, 3, 4};
  map.quantity = "Share", map.unit = "%";
  map.logarithmic = true;
  map.low = 0.1;
  panel.map = map;
  const std::string script = figure_script(with(panel), Picture::png);
  EXPECT_THAT(script, HasSubstr("binary array=(2,2) dx=2 dy=4 origin=(1,2)"));
  EXPECT_THAT(script, HasSubstr("set logscale cb"));
  EXPECT_THAT(script, HasSubstr("'Share (%)'"));
  EXPECT_THAT(script, HasSubstr("set cbrange [0.1:*]"));
  EXPECT_GT(draw(with(panel), Picture::png).size(), 5000u);
}

TEST(FigureScript, BarsBoundsVerticalsAndListingsAreDrawn) {
  Panel panel = plain();
  panel.curves[0].right = {2, 3, 4};
  panel.curves[0].name = "bands";
  Curve bounds;
  bounds.name = "95% bounds";
  bounds.shade = true;
  bounds.x = {1, 4}, bounds.y = {1, 1}, bounds.high = {2, 2};
  panel.curves.push_back(bounds);
  panel.verticals = {1.5, 2.5};
  panel.listing = {"# Hz level", "1 50 'quoted' `id`"};
  const std::string script = figure_script(with(panel), Picture::svg);
  EXPECT_THAT(script, HasSubstr("boxxyerror"));
  EXPECT_THAT(script, HasSubstr("filledcurves"));
  EXPECT_THAT(script, HasSubstr("set arrow from first 1.5,graph 0 to first 1.5,graph 1"));
  EXPECT_THAT(script, HasSubstr("'1 50 ''quoted'' `id`'")) << "in single quotes nothing is substituted";
  const std::string picture = draw(with(panel), Picture::svg);
  EXPECT_NE(picture.find("`id`"), std::string::npos);
  EXPECT_NE(picture.find("95% bounds"), std::string::npos);
}

TEST(FigureScript, CurvesBeyondTheColoursAreDashed) {
  Panel panel = plain();
  for (int i = 1; i < 10; ++i) {
    panel.curves.push_back(panel.curves[0]);
    panel.curves.back().colour = i;
    panel.curves.back().name = "c" + std::to_string(i);
  }
  const std::string script = figure_script(with(panel), Picture::png);
  EXPECT_THAT(script, HasSubstr("dashtype 1"));
  EXPECT_THAT(script, HasSubstr("dashtype 2"));
  EXPECT_THAT(script, Not(HasSubstr("dashtype 3")));
}

TEST(FigureScript, ALongCaptionGoesOnInFurtherLines) {
  Figure figure = with(plain());
  figure.panels.push_back(plain());
  figure.caption = "short";
  EXPECT_THAT(figure_script(figure, Picture::png), Not(HasSubstr("set label 103 ")));
  for (int n = 0; n < 40; ++n) figure.caption += "; colours of map " + std::to_string(n);
  const std::string script = figure_script(figure, Picture::png);
  EXPECT_THAT(script, HasSubstr("of map 39'"));  // Nothing is cut off.
  EXPECT_THAT(script, HasSubstr("set label 105 "));
  EXPECT_THAT(script, HasSubstr("unset label 105\n"));
}

TEST(FigureScript, ALogarithmicAxisOfFewDecadesHasNumbersToReadBy) {
  Panel panel = plain();
  panel.y.logarithmic = true;
  panel.curves[0].x = {1, 2}, panel.curves[0].y = {0.004, 0.02};
  const std::string few = figure_script(with(panel), Picture::png);
  EXPECT_THAT(few, HasSubstr("'0.005' 0.005"));
  EXPECT_THAT(few, HasSubstr("'0.02' 0.02"));
  panel.curves[0].y = {1e-6, 1};
  EXPECT_THAT(figure_script(with(panel), Picture::png), HasSubstr("set ytics auto"));
}

TEST(FigureScript, PanelsBelowEachOtherShareANameOnlyOverTheSameStretch) {
  Figure figure = with(plain());
  figure.panels.push_back(plain());
  const auto names = [&] {
    const std::string script = figure_script(figure, Picture::png);
    std::size_t count = 0;
    for (std::size_t at = 0; (at = script.find("set xlabel 'Frequency", at)) != std::string::npos; ++at)
      ++count;
    return count;
  };
  EXPECT_EQ(names(), 1u);
  figure.panels[0].curves[0].x = {1.9, 2, 2.1};
  EXPECT_EQ(names(), 2u);
}

TEST(FigureScript, WhatDiffersByRoundingAloneIsFlat) {
  Panel panel = plain();
  panel.y.low.reset(), panel.y.high.reset();
  panel.curves[0].x = {1, 2, 3};
  panel.curves[0].y = {-6.0205999132796242, -6.0205999132796233, -6.0205999132796242};
  const std::string script = figure_script(with(panel), Picture::png);
  // A tenth of it to either side.
  EXPECT_THAT(script, HasSubstr("set yrange [-6.62265990460758"));
  EXPECT_THAT(script, HasSubstr(":-5.41853992195166"));
}

TEST(FigureScript, AGapInACurveIsAGap) {
  Panel panel = plain();
  panel.curves[0].y[1] = std::nan("");
  EXPECT_THAT(figure_script(with(panel), Picture::png), Not(HasSubstr("missing NaN")));
  EXPECT_GT(draw(with(panel), Picture::png).size(), 3000u);
}

TEST(Maps, AreTheSameInEveryFormat) {
  const MapAxes axes{"frequency (Hz)", "level, high (dB)", "share", {1, 2.5, 4}};
  const ScratchFolder folder;
  for (const MapFormat& format : map_format_table()) {
    // One row more is promised than comes.
    const auto writer = format.open(folder.path(std::string("map") + format.ending), axes, 3);
    writer->row(-10, std::vector<double>{0, 0.5, 1});
    writer->row(-20, std::vector<double>{0.25, 0.125, 1e-9});
    writer->finish();
  }
  EXPECT_EQ(ScratchFolder::read(folder.path("map-map.csv")),
            "\"share; level, high (dB) down and frequency (Hz) "
            "across\",1,2.5,4\n-10,0,0.5,1\n-20,0.25,0.125,1e-09\n");
  const std::string npy = ScratchFolder::read(folder.path("map.npy"));
  EXPECT_EQ((npy.size() - 9 * sizeof(double)) % 64, 0u);
  EXPECT_TRUE(run_python(folder,
                         "import h5py, numpy as n\nf = h5py.File('map.h5')\n"
                         "assert n.array_equal(n.load('map.npy'), f['values'][:], equal_nan=True)\n"
                         "assert n.array_equal(f['values'][:2], [[0, .5, 1], [.25, .125, 1e-9]])\n"
                         "assert n.isnan(f['values'][2]).all() and n.isnan(f['y'][2])\n"
                         "assert list(f['x'][:]) == [1, 2.5, 4] and list(f['y'][:2]) == [-10, -20]\n"
                         "assert f['y'].attrs['name'] in ('level, high (dB)', b'level, high (dB)')\n"));
}

}  // namespace
}  // namespace vprism::figure_script_test
