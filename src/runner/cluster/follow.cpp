// follow.cpp: see follow.h.
#include "runner/cluster/follow.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <thread>

#include "base/machine/host.h"
#include "base/text.h"
#include "formats/files/output_folder.h"
#include "frame/console.h"
#include "frame/process.h"
#include "frame/shell_word.h"
#include "runner/cluster/scheduler.h"
#include "runner/kept/child.h"

namespace vprism {

namespace fs = std::filesystem;

std::vector<Option> cluster_options(ClusterSettings& settings) {
  static const std::vector<std::string> known = {"slurm"};
  return {
      {"on", "slurm", "run as jobs of this scheduler, with one more that makes the table", false,
       [&settings](const std::string& t) { settings.scheduler = known[choice("scheduler", t, known)]; },
       [&settings] { return settings.scheduler.empty() ? Json(nullptr) : Json(settings.scheduler); }},
      {"sbatch", "OPTIONS", "options handed to the scheduler, such as '--time=1:00:00 --partition=night'",
       true,
       [&settings](const std::string& t) {
         for (std::string& word : option_words(t)) settings.options.push_back(std::move(word));
       },
       [&settings] { return Json(settings.options); }},
      switch_option("resume", "join a run on a cluster that --out names again; no inputs", settings.resume)};
}

void check_cluster(const ClusterSettings& settings, const OutputSettings& output) {
  if (!settings.scheduler.empty() && output.to_stdout)
    throw Error(Status::usage, "--on slurm: --out must be a folder that all nodes see");
  if (settings.scheduler.empty() && !settings.options.empty())
    throw Error(Status::usage, "--sbatch is for a run on a cluster; add --on slurm");
}

std::string job_command(const std::vector<std::string>& words) {
  std::string out = "VPRISM_NO_SETTINGS=1 " + shell_word(own_program());
  for (const std::string& word : words) out += " " + shell_word(word);
  return out;
}

std::string gather_command(const std::vector<std::string>& words, const SpreadFolder& folder) {
  const std::string status = shell_word(folder.status().string());
  return job_command(words) + " >" + shell_word(folder.table().string()) + " 2>" +
         shell_word(folder.said().string()) +
         fmt::format("; status=$?; [ $status = {} ] || {{ echo $status >{}.part && mv {}.part {}; }}",
                     tries_again, status, status, status);
}

std::string this_node() {
  if (const char* const name = std::getenv("SLURMD_NODENAME")) return name;
  return host_name();
}

void refuse_at_work(const SpreadFolder& folder, const std::string& out) {
  std::error_code code;
  if (!fs::exists(folder.path() / "plan.json", code) || fs::exists(folder.status(), code)) return;
  for (const auto& [what, job] : folder.plan().at("jobs").items())
    for (const JobState& state : job_states(job.get<std::string>()))
      if (!state.ended())
        throw Error(Status::usage,
                    "job " + job.get<std::string>() + " is at work on " + out +
                        "; join it with --resume, end it with scancel, or choose another --out");
}

Status follow_jobs(const SpreadFolder& folder, const OutputSettings& output, const std::string& what) {
  Json plan = folder.plan();
  const std::size_t all = plan.at("work").at("files").size(), shares = plan.at("shares").size();
  Console console(output);
  const Progress bar = console.progress(what + " on slurm");
  std::error_code code;
  int gone = 0;
  using namespace std::chrono_literals;
  for (std::chrono::milliseconds pause = 250ms; !fs::exists(folder.status(), code);
       pause = std::min<std::chrono::milliseconds>(2s, pause * 2)) {
    std::this_thread::sleep_for(pause);
    plan = folder.plan();
    const std::string job = plan.at("jobs").value("gather", "");
    const std::vector<JobState> states = job_states(job);
    const bool ended = std::all_of(states.begin(), states.end(), [](const JobState& s) { return s.ended(); });
    // Storage that is shared may show the last file a while later.
    gone = ended ? gone + 1 : 0;
    if (gone > 5 && !fs::exists(folder.status(), code))
      throw Error(Status::analysis, what + ": job " + job + " made no table: " +
                                        (states.empty() ? JobState{} : states.front()).why() +
                                        "; its log: " + (folder.path() / "gather.log").string() +
                                        "; run the same line again: what is done is kept");
    if (!bar) continue;
    std::size_t done = 0;
    for (std::size_t task = 0; task < shares; ++task)
      for (const Outcome& outcome : folder.outcomes(task)) done += outcome.ended;
    bar(static_cast<std::int64_t>(done), static_cast<std::int64_t>(all));
  }
  console.clear();
  const std::string said = read_whole_file(folder.said());
  std::fwrite(said.data(), 1, said.size(), stderr);
  say(read_whole_file(folder.table()));
  const std::string status(trimmed(read_whole_file(folder.status())));
  return status.size() == 1 && status[0] >= '0' && status[0] <= '5' ? static_cast<Status>(status[0] - '0')
                                                                    : Status::analysis;
}

}  // namespace vprism
