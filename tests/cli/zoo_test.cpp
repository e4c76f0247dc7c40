// Records that nobody planned: power adds up, uncertainties cover, kinds are told. bench/zoo_bench is the
// long form.
#include "../../bench/zoo.h"

#include <gtest/gtest.h>

#include "../../bench/zoo_judge.h"
#include "run_program.h"

namespace vprism::zoo_test {
namespace {

/// `records` of a kind through spectrum and identify.
zoo::Score score_of(const zoo::Kind& kind, int records) {
  const ScratchFolder folder;
  zoo::Score score;
  for (int i = 0; i < records; ++i) {
    std::mt19937_64 bits(zoo::seed_of(kind.name, i));
    const zoo::Record record = kind.make(bits);
    folder.write("x.f64", std::string(reinterpret_cast<const char*>(record.x.data()), 8 * record.x.size()));
    const std::string rest = " x.f64 --binary f64le:1ch --rate 1kHz --quiet --figure none --json";
    const auto spectrum = run_program(folder, "spectrum --peaks 60" + rest);
    const auto identify = run_program(folder, "identify" + rest);
    EXPECT_LT(spectrum.status, 5) << kind.name << spectrum.err;
    EXPECT_LT(identify.status, 5) << kind.name << identify.err;
    zoo::judge(record, nlohmann::json::parse(spectrum.out, nullptr, false),
               nlohmann::json::parse(identify.out, nullptr, false), score);
  }
  return score;
}

std::string joined_notes(const zoo::Score& score) {
  std::string out;
  for (const std::string& note : score.notes) out += note + "\n";
  return out;
}

TEST(Zoo, PowerAddsUpOnEveryKind) {
  zoo::Score all;
  for (const zoo::Kind& kind : zoo::kinds()) {
    const zoo::Score score = score_of(kind, 1);
    EXPECT_EQ(score.over_power, 0) << kind.name << "\n" << joined_notes(score);
    all += score;
  }
  EXPECT_GE(all.within_three, all.known - 2);
}

/// Kinds that are told right on every record.
TEST(Zoo, KindsAreToldApart) {
  for (const zoo::Kind& kind : zoo::kinds()) {
    static const std::set<std::string> sure = {
        "ring-down",      "trend",      "suppressed carrier",         "amplitude modulation",
        "quantised sine", "tone burst", "repeated impulses with slip"};
    if (sure.count(kind.name) == 0) continue;
    const zoo::Score score = score_of(kind, 2);
    EXPECT_EQ(score.kinds_right, score.kinds) << kind.name << "\n" << joined_notes(score);
  }
}

TEST(Zoo, NothingIsFoundWhereNothingIs) {
  for (const zoo::Kind& kind : zoo::kinds()) {
    static const std::set<std::string> empty = {"white noise", "pink noise", "brown noise", "heavy tails",
                                                "white noise with a burst"};
    if (empty.count(kind.name) == 0) continue;
    const zoo::Score score = score_of(kind, 3);
    EXPECT_EQ(score.wrong, 0) << kind.name << "\n" << joined_notes(score);
  }
}

}  // namespace
}  // namespace vprism::zoo_test
