// batch_report.cpp: the table of a batch, its trend and its document.
#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <iterator>
#include <span>

#include "base/text.h"
#include "formats/files/output_folder.h"
#include "render/report.h"
#include "runner/batch/batch.h"

namespace vprism {

namespace fs = std::filesystem;

Json BatchTask::document(const BatchRow& row) const {
  if (!row.done()) return nullptr;
  const fs::path path = kept_in(output_.folder) / row.folder / "document.json";
  Json out = Json::parse(read_whole_file(path), nullptr, false);
  if (!out.is_object())
    throw Error(Status::output, path.string() + ": was taken away meanwhile; run it again");
  return out;
}

std::vector<std::string> BatchTask::usual_keys(const std::vector<BatchRow>& rows) const {
  std::vector<std::string> keys;
  for (const BatchRow& row : rows) {
    if (!row.done()) continue;
    const Json d = document(row);
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

namespace {

std::string status_of(const BatchRow& row, const Json& document) {
  if (!row.done()) return "failed";
  if (row.status != 1) return "done";
  const Json verdict = document.contains("answer") && document["answer"].is_object()
                           ? document["answer"].value("verdict", Json())
                           : document.value("verdict", Json());
  return verdict == "not judged in full" ? "not judged in full" : "limit broken";
}

/// One for each channel, or one where the document lists none.
std::vector<BatchLine> lines_of_one(std::size_t number, const BatchRow& row, const Json& d,
                                    const std::vector<std::string>& keys) {
  const bool listed = row.done() && d.contains("results") && d["results"].is_array() && !d["results"].empty();
  std::vector<BatchLine> lines;
  for (std::size_t i = 0; i < (listed ? d["results"].size() : 1); ++i) {
    BatchLine line{number, status_of(row, d), "", "", {}, {}};
    if (row.done()) line.cautions = d["cautions"].size();
    if (listed && d["results"][i].is_object()) {
      line.unit = d["results"][i].value("unit", "");
      line.channel = d["results"][i].value("channel", "");
    }
    const Json one = listed ? Json{{"results", {d["results"][i]}}} : Json();
    for (const std::string& key : keys)
      line.values.push_back(!row.done() ? Json(nullptr) : document_value(listed ? one : d, key));
    lines.push_back(std::move(line));
  }
  return lines;
}

}  // namespace

std::vector<BatchLine> BatchTask::lines_of(const std::vector<BatchRow>& rows,
                                           const std::vector<std::string>& keys) const {
  std::vector<std::vector<BatchLine>> of_each(rows.size());
  oneapi::tbb::parallel_for(std::size_t{0}, rows.size(), [&](std::size_t i) {
    of_each[i] = lines_of_one(i, rows[i], document(rows[i]), keys);
  });
  std::vector<BatchLine> lines;
  for (auto& list : of_each) std::move(list.begin(), list.end(), std::back_inserter(lines));
  return lines;
}

bool BatchTask::level_key(const std::string& key) {
  for (const char* end : {"rms", "rms_total", "level", "min", "max", "mean", "std", "amplitude"})
    if (key == end || key.ends_with(std::string("_") + end) || key.ends_with(std::string(".") + end))
      return true;
  return false;
}

std::string BatchTask::cell(const Json& value) {
  return value.is_number()    ? format_number(value.get<double>(), 6)
         : value.is_string()  ? clean_text(value.get<std::string>())
         : value.is_boolean() ? (value.get<bool>() ? "yes" : "no")
                              : "";
}

namespace {

/// Lines of the table, beyond which nobody reads on; the numbers of all are in the CSV.
constexpr std::size_t most_shown = 2000;

}  // namespace

TextTable BatchTask::table_of(const std::vector<BatchRow>& rows, const std::vector<BatchLine>& lines,
                              const std::vector<std::string>& keys) {
  std::vector<TextTable::Column> columns = {{"file", TextTable::Align::left},
                                            {"status", TextTable::Align::left},
                                            {"channel", TextTable::Align::left}};
  for (const std::string& key : keys) columns.push_back({key_words(key)});
  columns.push_back({"cautions"});
  TextTable table(columns);
  for (const BatchLine& line : std::span(lines).first(std::min(lines.size(), most_shown))) {
    std::vector<std::string> cells = {rows[line.row].file, line.status, line.channel};
    for (const Json& value : line.values) cells.push_back(cell(value));
    cells.push_back(line.cautions ? std::to_string(*line.cautions) : "");
    table.add(cells);
  }
  return table;
}

std::string BatchTask::csv_of(const std::vector<BatchRow>& rows, const std::vector<BatchLine>& lines,
                              const std::vector<std::string>& keys) {
  std::string out = "file,status,channel";
  for (const std::string& key : keys) out += "," + csv_cell(key);
  out += ",cautions,error\n";
  for (const BatchLine& line : lines) {
    const BatchRow& row = rows[line.row];
    out += csv_cell(row.file) + "," + line.status + "," + csv_cell(line.channel);
    for (const Json& value : line.values)
      out += "," + (value.is_number() ? fmt::format("{}", value.get<double>()) : csv_cell(cell(value)));
    out += "," + (line.cautions ? std::to_string(*line.cautions) : std::string()) + "," + csv_cell(row.said) +
           "\n";
  }
  return out;
}

Figure BatchTask::trend_of(const std::string& what, const std::vector<BatchRow>& rows,
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
            c.x.push_back(static_cast<double>(line.row + 1));
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
      curve->x.push_back(static_cast<double>(line.row + 1));
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

Status BatchTask::report(const BatchWork& work, const std::vector<BatchRow>& rows, const Json& settings) {
  const std::string& what = work.what;
  const std::vector<std::string> keys = keys_.empty() ? usual_keys(rows) : keys_;
  const std::vector<BatchLine> lines = lines_of(rows, keys);
  if (!keys_.empty())
    for (std::size_t k = 0; k < keys.size(); ++k) {
      const bool any =
          std::any_of(lines.begin(), lines.end(), [&](const BatchLine& l) { return !l.values[k].is_null(); });
      const bool some = std::any_of(rows.begin(), rows.end(), [](const BatchRow& r) { return r.done(); });
      if (some && !any)
        throw Error(
            Status::usage,
            "--trend: no document holds \"" + clean_text(keys[k]) + "\"; look up the keys in " +
                (fs::path(output_.folder) / "files" / rows.front().folder / "document.json").string());
    }
  Delivery delivery;
  delivery.command = "batch";
  delivery.settings = settings;
  delivery.settings["command"] = what;
  delivery.settings["options"] = work.options;
  std::size_t failed = 0, kept = 0;
  Status status = Status::done;
  auto line = lines.begin();
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const BatchRow& row = rows[i];
    kept += row.reused;
    Json entry = {{"file", row.file},
                  {"status", row.status},
                  {"document", row.done() ? Json("files/" + row.folder + "/document.json") : Json(nullptr)}};
    if (!row.done()) {
      ++failed;
      entry["error"] = row.said;
      if (status == Status::done || status == Status::check_failed) status = static_cast<Status>(row.status);
    } else if (row.status == 1 && status == Status::done) {
      status = Status::check_failed;
    }
    for (; line != lines.end() && line->row == i; ++line) {
      Json figures = Json::object();
      for (std::size_t k = 0; k < keys.size(); ++k) figures[keys[k]] = line->values[k];
      entry["figures"].push_back({{"channel", line->channel}, {"values", std::move(figures)}});
    }
    delivery.results.push_back(std::move(entry));
  }
  const TextTable table = table_of(rows, lines, keys);
  const std::string more =
      lines.size() > most_shown
          ? fmt::format("the first {} of {} lines; all are in summary.csv", most_shown, lines.size())
          : "";
  delivery.text = table.text() + (more.empty() ? "" : "  " + more + "\n") + "\n" +
                  fmt::format("  {} files: {} done{}, {} failed\n", rows.size(), rows.size() - failed,
                              kept > 0 ? fmt::format(" ({} kept from before)", kept) : std::string(), failed);
  Console console(output_);
  OutputSettings output = output_;
  output.folder_given = true;
  const auto outputs = open_outputs(output, "batch", {}, {"batch"}, {});
  return deliver(
      delivery, output, console, outputs.get(),
      [&](Outputs& folder) {
        for (const BatchRow& row : rows) folder.protect(row.file);
        folder.add("summary.csv", csv_of(rows, lines, keys), "a row for each file and channel");
        const Figure figure = trend_of(what, rows, lines, keys);
        Report report;
        report.title = figure.title;
        report.intro = fmt::format("{} done, {} failed. Made by Vast Prism {}.", rows.size() - failed, failed,
                                   version());
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
            section.pictures.push_back({png, "Figures over the files", figure.caption, Picture::png, figure});
        }
        section.tables.push_back({"All files", more, table});
        for (const BatchRow& row : rows)
          if (!row.done())
            section.cautions.push_back({"file-skipped", Severity::serious, "", row.failure(), ""});
        report.sections.push_back(std::move(section));
        report.made_with.emplace_back("command", what);
        for (const std::string& option : work.options) report.made_with.emplace_back("option", option);
        folder.add("summary.html", report_html(report), "the same as a page");
      },
      "batch.json", status);
}

}  // namespace vprism
