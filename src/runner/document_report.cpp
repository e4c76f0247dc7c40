// document_report.cpp: see document_report.h.
#include "runner/document_report.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "commands/shared/json_values.h"

namespace vprism {

namespace {

Severity severity_of(const std::string& name) {
  for (const Severity s : {Severity::note, Severity::warning, Severity::serious})
    if (name == severity_name(s)) return s;
  return Severity::warning;
}

}  // namespace

std::vector<Caution> cautions_of(const Json& document) {
  std::vector<Caution> out;
  for (const Json& c : document["cautions"])
    out.push_back({text_at(c, "code"), severity_of(text_at(c, "severity")), text_at(c, "channel"),
                   text_at(c, "text"), text_at(c, "remedy")});
  return out;
}

/// What a figure shows, in words.
std::string alt_of(const Figure& figure) {
  std::string out = figure.title;
  for (std::size_t p = 0; p < std::min<std::size_t>(4, figure.panels.size()); ++p) {
    const Panel& panel = figure.panels[p];
    out += (p == 0 ? ": " : "; ") + (panel.title.empty() ? "" : panel.title + ", ") +
           (panel.map ? panel.map->quantity + " over " + panel.x.quantity + " and " + panel.y.quantity
                      : panel.y.quantity + " over " + panel.x.quantity);
  }
  return out;
}

void add_cautions_of(const Json& document, std::vector<Caution>& all) {
  for (Caution& c : cautions_of(document)) {
    const bool there = std::any_of(all.begin(), all.end(), [&](const Caution& other) {
      return other.code == c.code && other.channel == c.channel;
    });
    if (!there) all.push_back(std::move(c));
  }
}

std::vector<ReportTable> line_up_tables(const CaseAnswer& answer) {
  if (answer.line_up.empty()) return {};
  std::vector<TextTable::Column> columns = {{"suspect", TextTable::Align::left}};
  for (const std::string& recording : answer.recordings)
    columns.push_back({recording, TextTable::Align::left});
  ReportTable table{"The line-up",
                    "Seen, cleared or out of that recording's reach; blank where it was not judged.",
                    TextTable(columns)};
  for (const LineUpRow& row : answer.line_up) {
    std::vector<std::string> cells = {row.suspect};
    cells.insert(cells.end(), row.verdicts.begin(), row.verdicts.end());
    cells.resize(columns.size());
    table.table.add(cells);
  }
  return {table};
}

std::string input_line(const std::string& file, const Json& input) {
  std::string line = file + ": " + text_at(input, "format");
  const Json channels = input.value("channels", Json::array());
  if (channels.is_array() && !channels.empty() && channels[0].is_object() &&
      channels[0].contains("rate_hz") && channels[0]["rate_hz"].is_number() &&
      channels[0].contains("samples"))
    line += fmt::format(", {} samples at {}", channels[0]["samples"].get<std::int64_t>(),
                        format_quantity(channels[0]["rate_hz"].get<double>(), "Hz", 6));
  return line + ", " + text_at(input, "digest");
}

}  // namespace vprism
