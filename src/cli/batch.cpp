// batch.cpp: one command or case over many recordings. Each file's results are kept in a folder of its own
// under a digest of all they were made from (kept_run.h): a run that was stopped goes on where it stopped,
// and a file that has changed is done again.
#include <fmt/format.h>
#include <glob.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <mutex>

#include "base/cores.h"
#include "base/text.h"
#include "cli/case_file.h"
#include "cli/case_run.h"
#include "cli/command.h"
#include "cli/console.h"
#include "cli/document_tables.h"
#include "cli/kept_run.h"
#include "formats/output_folder.h"
#include "render/report.h"

namespace vprism {

namespace {

namespace fs = std::filesystem;

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

struct BatchRow {
  std::string file, folder;
  KeptResult kept;
};

/// One line of the summary: a file and one of its channels.
struct BatchLine {
  const BatchRow* row = nullptr;
  std::string channel, unit;
  std::vector<Json> values;  ///< Of the chosen figures.
};

class BatchTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
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

  std::vector<OptionGroup> options_for(const std::vector<std::string>& arguments) override {
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
  std::size_t threads() const override { return output_.threads; }

  Status run(const std::vector<std::string>& arguments, const Json& settings) override {
    const std::string& what = arguments.front();
    const bool is_case = fs::path(what).extension() == ".toml";
    if (!is_case) check_command(what);
    std::vector<std::string> files;
    for (std::size_t i = 1; i < arguments.size(); ++i) expand(arguments[i], files);
    if (!list_.empty()) read_list(files);
    if (files.empty())
      throw Error(Status::usage, "batch: no inputs; name files, a folder or a quoted pattern, or --list");
    std::vector<BatchRow> rows = run_all(what, is_case, files);
    return tell(what, rows, settings);
  }

 private:
  static void check_command(const std::string& what) {
    std::vector<std::string> known;
    for (const CommandEntry& row : command_table())
      if (!runs_others(row.name) && *row.inputs != '\0' && row.name != std::string("generate"))
        known.emplace_back(row.name);
    if (std::find(known.begin(), known.end(), what) == known.end())
      throw Error(Status::usage, unknown_name("command", what, known) + "; or name a case file, CASE.toml");
  }

  void read_list(std::vector<std::string>& files) const {
    std::ifstream in(list_);
    if (!in) throw Error(Status::input, list_ + ": can't be read; check the name");
    for (std::string line; std::getline(in, line);)
      if (const std::string name(trimmed(line)); !name.empty() && name.front() != '#') expand(name, files);
  }

  std::vector<BatchRow> run_all(const std::string& what, bool is_case,
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

  /// All files that a case is made from, this recording being its variable's.
  std::vector<std::string> case_files(const std::string& path, const std::string& recording) const {
    std::vector<std::string> files = {recording};
    const CaseRead read = read_case({path, {{variable_, fs::absolute(recording).string()}}, "."});
    for (const auto& [name, text] : read.value.texts) files.push_back(name);
    for (const CaseStep& step : read.value.steps)
      for (const auto* list : {&step.inputs, &step.files})
        for (const std::string& name : *list) files.push_back((read.value.folder / name).string());
    return files;
  }

  /// Keys that are told of every channel, where none were asked for.
  static std::vector<std::string> usual_keys(const std::vector<BatchRow>& rows) {
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

  std::vector<BatchLine> lines_of(const std::vector<BatchRow>& rows,
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

  /// With the file's name before it, once.
  static std::string said(const BatchRow& row) {
    return starts_with(row.kept.said, row.file) ? row.kept.said : row.file + ": " + row.kept.said;
  }

  static std::string status_of(const BatchRow& row) {
    if (!row.kept.done()) return "failed";
    if (row.kept.status != 1) return "done";
    const Json& document = row.kept.document;
    const Json verdict = document.contains("answer") && document["answer"].is_object()
                             ? document["answer"].value("verdict", Json())
                             : document.value("verdict", Json());
    return verdict == "not judged in full" ? "not judged in full" : "limit broken";
  }

  /// Whether a key tells a level in the channel's unit.
  static bool level_key(const std::string& key) {
    for (const char* end : {"rms", "rms_total", "level", "min", "max", "mean", "std", "amplitude"})
      if (key == end || key.ends_with(std::string("_") + end) || key.ends_with(std::string(".") + end))
        return true;
    return false;
  }

  static std::string cell(const Json& value) {
    return value.is_number()    ? format_number(value.get<double>(), 6)
           : value.is_string()  ? clean_text(value.get<std::string>())
           : value.is_boolean() ? (value.get<bool>() ? "yes" : "no")
                                : "";
  }

  static TextTable table_of(const std::vector<BatchLine>& lines, const std::vector<std::string>& keys) {
    std::vector<TextTable::Column> columns = {{"file", TextTable::Align::left},
                                              {"status", TextTable::Align::left},
                                              {"channel", TextTable::Align::left}};
    for (const std::string& key : keys) columns.push_back({key_words(key)});
    columns.push_back({"cautions"});
    TextTable table(columns);
    for (const BatchLine& line : lines) {
      std::vector<std::string> cells = {line.row->file, status_of(*line.row), line.channel};
      for (const Json& value : line.values) cells.push_back(cell(value));
      cells.push_back(line.row->kept.done() ? std::to_string(line.row->kept.document["cautions"].size())
                                            : "");
      table.add(cells);
    }
    return table;
  }

  static std::string csv_of(const std::vector<BatchLine>& lines, const std::vector<std::string>& keys) {
    std::string out = "file,status,channel";
    for (const std::string& key : keys) out += "," + csv_cell(key);
    out += ",cautions,error\n";
    for (const BatchLine& line : lines) {
      out += csv_cell(line.row->file) + "," + status_of(*line.row) + "," + csv_cell(line.channel);
      for (const Json& value : line.values)
        out += "," + (value.is_number() ? fmt::format("{}", value.get<double>()) : csv_cell(cell(value)));
      out += "," +
             (line.row->kept.done() ? std::to_string(line.row->kept.document["cautions"].size())
                                    : std::string()) +
             "," + csv_cell(line.row->kept.said) + "\n";
    }
    return out;
  }

  /// The figures over the files, a panel each, a line for each channel.
  static Figure trend_of(const std::string& what, const std::vector<BatchRow>& rows,
                         const std::vector<BatchLine>& lines, const std::vector<std::string>& keys) {
    Figure figure;
    figure.title =
        "batch " + fs::path(what).filename().string() + ": " + std::to_string(rows.size()) + " files";
    figure.caption = "files in the order of the table, from 1; gaps: files that failed";
    for (std::size_t k = 0; k < keys.size() && figure.panels.size() < 6; ++k) {
      Panel panel;
      panel.x = {"File", ""};
      panel.y = {key_words(keys[k]), ""};
      if (figure.panels.empty() && rows.size() <= 24)
        for (const BatchRow& row : rows)
          panel.listing.push_back(fmt::format("{:>2} {}", &row - rows.data() + 1,
                                              clean_text(fs::path(row.file).filename().string(), 16)));
      for (const BatchLine& line : lines) {
        if (!line.values[k].is_number()) {
          // A line breaks off at a file that has no such figure.
          for (Curve& c : panel.curves)
            if (line.channel.empty() || c.name == line.channel) {
              c.x.push_back(static_cast<double>(line.row - rows.data() + 1));
              c.y.push_back(std::nan(""));
            }
          continue;
        }
        if (panel.y.unit.empty() && level_key(keys[k])) panel.y.unit = line.unit;
        auto curve = std::find_if(panel.curves.begin(), panel.curves.end(),
                                  [&](const Curve& c) { return c.name == line.channel; });
        if (curve == panel.curves.end()) {
          Curve fresh;
          fresh.name = line.channel;
          fresh.colour = static_cast<int>(panel.curves.size());
          curve = panel.curves.insert(curve, fresh);
        }
        curve->x.push_back(static_cast<double>(line.row - rows.data() + 1));
        curve->y.push_back(line.values[k].get<double>());
      }
      if (panel.curves.empty()) continue;
      const std::size_t count = panel.curves.size();
      for (std::size_t c = 0; c < count; ++c) {
        Curve dots = panel.curves[c];
        dots.name.clear();
        dots.points = Curve::Points::dots;
        panel.curves.push_back(std::move(dots));
      }
      figure.panels.push_back(std::move(panel));
    }
    return figure;
  }

  Status tell(const std::string& what, const std::vector<BatchRow>& rows, const Json& settings) {
    const std::vector<std::string> keys = keys_.empty() ? usual_keys(rows) : keys_;
    const std::vector<BatchLine> lines = lines_of(rows, keys);
    if (!keys_.empty())
      for (std::size_t k = 0; k < keys.size(); ++k) {
        const bool any = std::any_of(lines.begin(), lines.end(),
                                     [&](const BatchLine& l) { return !l.values[k].is_null(); });
        const bool some =
            std::any_of(rows.begin(), rows.end(), [](const BatchRow& r) { return r.kept.done(); });
        if (some && !any)
          throw Error(
              Status::usage,
              "--trend: no document holds \"" + clean_text(keys[k]) + "\"; look up the keys in " +
                  (fs::path(output_.folder) / "files" / rows.front().folder / "document.json").string());
      }
    Telling telling;
    telling.command = "batch";
    telling.settings = settings;
    telling.settings["command"] = what;
    telling.settings["options"] = given_;
    std::size_t failed = 0, kept = 0;
    Status status = Status::done;
    for (const BatchRow& row : rows) {
      kept += row.kept.reused;
      Json entry = {
          {"file", row.file},
          {"status", row.kept.status},
          {"document", row.kept.done() ? Json("files/" + row.folder + "/document.json") : Json(nullptr)}};
      if (!row.kept.done()) {
        ++failed;
        entry["error"] = row.kept.said;
        if (status == Status::done || status == Status::check_failed)
          status = static_cast<Status>(row.kept.status);
      } else if (row.kept.status == 1 && status == Status::done) {
        status = Status::check_failed;
      }
      for (const BatchLine& line : lines)
        if (line.row == &row) {
          Json figures = Json::object();
          for (std::size_t k = 0; k < keys.size(); ++k) figures[keys[k]] = line.values[k];
          entry["figures"].push_back({{"channel", line.channel}, {"values", std::move(figures)}});
        }
      telling.results.push_back(std::move(entry));
    }
    const TextTable table = table_of(lines, keys);
    telling.text =
        table.text() + "\n" +
        fmt::format("  {} files: {} done{}, {} failed\n", rows.size(), rows.size() - failed,
                    kept > 0 ? fmt::format(" ({} kept from before)", kept) : std::string(), failed);
    Console console(output_);
    OutputSettings output = output_;
    output.folder_given = true;
    const auto outputs = open_outputs(output, "batch", {}, {"batch"}, {});
    return deliver(
        telling, output, console, outputs.get(),
        [&](Outputs& folder) {
          for (const BatchRow& row : rows) folder.protect(row.file);
          folder.add("summary.csv", csv_of(lines, keys), "a row for each file and channel");
          const Figure figure = trend_of(what, rows, lines, keys);
          Report report;
          report.title = figure.title;
          report.intro = fmt::format("{} done, {} failed. Made by Vast Prism {}.", rows.size() - failed,
                                     failed, version());
          report.list_findings = false;
          ReportSection section;
          section.title = "Over the files";
          if (!figure.panels.empty() && output_.figure) {
            const Picture kind = *output_.figure;
            const std::string png = folder.picture(figure, Picture::png);
            if (kind == Picture::png)
              folder.add_picture("trend", png, kind, "the figures over the files");
            else
              folder.add_figure("trend", figure, "the figures over the files");
            if (!png.empty())
              section.pictures.push_back(
                  {png, "Figures over the files", figure.caption, Picture::png, figure});
          }
          section.tables.push_back({"All files", "", table});
          for (const BatchRow& row : rows)
            if (!row.kept.done())
              section.cautions.push_back({"file-skipped", Severity::serious, "", said(row), ""});
          report.sections.push_back(std::move(section));
          report.made_with.emplace_back("command", what);
          for (const std::string& option : given_) report.made_with.emplace_back("option", option);
          folder.add("summary.html", report_html(report), "the same as a page");
        },
        "batch.json", status);
  }

  std::string list_, variable_ = "file";
  std::vector<std::string> keys_, given_, files_named_;
  bool fresh_ = false;
  std::unique_ptr<Task> inner_;
  OutputSettings output_;
};

}  // namespace

std::unique_ptr<Task> make_batch_task() { return std::make_unique<BatchTask>(); }

}  // namespace vprism
