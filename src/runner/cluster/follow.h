// follow.h: a run on a cluster, from its jobs' command lines to the table in the terminal.
#pragma once

#include <string>
#include <vector>

#include "base/error.h"
#include "frame/option_groups.h"
#include "runner/cluster/spread.h"

namespace vprism {

/// What `--on` and its like ask for.
struct ClusterSettings {
  std::string scheduler;             ///< "" where the run stays here.
  std::vector<std::string> options;  ///< Handed to it.
  bool resume = false;
};
/// --on, --sbatch and --resume, for a command that can be spread.
std::vector<Option> cluster_options(ClusterSettings& settings);
/// Throws Error(usage) for options that do nothing here.
void check_cluster(const ClusterSettings& settings, const OutputSettings& output);

/// This program with these words, as a shell takes it, for a job.
std::string job_command(const std::vector<std::string>& words);
/// The same for the job that gathers: what it prints goes into the folder, its exit status last of all.
std::string gather_command(const std::vector<std::string>& words, const SpreadFolder& folder);
/// The exit status of a gathering job that began another try: it leaves none in the folder.
inline constexpr int tries_again = 75;

/// The node's name, as its scheduler knows it.
std::string this_node();

/// Throws Error(usage) where jobs of an earlier run from here have not ended.
void refuse_at_work(const SpreadFolder& folder, const std::string& out);
/// How far it is, and in the end what the gathering job printed, with its exit status. `what`: "batch".
Status follow_jobs(const SpreadFolder& folder, const OutputSettings& output, const std::string& what);

}  // namespace vprism
