// scheduler.h: jobs handed to a cluster's batch scheduler (Slurm, by its own commands).
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace vprism {

struct JobRequest {
  std::string name;
  std::string command;               ///< For a shell. In an array $SLURM_ARRAY_TASK_ID is the task's number.
  std::vector<std::size_t> tasks;    ///< Of an array; none: a single job.
  std::vector<std::string> after;    ///< Jobs that must have ended, however they ended.
  std::filesystem::path folder;      ///< Where it runs.
  std::string log;                   ///< A file; "%a" stands for the task's number.
  std::vector<std::string> options;  ///< Handed on as they are.
};

/// The job's number. Throws Error(output) where there is no scheduler, Error(usage) with its words where it
/// refuses.
std::string submit_job(const JobRequest& request);

/// What a scheduler knows of a job or of one task of an array.
struct JobState {
  std::string task;                 ///< Its number in the array; "" of a single job.
  std::string state, node, reason;  ///< As the scheduler writes them; "" where it no longer knows.
  bool ended() const;
  /// Why it ended, in words: "the time limit (TIMEOUT)".
  std::string why() const;
};

/// Of a job, and of each task of an array that the scheduler still knows.
std::vector<JobState> job_states(const std::string& job);

void cancel_job(const std::string& job);

/// Options as one would type them: parted at blanks, quotes kept together. Throws Error(usage) for a quote
/// without its end.
std::vector<std::string> option_words(const std::string& text);

}  // namespace vprism
