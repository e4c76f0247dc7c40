// scale_bench.cpp: what a batch costs beside the work itself, and from that how far a cluster goes.
// Run: build/bench/scale_bench [--recordings N] [--kept N] [--no-scheduler]
//      build/bench/scale_bench --measured S_EACH BYTES_S S_KEPT S_TASK    the model alone
//
//   whole     a batch over N recordings of 5 MB beside the same commands run two by two without it
//   each      what one more recording costs beyond its bytes, and at what rate one process reads
//   gather    the table of 10, 1,000 and 100,000 kept results: seconds, memory
//   task      an array of empty tasks on a scheduler of two nodes on this machine
//   model     hours for 1 TB, 100 TB and 1 PB on 1 to 1,000 nodes, by a formula and by a simulation of tasks
//             that share storage; the storage is given (--storage GB/s), the rest is as measured
#include <algorithm>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <random>

#include "cli/runs/test_cluster.h"
#include "timed_run.h"

using namespace vprism;

namespace {

namespace fs = std::filesystem;
const std::string program = "'" VPRISM_PROGRAM "'";

void write_floats(const std::string& path, std::size_t count, unsigned seed) {
  std::vector<float> x(count);
  std::uint32_t state = seed * 2654435761u + 1;
  for (float& v : x) state = state * 1664525u + 1013904223u, v = static_cast<float>(state >> 8) / 16777216.0f;
  std::ofstream(path, std::ios::binary)
      .write(reinterpret_cast<const char*>(x.data()), static_cast<std::streamsize>(4 * count));
}

/// Two by two, as many as a machine of two cores would run.
double without_batch(const std::string& folder, int recordings) {
  return timed_run(
             "sh -c \"cd '" + folder + "' && ls in/*.f32 | xargs -P 2 -I F " + program +
                 " spectrum F --binary f32le:1ch --rate 10kHz --quiet --figure data --json --threads 1 --out "
                 "alone/F --force\"",
             3600)
             .seconds /
         recordings;
}

struct Measured {
  double each_s = 0.05, bytes_s = 4e8, gather_s = 2e-4, task_s = 0.1;
};

/// Kept results as a batch leaves them, the work of a cluster done: only the table is left to be made.
void make_kept(const std::string& folder, std::size_t count) {
  const std::string out = folder + "/kept";
  fs::create_directories(out + "/cluster");
  fs::create_directories(out + "/files");
  nlohmann::json files = nlohmann::json::array(), names = files, share = files;
  std::ofstream notes(out + "/cluster/task-0.jsonl");
  for (std::size_t i = 0; i < count; ++i) {
    const std::string name = "r" + std::to_string(i) + "-f32";
    files.push_back("in/r" + std::to_string(i) + ".f32");
    names.push_back(name);
    share.push_back(i);
    notes << "{\"file\":" << i << ",\"node\":\"n1\",\"reused\":false,\"status\":0,\"said\":\"\"}\n";
    fs::create_directory(out + "/files/" + name);
    const double level = 1 + 1e-3 * static_cast<double>(i % 997);
    nlohmann::json peaks = nlohmann::json::array();
    for (int p = 0; p < 10; ++p)
      peaks.push_back({{"frequency_hz", 50.0 * (p + 1)}, {"level", level / (p + 1)}, {"level_std", 0.01}});
    std::ofstream(out + "/files/" + name + "/document.json") << nlohmann::json{
        {"command", "spectrum"},
        {"cautions", nlohmann::json::array()},
        {"results",
         {{{"channel", "channel 1"},
           {"unit", "V"},
           {"rms_total", level},
           {"noise_rms", 0.1},
           {"peaks", peaks}}}}}.dump(1);
  }
  const nlohmann::json plan = {{"format", 1},
                               {"work",
                                {{"what", "spectrum"},
                                 {"case", false},
                                 {"files", files},
                                 {"names", names},
                                 {"options", nlohmann::json::array()},
                                 {"files_named", nlohmann::json::array()},
                                 {"variable", "file"},
                                 {"figure", nullptr},
                                 {"fresh", false},
                                 {"quick", true}}},
                               {"keys", nlohmann::json::array()},
                               {"settings", nlohmann::json::object()},
                               {"shares", {share}},
                               {"working", folder},
                               {"out", "kept"},
                               {"flags", nlohmann::json::array()},
                               {"scheduler_options", nlohmann::json::array()},
                               {"threads", 0},
                               {"tries", 1},
                               {"jobs", {{"tasks", ""}, {"gather", ""}}}};
  std::ofstream(out + "/cluster/plan.json") << plan.dump();
}

/// Seconds that a scheduler takes for a task that does nothing, on two nodes of one core.
double task_cost(int tasks) {
  if (!TestCluster::installed()) return 0;
  const TestCluster cluster;
  if (!cluster.ready()) return 0;
  const TimedRun run = timed_run(
      "sbatch --wait --array=0-" + std::to_string(tasks - 1) + " --output=/dev/null --wrap true", 600);
  return run.status == 0 ? 2 * run.seconds / tasks : 0;
}

struct Site {
  double bytes, recording_bytes;
  int nodes, cores;
  double storage_bytes_s;
};

double formula(const Site& site, const Measured& m, int tasks_most) {
  const double recordings = site.bytes / site.recording_bytes, workers = site.nodes * site.cores;
  const double alone = site.recording_bytes / m.bytes_s + m.each_s;
  // A task has a node's cores; no task is smaller than one recording.
  const double tasks = std::min<double>(tasks_most, recordings);
  const double at_once = std::min(workers, tasks * site.cores);
  const double compute = recordings * alone / at_once, storage = site.bytes / site.storage_bytes_s;
  return std::max(compute, storage) + tasks * m.task_s / site.nodes + recordings * m.gather_s;
}

/// Tasks of like bytes but recordings of scattered size, handed to nodes as they come free; what is read at
/// one time shares the storage.
double simulated(const Site& site, const Measured& m, int tasks_most) {
  const double recordings = site.bytes / site.recording_bytes;
  const auto tasks = static_cast<std::size_t>(std::min<double>(tasks_most, recordings));
  std::mt19937 random(1);
  std::lognormal_distribution<double> scatter(0, 0.05);
  std::vector<double> work(tasks);  // Seconds on a node without others.
  for (double& w : work)
    w = recordings / static_cast<double>(tasks) * (site.recording_bytes / m.bytes_s + m.each_s) / site.cores *
        scatter(random);
  const double node_rate =
      site.bytes / static_cast<double>(tasks) /
      (recordings / static_cast<double>(tasks) * (site.recording_bytes / m.bytes_s + m.each_s) / site.cores);
  struct Node {
    double start, work;  // Seconds left until it reads, and of reading by itself.
  };
  std::vector<Node> busy;
  std::size_t next = 0;
  double now = 0;
  const auto fill = [&] {
    while (busy.size() < static_cast<std::size_t>(site.nodes) && next < work.size())
      busy.push_back({m.task_s, work[next++]});
  };
  for (fill(); !busy.empty(); fill()) {
    const auto reading = std::count_if(busy.begin(), busy.end(), [](const Node& n) { return n.start <= 0; });
    const double speed =
        std::min(1.0, site.storage_bytes_s / (node_rate * std::max<double>(1, static_cast<double>(reading))));
    double step = 1e300;
    for (const Node& n : busy) step = std::min(step, n.start > 0 ? n.start : n.work / speed);
    now += step;
    for (Node& n : busy) (n.start > 0 ? n.start : n.work) -= n.start > 0 ? step : step * speed;
    for (Node& n : busy)
      if (n.start < 1e-9) n.start = 0;
    std::erase_if(busy, [](const Node& n) { return n.start <= 0 && n.work < 1e-9; });
  }
  return now + recordings * m.gather_s;
}

void measure(Measured& m, int recordings, std::size_t kept, bool scheduler) {
  const BenchFolder folder;
  const std::string in = "cd '" + folder.path + "' && exec " + program + " ";
  fs::create_directories(folder.path + "/in");
  for (int i = 0; i < recordings; ++i)
    write_floats(folder.path + "/in/r" + std::to_string(i) + ".f32", 1'250'000, static_cast<unsigned>(i));
  const std::string options = " --binary f32le:1ch --rate 10kHz --quiet --figure none ";
  const double alone = without_batch(folder.path, recordings);
  const TimedRun batch = timed_run("sh -c \"" + in + "batch spectrum in --out out" + options + "\"", 3600);
  const double each = batch.seconds / recordings;
  std::printf(
      "batch of %d recordings of 5 MB: %.2f ms each, %.2f ms without batch; ratio %.3f (goal 0.9); %.0f MB\n",
      recordings, 1e3 * each, 1e3 * alone, alone / each, batch.megabytes);
  const TimedRun again = timed_run("sh -c \"" + in + "batch spectrum in --out out" + options + "\"", 3600);
  std::printf("the same, all kept: %.3f ms each, %.0f MB\n", 1e3 * again.seconds / recordings,
              again.megabytes);
  for (const auto& entry : fs::directory_iterator(folder.path)) fs::remove_all(entry.path());

  write_floats(folder.path + "/small.f32", 1000, 1);
  write_floats(folder.path + "/large.f32", 200'000'000, 1);
  const auto one = [&](const char* file) {
    double best = 1e9;
    for (int i = 0; i < 3; ++i)
      best = std::min(
          best,
          timed_run("sh -c \"" + in + "spectrum " + file + " --threads 1 --json" + options + "\"").seconds);
    return best;
  };
  m.each_s = one("small.f32");
  m.bytes_s = 8e8 / (one("large.f32") - m.each_s);
  std::printf("a recording of no length: %.1f ms; one process on one core reads %.0f MB/s\n", 1e3 * m.each_s,
              m.bytes_s / 1e6);
  fs::remove(folder.path + "/large.f32");

  for (const std::size_t results : {std::size_t{10}, std::size_t{1000}, kept}) {
    fs::remove_all(folder.path + "/kept");
    make_kept(folder.path, results);
    const TimedRun run = timed_run("sh -c \"" + in + "batch --gather --out kept --quiet\"", 3600);
    std::printf("gather %zu kept results: %.2f s, %.0f MB, status %d\n", results, run.seconds, run.megabytes,
                run.status);
    if (results >= 1000) m.gather_s = run.seconds / static_cast<double>(results);
  }
  if (scheduler) {
    m.task_s = task_cost(40);
    std::printf("a task of the scheduler on this machine: %.2f s\n", m.task_s);
  }
}

void show_model(const Measured& m, double storage) {
  std::printf(
      "\nrecordings of 500 MB, nodes of 16 cores, storage of %.0f GB/s, 200 tasks at most (1,000 in "
      "brackets)\n",
      storage / 1e9);
  std::printf("%8s %7s %22s %22s  %s\n", "bytes", "nodes", "hours by formula", "hours simulated",
              "limited by");
  for (const double bytes : {1e12, 1e14, 1e15})
    for (const int nodes : {1, 10, 100, 1000}) {
      const Site site{bytes, 5e8, nodes, 16, storage};
      const double table = bytes / 5e8 * m.gather_s, all = formula(site, m, 200);
      const double read = bytes / storage;
      std::printf("%6.0f TB %7d %10.3f (%8.3f) %10.3f (%8.3f)  %s\n", bytes / 1e12, nodes, all / 3600,
                  formula(site, m, 1000) / 3600, simulated(site, m, 200) / 3600,
                  simulated(site, m, 1000) / 3600,
                  read > 0.5 * all    ? "storage"
                  : table > 0.5 * all ? "the table"
                  : nodes > 200       ? "the number of tasks"
                                      : "cores");
    }
}

}  // namespace

int main(int count, char** words) {
  std::setvbuf(stdout, nullptr, _IOLBF, 0);
  int recordings = 2000;
  std::size_t kept = 100'000;
  double storage = 10e9;
  bool scheduler = true, measured = false;
  Measured m;
  for (int i = 1; i < count; ++i) {
    const auto next = [&] { return i + 1 < count ? std::atof(words[++i]) : 0; };
    if (std::strcmp(words[i], "--recordings") == 0) recordings = static_cast<int>(next());
    if (std::strcmp(words[i], "--kept") == 0) kept = static_cast<std::size_t>(next());
    if (std::strcmp(words[i], "--storage") == 0) storage = 1e9 * next();
    if (std::strcmp(words[i], "--no-scheduler") == 0) scheduler = false;
    if (std::strcmp(words[i], "--measured") == 0) {
      measured = true;
      m.each_s = next(), m.bytes_s = next(), m.gather_s = next(), m.task_s = next();
    }
  }
  if (!measured) measure(m, recordings, kept, scheduler);
  show_model(m, storage);
  return 0;
}
