// Where the system gives no more threads or processes, as limits of users and of containers have it.
#include <gmock/gmock.h>

#include <cmath>

#include "base/machine/threads.h"
#include "cli/run_program.h"

namespace vprism::few_threads_test {
namespace {

using ::testing::HasSubstr;

/// Another user without a process of its own, who may have `most`; limits do not bind the superuser.
ProgramRun run_with(const ScratchFolder& folder, int most, const std::string& arguments) {
  std::filesystem::permissions(folder.path(), std::filesystem::perms(0777));
  const std::string command =
      "timeout 100 setpriv --reuid=61234 --regid=61234 --clear-groups bash -c 'ulimit -u " +
      std::to_string(most) + "; cd " + folder.path() + "; exec " + tested_program() + " " + arguments +
      " > .out 2> .err'";
  return run_printed(folder, command);
}

void write_tone(const ScratchFolder& folder) {
  std::string text = "time (s),u (V)\n";
  for (int n = 0; n < 4000; ++n)
    text += std::to_string(n * 1e-3) + "," + std::to_string(std::cos(2 * M_PI * 50 * n * 1e-3)) + "\n";
  folder.write("tone.csv", text);
}

TEST(FewThreads, CostNoResult) {
  if (::getuid() != 0) GTEST_SKIP() << "only the superuser can become another user";
  const ScratchFolder folder;
  write_tone(folder);
  const std::string what = " tone.csv --quiet --json --figure none";
  if (run_with(folder, 100, "inspect" + what).status != 0)
    GTEST_SKIP() << "another user can't run the program";
  for (const char* command : {"inspect", "spectrum", "identify --threads 4", "spectrogram"}) {
    const ProgramRun plenty = run_with(folder, 100, command + what),
                     few = run_with(folder, 1, command + what);
    EXPECT_EQ(few.status, 0) << command << few.err;
    EXPECT_EQ(few.out, plenty.out) << command;
  }
  const ProgramRun drawn = run_with(folder, 1, "spectrum tone.csv --out o");
  EXPECT_EQ(drawn.status, 5);
  EXPECT_THAT(drawn.err, HasSubstr("no more processes"));
  EXPECT_THAT(drawn.out, HasSubstr("tone-spectrum.csv"));
}

TEST(FewThreads, AreFoundOutAndWorkIsDoneWithout) {
  EXPECT_EQ(startable_threads(1), 1u);
  EXPECT_EQ(startable_threads(3), 3u);
  EXPECT_EQ(in_background([] { return 7; }).get(), 7);
}

}  // namespace
}  // namespace vprism::few_threads_test
