// case.cpp: see case.h.
#include "runner/case.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdio>
#include <fstream>

#include "base/machine/cores.h"
#include "base/text.h"
#include "formats/files/file_digest.h"
#include "formats/files/output_folder.h"
#include "frame/command.h"
#include "frame/console.h"
#include "frame/process.h"
#include "runner/case_cluster.h"
#include "runner/case_report.h"

namespace vprism {

namespace {

namespace fs = std::filesystem;

std::string steps_text(const std::vector<StepResult>& steps) {
  TextTable table(
      {{"step", TextTable::Align::left}, {"command", TextTable::Align::left}, {"", TextTable::Align::left}});
  for (const StepResult& s : steps) {
    if (!s.asked_for) continue;
    const std::string what = !s.why_not.empty() ? "not run: " + s.why_not
                             : !s.kept.done()   ? "failed: " + s.kept.said
                             : s.kept.status == 1
                                 ? s.kept.document.value("verdict", "") == "not judged in full"
                                       ? "done; a limit could not be judged in full"
                                       : "done; a limit is broken"
                                 : "done";
    table.add({s.step->name, s.step->command,
               clean_text(what + (s.kept.reused ? " (kept from before)" : ""), 100)});
  }
  return table.text();
}

std::string figures_key_of(const fs::path& document) {
  std::ifstream in(document, std::ios::binary);
  const Json json = Json::parse(in, nullptr, false);
  return json.is_object() ? json.value("figures_key", "") : "";
}

class CaseTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    CaseTaskSettings& s = settings_;
    std::vector<Option> cluster = cluster_options(s.cluster);
    cluster.push_back(text_option("step", "STEP", "what the job of this step runs: no report", s.step));
    cluster.push_back(switch_option("gather", "what the job behind all steps runs", s.gather));
    return {{"Case",
             {switch_option("check", "only say what is wrong with the case; nothing is run", s.check),
              {"only", "STEP", "run this step, and those it takes something from; may be repeated", true,
               [&s](const std::string& t) { s.only.push_back(t); }, [&s] { return Json(s.only); }},
              switch_option("fresh", "run all steps again, though nothing has changed", s.fresh),
              {"set", "NAME=VALUE", "value of a variable of the case, over that in the file; may be repeated",
               true,
               [&s](const std::string& t) {
                 const auto at = t.find('=');
                 if (at == std::string::npos || at == 0)
                   throw Error(Status::usage, "write NAME=VALUE, such as night=2026-03-14");
                 s.variables.emplace_back(t.substr(0, at), t.substr(at + 1));
               },
               [&s] {
                 Json out = Json::object();
                 for (const auto& [name, value] : s.variables) out[name] = value;
                 return out;
               }}}},
            {"On a cluster", std::move(cluster)},
            output_group(s.output)};
  }
  bool needs_inputs() const override { return !settings_.cluster.resume; }
  std::size_t threads() const override { return settings_.output.threads; }
  Status run(const std::vector<std::string>& files, const Json&) override {
    if (settings_.cluster.resume) {
      if (!files.empty() || !settings_.only.empty() || settings_.fresh || settings_.check ||
          !settings_.step.empty() || settings_.gather || !settings_.cluster.scheduler.empty())
        throw Error(Status::usage, "case: --resume stands alone, with --out");
      return follow_jobs(SpreadFolder(settings_.output.folder), settings_.output, "case");
    }
    check_cluster(settings_.cluster, settings_.output);
    if (settings_.gather) (void)SpreadFolder(settings_.output.folder).plan();  // Else there is none.
    if (!settings_.cluster.scheduler.empty() && !settings_.only.empty())
      throw Error(Status::usage, "case: --only runs here; with --on all steps are run");
    if (files.size() != 1)
      throw Error(Status::usage, "case takes one case file; batch runs one case over many recordings");
    return run_case(files.front(), settings_);
  }

 private:
  CaseTaskSettings settings_;
};

}  // namespace

Status run_case(const std::string& path, const CaseTaskSettings& settings) {
  const fs::path out = settings.output.folder;
  CaseRead read = read_case({path, settings.variables, out / "steps"});
  if (!read.problems.empty()) {
    for (std::size_t i = 0; i + 1 < read.problems.size(); ++i)
      std::fputs(("vprism: " + clean_text(read.problems[i], 2000) + "\n").c_str(), stderr);
    throw Error(Status::usage, read.problems.back());
  }
  const Case& value = read.value;
  if (settings.check) {
    TextTable table({{"step", TextTable::Align::left},
                     {"command", TextTable::Align::left},
                     {"recordings", TextTable::Align::left}});
    for (const CaseStep& s : value.steps) {
      std::string names;
      for (const std::string& r : s.recordings) names += (names.empty() ? "" : ", ") + r;
      table.add({s.name, s.command, names});
    }
    say(fmt::format("{}: nothing is wrong with it; {} recordings, {} steps\n{}", value.path,
                    value.recordings.size(), value.steps.size(), table.text()));
    return Status::done;
  }

  if (!settings.step.empty()) return run_one_step(value, settings);
  if (!settings.cluster.scheduler.empty()) return spread_case(path, value, settings);

  // Checked before any step is run.
  Outputs outputs(settings.output, "case");
  for (const CaseRecording& r : value.recordings) outputs.protect((value.folder / r.file).string());
  outputs.protect(path);
  std::vector<std::string> expected = {"case.json"};
  if (value.report.html) expected.push_back("report.html");
  if (value.report.markdown) expected.push_back("report.md");
  if (value.report.pdf && settings.output.figure) expected.push_back("figures.pdf");
  outputs.expect(expected);
  const KeptFolder folder(out / "steps");
  write_line_up(value, folder);
  DigestBook digests(folder.path() / "digests.json");
  const KeptPlace place = case_place(value, settings, folder);
  Console console(settings.output);
  const Progress bar = console.progress("case " + fs::path(path).filename().string());
  const std::size_t cores = settings.output.threads > 0 ? settings.output.threads : usable_cores();
  std::vector<StepResult> steps = run_steps(
      value, settings.only, place, digests, cores, [&](std::size_t done, std::size_t all, const StepResult&) {
        if (bar) bar(static_cast<std::int64_t>(done), static_cast<std::int64_t>(all));
      });
  digests.save();
  console.clear();
  if (settings.gather) know_who_ran(SpreadFolder(settings.output.folder), steps);
  CaseReport listed = report_case(value, steps, place);

  std::vector<std::string> pictures_missing;
  for (const StepResult& s : steps)
    pictures_missing.insert(pictures_missing.end(), s.kept.pictures_missing.begin(),
                            s.kept.pictures_missing.end());
  std::vector<std::string> pictures;
  for (const std::string& name : listed.pictures) pictures.push_back("steps/" + name);
  if (value.report.html) outputs.add("report.html", report_html(listed.report), "the report");
  if (value.report.markdown)
    outputs.add("report.md", report_markdown(listed.report, pictures), "the report as Markdown");
  auto entries = outputs.entries();
  if (value.report.pdf && !listed.figures.empty() && place.pictures) {
    // Drawn again only when a step that it shows was.
    std::string keys;
    for (const StepResult& s : steps) keys += s.asked_for ? s.step->name + " " + s.kept.key + "\n" : "";
    listed.document["figures_key"] = text_digest(keys);
    if (fs::exists(out / "figures.pdf") &&
        figures_key_of(out / "case.json") == listed.document["figures_key"].get<std::string>())
      entries.push_back({outputs.path_of("figures.pdf"), "all figures, a page each"});
    else
      try {
        outputs.add("figures.pdf", draw_pages(listed.figures), "all figures, a page each");
        entries = outputs.entries();
      } catch (const Error& error) {
        listed.document.erase("figures_key");
        pictures_missing.push_back(error.what());
      }
  }
  listed.document["outputs"] = Json::array();
  for (const auto& entry : entries)
    listed.document["outputs"].push_back(
        {{"file", fs::path(entry.file).filename().string()}, {"what", entry.what}});
  const std::string document = listed.document.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
  outputs.add("case.json", document, "result document");
  entries.push_back(outputs.entries().back());
  outputs.commit();

  Status status = Status::done;
  for (const StepResult& s : steps) {
    if (!s.asked_for) continue;
    if (!s.kept.done() && s.why_not.empty()) {
      if (status == Status::done || status == Status::check_failed)
        status = static_cast<Status>(s.kept.status);
      console.caution({"step-failed", Severity::serious, "",
                       s.step->where + ": step \"" + s.step->name + "\": " + s.kept.said, ""});
    } else if (s.kept.status == 1 && status == Status::done) {
      status = Status::check_failed;
    }
  }
  if (settings.output.json) {
    say(document);
  } else {
    std::string text = value.title + "\n";
    if (!value.question.empty()) text += value.question + "\n";
    text += "\n";
    for (const std::string& line : listed.report.answer) text += "  " + clean_text(line, 2000) + "\n";
    text += "\n" + steps_text(steps) + "\nWritten:\n";
    for (const auto& entry : entries) text += "  " + entry.file + "  " + entry.what + "\n";
    say(text);
  }
  if (pictures_missing.empty()) return status;
  console.warn(std::to_string(pictures_missing.size()) +
               (pictures_missing.size() == 1 ? " figure" : " figures") +
               " could not be drawn: " + pictures_missing.front() + "; all else is written [figure-missing]");
  return Status::output;
}

std::unique_ptr<Task> make_case_task() { return std::make_unique<CaseTask>(); }

}  // namespace vprism
