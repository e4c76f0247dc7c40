// batch_cluster.cpp: a batch on a cluster. The plan, what each task has done, and the table lie in one folder
// within the outputs; every part of the run begins by reading it, so that any of them may be lost.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <mutex>

#include "base/machine/cores.h"
#include "frame/shell_word.h"
#include "runner/batch/batch.h"
#include "runner/case_run.h"
#include "runner/cluster/follow.h"
#include "runner/cluster/scheduler.h"
#include "runner/cluster/spread.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

using Shares = std::vector<std::vector<std::size_t>>;

/// Both jobs of a try: the array and what gathers.
struct Jobs {
  std::string tasks, gather;
};

Jobs jobs_of(const Json& plan) {
  return {plan.at("jobs").value("tasks", ""), plan.at("jobs").value("gather", "")};
}

/// Submits the array of these tasks, and the job behind it.
Jobs submit(const Json& plan, const SpreadFolder& folder, const std::vector<std::size_t>& tasks) {
  const std::string working = plan.at("working").get<std::string>(),
                    out = "--out=" + plan.at("out").get<std::string>();
  const auto options = plan.at("scheduler_options").get<std::vector<std::string>>();
  Jobs jobs;
  jobs.tasks = submit_job({"vprism-batch",
                           job_command({"batch", out}) + " --share=\"$SLURM_ARRAY_TASK_ID\"",
                           tasks,
                           {},
                           working,
                           fs::absolute(folder.path() / "task-%a.log").string(),
                           options});
  std::vector<std::string> words = {"batch", "--gather", out};
  for (const Json& flag : plan.at("flags")) words.push_back(flag.get<std::string>());
  try {
    jobs.gather = submit_job({"vprism-gather",
                              gather_command(words, folder),
                              {},
                              {jobs.tasks},
                              working,
                              fs::absolute(folder.path() / "gather.log").string(),
                              options});
  } catch (const Error&) {
    cancel_job(jobs.tasks);
    throw;
  }
  return jobs;
}

}  // namespace

Status BatchTask::spread(const BatchWork& work, const Json& settings) {
  const KeptFolder kept(kept_in(output_.folder));
  const SpreadFolder folder(output_.folder);
  std::error_code code;
  refuse_at_work(folder, output_.folder);
  std::vector<std::uint64_t> bytes;
  for (const std::string& file : work.files) bytes.push_back(bytes_of(file));
  const Shares shares = even_shares(bytes, tasks_);
  std::vector<std::string> flags;
  if (output_.json) flags.emplace_back("--json");
  if (output_.quiet) flags.emplace_back("--quiet");
  Json plan = {{"format", 1},
               {"work", work.json()},
               {"keys", keys_},
               {"settings", settings},
               {"shares", shares},
               {"working", fs::current_path().string()},
               {"out", output_.folder},
               {"flags", flags},
               {"scheduler_options", cluster_.options},
               {"threads", output_.threads},
               {"tries", 1},
               {"jobs", {{"tasks", ""}, {"gather", ""}}}};
  folder.write_plan(plan);
  folder.clear();
  std::vector<std::size_t> all(shares.size());
  for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
  Jobs jobs;
  try {
    jobs = submit(plan, folder, all);
  } catch (const Error&) {
    fs::remove_all(folder.path(), code);
    throw;
  }
  plan["jobs"] = {{"tasks", jobs.tasks}, {"gather", jobs.gather}};
  folder.write_plan(plan);
  if (!output_.quiet)
    fmt::print(stderr,
               "{} recordings in {} tasks, as jobs {} and {}. This terminal may be closed; to come back: "
               "vprism batch "
               "--resume --out {}\n",
               work.files.size(), shares.size(), jobs.tasks, jobs.gather, shell_word(output_.folder));
  return follow_jobs(folder, output_, "batch");
}

Status BatchTask::run_share() {
  const SpreadFolder folder(output_.folder);
  const Json plan = folder.plan();
  const BatchWork work = BatchWork::from_json(plan.at("work"));
  const auto shares = plan.at("shares").get<Shares>();
  const std::size_t task = *share_;
  if (task >= shares.size())
    throw Error(Status::usage,
                fmt::format("--share {}: the plan has {} shares, from 0", task, shares.size()));
  // What an earlier try did is done; what it was at when it ended comes last, lest it end this one as well.
  std::vector<std::size_t> files = shares[task];
  std::map<std::size_t, bool> before;
  for (const Outcome& outcome : folder.outcomes(task)) before[outcome.file] = outcome.ended;
  std::erase_if(files, [&](std::size_t file) { return before.contains(file) && before[file]; });
  std::stable_partition(files.begin(), files.end(), [&](std::size_t file) { return !before.contains(file); });
  const KeptFolder kept(kept_in(output_.folder));
  DigestBook book("", work.quick);
  const std::size_t asked = plan.value("threads", std::size_t{0});
  const KeptPlace place = work.place(kept, threads_each(asked, files.size()));
  const std::string node = this_node();
  run_side_by_side(
      files.size(), asked > 0 ? asked : usable_cores(), [](std::size_t) { return true; },
      [&](std::size_t i) {
        folder.note(task, {files[i], false, false, 0, "", node});
        const KeptResult result = work.run(files[i], place, book);
        folder.note(task, {files[i], true, result.reused, result.status, result.said, node});
        if (!result.done()) fmt::print("{}: {}\n", work.files[files[i]], result.said);
      });
  fmt::print("{} of {} recordings of share {} on {}\n", files.size(), shares[task].size(), task, node);
  return Status::done;
}

Status BatchTask::gather() {
  const SpreadFolder folder(output_.folder);
  Json plan = folder.plan();
  const BatchWork work = BatchWork::from_json(plan.at("work"));
  const auto shares = plan.at("shares").get<Shares>();
  plan.at("keys").get_to(keys_);
  const Json settings = plan.at("settings");
  output_.figure = work.figure;
  std::vector<BatchRow> rows(work.files.size());
  std::vector<std::size_t> open;
  std::map<std::size_t, std::string> node_of;
  for (std::size_t task = 0; task < shares.size(); ++task) {
    std::size_t ended = 0;
    for (const Outcome& outcome : folder.outcomes(task)) {
      if (outcome.file >= rows.size()) continue;
      node_of[task] = outcome.node;
      if (!outcome.ended) continue;
      rows[outcome.file] = {work.files[outcome.file], work.names[outcome.file], outcome.status, outcome.said,
                            outcome.reused};
      ++ended;
    }
    if (ended < shares[task].size()) open.push_back(task);
  }
  std::map<std::string, JobState> states;
  if (!open.empty())
    for (const JobState& state : job_states(jobs_of(plan).tasks)) states[state.task] = state;
  const auto account = [&](std::size_t task) {
    JobState state;
    if (const auto found = states.find(std::to_string(task)); found != states.end()) state = found->second;
    const std::string node = !state.node.empty() ? state.node : node_of[task];
    return fmt::format("task {}{}: {}; its log: {}", task, node.empty() ? "" : " on " + node, state.why(),
                       folder.log(task).string());
  };
  if (!open.empty() && plan.value("tries", 1) < 2) {
    // Once more, and this job's place is taken by one behind that.
    Json again = Json::array();
    for (const std::size_t task : open) again.push_back(account(task));
    plan["tries"] = 2;
    plan["again"] = std::move(again);
    const Jobs jobs = submit(plan, folder, open);
    plan["jobs"] = {{"tasks", jobs.tasks}, {"gather", jobs.gather}};
    folder.write_plan(plan);
    return static_cast<Status>(tries_again);
  }
  for (const std::size_t task : open)
    for (const std::size_t file : shares[task])
      if (rows[file].file.empty())
        rows[file] = {work.files[file], work.names[file], static_cast<int>(Status::analysis), account(task),
                      false};
  Console console(output_);
  if (plan.contains("again"))
    for (const Json& line : plan["again"])
      console.caution(
          {"task-again", Severity::note, "", "a task was run twice: " + line.get<std::string>(), ""});
  for (const BatchRow& row : rows)
    if (!row.done()) console.caution({"file-skipped", Severity::serious, "", row.failure(), ""});
  Json().swap(plan);  // May be large.
  return report(work, rows, settings);
}

}  // namespace vprism
