// Pages of saved documents.
#include <gmock/gmock.h>

#include "cli/run_program.h"

namespace vprism::report_test {
namespace {

namespace fs = std::filesystem;
using ::testing::HasSubstr;
using ::testing::Not;

void write_record(const ScratchFolder& folder) {
  std::string text = "time (s),<b>mast</b> (V)\n";
  for (int n = 0; n < 2000; ++n)
    text += std::to_string(n * 1e-3) + "," + std::to_string(std::cos(2 * M_PI * 50 * n * 1e-3)) + "\n";
  folder.write("a.csv", text);
}

TEST(Report, HasFindingsTablesAndPicturesOfSavedDocuments) {
  const ScratchFolder folder;
  write_record(folder);
  ASSERT_EQ(run_program(folder, "identify a.csv --figure svg --quiet").status, 0);
  ASSERT_EQ(run_program(folder, "spectrum a.csv --figure data --quiet").status, 0);
  fs::remove(folder.path("a.csv"));  // Nothing is computed again.
  const ProgramRun run = run_program(
      folder,
      "report vprism-out/a-identify.json vprism-out/a-spectrum.json --title 'Two of <them>' --out page");
  EXPECT_EQ(run.status, 0) << run.err;
  const std::string page = ScratchFolder::read(folder.path("page/report.html"));
  EXPECT_THAT(page, HasSubstr("Two of &lt;them&gt;"));
  EXPECT_THAT(page, HasSubstr("&lt;b&gt;mast&lt;/b&gt;"));
  EXPECT_THAT(page, Not(HasSubstr("<b>mast")));
  std::size_t pictures = 0;
  for (std::size_t at = 0; (at = page.find("<img ", at)) != std::string::npos; ++at) ++pictures;
  EXPECT_EQ(pictures, 2U);
  EXPECT_THAT(page, HasSubstr("50.0000"));
  EXPECT_EQ(run_program(folder, "report vprism-out/a-identify.json --figure none --out bare").status, 0);
  EXPECT_THAT(ScratchFolder::read(folder.path("bare/report.html")), Not(HasSubstr("<img ")));
  const auto document = nlohmann::json::parse(ScratchFolder::read(folder.path("page/report.json")));
  EXPECT_EQ(document["results"].size(), 2U);
  EXPECT_EQ(text_of(document["results"][0]["command"]), "identify");
}

TEST(Report, LeavesOutPicturesThatAreOthersNow) {
  const ScratchFolder folder;
  write_record(folder);
  ASSERT_EQ(run_program(folder, "spectrum a.csv --figure svg --quiet").status, 0);
  folder.write("vprism-out/a-spectrum.svg", "<svg><script>alert(1)</script></svg>");
  const ProgramRun run = run_program(folder, "report vprism-out/a-spectrum.json --out page");
  EXPECT_EQ(run.status, 0);
  EXPECT_THAT(run.err, HasSubstr("picture-left-out"));
  EXPECT_THAT(ScratchFolder::read(folder.path("page/report.html")), Not(HasSubstr("<img ")));
  fs::remove(folder.path("vprism-out/a-spectrum.svg"));
  EXPECT_THAT(run_program(folder, "report vprism-out/a-spectrum.json --out page").err,
              HasSubstr("not there any more"));
}

TEST(Report, RefusesWhatIsNoDocument) {
  const ScratchFolder folder;
  folder.write("a.json", "{\"x\": [1, 2, 3]}");
  folder.write("b.json", "{\"vprism\": \"0.1.0\", \"command\": \"spectrum\", \"results\": 7}");
  EXPECT_THAT(error_line(folder, "report a.json", 3), HasSubstr("a.json: no result document"));
  EXPECT_THAT(error_line(folder, "report b.json", 3), HasSubstr("no result document"));
  for (const char* odd : {"\"results\": [7]", "\"cautions\": {}", "\"findings\": 7", "\"inputs\": [[1]]"}) {
    folder.write("c.json", "{\"vprism\": \"0.1.0\", \"command\": \"spectrum\", " + std::string(odd) + "}");
    EXPECT_THAT(error_line(folder, "report c.json", 3), HasSubstr("c.json: no result document")) << odd;
  }
  EXPECT_THAT(error_line(folder, "report none.json", 3), HasSubstr("none.json: no such file"));
  EXPECT_FALSE(fs::exists(folder.path("vprism-out")));
}

TEST(Report, OfDocumentsWithOddPartsIsStillAPage) {
  const ScratchFolder folder;
  folder.write(
      "odd.json",
      "{\"vprism\": \"9\", \"command\": \"<i>\", \"inputs\": [{}], \"results\": [{}], \"cautions\": [{}], "
      "\"outputs\": [{\"file\": \"../../../etc/passwd.png\"}, {\"file\": 7}], \"findings\": [{}]}");
  const ProgramRun run = run_program(folder, "report odd.json --quiet");
  EXPECT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(ScratchFolder::read(folder.path("vprism-out/report.html")), Not(HasSubstr("<i>")));
}

}  // namespace
}  // namespace vprism::report_test
