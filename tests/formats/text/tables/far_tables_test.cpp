// Several tables in text files longer than what is looked at first: where each begins and ends, by made-up
// runs.
#include "formats/text/tables/far_tables.h"

#include <gmock/gmock.h>

#include <cmath>

#include "formats/reading.h"

namespace vprism::far_tables_test {
namespace {

using ::testing::HasSubstr;

/// `rows` rows of a time in milliseconds from 0 on and of run * row.
std::string rows_of(int run, int rows) {
  std::string out;
  for (int n = 0; n < rows; ++n) out += std::to_string(n * 2) + "," + std::to_string(run * n) + "\n";
  return out;
}

class FarTables : public ::testing::Test {
 protected:
  WholeRecording read(const std::string& text, const std::string& part = "") {
    EXPECT_GT(text.size(), FileHead::head_bytes);
    ReadSettings settings;
    settings.part = part;
    return read_file(folder_.write("a.csv", text), settings);
  }
  ScratchFolder folder_;
};

TEST_F(FarTables, RunsUnderTheirOwnTitlesArePartsWhereverTheyBegin) {
  // Of other lengths, so that heads lie at any place of the blocks that are gone through.
  const int lengths[] = {30011, 70001, 41234};
  std::string text;
  for (int run = 1; run <= 3; ++run)
    text += "Run " + std::to_string(run) + "\nTime (ms),Force (N)\n" + rows_of(run, lengths[run - 1]) + "\n";
  for (int run = 1; run <= 3; ++run) {
    const WholeRecording r = read(text, std::to_string(run));
    ASSERT_EQ(r.recording.parts.size(), 3u);
    EXPECT_EQ(r.recording.parts[static_cast<std::size_t>(run - 1)].name, "Run " + std::to_string(run));
    EXPECT_THAT(r.recording.parts[static_cast<std::size_t>(run - 1)].what,
                HasSubstr(std::to_string(lengths[run - 1]) + " rows"));
    ASSERT_EQ(r.columns.at(0).size(), static_cast<std::size_t>(lengths[run - 1]));
    EXPECT_EQ(r.columns[0][1], run);
    EXPECT_EQ(r.columns[0].back(), run * (lengths[run - 1] - 1.0));
    EXPECT_EQ(r.recording.channels[0].unit.text(), "N");
    EXPECT_NEAR(r.recording.axis.rate_hz(), 500, 1e-9);
    EXPECT_FALSE(r.warns_of("axis-reversed"));
  }
  // The longest, with a caution.
  const WholeRecording r = read(text);
  EXPECT_EQ(r.recording.part, 1u);
  EXPECT_TRUE(r.warns_of("tables"));
  EXPECT_THAT(error_of(folder_.path("a.csv"),
                       [] {
                         ReadSettings settings;
                         settings.part = "Run 4";
                         return settings;
                       }()),
              HasSubstr("Run 4"));
}

TEST_F(FarTables, BlocksOfOneChannelEachAndRunsUnderComments) {
  std::string blocks, remarks = "# bench\n";
  for (int k = 1; k <= 2; ++k) {
    blocks += "Channel: s" + std::to_string(k) + "\nUnit: V\nRate: 500\n";
    remarks += "\n# shot " + std::to_string(k) + "\n# t (ms), u (V)\n";
    for (int n = 0; n < 50000; ++n) blocks += std::to_string(k * n) + ".5\n";
    remarks += rows_of(k, 40000);
  }
  const WholeRecording b = read(blocks, "s2");
  ASSERT_EQ(b.columns.at(0).size(), 50000u);
  EXPECT_EQ(b.columns[0].back(), 2 * 49999 + 0.5);
  EXPECT_EQ(b.recording.channels[0].name, "s2");
  EXPECT_NEAR(b.recording.axis.rate_hz(), 500, 1e-9);
  const WholeRecording r = read(remarks, "2");
  ASSERT_EQ(r.columns.at(0).size(), 40000u);
  EXPECT_EQ(r.columns[0].back(), 2 * 39999);
  EXPECT_FALSE(r.warns_of("axis-reversed"));
}

TEST_F(FarTables, NotesBelowHeadsThatGoOnAndRowsOfWordsMakeNone) {
  const std::string head = "Time (ms),Force (N)\n";
  EXPECT_TRUE(read(head + rows_of(1, 40000) + "\nMean,3\nMax,4\n").recording.parts.empty());
  EXPECT_TRUE(read(head + rows_of(1, 40000) + "END\n").recording.parts.empty());
  // The head of each page again, times that go on.
  std::string pages;
  for (int page = 0; page < 20; ++page) {
    pages += head;
    for (int n = 0; n < 3000; ++n)
      pages += std::to_string((page * 3000 + n) * 2) + "," + std::to_string(n) + "\n";
  }
  const WholeRecording p = read(pages);
  EXPECT_TRUE(p.recording.parts.empty());
  EXPECT_EQ(p.columns.at(0).size(), 60000u);
  std::string worded = "Name,Time (ms),Force (N)\n";
  for (int n = 0; n < 20000; ++n) worded += "left," + std::to_string(2 * n) + "," + std::to_string(n) + "\n";
  EXPECT_EQ(read(worded).columns.at(0).size(), 20000u);
}

}  // namespace
}  // namespace vprism::far_tables_test
