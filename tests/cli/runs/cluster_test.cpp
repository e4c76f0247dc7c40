// A batch on a real scheduler of two nodes, and its parts without one.
#include <gmock/gmock.h>

#include <cmath>
#include <map>
#include <numeric>
#include <random>

#include "base/error.h"
#include "cli/run_program.h"
#include "cli/runs/test_cluster.h"
#include "runner/cluster/scheduler.h"
#include "runner/cluster/spread.h"

namespace vprism::cluster_test {
namespace {

namespace fs = std::filesystem;
using ::testing::ElementsAre;
using ::testing::HasSubstr;
using ::testing::Not;

/// Recordings of a tone, each of its own frequency and level; one can't be read.
void write_recordings(const ScratchFolder& folder, int count, int samples) {
  fs::create_directory(folder.path("in"));
  for (int i = 0; i < count; ++i) {
    std::vector<float> x(static_cast<std::size_t>(samples));
    for (std::size_t n = 0; n < x.size(); ++n)
      x[n] = static_cast<float>((1 + 0.05 * i) *
                                std::cos(2 * M_PI * (40 + 3 * i) * static_cast<double>(n) / 4000));
    folder.write("in/r" + std::to_string(100 + i) + ".f32",
                 {reinterpret_cast<const char*>(x.data()), x.size() * sizeof x[0]});
  }
  folder.write("in/r105.f32", "odd");
}

std::string without(std::string text, const std::string& word) {
  for (std::size_t at = 0; (at = text.find(word)) != std::string::npos;) text.erase(at, word.size());
  return text;
}

TEST(Cluster, TheTableOfTwoNodesIsThatOfOneMachineThoughOneOfThemDies) {
  if (!TestCluster::installed()) GTEST_SKIP() << "no batch scheduler is installed";
  const TestCluster cluster;
  ASSERT_TRUE(cluster.ready()) << cluster.logs();
  const ScratchFolder folder;
  write_recordings(folder, 40, 200'000);
  const std::string what = "batch spectrum 'in/*.f32' --binary f32le:1ch --rate 4kHz --figure none --out ";
  const ProgramRun one = run_program(folder, what + "out-1");
  EXPECT_EQ(one.status, 3) << one.err;
  std::thread killer([&] {
    for (int i = 0; i < 600; ++i) {
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
      if (std::system(("grep -qs '\"n2\"' " + folder.path("out-2/cluster/") + "*.jsonl").c_str()) == 0) break;
    }
    cluster.kill_node("n2");
  });
  const ProgramRun two = run_program(folder, what + "out-2 --on slurm --tasks 8 --sbatch '--comment=night'");
  killer.join();
  EXPECT_EQ(two.status, one.status) << two.err << cluster.logs();
  EXPECT_EQ(without(two.out, "out-2"), without(one.out, "out-1"));
  EXPECT_EQ(ScratchFolder::read(folder.path("out-2/summary.csv")),
            ScratchFolder::read(folder.path("out-1/summary.csv")));
  EXPECT_THAT(two.err, HasSubstr("40 recordings in 8 tasks"));
  EXPECT_THAT(two.err, HasSubstr("in/r105.f32"));
  EXPECT_THAT(two.err, HasSubstr("on n2: "));  // What became of the task that died there.
  // To come back afterwards shows the same; and what is done is kept for the next run, here or there.
  const ProgramRun again = run_program(folder, "batch --resume --out out-2");
  EXPECT_EQ(again.out, two.out);
  EXPECT_EQ(again.status, two.status);
  const ProgramRun here = run_program(folder, what + "out-2 --digest quick --quiet");
  EXPECT_THAT(here.out, HasSubstr("39 done (39 kept from before), 1 failed"));
  EXPECT_THAT(error_line(folder, what + "o3 --on slurm --sbatch --partition=none", 2),
              HasSubstr("partition"));
}

TEST(Cluster, WithoutASchedulerNothingIsBegun) {
  const ScratchFolder folder;
  write_recordings(folder, 6, 1000);
  const char* const before = std::getenv("PATH");
  const std::string kept = before == nullptr ? "" : before;
  fs::create_directory(folder.path("bin"));
  ::setenv("PATH", folder.path("bin").c_str(), 1);
  const ProgramRun run = run_program(folder, "batch inspect in --on slurm --out out");
  ::setenv("PATH", kept.c_str(), 1);
  EXPECT_EQ(run.status, 5);
  EXPECT_THAT(run.err, HasSubstr("no sbatch on this machine"));
  EXPECT_THAT(error_line(folder, "batch inspect in --on nonsense", 2), HasSubstr("slurm"));
  EXPECT_THAT(error_line(folder, "batch inspect in --sbatch --time=1", 2), HasSubstr("--on slurm"));
  EXPECT_THAT(error_line(folder, "batch --resume --out nowhere", 3), HasSubstr("nowhere"));
  EXPECT_THAT(error_line(folder, "batch inspect in --resume", 2), HasSubstr("alone"));
  EXPECT_THAT(error_line(folder, "case c.toml --on slurm --only lines", 2), HasSubstr("--only"));
  EXPECT_THAT(error_line(folder, "batch inspect in --tasks 5", 2), HasSubstr("--on slurm"));
  EXPECT_THAT(error_line(folder, "batch inspect in --on slurm --out -", 2), HasSubstr("folder"));
  EXPECT_THAT(error_line(folder, "batch --resume --trend rms --out out", 2), HasSubstr("alone"));
  EXPECT_THAT(error_line(folder, "case c.toml --gather --out out", 3), HasSubstr("no batch"));
}

TEST(Cluster, SharesAreOfLikeSizeAndHoldEachRecordingOnce) {
  std::mt19937 random(3);
  std::lognormal_distribution<double> size(16, 1.5);
  for (const std::size_t count : {1u, 7u, 200u, 5000u}) {
    std::vector<std::uint64_t> bytes(count);
    for (auto& b : bytes) b = static_cast<std::uint64_t>(size(random));
    const auto shares = even_shares(bytes, 50);
    EXPECT_EQ(shares.size(), std::min<std::size_t>(50, count));
    std::vector<int> taken(count, 0);
    std::uint64_t most = 0, least = UINT64_MAX, largest = 0, all = 0;
    for (const auto& share : shares) {
      EXPECT_TRUE(std::is_sorted(share.begin(), share.end()));
      std::uint64_t sum = 0;
      for (const std::size_t file : share) ++taken[file], sum += bytes[file] + 4'000'000;
      most = std::max(most, sum), least = std::min(least, sum), all += sum;
    }
    for (const std::uint64_t b : bytes) largest = std::max(largest, b + 4'000'000);
    EXPECT_EQ(std::count(taken.begin(), taken.end(), 1), static_cast<std::ptrdiff_t>(count));
    // No schedule is better than the mean or the largest alone; this rule is within a third of the best.
    EXPECT_LE(static_cast<double>(most),
              4.0 / 3 * static_cast<double>(std::max(all / shares.size(), largest)));
    EXPECT_GT(least, 0u);
  }
}

TEST(Cluster, WhatATaskNotedIsFoundAgainThoughItsLastLineIsCut) {
  const ScratchFolder folder;
  fs::create_directories(folder.path("cluster"));
  const SpreadFolder spread(folder.path());
  spread.note(3, {7, false, false, 0, "", "n1"});
  spread.note(3, {7, true, false, 3, "a \"bad\" file\n", "n1"});
  spread.note(3, {9, false, false, 0, "", "n2"});
  std::ofstream(folder.path("cluster/task-3.jsonl"), std::ios::app) << "{\"file\":11,\"nod";
  const auto found = spread.outcomes(3);
  ASSERT_EQ(found.size(), 2u);
  EXPECT_TRUE(found[0].ended);
  EXPECT_EQ(found[0].status, 3);
  EXPECT_EQ(found[0].said, "a \"bad\" file\n");
  EXPECT_FALSE(found[1].ended);
  EXPECT_EQ(found[1].node, "n2");
  EXPECT_TRUE(spread.outcomes(4).empty());
  EXPECT_THROW(spread.plan(), Error);
}

TEST(Cluster, OptionsAreTakenAsAShellWould) {
  EXPECT_THAT(option_words("--time=1:00:00  --partition=night"),
              ElementsAre("--time=1:00:00", "--partition=night"));
  EXPECT_THAT(option_words("--comment='two words' \"\" x"), ElementsAre("--comment=two words", "", "x"));
  EXPECT_THROW(option_words("--comment='open"), Error);
}

TEST(Cluster, TheReasonOfAnEndIsInWords) {
  const auto why = [](const char* state, const char* exit) { return JobState{"1", state, "n1", exit}.why(); };
  EXPECT_THAT(why("TIMEOUT", "0:15"), HasSubstr("time limit"));
  EXPECT_THAT(why("OUT_OF_MEMORY", "0:125"), HasSubstr("memory"));
  EXPECT_THAT(why("FAILED", "3:0"), HasSubstr("status 3"));
  EXPECT_THAT(why("FAILED", "0:9"), HasSubstr("signal 9"));
  EXPECT_THAT(why("", ""), HasSubstr("no longer knows"));
}

}  // namespace
}  // namespace vprism::cluster_test
