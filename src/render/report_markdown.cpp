// report_markdown.cpp: a report as Markdown, with links to the pictures' files. What means something in
// Markdown is escaped, so that texts from files stay text.
#include <algorithm>

#include "render/report.h"

namespace vprism {

namespace {

std::string escaped(const std::string& text) {
  std::string out;
  for (const char c : clean_text(text, 4000)) {
    if (std::string_view("\\`*_[]<>|#~").find(c) != std::string_view::npos) out += '\\';
    out += c;
  }
  return out;
}

std::string table_markdown(const TextTable& table) {
  std::string out = "|", rule = "|";
  for (const auto& column : table.columns()) {
    out += " " + escaped(column.title) + " |";
    rule += column.align == TextTable::Align::right ? "---:|" : "---|";
  }
  out += "\n" + rule + "\n";
  for (const auto& row : table.rows()) {
    out += "|";
    for (const std::string& cell : row) out += " " + escaped(cell) + " |";
    out += "\n";
  }
  return out + "\n";
}

std::string listed(const ReportTable& table) {
  return "### " + escaped(table.title) + "\n\n" + (table.note.empty() ? "" : escaped(table.note) + "\n\n") +
         table_markdown(table.table);
}

/// As long a fence as the text needs.
std::string fenced(const std::string& text) {
  std::string fence = "```";
  while (text.find(fence) != std::string::npos) fence += '`';
  return fence + "\n" + text + (text.empty() || text.back() != '\n' ? "\n" : "") + fence + "\n";
}

}  // namespace

std::string report_markdown(const Report& report, const std::vector<std::string>& pictures) {
  std::string out = "# " + escaped(report.title) + "\n\n";
  if (!report.intro.empty()) out += escaped(report.intro) + "\n\n";
  for (std::size_t i = 0; i < report.answer.size(); ++i)
    out += i == 0 ? "**" + escaped(report.answer[i]) + "**\n\n" : escaped(report.answer[i]) + "\n\n";
  for (const ReportTable& table : report.answer_tables) out += listed(table);
  if (report.list_findings && !report.findings.empty()) {
    out += "## What was found\n\n";
    TextTable table({{"recording", TextTable::Align::left},
                     {"channel", TextTable::Align::left},
                     {"finding", TextTable::Align::left},
                     {"suspect", TextTable::Align::left},
                     {"frequency"},
                     {"level, RMS"}});
    for (const Finding& f : report.findings) {
      Recording named;
      named.file = f.recording;
      table.add({named.stem(), f.channel, f.text, f.suspect,
                 f.kind == "event" ? "" : format_quantity(f.frequency_hz, "Hz", 6),
                 format_quantity(f.level_rms, f.unit, 4)});
    }
    out += table_markdown(table);
  }
  std::size_t picture = 0;
  for (const ReportSection& section : report.sections) {
    out += (section.below ? "### " : "## ") + escaped(section.title) + "\n\n";
    for (const std::string& fact : section.facts) out += escaped(fact) + "\n\n";
    for (const Caution& c : section.cautions)
      out += "> **" + std::string(severity_name(c.severity)) + "** " +
             escaped((c.channel.empty() ? "" : c.channel + ": ") + c.text +
                     (c.remedy.empty() ? "" : ". Remedy: " + c.remedy) + ".") +
             "\n\n";
    for (const ReportPicture& p : section.pictures) {
      if (picture < pictures.size() && !pictures[picture].empty())
        out += "![" + escaped(p.alt) + "](<" + pictures[picture] + ">)\n\n" + escaped(p.caption) + "\n\n";
      ++picture;
    }
    for (const ReportTable& table : section.tables) out += listed(table);
  }
  out += "## How this was made\n\n";
  TextTable made({{"what", TextTable::Align::left}, {"value", TextTable::Align::left}});
  for (const auto& [key, value] : report.made_with) made.add({key, value});
  out += table_markdown(made);
  for (const auto& [name, text] : report.texts) out += "### " + escaped(name) + "\n\n" + fenced(text) + "\n";
  return out;
}

}  // namespace vprism
