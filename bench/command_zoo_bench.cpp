// command_zoo_bench.cpp: each command on kinds of record with random parameters: what it says beside what is
// true. Run: build/bench/command_zoo_bench [RECORDS [KIND]], 30 records of each kind if not said.
//
// Per kind: values beside their stated uncertainties, how many lie within one and within three of them;
// claims that are wrong (a mode, an event, a jump that is none, or one that is missing).
#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <iterator>

#include "cli/zoo/command_zoo.h"
#include "timed_run.h"

using namespace vprism;

int main(int count, char** words) {
  const int records = count > 1 ? std::max(1, std::atoi(words[1])) : 30;
  const std::string only = count > 2 ? words[2] : "";
  const BenchFolder folder;
  std::printf("%-40s %6s %6s %6s %6s\n", "kind", "known", "1 unc.", "3 unc.", "wrong");
  const auto print = [](const std::string& name, const zoo::Tally& t) {
    const auto share = [&](int part) { return t.known > 0 ? 100.0 * part / t.known : 0; };
    std::printf("%-40s %6d %5.0f%% %5.0f%% %6d\n", name.c_str(), t.known, share(t.within_one),
                share(t.within_three), t.wrong);
    for (std::size_t i = 0; i < std::min<std::size_t>(4, t.notes.size()); ++i)
      std::printf("    %s\n", t.notes[i].c_str());
    std::fflush(stdout);
  };
  zoo::Tally all;
  for (const zoo::CommandKind& kind : zoo::command_kinds()) {
    if (!only.empty() && kind.name.find(only) == std::string::npos) continue;
    zoo::Tally tally;
    for (int i = 0; i < records; ++i) {
      std::mt19937_64 bits(zoo::seed_of(kind.name, i));
      const zoo::CommandRecord record = kind.make(bits);
      std::ofstream out(folder.path + "/x.f64", std::ios::binary);
      for (std::size_t n = 0; n < record.columns[0].size(); ++n)
        for (const auto& column : record.columns) out.write(reinterpret_cast<const char*>(&column[n]), 8);
      out.close();
      std::ofstream(folder.path + "/limit.csv") << record.limit;
      char rate[40];
      std::snprintf(rate, sizeof rate, "%gHz", record.rate_hz);
      const std::string line = "cd '" + folder.path + "' && '" VPRISM_PROGRAM "' " + record.command +
                               " x.f64 --binary f64le:" + std::to_string(record.columns.size()) +
                               "ch --rate " + rate + " --quiet --figure none --json > '" + folder.path +
                               "/out.json' 2>/dev/null";
      (void)!std::system(line.c_str());
      std::ifstream in(folder.path + "/out.json");
      const nlohmann::json result =
          zoo::printed_result({std::istreambuf_iterator<char>(in), std::istreambuf_iterator<char>()});
      ++tally.records;
      if (result.is_null())
        tally.check(false, "no result");
      else
        record.judge(result, tally);
    }
    print(kind.name, tally);
    all += tally;
  }
  print("all", all);
  return 0;
}
