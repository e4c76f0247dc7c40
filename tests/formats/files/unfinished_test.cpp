// What is left behind by whom, on storage that several machines share.
#include "formats/files/unfinished.h"

#include <gtest/gtest.h>
#include <unistd.h>

#include <chrono>
#include <fstream>

#include "formats/scratch_folder.h"

namespace vprism::unfinished_test {
namespace {

namespace fs = std::filesystem;

std::string host() {
  char name[256] = "";
  ::gethostname(name, sizeof name - 1);
  return name;
}

/// A folder as another process would have made it, with a file in it.
fs::path left_by(const ScratchFolder& folder, const std::string& who, int days = 0) {
  const fs::path path = folder.path(".vprism-part-" + who);
  fs::create_directories(path / "x");
  std::ofstream(path / "x" / "half.csv") << "1";
  const auto then = fs::file_time_type::clock::now() - std::chrono::hours(24 * days);
  for (const fs::path& each : {path / "x" / "half.csv", path / "x", path}) fs::last_write_time(each, then);
  return path;
}

TEST(Unfinished, IsSweptOnlyByWhoCanKnowThatNobodyIsAtIt) {
  const ScratchFolder folder;
  const std::string own = std::to_string(::getpid());
  const fs::path dead = left_by(folder, "999999999-1-500@" + host());
  const fs::path number_taken_again = left_by(folder, own + "-1-1@" + host());
  const fs::path another_host = left_by(folder, "999999999-1-500@elsewhere");
  const fs::path long_ago = left_by(folder, "999999999-1-500@elsewhere-2", 8);
  const fs::path at_it = left_by(folder, "999999999-1-500@elsewhere-3", 8);
  std::ofstream(at_it / "x" / "half.csv") << "12";  // The folders' own times stay.
  const fs::path unnamed = left_by(folder, "4711");
  const fs::path mine = unfinished_folder(folder.path());
  const fs::path second = unfinished_folder(folder.path());
  EXPECT_FALSE(fs::exists(dead));
  EXPECT_FALSE(fs::exists(number_taken_again));
  EXPECT_TRUE(fs::exists(another_host));
  EXPECT_FALSE(fs::exists(long_ago));
  EXPECT_TRUE(fs::exists(at_it));
  EXPECT_TRUE(fs::exists(unnamed));
  EXPECT_TRUE(fs::exists(mine));
  EXPECT_NE(mine, second);
  remove_unfinished(mine);
  remove_unfinished(second);
  EXPECT_FALSE(fs::exists(mine));
}

TEST(Unfinished, IsNotNamedInMessages) {
  const ScratchFolder folder;
  const fs::path mine = unfinished_folder(folder.path());
  EXPECT_EQ(without_unfinished((mine / "a.csv").string() + ": full"), folder.path("a.csv") + ": full");
  remove_unfinished(mine);
}

}  // namespace
}  // namespace vprism::unfinished_test
