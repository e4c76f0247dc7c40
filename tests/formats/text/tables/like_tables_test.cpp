// like_tables_test.cpp: tables read by the layout of the first give what each would give by itself.
#include "formats/text/tables/like_tables.h"

#include <gmock/gmock.h>

#include <cmath>

#include "base/error.h"
#include "formats/scratch_folder.h"

namespace vprism::like_tables_test {
namespace {

using ::testing::ElementsAre;

class LikeTablesOf : public ::testing::Test {
 protected:
  LikeTablesOf() {
    settings_.axis = "none", settings_.rate_hz = 1, settings_.no_rows = true;
    settings_.missing = ReadSettings::Missing::gap;
  }
  std::string put(const std::string& name, const std::string& text) { return folder_.write(name, text); }
  ScratchFolder folder_;
  ReadSettings settings_;
};

std::string rows(double first) {
  std::string out;
  for (int n = 0; n < 30; ++n) out += std::to_string(n) + ".5," + std::to_string(first + n) + "\n";
  return out;
}

TEST_F(LikeTablesOf, OneLayoutGiveTheirNumbersAndTheirNotes) {
  const std::string a = put("a.csv", "# time: 0.25 s\nx (mm),p (Pa)\n" + rows(1));
  const std::string b = put("b.csv", "# time: 0.75 s\nx (mm),p (Pa)\n" + rows(7));
  const LikeTables tables(a, settings_);
  const LikeTable second = tables.read(b);
  ASSERT_EQ(second.columns.size(), 2u);
  EXPECT_EQ(second.columns[0].size(), 30u);
  EXPECT_EQ(second.columns[0][29], 29.5);
  EXPECT_EQ(second.columns[1][29], 36);
  EXPECT_EQ(second.recording.channels[1].unit.text(), "Pa");
  EXPECT_EQ(second.recording.file, b);
  ASSERT_FALSE(second.recording.notes.empty());
  EXPECT_EQ(second.recording.notes[0].second, "0.75 s");
}

TEST_F(LikeTablesOf, AnotherLayoutIsFoundAnew) {
  const std::string a = put("a.csv", "x (mm),p (Pa)\n" + rows(1));
  const LikeTables tables(a, settings_);
  // Columns the other way round, and parted otherwise.
  std::string turned = "p (Pa);x (mm)\n";
  for (int n = 0; n < 30; ++n) turned += std::to_string(n + 7) + ";" + std::to_string(n) + ".5\n";
  const LikeTable other = tables.read(put("b.csv", turned));
  EXPECT_EQ(other.recording.channels[0].name, "p");
  EXPECT_EQ(other.columns[0][29], 36);
  const LikeTable longer = tables.read(put("c.csv", "made by rig 4\nx (mm),p (Pa)\n" + rows(3)));
  EXPECT_EQ(longer.columns[1][0], 3);
  EXPECT_EQ(longer.columns[0].size(), 30u);
}

TEST_F(LikeTablesOf, CellsThatAreMissingOrBadGetTheWholeReader) {
  const std::string a = put("a.csv", "x (mm),p (Pa)\n" + rows(1));
  const LikeTables tables(a, settings_);
  std::string gaps = rows(1);
  gaps.replace(gaps.find(",3.000000"), 9, ",nan");
  const LikeTable missing = tables.read(put("b.csv", "x (mm),p (Pa)\n" + gaps));
  EXPECT_EQ(missing.columns[1].size(), 30u);
  EXPECT_TRUE(std::isnan(missing.columns[1][2]));
  std::string bad = rows(1);
  bad.replace(bad.find(",3.000000"), 9, ",oops");
  const LikeTable word = tables.read(put("c.csv", "x (mm),p (Pa)\n" + bad));
  EXPECT_TRUE(std::isnan(word.columns[1][2]));
  ASSERT_FALSE(word.recording.cautions.empty());
  EXPECT_NE(word.recording.cautions.front().text.find("such as \"oops\""), std::string::npos);
  // What follows the rows is said to be notes.
  const LikeTable noted = tables.read(put("d.csv", "x (mm),p (Pa)\n" + rows(1) + "end of frame\n"));
  EXPECT_EQ(noted.columns[1].size(), 30u);
  ASSERT_FALSE(noted.recording.cautions.empty());
}

TEST_F(LikeTablesOf, OtherFormatsAreReadAsTheyAre) {
  const std::string a = put("a.json", R"({"x": [1, 2, 3], "p": [4, 5, 6]})");
  const LikeTables tables(a, settings_);
  const LikeTable table = tables.read(a);
  ASSERT_EQ(table.columns.size(), 2u);
  EXPECT_THAT(table.columns[1], ElementsAre(4, 5, 6));
  EXPECT_THROW(tables.read(folder_.path("none.csv")), Error);
}

}  // namespace
}  // namespace vprism::like_tables_test
