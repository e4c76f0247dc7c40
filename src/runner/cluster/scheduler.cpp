// scheduler.cpp: see scheduler.h. Only commands that every user of the scheduler has: sbatch, scontrol,
// scancel.
#include "runner/cluster/scheduler.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/error.h"
#include "base/text.h"
#include "runner/kept/child.h"

namespace vprism {

namespace {

/// The last line that says something, without the name of the command before it.
std::string last_words(const std::string& said) {
  std::string last;
  for (const std::string& line : split(said, '\n'))
    if (const auto words = trimmed(line); !words.empty()) last = words;
  for (const char* before : {"sbatch: ", "error: "})
    if (starts_with(last, before)) last.erase(0, std::string(before).size());
  return clean_text(last, 400);
}

/// The value behind "Key=" in a line of the scheduler's; it ends at a blank.
std::string value_of(const std::string& line, const std::string& key) {
  const std::string before = " " + key + "=";
  const std::size_t at = (" " + line).find(before);
  if (at == std::string::npos) return "";
  const std::size_t from = at + before.size() - 1;
  const std::string value = line.substr(from, line.find(' ', from) - from);
  return value == "(null)" || value == "None" ? "" : value;
}

}  // namespace

std::string submit_job(const JobRequest& request) {
  std::vector<std::string> words = {"--parsable",
                                    "--job-name=" + request.name,
                                    "--chdir=" + request.folder.string(),
                                    "--output=" + request.log,
                                    "--open-mode=append",
                                    "--requeue"};
  if (!request.tasks.empty()) {
    std::string list;
    for (std::size_t i = 0; i < request.tasks.size();) {
      std::size_t end = i;
      while (end + 1 < request.tasks.size() && request.tasks[end + 1] == request.tasks[end] + 1) ++end;
      list += (list.empty() ? "" : ",") + std::to_string(request.tasks[i]);
      if (end > i) list += "-" + std::to_string(request.tasks[end]);
      i = end + 1;
    }
    words.push_back("--array=" + list);
  }
  std::string after;
  for (const std::string& job : request.after) after += ":" + job;
  if (!after.empty()) words.push_back("--dependency=afterany" + after);
  words.insert(words.end(), request.options.begin(), request.options.end());
  words.push_back("--wrap=" + request.command);
  const OtherRun run = run_other("sbatch", words);
  if (run.status == not_found)
    throw Error(
        Status::output,
        "--on slurm: there is no sbatch on this machine; run where the site's scheduler is installed, or "
        "without --on");
  const std::string number(trimmed(run.out.substr(0, run.out.find(';'))));
  if (run.status != 0 || number.empty() || number.find_first_not_of("0123456789") != std::string::npos)
    throw Error(Status::usage,
                "--on slurm: the scheduler did not take the job: " + last_words(run.err + run.out));
  return number;
}

bool JobState::ended() const {
  static const std::vector<std::string> running = {"PENDING",   "RUNNING",  "COMPLETING", "CONFIGURING",
                                                   "SUSPENDED", "REQUEUED", "STOPPED",    "RESIZING"};
  return std::find(running.begin(), running.end(), state) == running.end();
}

std::string JobState::why() const {
  if (state.empty()) return "it ended, and the scheduler no longer knows why";
  static const std::vector<std::pair<const char*, const char*>> words = {
      {"TIMEOUT", "it ran into its time limit"},
      {"OUT_OF_MEMORY", "it needed more memory than it was given"},
      {"NODE_FAIL", "its node failed"},
      {"CANCELLED", "it was cancelled"},
      {"PREEMPTED", "another job took its place"},
      {"BOOT_FAIL", "its node did not start"},
      {"DEADLINE", "its deadline passed"},
      {"COMPLETED", "it ended before its share was done"}};
  for (const auto& [name, text] : words)
    if (state == name) return std::string(text) + " (" + state + ")";
  const std::vector<std::string> parts = split(reason, ':');
  if (parts.size() == 2 && parts[1] != "0") return "signal " + parts[1] + " ended it (" + state + ")";
  return "it ended with status " + (parts.empty() ? std::string("unknown") : parts[0]) + " (" + state + ")";
}

std::vector<JobState> job_states(const std::string& job) {
  std::vector<JobState> out;
  const OtherRun run = run_other("scontrol", {"show", "job", "--oneliner", job});
  if (run.status != 0) return out;
  for (const std::string& line : split(run.out, '\n')) {
    if (value_of(line, "JobId").empty()) continue;
    JobState found{value_of(line, "ArrayTaskId"), value_of(line, "JobState"), value_of(line, "NodeList"),
                   value_of(line, "ExitCode")};
    if (found.node.empty()) found.node = value_of(line, "BatchHost");
    out.push_back(std::move(found));
  }
  return out;
}

void cancel_job(const std::string& job) { run_other("scancel", {job}); }

std::vector<std::string> option_words(const std::string& text) {
  std::vector<std::string> out;
  std::string word;
  bool within = false;
  char quote = 0;
  for (const char c : text) {
    if (quote != 0) {
      if (c == quote)
        quote = 0;
      else
        word += c;
    } else if (c == '\'' || c == '"') {
      quote = c, within = true;
    } else if (c == ' ' || c == '\t' || c == '\n') {
      if (within) out.push_back(word);
      word.clear(), within = false;
    } else {
      word += c, within = true;
    }
  }
  if (quote != 0) throw Error(Status::usage, "a quote has no end in " + clean_text(text));
  if (within) out.push_back(word);
  return out;
}

}  // namespace vprism
