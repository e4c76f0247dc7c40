// One command or case over many recordings.
#include <gmock/gmock.h>

#include <cmath>

#include "cli/run_program.h"

namespace vprism::batch_test {
namespace {

namespace fs = std::filesystem;
using ::testing::HasSubstr;
using ::testing::Not;

std::string tone(double amplitude) {
  std::string text = "time (s),u (V)\n";
  for (int n = 0; n < 1000; ++n)
    text += std::to_string(n * 1e-3) + "," + std::to_string(amplitude * std::cos(2 * M_PI * 50 * n * 1e-3)) +
            "\n";
  return text;
}

void write_three(const ScratchFolder& folder) {
  fs::create_directory(folder.path("in"));
  for (int i = 1; i <= 3; ++i) folder.write("in/r" + std::to_string(i) + ".csv", tone(i));
}

std::vector<std::string> lines_of(const std::string& path) {
  std::vector<std::string> out;
  std::ifstream in(path);
  for (std::string line; std::getline(in, line);) out.push_back(line);
  return out;
}

TEST(Batch, MakesOneTableWithATrendOverTheFiles) {
  const ScratchFolder folder;
  write_three(folder);
  const ProgramRun run = run_program(folder, "batch inspect 'in/*.csv' --trend rms,max --out out --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto rows = lines_of(folder.path("out/summary.csv"));
  ASSERT_EQ(rows.size(), 4u);
  EXPECT_EQ(rows[0], "file,status,channel,rms,max,cautions,error");
  for (std::size_t i = 1; i <= 3; ++i) {
    EXPECT_EQ(rows[i].rfind("in/r" + std::to_string(i) + ".csv,done,u,", 0), 0u) << rows[i];
    EXPECT_NEAR(std::stod(rows[i].substr(rows[i].find(",u,") + 3)), static_cast<double>(i) / std::sqrt(2),
                1e-3);
  }
  EXPECT_EQ(ScratchFolder::read(folder.path("out/trend.png")).substr(1, 3), "PNG");
  EXPECT_THAT(ScratchFolder::read(folder.path("out/summary.html")), HasSubstr("in/r2.csv"));
}

TEST(Batch, ABadFileIsToldAndSkippedAndASecondRunGoesOn) {
  const ScratchFolder folder;
  write_three(folder);
  folder.write("in/bad.csv", "nothing but words\n");
  ProgramRun run = run_program(folder, "batch spectrum in --out out --figure none --peaks 2");
  EXPECT_EQ(run.status, 3);
  EXPECT_THAT(run.err, HasSubstr("in/bad.csv"));
  EXPECT_THAT(run.out, HasSubstr("4 files: 3 done, 1 failed"));
  const auto document = nlohmann::json::parse(ScratchFolder::read(folder.path("out/batch.json")));
  EXPECT_EQ(document["results"][0]["status"].get<int>(), 3);
  EXPECT_THAT(text_of(document["results"][0]["error"]), HasSubstr("bad.csv"));
  folder.write("in/bad.csv", tone(9));
  folder.write("in/r1.csv", tone(7));
  run = run_program(folder, "batch spectrum in --out out --figure none --peaks 2");
  EXPECT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("4 files: 4 done (2 kept from before), 0 failed"));
}

TEST(Batch, TakesFoldersPatternsListsAndOptionsOfTheCommand) {
  const ScratchFolder folder;
  write_three(folder);
  folder.write("list.txt", "# comment\nin/r1.csv\n\nin/r[23].csv\n");
  const ProgramRun run = run_program(folder,
                                     "batch spectrum --list list.txt --window flat-top --scale peak --trend "
                                     "peaks.0.level --out out --figure none --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  const auto rows = lines_of(folder.path("out/summary.csv"));
  ASSERT_EQ(rows.size(), 4u);
  EXPECT_NEAR(std::stod(rows[3].substr(rows[3].find(",u,") + 3)), 3, 1e-3);
  EXPECT_THAT(error_line(folder, "batch spectrum in --widnow hann", 2),
              HasSubstr("did you mean \"--window\""));
  EXPECT_THAT(error_line(folder, "batch spektrum in", 2), HasSubstr("did you mean \"spectrum\""));
  EXPECT_THAT(error_line(folder, "batch spectrum 'none*.csv'", 3), HasSubstr("no file fits"));
  EXPECT_THAT(error_line(folder, "batch spectrum in --trend nonsense --out o2 --figure none", 2),
              HasSubstr("nonsense"));
  EXPECT_THAT(error_line(folder, "batch spectrum", 2), HasSubstr("no inputs"));
}

TEST(Batch, RunsACaseOverEachFile) {
  const ScratchFolder folder;
  write_three(folder);
  folder.write("limit.csv", "frequency (Hz),bound (V)\n5,1.0\n400,1.0\n");
  folder.write("c.toml",
               "[recordings.r]\nfile = \"{file}\"\n[[limits]]\nrecording = \"r\"\nlimit = \"limit.csv\"\n"
               "[[steps]]\ncommand = \"identify\"\nrecording = \"r\"\n[[suspect]]\nname = \"mains\"\nmains = "
               "\"50 Hz\"\n[report]\npdf = false\n");
  const ProgramRun run = run_program(folder, "batch c.toml in --out out --quiet --figure none");
  EXPECT_EQ(run.status, 1) << run.err;  // 2 V and 3 V peak break 1 V RMS.
  const auto rows = lines_of(folder.path("out/summary.csv"));
  ASSERT_EQ(rows.size(), 4u);
  EXPECT_THAT(rows[1], HasSubstr("in/r1.csv,done,,pass,mains"));
  EXPECT_THAT(rows[2], HasSubstr("in/r2.csv,limit broken,,fail,mains"));
  EXPECT_TRUE(fs::exists(folder.path("out/files/r3-csv/report.html")));
  // Outputs beside the case change nothing; what the case names does.
  ProgramRun again = run_program(folder, "batch c.toml in --out out --quiet --figure none");
  EXPECT_THAT(again.out, HasSubstr("3 done (3 kept from before)"));
  folder.write("limit.csv", "frequency (Hz),bound (V)\n5,9.0\n400,9.0\n");
  again = run_program(folder, "batch c.toml in --out out --quiet --figure none");
  EXPECT_EQ(again.status, 0) << again.err;
  EXPECT_THAT(again.out, HasSubstr("3 done, 0 failed"));
}

}  // namespace
}  // namespace vprism::batch_test
