// case_report.cpp: see case_report.h. The answer first, then each recording with what was done to it, then
// what takes several recordings, then how all was made.
#include "runner/case_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/shared/document_tables.h"
#include "commands/shared/json_values.h"
#include "formats/files/output_folder.h"
#include "frame/shell_word.h"
#include "render/figure_json.h"
#include "runner/document_report.h"

namespace vprism {

namespace {

namespace fs = std::filesystem;

/// A command line that does the same by hand.
std::string command_line(const CaseStep& step) {
  std::string out = "vprism " + step.command;
  for (const std::string& input : step.inputs) out += " " + shell_word(input);
  for (const std::string& option : step.options) out += " " + shell_word(option);
  return out;
}

class Teller {
 public:
  Teller(const Case& value, const std::vector<StepResult>& steps, const KeptPlace& place)
      : case_(value), steps_(steps), place_(place) {}

  CaseReport report() {
    std::vector<Json> documents;
    for (const StepResult& s : steps_) documents.push_back(s.kept.done() ? s.kept.document : Json(nullptr));
    answer_ = answer_case(documents, case_.concern);
    head();
    for (const CaseRecording& r : case_.recordings) recording(r);
    several();
    made();
    document();
    return std::move(out_);
  }

 private:
  static bool listed(const StepResult& s) { return s.asked_for; }

  void head() {
    Report& r = out_.report;
    r.title = case_.title;
    r.intro = case_.report.intro.empty() ? case_.question
              : case_.question.empty()   ? case_.report.intro
                                         : case_.question + " " + case_.report.intro;
    r.answer = answer_.sentences;
    r.verdict = answer_.verdict;
    r.curve_points = case_.report.points;
    for (const StepResult& s : steps_)
      if (listed(s) && (!s.kept.done() || !s.why_not.empty()))
        r.answer.push_back("Step \"" + s.step->name +
                           "\" gave nothing: " + (s.why_not.empty() ? s.kept.said : s.why_not) + ".");
    if (r.answer.empty())
      r.answer.emplace_back("No step named a source or judged a limit; see the results below.");
    r.answer_tables = line_up_tables(answer_);
    r.findings.assign(answer_.findings.begin(),
                      answer_.findings.begin() + static_cast<std::ptrdiff_t>(std::min(
                                                     case_.report.findings, answer_.findings.size())));
  }

  /// One step below its recording's heading.
  ReportSection section_of(const StepResult& s) {
    ReportSection section;
    section.below = true;
    section.title = s.step->title.empty() ? s.step->name : s.step->title;
    if (!s.step->note.empty()) section.facts.push_back(s.step->note);
    if (!s.kept.done() || !s.why_not.empty()) {
      section.cautions.push_back(
          {"step-failed", Severity::serious, "", s.why_not.empty() ? s.kept.said : s.why_not, ""});
      return section;
    }
    std::string how = s.step->command;
    if (const std::string setting = document_setting(s.kept.document); !setting.empty())
      how += ": " + setting;
    section.facts.push_back(how);
    for (const std::string& name : s.kept.figures) {
      const fs::path folder = place_.all / s.step->name;
      Figure figure = figure_from_json(Json::parse(read_whole_file(folder / name), nullptr, false));
      const std::string stem = name.substr(0, name.size() - std::string("figure.json").size());
      const std::string picture = stem + picture_ending(place_.picture);
      out_.pictures.push_back(s.step->name + "/" + picture);
      out_.figures.push_back(figure);
      ReportPicture shown{read_whole_file(folder / picture), alt_of(figure), figure.caption, place_.picture,
                          figure};
      section.pictures.push_back(std::move(shown));
    }
    for (ReportTable& table : document_tables(s.kept.document)) section.tables.push_back(std::move(table));
    return section;
  }

  void recording(const CaseRecording& r) {
    std::vector<const StepResult*> mine;
    for (const StepResult& s : steps_)
      if (listed(s) && s.step->recordings.size() == 1 && s.step->recordings.front() == r.name)
        mine.push_back(&s);
    if (mine.empty()) return;
    ReportSection head;
    head.title = r.title.empty() ? r.file : r.title;
    bool facts = false;
    for (const StepResult* s : mine) {
      if (!s->kept.done()) continue;
      add_cautions_of(s->kept.document, head.cautions);
      if (facts || s->kept.document["inputs"].empty()) continue;
      facts = true;
      head.facts.push_back(input_line(r.file, s->kept.document["inputs"][0]));
    }
    out_.report.sections.push_back(std::move(head));
    for (const StepResult* s : mine) out_.report.sections.push_back(section_of(*s));
  }

  void several() {
    std::vector<const StepResult*> rest;
    for (const StepResult& s : steps_)
      if (listed(s) && s.step->recordings.size() != 1) rest.push_back(&s);
    if (rest.empty()) return;
    ReportSection head;
    head.title = "Side by side, and by themselves";
    for (const StepResult* s : rest)
      if (s->kept.done()) add_cautions_of(s->kept.document, head.cautions);
    out_.report.sections.push_back(std::move(head));
    for (const StepResult* s : rest) out_.report.sections.push_back(section_of(*s));
  }

  void made() {
    auto& list = out_.report.made_with;
    list.emplace_back("program", std::string("vprism ") + version());
    std::vector<std::string> files;
    for (const StepResult& s : steps_) {
      if (!listed(s) || !s.kept.done()) continue;
      for (const Json& input : s.kept.document["inputs"]) {
        const std::string file = text_at(input, "file");
        if (std::find(files.begin(), files.end(), file) != files.end()) continue;
        files.push_back(file);
        list.emplace_back("input", file + ", " + text_at(input, "digest"));
      }
    }
    for (const StepResult& s : steps_)
      if (listed(s))
        list.emplace_back("step " + s.step->name, command_line(*s.step) + "; results " + s.kept.key);
    for (const auto& [path, text] : case_.texts)
      out_.report.texts.emplace_back(fs::path(path).filename().string(), text);
  }

  void document() {
    Json& d = out_.document;
    d["vprism"] = version();
    d["schema"] = 1;
    d["command"] = "case";
    d["title"] = case_.title;
    d["question"] = case_.question;
    d["answer"] = answer_.json();
    d["steps"] = Json::array();
    Json cautions = Json::array();
    for (const StepResult& s : steps_) {
      if (!listed(s)) continue;
      const bool done = s.kept.done() && s.why_not.empty();
      Json one = {{"name", s.step->name},
                  {"command", s.step->command},
                  {"recordings", s.step->recordings},
                  {"inputs", s.step->inputs},
                  {"options", s.step->options},
                  {"status", s.why_not.empty() ? s.kept.status : 4},
                  {"key", s.kept.key}};
      if (!done) one["error"] = s.why_not.empty() ? s.kept.said : s.why_not;
      if (done) one["document"] = "steps/" + s.step->name + "/document.json";
      d["steps"].push_back(std::move(one));
      if (!done) continue;
      for (Json c : s.kept.document["cautions"]) {
        c["step"] = s.step->name;
        cautions.push_back(std::move(c));
      }
    }
    d["cautions"] = std::move(cautions);
    d["findings"] = Json::array();
    for (std::size_t i = 0; i < answer_.findings.size(); ++i) {
      const Finding& f = answer_.findings[i];
      d["findings"].push_back({{"kind", f.kind},
                               {"recording", f.recording},
                               {"channel", f.channel},
                               {"frequency_hz", number(f.frequency_hz)},
                               {"frequency_std_hz", number(f.frequency_std_hz)},
                               {"level", number(f.level_rms)},
                               {"level_unit", f.unit},
                               {"share_percent", number(100 * answer_.shares[i])},
                               {"suspect", f.suspect},
                               {"text", f.text}});
    }
  }

  const Case& case_;
  const std::vector<StepResult>& steps_;
  const KeptPlace& place_;
  CaseAnswer answer_;
  CaseReport out_;
};

}  // namespace

CaseReport report_case(const Case& value, const std::vector<StepResult>& steps, const KeptPlace& place) {
  return Teller(value, steps, place).report();
}

}  // namespace vprism
