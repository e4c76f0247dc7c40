// Outputs appear whole or not at all, and inputs are never written to.
#include "formats/files/output_folder.h"

#include <gmock/gmock.h>

#include "base/error.h"
#include "formats/scratch_folder.h"

namespace vprism::output_folder_test {
namespace {

namespace fs = std::filesystem;

std::size_t files_in(const std::string& folder) {
  return static_cast<std::size_t>(
      std::distance(fs::recursive_directory_iterator(folder), fs::recursive_directory_iterator()));
}

TEST(OutputFolder, NothingIsThereBeforeCommitAndNothingIsLeftWithoutIt) {
  const ScratchFolder scratch;
  {
    OutputFolder out(scratch.path("out"), false);
    out.add("a.txt", "one", "text");
    EXPECT_FALSE(fs::exists(scratch.path("out/a.txt")));
  }
  EXPECT_FALSE(fs::exists(scratch.path("out")));  // Nor is the folder that was made for it.
  OutputFolder out(scratch.path("out"), false);
  out.add("a.txt", "one", "text");
  out.commit();
  EXPECT_EQ(ScratchFolder::read(scratch.path("out/a.txt")), "one");
  EXPECT_EQ(files_in(scratch.path("out")), 2u);  // And the folder of what is unfinished.
}

TEST(OutputFolder, SameBytesAreNoConflictOthersNeedForceAndNoneIsReplacedIfOneConflicts) {
  const ScratchFolder scratch;
  const auto put = [&](const std::string& a, const std::string& b, bool replace) {
    OutputFolder out(scratch.path(), replace);
    out.add("a", a, "");
    out.add("b", b, "");
    out.commit();
  };
  put("1", "2", false);
  EXPECT_NO_THROW(put("1", "2", false));
  try {
    put("new", "other", false);
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), Status::output);
    EXPECT_THAT(error.what(), ::testing::HasSubstr("--force"));
  }
  EXPECT_EQ(ScratchFolder::read(scratch.path("a")), "1");
  put("new", "other", true);
  EXPECT_EQ(ScratchFolder::read(scratch.path("b")), "other");
}

TEST(OutputFolder, InputsAreNeverWrittenToEvenWithForce) {
  const ScratchFolder scratch;
  const std::string input = scratch.write("data.csv", "precious");
  OutputFolder out(scratch.path(), true);
  out.protect(input);
  EXPECT_THROW(out.add("data.csv", "x", ""), Error);
  EXPECT_EQ(ScratchFolder::read(input), "precious");
}

TEST(OutputFolder, AFileInItsPlaceIsAnError) {
  const ScratchFolder scratch;
  const std::string file = scratch.write("file", "x");
  EXPECT_THROW(OutputFolder(file, false), Error);
  EXPECT_THROW(OutputFolder(file + "/deeper", false), Error);
}

}  // namespace
}  // namespace vprism::output_folder_test
