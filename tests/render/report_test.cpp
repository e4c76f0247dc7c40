// The report's page: answer first, texts escaped, tables that lead to curves, read without a script as well.
#include "render/report.h"

#include <gmock/gmock.h>

namespace vprism::report_test {
namespace {

using ::testing::HasSubstr;
using ::testing::Not;

Figure one_panel(const std::string& title) {
  Figure f;
  f.title = "recording";
  Panel p;
  p.title = title;
  p.x = {"Frequency", "Hz"}, p.y = {"Level", "V"};
  Curve c;
  c.x = {1, 2, 3}, c.y = {1, 4, 2};
  p.curves = {c};
  f.panels = {p};
  return f;
}

ReportTable peaks_of(const std::string& panel) {
  ReportTable t{"Peaks", "note", TextTable({{"#"}, {"frequency (Hz)"}})};
  t.table.add({"1", "2.5"});
  t.table.add({"2", "3.5"});
  t.places = {2.5, std::nan("")};
  t.place_column = 1, t.panel = panel, t.place_unit = "Hz";
  return t;
}

Report full() {
  Report r;
  r.title = "<title>";
  r.intro = "a & b";
  r.answer = {"first", "second"};
  r.verdict = "fail";
  Finding f;
  f.kind = "tone", f.recording = "x.wav", f.channel = "ch", f.frequency_hz = 50, f.level_rms = 0.5,
  f.unit = "V";
  f.suspect = "pump", f.text = "a tone", f.evidence = {"stands 40 dB above"};
  r.findings = {f};
  ReportSection s;
  s.title = "section";
  s.cautions = {{"code", Severity::serious, "ch", "it clips", "turn it down"}};
  s.pictures.push_back({"PNGBYTES", "what it shows", "caption", Picture::png, one_panel("ch")});
  s.tables.push_back(peaks_of("ch"));
  r.sections = {s};
  r.made_with = {{"program", "x"}};
  r.texts = {{"case.toml", "a = \"<b>\"\n"}};
  return r;
}

TEST(Report, TheAnswerComesFirstThenFindingsSectionsAndHowItWasMade) {
  const std::string html = report_html(full());
  const std::size_t answer = html.find("<p>first</p>"), findings = html.find("What was found"),
                    section = html.find(">section</h2>"), made = html.find("How this was made");
  ASSERT_NE(answer, std::string::npos);
  EXPECT_LT(answer, findings);
  EXPECT_LT(findings, section);
  EXPECT_LT(section, made);
  EXPECT_THAT(html, HasSubstr("class=\"answer serious\""));
  EXPECT_THAT(html, HasSubstr("stands 40 dB above"));
  EXPECT_THAT(html, HasSubstr("ch: it clips. Remedy: turn it down."));
}

TEST(Report, TextsAreEscaped) {
  const std::string html = report_html(full());
  EXPECT_THAT(html, HasSubstr("&lt;title&gt;"));
  EXPECT_THAT(html, HasSubstr("a &amp; b"));
  EXPECT_THAT(html, HasSubstr("a = &quot;&lt;b&gt;&quot;"));
  EXPECT_THAT(html, Not(HasSubstr("<b>\"")));
}

TEST(Report, APictureStandsThereWithWordsForThoseWhoDoNotSeeIt) {
  Report r = full();
  std::string html = report_html(r);
  // "PNGBYTES" in base64.
  EXPECT_THAT(html, HasSubstr("<img src=\"data:image/png;base64,UE5HQllURVM=\" alt=\"what it shows\">"));
  r.sections[0].pictures[0].kind = Picture::svg;
  EXPECT_THAT(report_html(r), HasSubstr("data:image/svg+xml;base64,"));
  r.sections[0].pictures[0].bytes.clear();
  EXPECT_THAT(report_html(r), Not(HasSubstr("<img src")));
}

TEST(Report, PlacesInTablesLeadToTheCurveOfTheirChannel) {
  Report r = full();
  std::string html = report_html(r);
  EXPECT_THAT(html, HasSubstr("id=\"c0-1\""));
  EXPECT_THAT(html, HasSubstr("data-chart=\"c0-1\" data-x=\"2.5\">2.5</button>"));
  EXPECT_THAT(html, Not(HasSubstr("data-x=\"nan\"")));
  EXPECT_THAT(html, HasSubstr(">3.5</td>"));
  r.sections[0].tables[0] = peaks_of("another channel");
  EXPECT_THAT(report_html(r), Not(HasSubstr("data-chart=\"c0-1\" data-x")));
}

TEST(Report, OnlyAFigureOfCurvesAloneGivesWayToThem) {
  Report r = full();
  EXPECT_THAT(report_html(r), HasSubstr("<figure class=\"charted\">"));
  Panel map;
  map.map.emplace();
  r.sections[0].pictures[0].figure->panels.push_back(map);
  const std::string html = report_html(r);
  EXPECT_THAT(html, HasSubstr("<figure class=\"\">"));
  EXPECT_THAT(html, HasSubstr("id=\"c0-1\""));
}

TEST(Report, WithoutCurvesThereIsNoScriptAndWithoutFindingsASentence) {
  Report r;
  r.title = "t";
  std::string html = report_html(r);
  EXPECT_THAT(html, Not(HasSubstr("<script>")));
  EXPECT_THAT(html, HasSubstr("No line stands above the noise"));
  EXPECT_THAT(html, Not(HasSubstr("class=\"answer")));
  r.list_findings = false;
  EXPECT_THAT(report_html(r), Not(HasSubstr("What was found")));
}

TEST(Report, ManySectionsHaveAListOfContents) {
  Report r = full();
  EXPECT_THAT(report_html(r), Not(HasSubstr("aria-label=\"contents\"")));
  ReportSection below;
  below.title = "a step", below.below = true;
  r.sections.resize(3, r.sections[0]);
  r.sections.push_back(below);
  const std::string html = report_html(r);
  EXPECT_THAT(html, HasSubstr("aria-label=\"contents\""));
  EXPECT_THAT(html, HasSubstr("<h3 id=\"s3\">a step</h3>"));
  EXPECT_THAT(html, Not(HasSubstr("href=\"#s3\"")));
}

TEST(Report, MarkdownNamesThePicturesFiles) {
  const std::string out = report_markdown(full(), {"steps/a/x.png"});
  EXPECT_THAT(out, HasSubstr("![what it shows](<steps/a/x.png>)"));
  EXPECT_THAT(out, HasSubstr("**first**\n\nsecond"));
  EXPECT_THAT(out, HasSubstr("| x | ch | a tone | pump | 50 Hz | 500 mV |"));
  EXPECT_THAT(out, HasSubstr("> **serious** ch: it clips. Remedy: turn it down."));
  EXPECT_THAT(out, HasSubstr("```\na = \"<b>\"\n```"));
}

}  // namespace
}  // namespace vprism::report_test
