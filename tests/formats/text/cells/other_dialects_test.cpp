// other_dialects_test.cpp: bursts in rows, statements, digits of sixteen and blocks: where each is one and
// where not, and what is refused.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>

#include "formats/reading.h"
#include "formats/text/cells/burst_rows.h"
#include "formats/text/cells/hex_lines.h"
#include "formats/text/cells/insert_rows.h"
#include "formats/text/rows/block_text.h"
#include "formats/text/rows/row_kinds.h"

namespace vprism::other_dialects_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

WholeRecording read_text(const std::string& text, const ReadSettings& settings = {}) {
  const ScratchFolder folder;
  return read_file(folder.write("a.txt", text), settings);
}

std::string complaint(const std::string& text) {
  const ScratchFolder folder;
  return error_of(folder.write("a.txt", text));
}

/// Twelve rows of eight: what value(k) gives for the k-th sample of all, or value(row, column).
template <typename Value>
std::string rows_of_eight(Value value) {
  std::string out = "ts,v0,v1,v2,v3,v4,v5,v6,v7\n";
  for (int row = 0; row < 12; ++row) {
    out += fmt::format("{:.3f}", 0.008 * row);
    for (int c = 0; c < 8; ++c) out += fmt::format(",{:.5f}", value(row, c));
    out += '\n';
  }
  return out;
}

TEST(Bursts, AreToldFromChannelsByTheSamples) {
  const auto slow = [](int row, int c) { return std::sin(0.25 * (8 * row + c)); };
  const WholeRecording burst = read_text(rows_of_eight(slow));
  ASSERT_EQ(burst.columns.size(), 1u);
  ASSERT_EQ(burst.columns[0].size(), 96u);
  EXPECT_NEAR(burst.recording.axis.rate_hz(), 1000, 1e-3);
  for (int k = 0; k < 96; ++k)
    EXPECT_NEAR(burst.columns[0][static_cast<std::size_t>(k)], std::sin(0.25 * k), 1e-5) << k;
  EXPECT_TRUE(burst.warns_of("values-in-lines"));
  ReadSettings as_rows;
  as_rows.no_rows = true;
  EXPECT_EQ(read_text(rows_of_eight(slow), as_rows).columns.size(), 8u);
  // Sensors that drift side by side, sensors of like values that jump together, and noise are channels.
  EXPECT_EQ(read_text(rows_of_eight([](int row, int c) { return c + 0.01 * row; })).columns.size(), 8u);
  EXPECT_EQ(
      read_text(rows_of_eight([](int row, int c) { return 5 * ((row * 7) % 3) + 0.01 * c; })).columns.size(),
      8u);
  EXPECT_EQ(read_text(rows_of_eight([](int row, int c) {
              return static_cast<double>((row * 8 + c) * 7919 % 1009) / 1009;
            })).columns.size(),
            8u);
}

TEST(Inserts, RowsOfOtherTablesAreLeftOutWithAWord) {
  std::string dump =
      "CREATE TABLE other (a INT);\nCREATE TABLE \"main\".`scan` (t REAL, [u] REAL, PRIMARY KEY(t));\n";
  for (int n = 0; n < 20; ++n) {
    dump += fmt::format("INSERT OR IGNORE INTO scan VALUES ({:.2f},{});\n", 0.01 * n,
                        n == 7 ? "NULL" : std::to_string(n));
    if (n % 9 == 0) dump += "INSERT INTO other VALUES (3);\n";
  }
  ReadSettings gaps;
  gaps.missing = ReadSettings::Missing::gap;
  const WholeRecording r = read_text(dump, gaps);
  EXPECT_THAT(r.names(), ElementsAre("u"));
  ASSERT_EQ(r.columns[0].size(), 20u);
  EXPECT_TRUE(std::isnan(r.columns[0][7]));
  EXPECT_EQ(r.columns[0][19], 19);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 100, 1e-6);
  EXPECT_TRUE(r.warns_of("tables"));
  // A quote that isn't closed, a group that isn't, and prose about inserting.
  for (const char* line : {"INSERT INTO a VALUES (1,'x);", "INSERT INTO a VALUES (1,2",
                           "insert into the slot", "INSERT INTO a (", "INSERT INTO \"a VALUES (1,2);"})
    EXPECT_TRUE(InsertRows::found_in({line, line, line, line}).table.empty()) << line;
}

TEST(HexLines, WordsAreNone) {
  const std::vector<std::string_view> words = {"cafe", "face", "beef", "dead", "babe",
                                               "feed", "deaf", "fade", "bead"};
  EXPECT_FALSE(are_hex_lines(words));
  const std::vector<std::string_view> decimals = {"1000", "1001", "1002", "1003",
                                                  "1004", "1005", "1006", "1007"};
  EXPECT_FALSE(are_hex_lines(decimals));
  const std::vector<std::string_view> bytes = {"00 1F", "01 2E", "02 3D", "03 4C",
                                               "04 5B", "05 6A", "06 7F", "07 8E"};
  EXPECT_TRUE(are_hex_lines(bytes));
  std::string out;
  rewrite_hex_line("0A FF\n", out);
  EXPECT_EQ(out, "0x0A\t0xFF\n");
}

TEST(Blocks, OnlyTheirHeadsAreTakenOff) {
  EXPECT_EQ(unfolded_block("#2131,2,3,4,5,6,7\n"), "1,2,3,4,5,6,7\n");
  EXPECT_EQ(unfolded_block(":W:XINCR 1E-3;:W:YUNIT \"a;b\";CURV 1,2,3,4,5,6,7,8,9,1,2,3,4,5,6,7,8\n"),
            "XINCR: 1E-3\nYUNIT: a;b\n1,2,3,4,5,6,7,8,9,1,2,3,4,5,6,7,8\n");
  for (const char* other : {"# 1,2,3,4,5,6", "#1 remark, with, four, commas, here", "#0 1,2,3,4,5,6", "#9",
                            "#", "a;b;c", "x 1;y 2;1,2,3", "1;2;3\n4;5;6\n"})
    EXPECT_EQ(unfolded_block(other), other);
}

TEST(Tables, OneRowAmongDozensOfLinesIsNone) {
  std::string prose;
  for (int n = 0; n < 60; ++n) prose += "words number " + std::to_string(n) + " of many\n";
  EXPECT_THAT(complaint(prose + "1 2 3\n"), HasSubstr("only 1 looks like a row"));
  // Below few lines of settings it is one.
  EXPECT_EQ(read_text("Rate,1000\nUnit,V\n0.5\n0.7\n").columns.size(), 1u);
}

TEST(Inserts, OneStatementMayBeLongerThanTheHead) {
  std::string dump = "INSERT INTO scan (t, u) VALUES ";
  constexpr int rows = 150000;
  for (int n = 0; n < rows; ++n) dump += fmt::format("{}({:.2f},{})", n > 0 ? "," : "", 0.01 * n, n % 100);
  const WholeRecording r = read_text(dump + ";\n");
  ASSERT_EQ(r.columns.size(), 1u);
  EXPECT_EQ(r.columns[0].size(), static_cast<std::size_t>(rows));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 100, 1e-6);
}

TEST(RowKinds, ArePartsOfTheirOwn) {
  std::string log = "$A,TimeMS,u\n";
  for (int n = 0; n < 30; ++n)
    log += fmt::format("$A,{},{}\n", 10 * n, n) +
           (n % 5 == 0 ? fmt::format("$B,{},1,2,{}\n", 10 * n + 3, n) : "");
  const WholeRecording first = read_text(log);
  EXPECT_THAT(first.names(), ElementsAre("u"));
  EXPECT_EQ(first.columns[0].size(), 30u);
  EXPECT_NEAR(first.recording.axis.rate_hz(), 100, 1e-6);
  ReadSettings other;
  other.part = "B";
  EXPECT_EQ(read_text(log, other).columns.back().back(), 25);
  // Rows of as many cells are parted by their names; words that never come again,
  // and rows of one kind that differ in length, are none.
  std::string alike, once, ragged;
  for (int n = 0; n < 20; ++n) {
    alike += fmt::format("{},{},1\n", n % 2 == 0 ? "A" : "B", n);
    once += fmt::format("w{},{},1{}\n", n, n, n % 2 == 0 ? ",5" : "");
    ragged += fmt::format("A,{},1{}\nB,1\n", n, n % 2 == 0 ? ",5" : "");
  }
  for (const std::string& text : {alike, once, ragged}) {
    std::vector<std::string_view> lines;
    for (std::size_t at = 0; at < text.size(); at = text.find('\n', at) + 1)
      lines.push_back(std::string_view(text).substr(at, text.find('\n', at) - at));
    EXPECT_FALSE(RowKinds::found_in(lines, 0)) << text.substr(0, 30);
  }
}

TEST(SteppedLines, PackedOrdinatesAreRefused) {
  const std::string head = "##TITLE=a\n##FIRSTX=1\n##LASTX=9\n##NPOINTS=9\n##XYDATA=(X++(Y..Y))\n";
  EXPECT_THAT(complaint(head + "1A2B3C\n4J5K6L\n7a8b9c\n##END=\n"), HasSubstr("packed"));
  // The step follows from both ends, whatever DELTAX is rounded to.
  const WholeRecording r =
      read_text("##DELTAX=1.1\n##XUNITS=HZ\n" + head + "1 5 6 7\n4 8 9 10\n7 1 2 3\n##END=\n");
  ASSERT_EQ(r.columns[0].size(), 9u);
  EXPECT_NEAR(r.recording.axis.interval, 1, 1e-9);
  EXPECT_EQ(r.recording.axis.domain, Axis::Domain::frequency);
}

TEST(SteppedLines, BlocksHaveStepsAndFactorsOfTheirOwnAndMissingPointsAreCounted) {
  const auto block = [](int last, double factor) {
    return fmt::format("##FIRSTX=0\n##LASTX={}\n##NPOINTS=9\n##YFACTOR={}\n##XYDATA=(X++(Y..Y))\n", last,
                       factor);
  };
  const std::string two = "##TITLE=a\n" + block(8, 1) + "0 1 2 3\n3 4 5 6\n6 7 8 9\n##END=\n##TITLE=b\n" +
                          block(16, 0.5) + "0 2 4 6\n6 8 10 12\n12 14 16 18\n##END=\n";
  ReadSettings second;
  second.part = "2";
  const WholeRecording r = read_text(two, second);
  ASSERT_EQ(r.columns[0].size(), 9u);
  EXPECT_EQ(r.columns[0].back(), 9);
  EXPECT_TRUE(read_text("##TITLE=a\n" + block(8, 1) + "0 1 2 3\n3 4 5 6\n").warns_of("length-disagrees"));
}

TEST(Blocks, ThatAreCutAreSaid) {
  std::string values;
  for (int n = 0; n < 60; ++n) values += (n > 0 ? "," : "") + std::to_string(10 + n % 80);
  ASSERT_EQ(values.size(), 179u);
  EXPECT_TRUE(read_text("#3200" + values + "\n").warns_of("length-disagrees"));
  const WholeRecording whole = read_text("#3179" + values + "\n");
  EXPECT_FALSE(whole.warns_of("length-disagrees"));
  EXPECT_EQ(whole.columns[0].size(), 60u);
  EXPECT_EQ(whole.columns[0][0], 10);
  // Short ones, too.
  EXPECT_EQ(read_text("#2131,2,3,4,5,6,7\n").columns[0], std::vector<double>({1, 2, 3, 4, 5, 6, 7}));
}

TEST(Rows, LeftOutFurtherDownAreNamed) {
  std::string dump = "CREATE TABLE a (t REAL, u REAL);\n", log;
  for (int n = 0; n < 60000; ++n) {
    dump += fmt::format("INSERT INTO a VALUES ({:.2f},{});\n", 0.01 * n, n % 7);
    log += fmt::format("A,{},{}\n", n, n % 7) + (n % 9 == 0 ? fmt::format("B,{},1,2\n", n) : "");
  }
  EXPECT_FALSE(read_text(dump).warns_of("columns-left-out"));
  EXPECT_TRUE(read_text(dump + "INSERT INTO b VALUES (1);\n").warns_of("columns-left-out"));
  EXPECT_TRUE(read_text(dump + "INSERT INTO a VALUES (9,\n3);\n").warns_of("columns-left-out"));
  EXPECT_FALSE(read_text(log).warns_of("columns-left-out"));
  EXPECT_TRUE(read_text(log + "C,1,2\n").warns_of("columns-left-out"));
}

}  // namespace
}  // namespace vprism::other_dialects_test
