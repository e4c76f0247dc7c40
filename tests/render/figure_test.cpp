// Figures: thinning keeps peaks, gnuplot draws what it is given, and names are only ever text.
#include "render/figure.h"

#include <gmock/gmock.h>

#include <cmath>
#include <filesystem>
#include <thread>

#include "formats/scratch_folder.h"
#include "render/report.h"

namespace vprism::figure_test {
namespace {

using ::testing::HasSubstr;
using ::testing::Not;

const char* const hostile =
    "a'b\"c`touch PWNED1`$(touch PWNED2)<script>alert(1)</script>../../x {/Bold y} @m %s \\";

Figure figure_named(const std::string& name) {
  Figure figure;
  figure.title = name;
  figure.caption = name;
  Panel panel;
  panel.title = name;
  panel.x = {name, "Hz", false, {}, {}};
  panel.y = {name, name, true, {}, {}};
  Curve curve;
  curve.name = name;
  for (int n = 0; n < 100; ++n) {
    curve.x.push_back(n);
    curve.y.push_back(n == 50 ? 0 : 1 + n % 7);  // A zero has a place on a logarithmic axis too.
  }
  panel.curves = {curve, curve};
  panel.marks = {{50, 3, name}, {50.1, 3, "2"}};
  figure.panels = {panel, panel};
  return figure;
}

TEST(Thinned, KeepsTheHighestAndLowestOfEveryStretch) {
  Curve curve;
  for (int n = 0; n < 100000; ++n) {
    curve.x.push_back(n);
    curve.y.push_back(n == 43210 ? 99 : n == 700 ? -99 : std::sin(n));
  }
  const Curve thin = thinned(curve, 1000, false);
  EXPECT_LE(thin.x.size(), 1010u);
  const auto highest = std::max_element(thin.y.begin(), thin.y.end());
  EXPECT_EQ(*highest, 99);
  EXPECT_EQ(thin.x[static_cast<std::size_t>(highest - thin.y.begin())], 43210);
  EXPECT_EQ(*std::min_element(thin.y.begin(), thin.y.end()), -99);
  EXPECT_TRUE(std::is_sorted(thin.x.begin(), thin.x.end()));
  const Curve spread = thinned(curve, 1000, true);
  EXPECT_EQ(*std::max_element(spread.y.begin(), spread.y.end()), 99);
}

TEST(Paged, PanelsThatWereNotMadeAreCountedInTheCaption) {
  Figure figure;
  figure.panels.resize(most_panels_drawn);
  EXPECT_EQ(paged(figure).size(), most_pages_drawn);
  EXPECT_EQ(paged(figure).front().caption, "");
  figure.beyond = 1888;
  const std::vector<Figure> pages = paged(figure);
  EXPECT_EQ(pages.size(), most_pages_drawn);
  EXPECT_EQ(pages.back().caption, "the first 160 of 2048 panels; choose others with --channel");
}

TEST(Draw, MakesPicturesOfEachKind) {
  EXPECT_EQ(draw(figure_named("plain"), Picture::png).substr(1, 3), "PNG");
  EXPECT_THAT(draw(figure_named("plain"), Picture::svg).substr(0, 200), HasSubstr("<svg"));
  EXPECT_EQ(draw(figure_named("plain"), Picture::pdf).substr(0, 4), "%PDF");
}

TEST(Draw, ComparesInGreyAndLeavesNamelessCurvesOutOfTheKey) {
  Figure figure;
  figure.title = "before and after";
  Panel panel;
  panel.x = {"Time", "s", false, {}, {}};
  panel.y = {"Level", "V", false, {}, {}};
  Curve before{"before", {0, 1, 2}, {0, 1, 0}, {1, 2, 1}, neutral_colour},
      after{"after", {0, 1, 2}, {1, 2, 1}, {}, 0};
  Curve middle{"", {0, 1, 2}, {0.5, 1.5, 0.5}, {}, 0};
  panel.curves = {before, after, middle};
  figure.panels.push_back(panel);
  const std::string svg = draw(figure, Picture::svg);
  EXPECT_THAT(svg, ::testing::HasSubstr("166, 166, 166"));
  EXPECT_THAT(svg, ::testing::HasSubstr("before"));
  EXPECT_THAT(svg, ::testing::HasSubstr("after"));
}

TEST(Draw, GivesTheSameBytesEachTimeAlsoSideBySide) {
  const std::string once = draw(figure_named("x"), Picture::png);
  std::vector<std::string> many(6);
  std::vector<std::thread> threads;
  for (std::string& bytes : many)
    threads.emplace_back([&bytes] { bytes = draw(figure_named("x"), Picture::png); });
  for (std::thread& thread : threads) thread.join();
  for (const std::string& bytes : many) EXPECT_EQ(bytes, once);
}

TEST(Draw, HostileNamesAreTextAndRunNothing) {
  const ScratchFolder folder;
  const auto before = std::filesystem::current_path();
  std::filesystem::current_path(folder.path());
  const std::string svg = draw(figure_named(hostile), Picture::svg);
  const bool clean = std::filesystem::is_empty(folder.path());
  std::filesystem::current_path(before);
  EXPECT_TRUE(clean) << "a command ran";
  EXPECT_THAT(svg, Not(HasSubstr("<script>alert")));
  EXPECT_THAT(svg, HasSubstr("$(touch PWNED2)"));
  EXPECT_THAT(svg, HasSubstr("{/Bold y}"));  // Enhanced markup is off.
}

TEST(Report, HostileNamesAreTextAndNothingIsRequested) {
  Report report;
  report.title = report.intro = hostile;
  Finding finding;
  finding.channel = finding.text = finding.unit = hostile;
  finding.evidence = {hostile};
  report.findings = {finding};
  ReportSection section;
  section.title = hostile;
  section.facts = {hostile};
  section.cautions = {{"x", Severity::serious, hostile, hostile, hostile}};
  section.pictures = {{"\x89PNG", hostile, hostile}};
  TextTable table({{hostile}});
  table.add({hostile});
  section.tables = {{hostile, hostile, table}};
  report.sections = {section};
  report.made_with = {{hostile, hostile}};
  const std::string html = report_html(report);
  EXPECT_THAT(html, Not(HasSubstr("<script")));
  EXPECT_THAT(html, HasSubstr("&lt;script&gt;alert(1)"));
  EXPECT_THAT(html, HasSubstr("default-src 'none'"));
  EXPECT_THAT(html, HasSubstr("base64,iVBORw=="));
  for (const char* request : {"http:", "https:", "src=\"/", "url("})
    EXPECT_THAT(html, Not(HasSubstr(request)));
  EXPECT_THAT(html, Not(HasSubstr("alt=\"a'b\"c")));  // Quotes can't leave an attribute.
}

TEST(Document, NumbersThatJsonCannotHoldAreNullAndTextIsValid) {
  EXPECT_TRUE(number(std::nan("")).is_null());
  EXPECT_EQ(number(1.5).get<double>(), 1.5);
  Delivery delivery;
  delivery.command = "bad \xff text";
  EXPECT_EQ(Json::parse(delivery.document_text({}))["command"].get<std::string>(), "bad \uFFFD text");
}

TEST(Documents, TextIsThatOfTheWholeHoweverManyResults) {
  Delivery delivery;
  delivery.command = "batch";
  delivery.further["answer"] = {{"results", nullptr}, {"text", "\n  \"results\": null"}};
  for (const Json& results :
       {Json::array(), Json::array({1}), Json(nullptr), Json{{"a", {1, 2}}},
        Json::array(
            {{{"file", "a\nb"}, {"figures", {{{"x", 1.5}, {"y", Json::array()}}}}}, Json::array(), "t"})}) {
    delivery.results = results;
    EXPECT_EQ(delivery.document_text({}), delivery.document({}).dump(2) + "\n");
  }
}

TEST(Csv, CellsAreQuotedWhereNeeded) {
  EXPECT_EQ(csv_cell("plain"), "plain");
  EXPECT_EQ(csv_cell("a,\"b\"\n"), "\"a,\"\"b\"\"\n\"");
}

TEST(Decibels, AreOfAmplitudesOrPowersAndNeverInfinite) {
  EXPECT_DOUBLE_EQ(decibels(10, true), 20);
  EXPECT_DOUBLE_EQ(decibels(10, false), 10);
  EXPECT_DOUBLE_EQ(decibels(1e-6, true, 1e-6), 0);
  EXPECT_DOUBLE_EQ(decibels(0, true), -400);
}

}  // namespace
}  // namespace vprism::figure_test
