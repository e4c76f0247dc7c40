// batch.cpp: one command or case over many recordings. Each file's results are kept in a folder of its own
// under a digest of all they were made from (kept_run.h): a run that was stopped goes on where it stopped,
// and a file that has changed is done again.
#include "runner/batch.h"

#include <fmt/format.h>
#include <glob.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <mutex>

#include "base/machine/cores.h"
#include "base/text.h"
#include "commands/shared/document_tables.h"
#include "formats/files/output_folder.h"
#include "frame/command.h"
#include "frame/console.h"
#include "render/report.h"
#include "runner/case_file.h"
#include "runner/case_run.h"
#include "runner/kept_run.h"

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
    found.push_back(named);  // A file that is not there is told with the others.
  }
  std::sort(found.begin(), found.end());
  for (const std::string& file : found)
    if (std::find(files.begin(), files.end(), file) == files.end()) files.push_back(file);
}

}  // namespace

std::vector<OptionGroup> BatchTask::options() {
  return {{"Batch",
           {text_option("list", "FILE", "a text file with further inputs, one a line", list_),
            {"trend", "KEY,...",
             "figures to list and draw over the files, by their keys in the document, such as "
             "rms_total,peaks.0.frequency_hz (default: those told of each channel)",
             false,
             [this](const std::string& t) {
               keys_ = split(t, ',');
               for (std::string& key : keys_) key = std::string(trimmed(key));
             },
             [this] { return Json(keys_); }},
            text_option("variable", "NAME", "variable of the case that stands for the file (default: file)",
                        variable_),
            switch_option("fresh", "do all files again, though nothing has changed", fresh_)}},
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
  const std::string& what = arguments.front();
  const bool is_case = fs::path(what).extension() == ".toml";
  if (!is_case) check_command(what);
  std::vector<std::string> files;
  for (std::size_t i = 1; i < arguments.size(); ++i) expand(arguments[i], files);
  if (!list_.empty()) read_list(files);
  if (files.empty())
    throw Error(Status::usage, "batch: no inputs; name files, a folder or a quoted pattern, or --list");
  std::vector<BatchRow> rows = run_all(what, is_case, files);
  return report(what, rows, settings);
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

std::vector<BatchRow> BatchTask::run_all(const std::string& what, bool is_case,
                                         const std::vector<std::string>& files) {
  const KeptFolder folder(fs::path(output_.folder) / "files");
  DigestBook digests(folder.path() / "digests.json");
  const KeptPlace place{folder.path(),
                        folder.unfinished(),
                        ".",
                        fresh_,
                        output_.figure.value_or(Picture::png) == Picture::svg ? Picture::svg : Picture::png,
                        output_.figure.has_value() && !is_case,
                        threads_each(output_.threads, files.size())};
  std::vector<BatchRow> rows;
  std::vector<std::string> taken;
  for (const std::string& file : files) {
    taken.push_back(folder_name(fs::path(file).filename().string(), taken));
    rows.push_back({file, taken.back(), {}});
  }
  Console console(output_);
  const Progress bar = console.progress("batch " + fs::path(what).filename().string());
  std::mutex lock;
  std::size_t done = 0;
  const std::size_t cores = output_.threads > 0 ? output_.threads : usable_cores();
  run_side_by_side(
      rows.size(), cores, [](std::size_t) { return true; },
      [&](std::size_t i) {
        BatchRow& row = rows[i];
        KeptRun run{row.folder, what, {row.file}, given_, files_named_, {}};
        if (is_case) {
          run.command = "case";
          run.inputs = {what};
          run.options = {"--set=" + variable_ + "=" + fs::absolute(row.file).string()};
          run.files = case_files(what, row.file);
        }
        row.kept = run_kept(run, place, digests);
        const std::lock_guard guard(lock);
        ++done;
        if (!row.kept.done()) console.caution({"file-skipped", Severity::serious, "", said(row), ""});
        if (bar) bar(static_cast<std::int64_t>(done), static_cast<std::int64_t>(rows.size()));
      });
  digests.save();
  return rows;
}

std::vector<std::string> BatchTask::case_files(const std::string& path, const std::string& recording) const {
  std::vector<std::string> files = {recording};
  const CaseRead read = read_case({path, {{variable_, fs::absolute(recording).string()}}, "."});
  for (const auto& [name, text] : read.value.texts) files.push_back(name);
  for (const CaseStep& step : read.value.steps)
    for (const auto* list : {&step.inputs, &step.files})
      for (const std::string& name : *list) files.push_back((read.value.folder / name).string());
  return files;
}

std::vector<std::string> BatchTask::usual_keys(const std::vector<BatchRow>& rows) {
  std::vector<std::string> keys;
  for (const BatchRow& row : rows) {
    const Json& d = row.kept.document;
    if (!row.kept.done()) continue;
    if (d.value("command", "") == "case")
      return {"answer.verdict", "answer.culprits.0.suspect", "answer.culprits.0.share_percent",
              "answer.culprits.0.level"};
    if (!d.contains("results") || d["results"].empty()) continue;
    for (const auto& [key, value] : d["results"][0].items())
      if ((value.is_number_float() || key == "verdict") && key.find("_std") == std::string::npos &&
          keys.size() < 8)
        keys.push_back(key);
    for (const char* key :
         {"peaks.0.frequency_hz", "peaks.0.level", "resonances.0.frequency_hz", "worst.margin_db"})
      if (!document_value(d, key).is_null()) keys.emplace_back(key);
    return keys;
  }
  return keys;
}

std::vector<BatchLine> BatchTask::lines_of(const std::vector<BatchRow>& rows,
                                           const std::vector<std::string>& keys) const {
  std::vector<BatchLine> lines;
  for (const BatchRow& row : rows) {
    const Json& d = row.kept.document;
    const bool listed =
        row.kept.done() && d.contains("results") && d["results"].is_array() && !d["results"].empty();
    const std::size_t count = listed ? d["results"].size() : 1;
    for (std::size_t i = 0; i < count; ++i) {
      BatchLine line{&row, "", "", {}};
      if (listed && d["results"][i].is_object()) line.unit = d["results"][i].value("unit", "");
      if (listed && d["results"][i].is_object()) line.channel = d["results"][i].value("channel", "");
      for (const std::string& key : keys)
        line.values.push_back(!row.kept.done() ? Json(nullptr)
                              : listed         ? document_value({{"results", {d["results"][i]}}}, key)
                                               : document_value(d, key));
      lines.push_back(std::move(line));
    }
  }
  return lines;
}

std::string BatchTask::status_of(const BatchRow& row) {
  if (!row.kept.done()) return "failed";
  if (row.kept.status != 1) return "done";
  const Json& document = row.kept.document;
  const Json verdict = document.contains("answer") && document["answer"].is_object()
                           ? document["answer"].value("verdict", Json())
                           : document.value("verdict", Json());
  return verdict == "not judged in full" ? "not judged in full" : "limit broken";
}

std::unique_ptr<Task> make_batch_task() { return std::make_unique<BatchTask>(); }

}  // namespace vprism
