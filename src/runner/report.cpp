// report.cpp: the command `report`: saved result documents as one page.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "base/text.h"
#include "commands/shared/document_tables.h"
#include "commands/shared/json_values.h"
#include "formats/files/file_digest.h"
#include "frame/command.h"
#include "frame/console.h"
#include "render/figure_json.h"
#include "runner/document_report.h"

namespace vprism {

namespace {

namespace fs = std::filesystem;

struct Saved {
  std::string path;
  Json document;
};

Saved read_document(const std::string& path) {
  std::error_code code;
  if (!fs::is_regular_file(path, code)) throw Error(Status::input, path + ": no such file; check the name");
  Saved saved{path, Json::parse(read_whole_file(path), nullptr, false)};
  const Json& d = saved.document;
  bool sound = d.is_object() && !text_at(d, "vprism").empty() && !text_at(d, "command").empty();
  for (const char* key : {"inputs", "cautions", "results", "findings", "outputs", "suspects"})
    if (sound && d.contains(key))
      sound = d[key].is_array() &&
              std::all_of(d[key].begin(), d[key].end(), [](const Json& one) { return one.is_object(); });
  if (!sound)
    throw Error(Status::input, path + ": no result document; give those that commands write, NAME.json");
  return saved;
}

bool ends_with(const std::string& text, const std::string& end) {
  return text.size() >= end.size() && text.compare(text.size() - end.size(), end.size(), end) == 0;
}

/// The picture of an output that the document lists, if it lies where it was put and is the same still.
std::optional<ReportPicture> picture_of(const Saved& saved, const Json& output,
                                        std::vector<Caution>& cautions) {
  const std::string file = text_at(output, "file"), digest = text_at(output, "digest");
  const bool data = ends_with(file, ".figure.json"), svg = ends_with(file, ".svg");
  if (!data && !svg && !ends_with(file, ".png")) return {};
  // Beside the document, under the name alone: a document names no other file to be read.
  const fs::path path = fs::path(saved.path).parent_path() / fs::path(file).filename();
  const auto left_out = [&](const std::string& why) {
    cautions.push_back({"picture-left-out", Severity::warning, "",
                        path.string() + " " + why + "; it is left out",
                        "make it again with the command that made the document"});
    return std::nullopt;
  };
  std::error_code code;
  if (!fs::is_regular_file(path, code)) return left_out("is not there any more");
  if (!digest.empty() && file_digest(path.string()) != digest)
    return left_out("is not the one that the document lists");
  const std::string bytes = read_whole_file(path), what = text_at(output, "what");
  if (!data) return ReportPicture{bytes, what, "", svg ? Picture::svg : Picture::png};
  const Figure figure = figure_from_json(Json::parse(bytes, nullptr, false));
  return ReportPicture{draw(paged(figure).front(), Picture::svg), alt_of(figure), figure.caption,
                       Picture::svg, figure};
}

class ReportTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    return {{"Report",
             {text_option("title", "TEXT", "the page's title (default: by what the documents hold)", title_),
              text_option("intro", "TEXT", "a sentence below it", intro_),
              {"concern", "CHANNEL", "channel that the answer is about; may be repeated (default: all)", true,
               [this](const std::string& t) { concern_.push_back(t); }, [this] { return Json(concern_); }},
              text_option("name", "NAME", "name of the page's file, without its ending (default: report)",
                          name_)}},
            output_group(output_)};
  }
  std::size_t threads() const override { return output_.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    Console console(output_);
    const std::string base = name_.empty() ? "report" : clean_file_name(name_);
    std::vector<Saved> all;
    for (const std::string& file : files) all.push_back(read_document(file));
    const auto outputs = open_outputs(output_, "report", files, {base}, {base + ".html"});
    Delivery delivery;
    delivery.command = "report";
    delivery.settings = settings;
    const Report report = [&] {
      try {
        return made_of(all, settings, delivery);
      } catch (const Json::exception& error) {
        throw Error(Status::input, files.front() +
                                       (files.size() > 1 ? ", or another of these documents," : "") +
                                       ": holds what no command writes: " + clean_text(error.what()));
      }
    }();
    for (const std::string& sentence : report.answer) delivery.text += sentence + "\n";
    for (const ReportTable& table : report.answer_tables) delivery.text += "\n" + table.table.text();
    if (!delivery.text.empty()) delivery.text += "\n";
    const auto counted = [](std::size_t n, const char* what) {
      return fmt::format("{} {}{}", n, what, n == 1 ? "" : "s");
    };
    delivery.text += "one page of " + counted(all.size(), "result") + ", with " +
                     counted(report.findings.size(), "finding") + "\n";
    return deliver(
        delivery, output_, console, outputs.get(),
        [&](Outputs& folder) { folder.add(base + ".html", report_html(report), "the page"); },
        base + ".json");
  }

 private:
  Report made_of(const std::vector<Saved>& all, const Json& settings, Delivery& delivery) const {
    std::vector<Json> documents;
    for (const Saved& saved : all) documents.push_back(saved.document);
    const CaseAnswer answer = answer_case(documents, concern_);
    Report report;
    report.title = !title_.empty()   ? title_
                   : all.size() == 1 ? clean_text(text_at(all.front().document, "command")) + " of " +
                                           input_names(all.front())
                                     : std::to_string(all.size()) + " results";
    report.intro = intro_;
    report.answer = answer.sentences;
    report.verdict = answer.verdict;
    report.answer_tables = line_up_tables(answer);
    report.findings = answer.findings;
    for (const Saved& saved : all) {
      report.sections.push_back(section_of(saved, output_.figure.has_value(), delivery.cautions));
      Json entry = {{"file", saved.path},
                    {"digest", file_digest(saved.path)},
                    {"command", text_at(saved.document, "command")},
                    {"vprism", text_at(saved.document, "vprism")}};
      report.made_with.emplace_back("document", saved.path + ", " + text_at(entry, "digest") +
                                                    ", by vprism " + text_at(saved.document, "vprism"));
      delivery.results.push_back(std::move(entry));
    }
    report.made_with.emplace_back("program", std::string("vprism ") + version());
    report.made_with.emplace_back("settings", settings.dump());
    return report;
  }

  static std::string input_names(const Saved& saved) {
    std::string out;
    for (const Json& input : saved.document.value("inputs", Json::array()))
      out += (out.empty() ? "" : ", ") + clean_text(fs::path(text_at(input, "file")).filename().string());
    return out.empty() ? "nothing" : out;
  }

  static ReportSection section_of(const Saved& saved, bool pictures, std::vector<Caution>& cautions) {
    ReportSection section;
    section.title = clean_text(text_at(saved.document, "command")) + " of " + input_names(saved);
    for (const Json& input : saved.document.value("inputs", Json::array()))
      section.facts.push_back(clean_text(input_line(text_at(input, "file"), input), 500));
    if (const std::string setting = document_setting(saved.document); !setting.empty())
      section.facts.push_back(setting);
    if (saved.document.contains("cautions") && saved.document["cautions"].is_array())
      add_cautions_of(saved.document, section.cautions);
    for (const Json& output : saved.document.value("outputs", Json::array()))
      if (output.is_object() && pictures)
        if (auto picture = picture_of(saved, output, cautions))
          section.pictures.push_back(std::move(*picture));
    if (saved.document.contains("results")) section.tables = document_tables(saved.document);
    return section;
  }

  std::string title_, intro_, name_;
  std::vector<std::string> concern_;
  OutputSettings output_;
};

}  // namespace

std::unique_ptr<Task> make_report_task() { return std::make_unique<ReportTask>(); }

}  // namespace vprism
