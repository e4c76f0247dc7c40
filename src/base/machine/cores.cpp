// cores.cpp: see cores.h.
#include "base/machine/cores.h"

#include <sched.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <fstream>
#include <sstream>
#include <thread>

#include "base/machine/threads.h"
#include "base/text.h"

namespace vprism {

namespace {

/// "max 100000" or "150000 100000": the quotient, nothing for "max".
std::optional<double> share_in(const std::string& file) {
  std::ifstream in(file);
  std::string quota;
  double period = 0;
  if (!(in >> quota >> period) || quota == "max" || !(period > 0)) return {};
  const double time = std::strtod(quota.c_str(), nullptr);
  return time > 0 ? std::optional(time / period) : std::nullopt;
}

/// Version 1 keeps the two numbers apart; -1 is no limit.
std::optional<double> share_in_two(const std::string& folder) {
  std::ifstream quota(folder + "/cpu.cfs_quota_us"), period(folder + "/cpu.cfs_period_us");
  double time = 0, of = 0;
  if (!(quota >> time) || !(period >> of) || !(time > 0) || !(of > 0)) return {};
  return time / of;
}

void lower(std::optional<double>& least, std::optional<double> value) {
  if (value) least = std::min(least.value_or(*value), *value);
}

}  // namespace

std::optional<double> control_group_cores(const std::string& root) {
  std::optional<double> least;
  std::ifstream groups(root + "/proc/self/cgroup");
  for (std::string line; std::getline(groups, line);) {
    const std::vector<std::string> parts = split(line, ':');
    if (parts.size() < 3) continue;
    std::string path = line.substr(parts[0].size() + parts[1].size() + 2);
    const bool second = parts[1].empty();
    const std::vector<std::string> controllers = split(parts[1], ',');
    if (!second && std::find(controllers.begin(), controllers.end(), "cpu") == controllers.end()) continue;
    if (path.find("..") != std::string::npos) continue;
    // Its own, and those above: each may be the narrowest.
    for (;;) {
      while (!path.empty() && path.back() == '/') path.pop_back();
      if (second) {
        for (const char* mount : {"/sys/fs/cgroup", "/sys/fs/cgroup/unified"})
          lower(least, share_in(root + mount + path + "/cpu.max"));
      } else {
        for (const std::string& mount : {parts[1], std::string("cpu")})
          lower(least, share_in_two(root + "/sys/fs/cgroup/" + mount + path));
      }
      if (path.empty()) break;
      path.resize(path.find_last_of('/'));
    }
  }
  return least;
}

std::optional<std::size_t> scheduler_cores() {
  const char* const job = std::getenv("SLURM_JOB_ID");
  const char* const given = std::getenv("SLURM_CPUS_ON_NODE");
  if (job == nullptr || given == nullptr) return {};
  char* end = nullptr;
  const unsigned long cores = std::strtoul(given, &end, 10);
  if (end == given || *end != '\0' || cores == 0 || *given == '-') return {};
  return cores;
}

std::size_t usable_cores() {
  std::size_t cores = std::max(1u, std::thread::hardware_concurrency());
  cpu_set_t allowed;
  CPU_ZERO(&allowed);
  if (::sched_getaffinity(0, sizeof allowed, &allowed) == 0 && CPU_COUNT(&allowed) > 0)
    cores = std::min(cores, static_cast<std::size_t>(CPU_COUNT(&allowed)));
  if (const auto share = control_group_cores(); share && *share < static_cast<double>(cores))
    cores = std::max<std::size_t>(1, static_cast<std::size_t>(std::ceil(*share - 1e-6)));
  // A scheduler that does not bind its jobs says what it gave them.
  if (const auto given = scheduler_cores()) cores = std::min(cores, *given);
  // Threads may be fewer than cores.
  static const std::size_t threads = startable_threads(cores);
  return std::min(cores, threads);
}

}  // namespace vprism
