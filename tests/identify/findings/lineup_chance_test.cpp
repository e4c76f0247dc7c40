// How often chance accuses: suspects that are not there against random lines, and those that are.
#include <gtest/gtest.h>

#include <random>

#include "identify/findings/lineup.h"

namespace vprism::lineup_chance_test {
namespace {

Suspect machine(double base_hz, double range, const std::vector<double>& orders) {
  Suspect s;
  s.name = "machine";
  s.base_hz = Range{base_hz * (1 - range / 2), base_hz * (1 + range / 2)};
  for (const double order : orders) {
    ExpectedLine line;
    line.what = "order";
    line.terms = {{"", order}};
    s.lines.push_back(line);
  }
  return s;
}

std::vector<Observed> random_lines(std::mt19937_64& bits, std::size_t count) {
  std::uniform_real_distribution<double> place(10, 1000);
  std::vector<Observed> lines;
  for (std::size_t i = 0; i < count; ++i) lines.push_back({0, i, place(bits), 2e-3, 1});
  return lines;
}

class ChanceOfLines : public ::testing::TestWithParam<int> {};

TEST_P(ChanceOfLines, IsAsOftenBelowFivePercentAsItSays) {
  std::mt19937_64 bits(17);
  std::uniform_real_distribution<double> base(20, 90);
  int accused = 0;
  constexpr int runs = 400;
  for (int run = 0; run < runs; ++run) {
    const std::vector<Observed> lines = random_lines(bits, static_cast<std::size_t>(GetParam()));
    const Suspect s = machine(base(bits), 0.035, {1, 2, 3, 5, 7});
    const SuspectMatch m = match_suspects({s}, lines, {2e-5, 1000}).front();
    accused += m.found() > 0 && m.chance < 0.05 ? 1 : 0;
  }
  // Nominal 20; three standard deviations of that more.
  EXPECT_LE(accused, 20 + 13);
}
INSTANTIATE_TEST_SUITE_P(Few, ChanceOfLines, ::testing::Values(5, 20, 60));

TEST(Chance, OfAMachineThatIsThereIsSmall) {
  std::mt19937_64 bits(19);
  std::uniform_real_distribution<double> base(20, 90);
  for (int run = 0; run < 50; ++run) {
    const double hz = base(bits);
    std::vector<Observed> lines = random_lines(bits, 20);
    for (const double order : {1.0, 2.0, 5.0}) lines.push_back({0, lines.size(), order * hz, 2e-3, 1});
    const Suspect s = machine(hz * 1.005, 0.035, {1, 2, 3, 5, 7});
    const SuspectMatch m = match_suspects({s}, lines, {2e-5, 1000}).front();
    EXPECT_GE(m.found(), 3u);
    EXPECT_LT(m.chance, 0.01);
  }
}

}  // namespace
}  // namespace vprism::lineup_chance_test
