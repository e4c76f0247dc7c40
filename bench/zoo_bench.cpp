// zoo_bench.cpp: kinds of record that nobody planned, through spectrum and identify: what is found beside
// what is true. Run: build/bench/zoo_bench [RECORDS [KIND]], 30 records of each kind if not said.
//
// Per kind: records in which the peaks, or the findings, hold more than the channel's mean square (by more
// than their stated uncertainty); how many lines and resonances lie within one and within three stated
// uncertainties; findings that nothing true accounts for; lines that are missed; records whose kind is
// right.
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <nlohmann/json.hpp>

#include "cli/zoo/zoo_further.h"
#include "cli/zoo/zoo_judge.h"
#include "timed_run.h"

using namespace vprism;

int main(int count, char** words) {
  const int records = count > 1 ? std::max(1, std::atoi(words[1])) : 30;
  const std::string only = count > 2 ? words[2] : "";
  const BenchFolder folder;
  std::printf("%-32s %5s %5s %6s %6s %6s %6s %6s\n", "kind", "power", "lines", "1 unc.", "3 unc.", "false",
              "missed", "kind");
  zoo::Score all;
  for (const zoo::Kind& kind : zoo::all_kinds()) {
    if (!only.empty() && kind.name.find(only) == std::string::npos) continue;
    zoo::Score score;
    for (int i = 0; i < records; ++i) {
      std::mt19937_64 bits(zoo::seed_of(kind.name, i));
      const zoo::Record record = kind.make(bits);
      std::ofstream(folder.path + "/x.f64", std::ios::binary)
          .write(reinterpret_cast<const char*>(record.x.data()),
                 static_cast<std::streamsize>(8 * record.x.size()));
      const auto run = [&](const std::string& command) {
        const std::string line = "'" VPRISM_PROGRAM "' " + command + " '" + folder.path +
                                 "/x.f64' --binary f64le:1ch --rate 1kHz --quiet --figure none --json > '" +
                                 folder.path + "/out.json' 2>/dev/null";
        (void)std::system(line.c_str());
        std::ifstream in(folder.path + "/out.json");
        return nlohmann::json::parse(in, nullptr, false);
      };
      const auto spectrum = run("spectrum --peaks 60"), identify = run("identify");
      zoo::judge(record, spectrum, identify, score);
    }
    score.print(kind.name);
    all += score;
  }
  all.print("all");
  return 0;
}
