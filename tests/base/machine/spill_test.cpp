// Spilled memory: pieces of a mapped file keep what is written while their pages come and go.
#include "base/machine/spill.h"

#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdint>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <vector>

namespace vprism::spill_test {
namespace {

/// Bytes of a piece that lie in memory now, from the process's own map.
std::size_t resident_in(const void* piece) {
  std::ifstream maps("/proc/self/smaps");
  std::string line;
  bool inside = false;
  while (std::getline(maps, line)) {
    unsigned long from = 0, to = 0, kilobytes = 0;
    if (std::sscanf(line.c_str(), "%lx-%lx ", &from, &to) == 2)
      inside =
          from <= reinterpret_cast<std::uintptr_t>(piece) && reinterpret_cast<std::uintptr_t>(piece) < to;
    else if (inside && std::sscanf(line.c_str(), "Rss: %lu kB", &kilobytes) == 1)
      return 1024 * kilobytes;
  }
  return 0;
}

TEST(Spill, KeepsWhatWasWrittenWhenPagesAreLetGoOf) {
  constexpr std::size_t count = std::size_t{1} << 21;
  auto* const piece = static_cast<std::uint64_t*>(take_spilled(8 * count));
  if (piece == nullptr) GTEST_SKIP() << "no folder on a disk to spill into";
  EXPECT_GE(spilled_bytes(), 8 * count);
  for (std::size_t i = 0; i < count; ++i) piece[i] = i * 0x9E3779B97F4A7C15u;
  EXPECT_GE(resident_in(piece), 8 * count);
  let_go_of_spilled(std::size_t{1} << 40);
  EXPECT_LT(resident_in(piece), 4 * count);
  for (std::size_t i = 0; i < count; ++i) ASSERT_EQ(piece[i], i * 0x9E3779B97F4A7C15u);
  EXPECT_TRUE(give_back_spilled(piece));
}

TEST(Spill, PiecesOfAllSizesLieApartAndAreUsedAgain) {
  const std::size_t before = spilled_bytes();
  std::vector<std::pair<unsigned char*, std::size_t>> taken;
  for (std::size_t bytes = 1; bytes < (std::size_t{1} << 22); bytes += 1 + bytes / 7 + bytes % 4093) {
    auto* const piece = static_cast<unsigned char*>(take_spilled(bytes));
    if (piece == nullptr) GTEST_SKIP() << "no folder on a disk to spill into";
    std::memset(piece, static_cast<int>(taken.size() % 251), bytes);
    taken.push_back({piece, bytes});
  }
  for (std::size_t i = 0; i < taken.size(); ++i)
    for (std::size_t at = 0; at < taken[i].second; at += 97)
      ASSERT_EQ(taken[i].first[at], i % 251) << taken[i].second;
  auto* const last = taken.back().first;
  const std::size_t size = taken.back().second;
  for (const auto& [piece, bytes] : taken) EXPECT_TRUE(give_back_spilled(piece));
  EXPECT_EQ(spilled_bytes(), before);
  void* const again = take_spilled(size);
  EXPECT_EQ(again, last);
  EXPECT_TRUE(give_back_spilled(again));
}

TEST(Spill, AForkedChildTouchesNothingOfItsParents) {
  auto* const mine = static_cast<int*>(take_spilled(1 << 16));
  if (mine == nullptr) GTEST_SKIP() << "no folder on a disk to spill into";
  mine[0] = 7;
  const pid_t child = ::fork();
  if (child == 0) {
    // Would lie where the parent's next piece lies, and this is written to when given back.
    const bool none = take_spilled(1 << 16) == nullptr, known = give_back_spilled(mine);
    ::_exit(none && known ? 0 : 1);
  }
  int status = 0;
  ASSERT_EQ(::waitpid(child, &status, 0), child);
  EXPECT_TRUE(WIFEXITED(status) && WEXITSTATUS(status) == 0);
  EXPECT_EQ(mine[0], 7);
  EXPECT_TRUE(give_back_spilled(mine));
}

TEST(Spill, LeavesOtherMemoryAlone) {
  std::vector<double> own(1 << 20);
  EXPECT_FALSE(give_back_spilled(own.data()));
  int local = 0;
  EXPECT_FALSE(give_back_spilled(&local));
  EXPECT_EQ(take_spilled(std::size_t{1} << 60), nullptr);
}

}  // namespace
}  // namespace vprism::spill_test
