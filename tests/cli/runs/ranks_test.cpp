// Several ranks under a real launcher: the same bytes as one process, whatever their number.
#include <gmock/gmock.h>

#include <cmath>
#include <random>

#include "cli/run_program.h"

namespace vprism::ranks_test {
namespace {

namespace fs = std::filesystem;
using ::testing::HasSubstr;

/// The launcher allows root, and does not ask for what containers refuse.
const std::string as_root =
    "OMPI_ALLOW_RUN_AS_ROOT=1 OMPI_ALLOW_RUN_AS_ROOT_CONFIRM=1 "
    "OMPI_MCA_btl_vader_single_copy_mechanism=none ";

/// The module is built, and the launcher starts anything at all on this machine.
bool can_be_launched() {
  return fs::exists(fs::path(tested_program()).parent_path() / "vprism-ranks.so") &&
         std::system((as_root + "mpirun -q --oversubscribe -n 2 true > /dev/null 2>&1").c_str()) == 0;
}

/// `program` as the shell takes it, by so many ranks on this machine, though they are more than its cores.
ProgramRun launched(const ScratchFolder& folder, int ranks, const std::string& arguments,
                    const std::string& before = "") {
  return run_printed(folder, "cd '" + folder.path() + "' && " + as_root + before +
                                 " mpirun -q --oversubscribe -n " + std::to_string(ranks) + " '" +
                                 tested_program() + "' " + arguments + " > .out 2> .err");
}

constexpr int samples = 4'300'000;

/// Two channels of tones in noise, 32-bit numbers; `missing`: one of them is none.
void write_flat(const ScratchFolder& folder, const std::string& name, int count, int seed,
                bool missing = false) {
  std::mt19937 random(static_cast<unsigned>(seed));
  std::normal_distribution<float> noise;
  std::vector<float> x(2 * static_cast<std::size_t>(count));
  for (std::size_t n = 0; n < x.size() / 2; ++n) {
    x[2 * n] = std::cos(2 * static_cast<float>(M_PI) * static_cast<float>(n % 40) / 40) + noise(random);
    x[2 * n + 1] =
        0.2F * std::cos(2 * static_cast<float>(M_PI) * static_cast<float>(n % 7) / 7) + noise(random);
  }
  if (missing) x[x.size() - 5000] = std::nanf("");
  folder.write(name, {reinterpret_cast<const char*>(x.data()), x.size() * sizeof x[0]});
}

const std::string as_read = " --binary f32le:2ch --rate 10kHz --calibrate '*: sensitivity 50 mV/g' ";

/// Everything in the folder beside the recordings, by name.
std::map<std::string, std::string> written(const ScratchFolder& folder, const std::string& out) {
  std::map<std::string, std::string> all;
  for (const auto& entry : fs::directory_iterator(folder.path(out)))
    all[entry.path().filename().string()] = ScratchFolder::read(entry.path().string());
  return all;
}

TEST(Ranks, GiveTheBytesOfOneProcess) {
  if (!can_be_launched()) GTEST_SKIP() << "no launcher, or built without MPI";
  const ScratchFolder folder;
  write_flat(folder, "a.f32", samples, 1);
  for (const std::string options : {"--resolution 2Hz", "--segment 4096 --average peak-hold"}) {
    const std::string what = "spectrum a.f32" + as_read + options + " --figure none --quiet --force --out ";
    const ProgramRun one = run_program(folder, what + "one");
    ASSERT_EQ(one.status, 0) << one.err;
    const bool first = options[2] == 'r';
    for (const int ranks : first ? std::vector{1, 2, 3, 5} : std::vector{3}) {
      const ProgramRun many = launched(folder, ranks, what + "one");
      const auto by_many = written(folder, "one");
      const ProgramRun again = run_program(folder, what + "one");
      EXPECT_EQ(many.status, 0) << many.err;
      EXPECT_EQ(many.out, one.out) << ranks << " ranks";
      EXPECT_EQ(by_many, written(folder, "one")) << ranks << " ranks";
      EXPECT_THAT(many.err, ::testing::Not(HasSubstr("vprism")));
    }
  }
}

TEST(Ranks, TakeStretchesOfAChainOfFiles) {
  if (!can_be_launched()) GTEST_SKIP() << "no launcher, or built without MPI";
  const ScratchFolder folder;
  for (int i = 0; i < 3; ++i)
    write_flat(folder, "part-" + std::to_string(i) + ".f32", 1'600'000 + 1111 * i, i);
  const std::string what =
      "spectrum part-0.f32 part-1.f32 part-2.f32 --join time" + as_read + "--resolution 5Hz --json --quiet";
  const ProgramRun one = run_program(folder, what);
  ASSERT_EQ(one.status, 0) << one.err;
  EXPECT_EQ(launched(folder, 3, what).out, one.out);
}

TEST(Ranks, LeaveWhatCannotBeSharedToOne) {
  if (!can_be_launched()) GTEST_SKIP() << "no launcher, or built without MPI";
  const ScratchFolder folder;
  write_flat(folder, "a.f32", samples, 1);
  write_flat(folder, "gap.f32", samples, 2, true);
  folder.write("short.csv", "t,x\n0,1\n0.1,2\n0.2,1\n0.3,2\n0.4,1\n0.5,2.5\n0.6,1\n0.7,2\n");
  for (const std::string& what :
       {"spectrum gap.f32" + as_read + "--resolution 2Hz", "spectrum a.f32" + as_read + "--average median",
        "spectrum a.f32" + as_read + "--chain 'highpass 10Hz' --resolution 2Hz",
        std::string("inspect short.csv")}) {
    const ProgramRun one = run_program(folder, what + " --json --quiet"),
                     many = launched(folder, 3, what + " --json --quiet");
    EXPECT_EQ(one.status, 0) << one.err;
    EXPECT_EQ(many.status, 0) << many.err;
    EXPECT_EQ(many.out, one.out) << what;
  }
}

TEST(Ranks, LeaveAPipeToTheFirst) {
  if (!can_be_launched()) GTEST_SKIP() << "no launcher, or built without MPI";
  const ScratchFolder folder;
  write_flat(folder, "a.f32", samples, 1);
  const std::string what = "spectrum -" + as_read + "--resolution 2Hz --json --quiet < a.f32";
  const ProgramRun one = run_program(folder, what), many = launched(folder, 3, what);
  EXPECT_EQ(one.status, 0) << one.err;
  EXPECT_EQ(many.status, 0) << many.err;
  EXPECT_EQ(many.out, one.out);
}

TEST(Ranks, SayAMistakeOnce) {
  if (!can_be_launched()) GTEST_SKIP() << "no launcher, or built without MPI";
  const ScratchFolder folder;
  const ProgramRun run = launched(folder, 3, "spectrum none.f32 --out made");
  EXPECT_EQ(run.status, 3) << run.err;
  EXPECT_EQ(run.err.find("none.f32"), run.err.rfind("none.f32")) << run.err;
  EXPECT_THAT(run.err, HasSubstr("vprism: none.f32: "));
}

TEST(Ranks, ThatDieEndTheRunWithoutOutput) {
  if (!can_be_launched()) GTEST_SKIP() << "no launcher, or built without MPI";
  const ScratchFolder folder;
  write_flat(folder, "a.f32", samples, 1);
  folder.write("second-dies.sh",
               "[ \"$OMPI_COMM_WORLD_RANK\" = 1 ] && (sleep 0.05; kill -9 $$) &\nexec \"$@\"\n");
  const ProgramRun run =
      run_printed(folder, "cd '" + folder.path() + "' && " + as_root +
                              // The launcher now and then waits for itself when one dies while it connects.
                              "timeout -k 1 60 mpirun -q --oversubscribe -n 3 sh "
                              "second-dies.sh '" +
                              tested_program() + "' spectrum a.f32" + as_read +
                              "--segment 65536 --overlap 95% --figure none --out made > .out 2> .err");
  EXPECT_NE(run.status, 0);
  EXPECT_EQ(run.out, "");
  EXPECT_TRUE(!fs::exists(folder.path("made")) || fs::is_empty(folder.path("made")));
}

TEST(Ranks, WithoutTheirModuleRefuseToWorkAgainstEachOther) {
  const ScratchFolder folder;
  fs::copy_file(tested_program(), folder.path("vprism"));
  const std::string as = "cd '" + folder.path() + "' && OMPI_COMM_WORLD_SIZE=2 OMPI_COMM_WORLD_RANK=";
  const ProgramRun first = run_printed(folder, as + "0 ./vprism --version > .out 2> .err");
  EXPECT_EQ(first.status, 2);
  EXPECT_THAT(first.err, HasSubstr("started 2 times by a launcher"));
  const ProgramRun second = run_printed(folder, as + "1 ./vprism --version > .out 2> .err");
  EXPECT_EQ(second.status, 2);
  EXPECT_EQ(second.err, "");
}

}  // namespace
}  // namespace vprism::ranks_test
