// batch.cpp: one command or case over many recordings. Each file's results are kept in a folder of its own
// under a digest of all they were made from (kept_run.h): a run that was stopped goes on where it stopped,
// and a file that has changed is done again.
#include "runner/batch/batch.h"

#include <fmt/format.h>
#include <glob.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <mutex>
#include <unordered_set>

#include "base/machine/cores.h"
#include "base/text.h"
#include "render/figure_style.h"
#include "runner/case_file.h"
#include "runner/case_run.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

/// What a pattern, a folder or a name stands for.
void expand(const std::string& named, std::vector<std::string>& files) {
  std::error_code code;
  std::vector<std::string> found;
  if (fs::is_directory(named, code)) {
    for (const auto& entry : fs::directory_iterator(named, code))
      if (entry.is_regular_file(code) && entry.path().filename().string().front() != '.')
        found.push_back(entry.path().string());
    if (found.empty()) throw Error(Status::input, named + ": no files in this folder");
  } else if (!fs::exists(named, code) && named.find_first_of("*?[") != std::string::npos) {
    glob_t list{};
    if (::glob(named.c_str(), 0, nullptr, &list) == 0)
      for (std::size_t i = 0; i < list.gl_pathc; ++i) found.emplace_back(list.gl_pathv[i]);
    ::globfree(&list);
    if (found.empty()) throw Error(Status::input, named + ": no file fits this pattern");
  } else {
    found.push_back(named);  // A file that is not there is reported with the others.
  }
  std::sort(found.begin(), found.end());
  files.insert(files.end(), found.begin(), found.end());
}

const std::vector<std::string> digests = {"full", "quick"};

}  // namespace

std::vector<OptionGroup> BatchTask::options() {
  std::vector<Option> cluster = cluster_options(cluster_);
  cluster.push_back(count_option("tasks", "tasks at most (default: 200)", 1, 1000, tasks_));
  cluster.push_back({"share", "N", "what task N of the array runs; no inputs", false,
                     [this](const std::string& t) {
                       std::size_t number = 0;
                       count_option("share", "", 0, 999, number).set(t);
                       share_ = number;
                     },
                     [this] { return share_ ? Json(*share_) : Json(nullptr); }});
  cluster.push_back(switch_option("gather", "what the job behind the array runs; no inputs", gather_));
  return {
      {"Batch",
       {text_option("list", "FILE", "a text file with further inputs, one a line", list_),
        {"trend", "KEY,...",
         "figures to list and draw over the files, by their keys in the document, such as "
         "rms_total,peaks.0.frequency_hz (default: those shown of each channel)",
         false,
         [this](const std::string& t) {
           keys_ = split(t, ',');
           for (std::string& key : keys_) key = std::string(trimmed(key));
         },
         [this] { return Json(keys_); }},
        text_option("variable", "NAME", "variable of the case that stands for the file (default: file)",
                    variable_),
        switch_option("fresh", "do all files again, though nothing has changed", fresh_),
        {"digest", "full|quick",
         "how a recording that was done before is known again: by all its bytes, or if large by size, time "
         "of "
         "change and sampled blocks (default: full; on a cluster quick)",
         false, [this](const std::string& t) { digest_ = digests[choice("digest", t, digests)]; },
         [this] { return digest_.empty() ? Json(nullptr) : Json(digest_); }}}},
      {"On a cluster", std::move(cluster)},
      output_group(output_)};
}

std::vector<OptionGroup> BatchTask::options_for(const std::vector<std::string>& arguments) {
  std::vector<OptionGroup> all = options();
  for (const std::string& word : arguments) {
    const CommandEntry* const entry = command_named(word);
    if (entry == nullptr || runs_others(word) || *entry->inputs == '\0') continue;
    inner_ = entry->make();
    for (OptionGroup& group : inner_->options()) {
      OptionGroup taken{"Of " + word + ": " + group.title, {}};
      for (Option& option : group.options) {
        if (given_by_runner(option.name)) continue;
        const bool file = option.value.find("FILE") != std::string::npos;
        option.set = [this, set = option.set, name = option.name, file,
                      is_switch = option.value.empty()](const std::string& t) {
          set(t);
          given_.push_back("--" + name + (is_switch ? "" : "=" + t));
          if (file) files_named_.push_back(t);
        };
        taken.options.push_back(std::move(option));
      }
      if (!taken.options.empty()) all.insert(all.end() - 1, std::move(taken));
    }
    break;
  }
  return all;
}

Status BatchTask::run(const std::vector<std::string>& arguments, const Json& settings) {
  if (cluster_.resume || gather_ || share_) {
    const bool more = !list_.empty() || !keys_.empty() || !given_.empty() || !digest_.empty() || fresh_ ||
                      tasks_ != usual_tasks || !cluster_.scheduler.empty() || !cluster_.options.empty();
    if (!arguments.empty() || more || cluster_.resume + gather_ + share_.has_value() > 1)
      throw Error(Status::usage, "batch: --resume, --share and --gather stand alone, with --out");
    return cluster_.resume ? follow_jobs(SpreadFolder(output_.folder), output_, "batch")
           : gather_       ? gather()
                           : run_share();
  }
  check_cluster(cluster_, output_);
  if (cluster_.scheduler.empty() && tasks_ != usual_tasks)
    throw Error(Status::usage, "--tasks is for a run on a cluster; add --on slurm");
  const BatchWork work = work_of(arguments);
  if (!cluster_.scheduler.empty() && !figure_style().name.empty())
    throw Error(Status::usage, "batch: --style is not known to the nodes that draw; leave it out with --on");
  if (!cluster_.scheduler.empty()) return spread(work, settings);
  return report(work, run_all(work), settings);
}

BatchWork BatchTask::work_of(const std::vector<std::string>& arguments) const {
  BatchWork work;
  work.what = arguments.front();
  work.is_case = fs::path(work.what).extension() == ".toml";
  if (!work.is_case) check_command(work.what);
  for (std::size_t i = 1; i < arguments.size(); ++i) expand(arguments[i], work.files);
  if (!list_.empty()) read_list(work.files);
  if (work.files.empty())
    throw Error(Status::usage, "batch: no inputs; name files, a folder or a quoted pattern, or --list");
  // Each once, where it was first named.
  std::unordered_set<std::string> seen;
  std::erase_if(work.files, [&](const std::string& file) { return !seen.insert(file).second; });
  work.name_recordings();
  work.options = given_;
  work.files_named = files_named_;
  work.variable = variable_;
  work.figure = output_.figure;
  work.fresh = fresh_;
  work.quick = digest_.empty() ? !cluster_.scheduler.empty() : digest_ == "quick";
  return work;
}

void BatchTask::check_command(const std::string& what) {
  std::vector<std::string> known;
  for (const CommandEntry& row : command_table())
    if (!runs_others(row.name) && *row.inputs != '\0' && row.name != std::string("generate"))
      known.emplace_back(row.name);
  if (std::find(known.begin(), known.end(), what) == known.end())
    throw Error(Status::usage, unknown_name("command", what, known) + "; or name a case file, CASE.toml");
}

void BatchTask::read_list(std::vector<std::string>& files) const {
  std::ifstream in(list_);
  if (!in) throw Error(Status::input, list_ + ": can't be read; check the name");
  for (std::string line; std::getline(in, line);)
    if (const std::string name(trimmed(line)); !name.empty() && name.front() != '#') expand(name, files);
}

std::vector<BatchRow> BatchTask::run_all(const BatchWork& work) {
  const KeptFolder folder(kept_in(output_.folder));
  DigestBook book(folder.path() / "digests.json", work.quick);
  const KeptPlace place = work.place(folder, threads_each(output_.threads, work.files.size()));
  std::vector<BatchRow> rows(work.files.size());
  Console console(output_);
  const Progress bar = console.progress("batch " + fs::path(work.what).filename().string());
  std::mutex lock;
  std::size_t done = 0;
  run_side_by_side(
      rows.size(), output_.threads > 0 ? output_.threads : usable_cores(), [](std::size_t) { return true; },
      [&](std::size_t i) {
        const KeptResult kept = work.run(i, place, book);
        rows[i] = {work.files[i], work.names[i], kept.status, kept.said, kept.reused};
        const std::lock_guard guard(lock);
        ++done;
        if (!rows[i].done()) console.caution({"file-skipped", Severity::serious, "", rows[i].failure(), ""});
        if (bar) bar(static_cast<std::int64_t>(done), static_cast<std::int64_t>(rows.size()));
      });
  book.save();
  return rows;
}

std::unique_ptr<Task> make_batch_task() { return std::make_unique<BatchTask>(); }

}  // namespace vprism
