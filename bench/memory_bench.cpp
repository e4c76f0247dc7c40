// memory_bench.cpp: greatest memory of every command that looks at recordings, as a whole process, on
//
//   wide    64 channels of a million samples (256 MB)
//   many    2,048 channels of 16,000 samples (131 MB)
//   long    one channel of --long GIGABYTES (default 4) of zeros in a sparse file
//
// Goals: 500 MB on wide and many, 200 MB on long. Figures are left out; --figures draws them too.
#include <cstring>
#include <map>

#include "timed_run.h"

using namespace vprism;

int main(int count, char** arguments) {
  double gigabytes = 4;
  std::string figures = " --figure none";
  std::vector<std::string> only;
  for (int i = 1; i < count; ++i) {
    if (std::strcmp(arguments[i], "--long") == 0 && i + 1 < count)
      gigabytes = std::atof(arguments[++i]);
    else if (std::strcmp(arguments[i], "--figures") == 0)
      figures.clear();
    else
      only.emplace_back(arguments[i]);
  }
  const BenchFolder folder;
  write_channels(folder.path + "/wide.f32", 64, 1'000'000);
  write_channels(folder.path + "/many.f32", 2048, 16'000);
  std::ofstream(folder.path + "/long.f32").flush();
  if (::truncate((folder.path + "/long.f32").c_str(), static_cast<off_t>(gigabytes * 1e9)) != 0) return 1;
  struct Record {
    const char* name;
    std::string file;
    double goal_mb;
  };
  const std::vector<Record> records = {{"wide", "wide.f32 --binary f32le:64ch", 500},
                                       {"many", "many.f32 --binary f32le:2048ch", 500},
                                       {"long", "long.f32 --binary f32le:1ch", 200}};
  const std::vector<std::pair<std::string, std::string>> commands = {{"inspect", ""},
                                                                     {"spectrum", ""},
                                                                     {"spectrogram", " --map npy"},
                                                                     {"occupancy", ""},
                                                                     {"identify", ""},
                                                                     {"survey", ""},
                                                                     {"distortion", ""},
                                                                     {"response", " --reference 1"},
                                                                     {"response", " --output-only"},
                                                                     {"modulation", ""},
                                                                     {"cycles", " --orders 5"},
                                                                     {"rebuild", ""},
                                                                     {"scalogram", ""},
                                                                     {"compare", ""},
                                                                     {"convert", " --to npy"}};
  std::printf("%-12s %-28s %8s %9s %7s %s\n", "record", "command", "MB", "goal MB", "s", "status");
  int over = 0;
  for (const Record& record : records)
    for (const auto& [command, options] : commands) {
      bool wanted = only.empty();
      for (const std::string& word : only) wanted = wanted || word == command || word == record.name;
      if (!wanted) continue;
      const std::string line = "cd '" + folder.path + "' && exec '" VPRISM_PROGRAM "' " + command + " " +
                               record.file + " --rate 10kHz --quiet --force --out out" + figures + options;
      const TimedRun run = timed_run("sh -c \"" + line + "\"", 300);
      std::printf("%-12s %-28s %8.0f %9.0f %7.1f %d%s\n", record.name, (command + options).c_str(),
                  run.megabytes, record.goal_mb, run.seconds, run.status,
                  run.megabytes > record.goal_mb ? "  over" : "");
      std::fflush(stdout);
      over += run.megabytes > record.goal_mb;
    }
  std::printf("%d over their goal\n", over);
  return 0;
}
