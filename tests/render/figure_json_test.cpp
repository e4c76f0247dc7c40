// Figures as JSON and back, curves for the page, base64.
#include "render/figure_json.h"

#include <gmock/gmock.h>

#include <cmath>
#include <limits>

#include "render/base64.h"
#include "render/figure_script.h"
#include "render/report.h"

namespace vprism::figure_json_test {
namespace {

using ::testing::HasSubstr;
using ::testing::Not;

Figure full_figure() {
  Figure f;
  f.title = "all there is";
  f.caption = "caption";
  f.columns = 2;
  Panel lines;
  lines.title = "lines";
  lines.x = {"Frequency", "Hz", true, 1.0, 100.0};
  lines.y = {"Level", "V", true};
  Curve c;
  c.name = "a";
  c.x = {1, 10, 100}, c.y = {0.1, std::nan(""), 1e-300};
  c.colour = 2;
  Curve band = c;
  band.y = {0.1, 0.2, 0.3}, band.high = {0.2, 0.3, 0.4}, band.shade = true, band.colour = neutral_colour;
  Curve bars = band;
  bars.high.clear(), bars.right = {2, 20, 200}, bars.points = Curve::Points::rings;
  lines.curves = {c, band, bars};
  lines.marks = {{10, 0.2, "1"}};
  lines.verticals = {3, 4};
  lines.listing = {"1  10 Hz"};
  Panel map;
  map.x = {"Time", "s"}, map.y = {"Frequency", "Hz"};
  map.map.emplace();
  map.map->columns = 2, map.map->rows = 2;
  map.map->values = {1, 2, std::nanf(""), 4};
  map.map->quantity = "Level", map.map->unit = "dB", map.map->low = -10, map.map->high = 5;
  Panel relief;
  relief.relief.emplace();
  relief.relief->x = {1, 2}, relief.relief->y = {3, 4}, relief.relief->values = {1, 2, 3, 4};
  relief.relief->z = {"Level", "dB"};
  Panel mesh;
  mesh.mesh.emplace();
  mesh.mesh->rest = {{0, 0, 0}, {1, 0, 0}}, mesh.mesh->moved = {{0, 0, 0.1}, {1, 0, -0.1}};
  mesh.mesh->value = {1, -1}, mesh.mesh->lines = {{0, 1}};
  mesh.mesh->z = {"z", "m", false, -1.0, 1.0}, mesh.mesh->value_axis = {"Amplitude", "m", false, -1.0, 1.0};
  mesh.square = true;
  f.panels = {lines, map, relief, mesh};
  return f;
}

TEST(FigureJson, AFigureComesBackAsItWas) {
  const Figure made = full_figure();
  const Json json = Json::parse(figure_json(made).dump());
  const Figure back = figure_from_json(json);
  // What is drawn is the same to the byte.
  EXPECT_EQ(figure_script(back, Picture::png), figure_script(made, Picture::png));
  EXPECT_EQ(figure_json(back).dump(), json.dump());
  ASSERT_EQ(back.panels[0].curves.size(), 3u);
  EXPECT_TRUE(std::isnan(back.panels[0].curves[0].y[1]));
  EXPECT_TRUE(std::isnan(back.panels[1].map->values[2]));
}

TEST(FigureJson, WhatIsNoFigureIsSaidSo) {
  for (const char* text : {"[]", "{\"panels\": 3}", "{\"panels\": [{}]}",
                           "{\"panels\": [{\"x\": {}, \"y\": {}, \"curves\": [{\"x\": [\"a\"]}]}]}",
                           "{\"width\": -4}", "{\"columns\": 0}",
                           "{\"panels\": [{\"x\": {}, \"y\": {}, \"map\": {\"columns\": 9, \"rows\": 9, "
                           "\"values_f32\": \"AAAA\"}}]}",
                           "{\"panels\": [{\"x\": {}, \"y\": {}, \"mesh\": {\"lines\": [{\"from\": 7}], "
                           "\"z\": {}, \"value_axis\": {}}}]}"}) {
    try {
      figure_from_json(Json::parse(text));
      FAIL() << text;
    } catch (const Error& error) {
      EXPECT_EQ(error.status(), Status::input) << text;
    }
  }
}

TEST(FigureJson, PagesAreOneScriptWithAllFigures) {
  Figure one = full_figure(), two = full_figure();
  two.title = "the second";
  const std::string script = pages_script({one, two});
  EXPECT_THAT(script, HasSubstr("pdfcairo"));
  EXPECT_THAT(script, HasSubstr("'all there is'"));
  EXPECT_THAT(script, HasSubstr("'the second'"));
  EXPECT_EQ(script.find("set terminal"), script.rfind("set terminal"));
}

TEST(Base64, IsThatOfTheStandardsExamples) {
  // RFC 4648, section 10.
  const std::pair<const char*, const char*> examples[] = {{"", ""},
                                                          {"f", "Zg=="},
                                                          {"fo", "Zm8="},
                                                          {"foo", "Zm9v"},
                                                          {"foob", "Zm9vYg=="},
                                                          {"fooba", "Zm9vYmE="},
                                                          {"foobar", "Zm9vYmFy"}};
  for (const auto& [bytes, text] : examples) {
    EXPECT_EQ(to_base64(bytes), text);
    EXPECT_EQ(from_base64(text), bytes);
  }
  for (const char* wrong : {"Zg=", "Z===", "Zm9!", "Zg==Zg==", "====", "Zg=a"})
    EXPECT_THROW(from_base64(wrong), Error) << wrong;
}

TEST(CurvesForThePage, HoldEveryPointAndNoMarkup) {
  Panel p;
  p.title = "</script><script>alert(1)</script>";
  p.x = {"Frequency", "Hz"}, p.y = {"Level", "V"};
  Curve a, b;
  a.name = "<b>", a.x = {1, 2, 3}, a.y = {4, 5, std::nan("")};
  b.x = {2, 4}, b.y = {7, 8};
  p.curves = {a, b};
  const std::string text = curves_json(p, 100);
  EXPECT_THAT(text, Not(HasSubstr("<")));
  const auto json = nlohmann::json::parse(text);
  EXPECT_EQ(json["title"].get<std::string>(), p.title);
  EXPECT_EQ(json["rows"].dump(), "[[1,4,null],[2,5,7],[3,\"-\",null],[4,null,8]]");
  EXPECT_TRUE(json["x"]["may_log"].get<bool>());
}

TEST(CurvesForThePage, ManyPointsKeepTheirPeaks) {
  Panel p;
  p.x = {"Time", "s"}, p.y = {"U", "V"};
  Curve c;
  for (int i = 0; i < 100000; ++i) c.x.push_back(i), c.y.push_back(i == 54321 ? 9.0 : std::sin(i));
  Curve band = c;
  band.high = band.y;
  for (double& v : band.high) v += 1;
  p.curves = {c};
  auto json = nlohmann::json::parse(curves_json(p, 1000));
  EXPECT_LE(json["rows"].size(), 1100u);
  double top = 0;
  for (const auto& row : json["rows"]) top = std::max(top, row[1].get<double>());
  EXPECT_EQ(top, 9);
  p.curves = {band};
  json = nlohmann::json::parse(curves_json(p, 1000));
  EXPECT_LE(json["rows"].size(), 1001u);
  top = 0;
  for (const auto& row : json["rows"]) top = std::max(top, row[1][2].get<double>());
  EXPECT_EQ(top, 10);
}

TEST(CurvesForThePage, SticksAndBarsKeepTheirShape) {
  Panel p;
  p.x = {"Frequency", "Hz"}, p.y = {"Difference", "dB"};
  Curve one, two, bars;
  one.x = {5, 5}, one.y = {0, 3};
  two.x = {9, 9}, two.y = {0, -2};
  p.curves = {one, two};
  EXPECT_EQ(nlohmann::json::parse(curves_json(p, 100))["rows"].dump(),
            "[[5,0,null],[5,3,null],[9,null,0],[9,null,-2]]");
  bars.x = {1, 3}, bars.right = {2, 4}, bars.y = {7, 8};
  p.curves = {bars};
  EXPECT_EQ(nlohmann::json::parse(curves_json(p, 100))["rows"].dump(),
            "[[1,0],[1,7],[2,7],[2,0],[2,\"-\"],[3,0],[3,8],[4,8],[4,0],[4,\"-\"]]");
}

TEST(CurvesForThePage, LogarithmicAxesLeaveOutWhatTheyCantShow) {
  Panel p;
  p.x = {"Frequency", "Hz", true}, p.y = {"Level", "V", true};
  Curve c;
  c.x = {0, 1, 2}, c.y = {1, 0, 3};
  p.curves = {c};
  EXPECT_EQ(nlohmann::json::parse(curves_json(p, 100))["rows"].dump(), "[[1,\"-\"],[2,3]]");
  p.map.emplace();
  EXPECT_EQ(curves_json(p, 100), "");
}

TEST(ReportMarkdown, TextsStayText) {
  Report r;
  r.title = "a | b";
  r.answer = {"*cooler* <b>"};
  ReportTable t{"t", "", TextTable({{"x|y"}})};
  t.table.add({"`1`"});
  r.answer_tables.push_back(t);
  r.texts.emplace_back("case", "```\ninner\n");
  const std::string out = report_markdown(r, {});
  EXPECT_THAT(out, HasSubstr("# a \\| b"));
  EXPECT_THAT(out, HasSubstr("\\*cooler\\* \\<b\\>"));
  EXPECT_THAT(out, HasSubstr("| x\\|y |"));
  EXPECT_THAT(out, HasSubstr("````\n```\ninner"));
}

TEST(ReportPage, ItsPolicyNamesItsOnlyScriptByDigest) {
  Report r;
  ReportSection s;
  Figure f;
  Panel p;
  p.x = {"x", ""}, p.y = {"y", ""};
  Curve c;
  c.x = {1, 2}, c.y = {1, 2};
  p.curves = {c};
  f.panels = {p};
  s.pictures.push_back({"", "alt", "caption", Picture::png, f});
  r.sections.push_back(s);
  const std::string html = report_html(r);
  EXPECT_THAT(html, HasSubstr("default-src 'none'"));
  EXPECT_THAT(html, HasSubstr("script-src 'sha256-"));
  EXPECT_THAT(html, Not(HasSubstr("http://")));
  EXPECT_THAT(html, Not(HasSubstr("sourceMappingURL")));
  std::size_t scripts = 0;
  for (std::size_t at = 0; (at = html.find("<script>", at)) != std::string::npos; ++at) ++scripts;
  EXPECT_EQ(scripts, 1u);
}

}  // namespace
}  // namespace vprism::figure_json_test
