// case_cluster.cpp: see case_cluster.h.
#include "runner/case_cluster.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/machine/cores.h"
#include "formats/files/output_folder.h"
#include "frame/shell_word.h"
#include "render/figure_style.h"
#include "runner/cluster/scheduler.h"

namespace vprism {

namespace fs = std::filesystem;

KeptPlace case_place(const Case& value, const CaseTaskSettings& settings, const KeptFolder& folder) {
  return {folder.path(),
          folder.unfinished(),
          value.folder,
          settings.fresh,
          value.report.picture,
          settings.output.figure.has_value(),
          threads_each(settings.output.threads, settings.step.empty() ? value.steps.size() : 1)};
}

void write_line_up(const Case& value, const KeptFolder& folder) {
  if (value.line_up.empty()) return;
  OutputFolder line_up(folder.path().string(), true);
  line_up.add("suspects.toml", value.line_up, "the case's suspects");
  line_up.commit();
}

Status run_one_step(const Case& value, const CaseTaskSettings& settings) {
  std::vector<std::string> names;
  for (const CaseStep& step : value.steps) names.push_back(step.name);
  if (std::find(names.begin(), names.end(), folder_name(settings.step)) == names.end())
    throw Error(Status::usage, "--step: " + unknown_name("step", settings.step, names));
  const KeptFolder folder(fs::path(settings.output.folder) / "steps");
  write_line_up(value, folder);
  DigestBook digests("");
  const SpreadFolder cluster(settings.output.folder);
  const auto steps = run_steps(value, {settings.step}, case_place(value, settings, folder), digests, 1, {});
  for (std::size_t i = 0; i < steps.size(); ++i) {
    if (!steps[i].asked_for || steps[i].step->name != folder_name(settings.step)) continue;
    const KeptResult& kept = steps[i].kept;
    cluster.note(i, {i, true, kept.reused, kept.status, kept.said, this_node()});
    fmt::print("step {} on {}: {}\n", steps[i].step->name, this_node(), kept.done() ? "done" : kept.said);
  }
  return Status::done;
}

void know_who_ran(const SpreadFolder& folder, std::vector<StepResult>& steps) {
  for (std::size_t i = 0; i < steps.size(); ++i)
    for (const Outcome& outcome : folder.outcomes(i))
      if (outcome.ended && outcome.status <= 1 && !outcome.reused) steps[i].kept.reused = false;
}

Status spread_case(const std::string& path, const Case& value, const CaseTaskSettings& settings) {
  const KeptFolder kept(fs::path(settings.output.folder) / "steps");
  const SpreadFolder folder(settings.output.folder);
  refuse_at_work(folder, settings.output.folder);
  Json names = Json::array(), shares = Json::array();
  for (std::size_t i = 0; i < value.steps.size(); ++i) {
    names.push_back(value.steps[i].name);
    shares.push_back({i});
  }
  Json plan = {{"format", 1}, {"work", {{"files", names}}}, {"shares", shares}, {"jobs", {{"gather", ""}}}};
  folder.write_plan(plan);
  folder.clear();
  std::vector<std::string> words = {"case", path, "--out=" + settings.output.folder};
  for (const auto& [name, text] : settings.variables) words.push_back("--set=" + name + "=" + text);
  if (!settings.output.figure) words.emplace_back("--figure=none");
  if (!figure_style().name.empty()) words.push_back("--style=" + figure_style().name);
  if (settings.output.threads > 0) words.push_back("--threads=" + std::to_string(settings.output.threads));
  const std::string working = fs::current_path().string();
  std::map<std::string, std::string> job_of;
  std::vector<std::string> all;
  try {
    for (std::size_t i = 0; i < value.steps.size(); ++i) {
      const CaseStep& step = value.steps[i];
      JobRequest request{"vprism-" + step.name,   "", {}, {}, working, fs::absolute(folder.log(i)).string(),
                         settings.cluster.options};
      std::vector<std::string> own = words;
      own.push_back("--step=" + step.name);
      if (settings.fresh) own.emplace_back("--fresh");
      request.command = job_command(own);
      for (const std::string& name : step.after) request.after.push_back(job_of.at(name));
      all.push_back(job_of[step.name] = submit_job(request));
    }
    words.emplace_back("--gather");
    if (settings.output.json) words.emplace_back("--json");
    if (settings.output.quiet) words.emplace_back("--quiet");
    if (settings.output.force) words.emplace_back("--force");
    plan["jobs"]["gather"] = submit_job({"vprism-gather",
                                         gather_command(words, folder),
                                         {},
                                         all,
                                         working,
                                         fs::absolute(folder.path() / "gather.log").string(),
                                         settings.cluster.options});
  } catch (const Error&) {
    for (const std::string& job : all) cancel_job(job);
    std::error_code code;
    fs::remove_all(folder.path(), code);
    throw;
  }
  folder.write_plan(plan);
  if (!settings.output.quiet)
    fmt::print(
        stderr,
        "{} steps, and the report as job {}. This terminal may be closed; to come back: vprism case --resume "
        "--out {}\n",
        all.size(), plan["jobs"]["gather"].get<std::string>(), shell_word(settings.output.folder));
  return follow_jobs(folder, settings.output, "case");
}

}  // namespace vprism
