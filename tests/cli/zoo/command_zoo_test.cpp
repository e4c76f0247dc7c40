// Every command on records that nobody planned: what is stated covers, what is claimed is there.
// bench/command_zoo_bench is the long form.
#include "cli/zoo/command_zoo.h"

#include <gtest/gtest.h>

#include "cli/run_program.h"

namespace vprism::command_zoo_test {
namespace {

TEST(CommandZoo, StatedUncertaintiesCoverAndNothingIsMadeUp) {
  const ScratchFolder folder;
  zoo::Tally all;
  for (const zoo::CommandKind& kind : zoo::command_kinds()) {
    std::mt19937_64 bits(zoo::seed_of(kind.name, 0));
    const zoo::CommandRecord record = kind.make(bits);
    std::string bytes;
    for (std::size_t n = 0; n < record.columns[0].size(); ++n)
      for (const auto& column : record.columns) bytes.append(reinterpret_cast<const char*>(&column[n]), 8);
    folder.write("x.f64", bytes);
    if (!record.limit.empty()) folder.write("limit.csv", record.limit);
    const ProgramRun run = run_program(
        folder, record.command + " x.f64 --binary f64le:" + std::to_string(record.columns.size()) +
                    "ch --rate " + std::to_string(record.rate_hz) + "Hz --quiet --figure none --json");
    ASSERT_LE(run.status, record.limit.empty() ? 0 : 1) << kind.name << run.err;
    zoo::Tally tally;
    const nlohmann::json result = zoo::printed_result(run.out);
    ASSERT_FALSE(result.is_null()) << kind.name;
    record.judge(result, tally);
    std::string notes;
    for (const std::string& note : tally.notes) notes += note + "\n";
    EXPECT_EQ(tally.wrong, 0) << kind.name << "\n" << notes;
    EXPECT_GE(tally.within_three, tally.known - 1 - tally.known / 25) << kind.name << "\n" << notes;
    all += tally;
  }
  EXPECT_GE(all.within_three, 0.97 * all.known);
  EXPECT_GE(all.within_one, 0.5 * all.known);
  EXPECT_GT(all.known, 150);
}

}  // namespace
}  // namespace vprism::command_zoo_test
