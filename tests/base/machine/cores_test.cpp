// Cores by control groups, in made-up folders of both versions.
#include "base/machine/cores.h"

#include <gtest/gtest.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

namespace vprism::cores_test {
namespace {

namespace fs = std::filesystem;

class Cores : public ::testing::Test {
 protected:
  void SetUp() override {
    root_ = fs::temp_directory_path() / ("vprism-cores-" + std::to_string(::getpid()));
    fs::remove_all(root_);
  }
  void TearDown() override { fs::remove_all(root_); }
  void write(const std::string& path, const std::string& text) {
    fs::create_directories((root_ / path).parent_path());
    std::ofstream(root_ / path) << text << '\n';
  }
  std::optional<double> cores() const { return control_group_cores(root_.string()); }
  fs::path root_;
};

TEST_F(Cores, NothingSetIsNoLimit) {
  EXPECT_FALSE(cores());
  write("proc/self/cgroup", "0::/user.slice/job 7");
  write("sys/fs/cgroup/user.slice/job 7/cpu.max", "max 100000");
  EXPECT_FALSE(cores());
  EXPECT_GE(usable_cores(), 1u);
}

TEST_F(Cores, ABatchSchedulersWordCounts) {
  ::unsetenv("SLURM_JOB_ID");
  ::setenv("SLURM_CPUS_ON_NODE", "1", 1);
  EXPECT_FALSE(scheduler_cores());  // Not within a job.
  ::setenv("SLURM_JOB_ID", "12", 1);
  EXPECT_EQ(scheduler_cores(), 1u);
  EXPECT_EQ(usable_cores(), 1u);
  for (const char* nonsense : {"", "-1", "0", "2x", "many"}) {
    ::setenv("SLURM_CPUS_ON_NODE", nonsense, 1);
    EXPECT_FALSE(scheduler_cores()) << nonsense;
  }
  ::unsetenv("SLURM_JOB_ID");
  ::unsetenv("SLURM_CPUS_ON_NODE");
}

TEST_F(Cores, TheNarrowestOfAGroupAndThoseAboveItHolds) {
  write("proc/self/cgroup", "0::/jobs/12/task");
  write("sys/fs/cgroup/jobs/12/task/cpu.max", "400000 100000");
  EXPECT_EQ(cores(), 4.0);
  write("sys/fs/cgroup/jobs/12/cpu.max", "150000 100000");
  EXPECT_EQ(cores(), 1.5);
  write("sys/fs/cgroup/cpu.max", "50000 100000");
  EXPECT_EQ(cores(), 0.5);
}

TEST_F(Cores, TheOlderVersionKeepsQuotaAndPeriodApart) {
  write("proc/self/cgroup", "4:memory:/a\n3:cpuset:/a\n2:cpu,cpuacct:/a/b\n0::/");
  write("sys/fs/cgroup/cpu,cpuacct/a/b/cpu.cfs_quota_us", "-1");
  write("sys/fs/cgroup/cpu,cpuacct/a/b/cpu.cfs_period_us", "100000");
  EXPECT_FALSE(cores());
  write("sys/fs/cgroup/cpu,cpuacct/a/cpu.cfs_quota_us", "250000");
  write("sys/fs/cgroup/cpu,cpuacct/a/cpu.cfs_period_us", "100000");
  EXPECT_EQ(cores(), 2.5);
  // Behind a name space of its own its path isn't there, but the mount's root is the group.
  write("sys/fs/cgroup/cpu/cpu.cfs_quota_us", "100000");
  write("sys/fs/cgroup/cpu/cpu.cfs_period_us", "50000");
  EXPECT_EQ(cores(), 2.0);
}

}  // namespace
}  // namespace vprism::cores_test
