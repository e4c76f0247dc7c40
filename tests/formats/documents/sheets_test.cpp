// sheets_test.cpp: workbooks and pages: days as dates, cells out of place, what a hostile file may hold.
#include "formats/documents/sheets.h"

#include <gmock/gmock.h>
#include <zip.h>

#include "formats/reading.h"
#include "formats/text/clock/clock.h"

namespace vprism::sheets_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

TEST(DayForms, AreToldFromNumberFormats) {
  const auto form = [](const char* format) {
    const DayForm f = DayForm::of(format);
    return std::string(f.date ? "d" : "") + (f.time ? "t" : "") + (f.elapsed ? "e" : "");
  };
  EXPECT_EQ(form("yyyy\\-mm\\-dd\\ hh:mm:ss.000"), "dt");
  EXPECT_EQ(form("[h]:mm:ss"), "te");
  EXPECT_EQ(form("h:mm AM/PM"), "t");
  EXPECT_EQ(form("[$-409]d/mmm/yy"), "d");
  EXPECT_EQ(form("mmmm"), "d");
  EXPECT_EQ(form("0.00E+00"), "");
  EXPECT_EQ(form("General"), "");
  EXPECT_EQ(form("0.0\" days\""), "");
  EXPECT_EQ(form("[Red]0.00;-0.00"), "");
}

TEST(DayForms, WriteDatesAndTimes) {
  const DayForm both{true, true, false}, date{true, false, false}, time{false, true, false},
      elapsed{false, true, true};
  // Day 25569 is the first of 1970, in the other count day 24107.
  EXPECT_EQ(both.text(25569, false), "1970-01-01 00:00:00");
  EXPECT_EQ(both.text(24107.5, true), "1970-01-01 12:00:00");
  EXPECT_EQ(date.text(46355, false), "2026-11-29");
  EXPECT_EQ(date.text(59, false), "1900-02-28");
  EXPECT_EQ(date.text(61, false), "1900-03-01");
  EXPECT_EQ(both.text(45000 + 0.25 / 86400, false), "2023-03-15 00:00:00.25");
  EXPECT_EQ(time.text(0.5, false), "12:00:00");
  EXPECT_EQ(time.text(45000.5, false), "2023-03-15 12:00:00");
  EXPECT_EQ(elapsed.text(1.25, false), "30:00:00");
  EXPECT_EQ(both.text(-1, false), "-1");
}

/// A workbook of these members, beside those that every one has.
std::string workbook(const ScratchFolder& folder, const std::string& name,
                     const std::vector<std::pair<std::string, std::string>>& members) {
  const std::string path = folder.path(name);
  int code = 0;
  zip_t* archive = zip_open(path.c_str(), ZIP_CREATE | ZIP_TRUNCATE, &code);
  const auto add = [&](const std::string& member, const std::string& text) {
    zip_source_t* source = zip_source_buffer(archive, text.data(), text.size(), 0);
    zip_file_add(archive, member.c_str(), source, ZIP_FL_OVERWRITE);
  };
  const std::string types = "<Types/>";
  add("[Content_Types].xml", types);
  for (const auto& [member, text] : members) add(member, text);
  zip_close(archive);
  return path;
}

std::string book_of(const std::string& before = "") {
  return "<workbook xmlns:r='r'>" + before + "<sheets><sheet name='Run' r:id='a'/></sheets></workbook>";
}
const std::string relations =
    "<Relationships><Relationship Id='a' Target='/xl/worksheets/s.xml'/></Relationships>";
const std::string styles =
    "<styleSheet><numFmts><numFmt numFmtId='170' formatCode='d/m/yy h:mm:ss.000'/></numFmts>"
    "<cellStyleXfs><xf numFmtId='14'/></cellStyleXfs><cellXfs><xf numFmtId='0'/><xf "
    "numFmtId='170'/></cellXfs></styleSheet>";

std::string rows_with_dates() {
  std::string out =
      "<worksheet><sheetData><row><c t='inlineStr'><is><t>when</t></is></c><c t='s'><v>0</v></c></row>";
  for (int i = 0; i < 20; ++i)
    out += "<row><c s='1'><v>" + std::to_string(100 + i * 0.25) + "</v></c><c><v>" + std::to_string(i) +
           "</v></c></row>";
  return out + "</sheetData></worksheet>";
}

TEST(Workbooks, OfTheOtherEpochWithoutPlacesOfCells) {
  const ScratchFolder folder;
  const std::string path =
      workbook(folder, "a.xlsx",
               {{"xl/workbook.xml", book_of("<workbookPr date1904='1'/>")},
                {"xl/_rels/workbook.xml.rels", relations},
                {"xl/styles.xml", styles},
                {"xl/sharedStrings.xml", "<sst><si><r><t>u (m</t></r><r><t>V)</t></r></si></sst>"},
                {"xl/worksheets/s.xml", rows_with_dates()}});
  const WholeRecording r = read_file(path);
  ASSERT_THAT(r.names(), ElementsAre("u"));
  EXPECT_EQ(r.recording.channels[0].unit.text(), "mV");
  EXPECT_NEAR(r.recording.axis.rate_hz(), 1.0 / 21600, 1e-12);
  // 100 days after 1904-01-01.
  EXPECT_EQ(utc_text(*r.recording.zero_ns), "1904-04-10T00:00:00Z");
  EXPECT_EQ(r.recording.file, path);
  EXPECT_THAT(r.recording.format, HasSubstr("sheet \"Run\", data from row 2"));
}

TEST(Workbooks, DamagedOrHostileAreRefusedInOneLine) {
  const ScratchFolder folder;
  const auto with_sheet = [&](const std::string& name, const std::string& sheet) {
    return workbook(folder, name,
                    {{"xl/workbook.xml", book_of()},
                     {"xl/_rels/workbook.xml.rels", relations},
                     {"xl/worksheets/s.xml", sheet}});
  };
  EXPECT_THAT(error_of(with_sheet("text.xlsx", "<w><row r='1'><c r='A1' t='s'><v>7</v></c></row></w>")),
              HasSubstr("text.xlsx: damaged: a cell names text 7 of 0"));
  EXPECT_THAT(error_of(with_sheet("cut.xlsx", "<w><row r='1'><c r='A1'>")), HasSubstr("damaged at line 1"));
  EXPECT_THAT(error_of(with_sheet("back.xlsx",
                                  "<w><row r='5'><c r='B5'><v>1</v></c></row><row r='2'><c r='A2'><v>1</v>"
                                  "</c></row></w>")),
              HasSubstr("cell 1 of row 2"));
  EXPECT_THAT(error_of(with_sheet("far.xlsx", "<w><row r='99999999999'><c r='B1'><v>1</v></c></row></w>")),
              HasSubstr("out of its place"));
  const std::string laughs = "<!DOCTYPE w [<!ENTITY a 'aaaaaaaaaa'><!ENTITY b '&a;&a;&a;'>]><w>&b;</w>";
  EXPECT_THAT(error_of(with_sheet("type.xlsx", laughs)), HasSubstr("document type of its own"));
  EXPECT_THAT(error_of(with_sheet("words.xlsx", "<w><row><c t='str'><v>a</v></c></row></w>")),
              HasSubstr("no table of numbers"));
  EXPECT_THAT(error_of(workbook(folder, "binary.xlsb", {{"xl/workbook.bin", "x"}})),
              HasSubstr("binary workbook"));
  EXPECT_THAT(error_of(workbook(folder, "letter.docx", {{"word/document.xml", "<w/>"}})),
              HasSubstr("a document without sheets"));
  EXPECT_THAT(error_of(folder.write("old.xls", std::string("\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1", 8) + "rest")),
              HasSubstr("save it as .xlsx"));
}

TEST(Workbooks, RepeatedCellsAndRowsStandOnce) {
  const ScratchFolder folder;
  const std::string cell = "<table:table-cell office:value-type='float' ";
  std::string sheet =
      "<?xml version='1.0'?><office:document "
      "office:mimetype='application/vnd.oasis.opendocument.spreadsheet' "
      "xmlns:office='o' xmlns:table='t' xmlns:text='x'><table:table table:name='Run'>";
  sheet +=
      "<table:table-row><table:table-cell><text:p>t "
      "(s)</text:p></table:table-cell><table:table-cell><text:p>a (V)"
      "</text:p></table:table-cell><table:table-cell><text:p>b "
      "(V)</text:p></table:table-cell></table:table-row>";
  for (int i = 0; i < 9; ++i)
    sheet += "<table:table-row>" + cell + "office:value='" + std::to_string(i) + "'/>" + cell +
             "office:value='2.5' "
             "table:number-columns-repeated='2'><text:p>3</text:p></table:table-cell></table:table-row>";
  // What programs write behind the last row.
  sheet +=
      "<table:table-row table:number-rows-repeated='1048566'><table:table-cell "
      "table:number-columns-repeated='16384'/></table:table-row></table:table></office:document>";
  const WholeRecording r = read_file(folder.write("a.fods", sheet));
  ASSERT_THAT(r.names(), ElementsAre("a", "b"));
  EXPECT_EQ(r.recording.samples, 9);
  EXPECT_EQ(r.columns[1].back(), 2.5);
}

TEST(Workbooks, ColumnsAskedForMayBeThoseOfOneSheet) {
  const ScratchFolder folder;
  std::string page;
  for (const char* names : {"<th>t (s)<th>a (V)", "<th>t (s)<th>b (V)<th>c (V)"}) {
    page += std::string("<table><tr>") + names;
    for (int i = 0; i < 9; ++i)
      page +=
          "<tr><td>" + std::to_string(i) + "<td>1" + (names[13] == 'b' ? "<td>" + std::to_string(i * i) : "");
    page += "</table>";
  }
  const std::string path = folder.write("two.html", "<html>" + page + "</html>");
  ReadSettings settings;
  settings.columns = "t,c";
  EXPECT_THAT(read_file(path, settings).names(), ElementsAre("c"));
  settings.columns = "z";
  EXPECT_THAT(error_of(path, settings), HasSubstr("z"));
}

TEST(Pages, SpansScriptsAndMissingEndTags) {
  const ScratchFolder folder;
  std::string page =
      "<html><script>if (1 < 2) document.write('<table><tr><td>9</td></tr></table>')</script>"
      "<!-- <table> --><table><tr><td><table><caption>Run</caption>"
      "<tr><th rowspan=2>t (s)<th colspan=2>probe<tr><th>a (V)<th>b (&Omega;)";
  for (int i = 0; i < 12; ++i)
    page += "<tr><td>" + std::to_string(i) + "<td>&#8722;" + std::to_string(i) + "<td>&#x31;.5";
  const WholeRecording r = read_file(folder.write("a.htm", page + "</table></td></tr></table></html>"));
  ASSERT_EQ(r.columns.size(), 2u) << r.recording.format;
  EXPECT_EQ(r.columns[0].back(), -11);
  EXPECT_EQ(r.columns[1].front(), 1.5);
  EXPECT_EQ(r.recording.channels[1].unit.text(), "Ω");
}

}  // namespace
}  // namespace vprism::sheets_test
