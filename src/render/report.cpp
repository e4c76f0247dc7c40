// report.cpp: fills the page's template. {{x}} is escaped by the template library; pictures go in as base64
// data.
#include "render/report.h"

#include <fmt/format.h>

#include <algorithm>
#include <kainjow/mustache.hpp>

#include "render/base64.h"

namespace vprism {

namespace {

namespace ms = kainjow::mustache;

constexpr const char* page = R"(<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; img-src data:; style-src 'unsafe-inline'">
<title>{{title}}</title>
<style>
body { margin: 0 auto; max-width: 76rem; padding: 1.5rem 2rem 4rem; font: 16px/1.5 "DejaVu Sans", Verdana, sans-serif; color: #1c2326; background: #fff; }
h1 { font-size: 1.6rem; margin: 0 0 .3rem; }
h2 { font-size: 1.25rem; margin: 2.5rem 0 .6rem; border-bottom: 2px solid #0072b2; padding-bottom: .2rem; }
h3 { font-size: 1.02rem; margin: 1.4rem 0 .4rem; }
p { margin: .4rem 0; }
.scroll { overflow-x: auto; }
table { border-collapse: collapse; font-size: .88rem; margin: .5rem 0 1rem; }
th, td { padding: .25rem .8rem .25rem 0; text-align: left; vertical-align: top; border-bottom: 1px solid #e2e6e8; }
th { border-bottom: 1px solid #7b878c; font-weight: 600; }
.w { white-space: nowrap; }
.n { text-align: right; font-variant-numeric: tabular-nums; white-space: nowrap; }
figure { margin: 1rem 0 1.5rem; }
figure img { max-width: 100%; height: auto; border: 1px solid #e2e6e8; }
figcaption, .note { color: #56636a; font-size: .85rem; }
details { margin: 0; } summary { cursor: pointer; color: #56636a; font-size: .82rem; }
details ul { margin: .2rem 0 .3rem; padding-left: 1.2rem; font-size: .85rem; }
.caution { border-left: 4px solid #e69f00; padding: .2rem .8rem; margin: .5rem 0; background: #fdf7ea; }
.serious { border-color: #d55e00; background: #fdf0e9; }
.kept { border-color: #9aa5aa; background: #f5f7f8; }
</style>
</head>
<body>
<h1>{{title}}</h1>
<p class="note">{{intro}}</p>
<h2>What was found</h2>
{{^findings}}<p>No line stands above the noise in any channel.</p>{{/findings}}
{{#has_findings}}
<div class="scroll"><table>
<tr>{{#numbered}}<th class="n">#</th>{{/numbered}}{{#several}}<th>recording</th>{{/several}}<th>channel</th><th>finding</th>{{#accusing}}<th>suspect</th>{{/accusing}}<th class="n">frequency</th><th class="n">level, RMS</th></tr>
{{#findings}}
<tr>{{#numbered}}<td class="n">{{number}}</td>{{/numbered}}{{#several}}<td class="w">{{recording}}</td>{{/several}}<td>{{channel}}</td><td>{{text}}<details><summary>evidence</summary><ul>{{#evidence}}<li>{{.}}</li>{{/evidence}}</ul></details></td>{{#accusing}}<td>{{suspect}}</td>{{/accusing}}<td class="n">{{frequency}}</td><td class="n">{{level}}</td></tr>
{{/findings}}
</table></div>
{{/has_findings}}
{{#sections}}
<h2>{{title}}</h2>
{{#facts}}<p>{{.}}</p>{{/facts}}
{{#cautions}}<p class="caution {{class}}"><strong>{{severity}}</strong> {{text}}</p>{{/cautions}}
{{#pictures}}<figure><img src="data:image/png;base64,{{&data}}" alt="{{alt}}"><figcaption>{{caption}}</figcaption></figure>{{/pictures}}
{{#tables}}
<h3>{{title}}</h3>
<p class="note">{{note}}</p>
<div class="scroll"><table>
<tr>{{#heads}}<th class="{{class}}">{{text}}</th>{{/heads}}</tr>
{{#rows}}<tr>{{#cells}}<td class="{{class}}">{{text}}</td>{{/cells}}</tr>
{{/rows}}
</table></div>
{{/tables}}
{{/sections}}
<h2>How this was made</h2>
<div class="scroll"><table>
{{#made_with}}<tr><td>{{key}}</td><td>{{value}}</td></tr>
{{/made_with}}
</table></div>
</body>
</html>
)";

template <typename List, typename Make>
ms::data list_of(const List& items, Make make) {
  ms::data out{ms::data::type::list};
  for (const auto& item : items) out.push_back(make(item));
  return out;
}

ms::data table_data(const ReportTable& table) {
  const auto& columns = table.table.columns();
  const auto cell = [&](std::size_t c, const std::string& text) {
    ms::data out{ms::data::type::object};
    out.set("text", text);
    out.set("class", columns[c].align == TextTable::Align::right ? "n" : "");
    return out;
  };
  ms::data heads{ms::data::type::list}, rows{ms::data::type::list};
  for (std::size_t c = 0; c < columns.size(); ++c) heads.push_back(cell(c, columns[c].title));
  for (const auto& row : table.table.rows()) {
    ms::data cells{ms::data::type::list};
    for (std::size_t c = 0; c < columns.size(); ++c) cells.push_back(cell(c, row[c]));
    ms::data line{ms::data::type::object};
    line.set("cells", cells);
    rows.push_back(line);
  }
  ms::data out{ms::data::type::object};
  out.set("title", table.title);
  out.set("note", table.note);
  out.set("heads", heads);
  out.set("rows", rows);
  return out;
}

ms::data section_data(const ReportSection& section) {
  ms::data out{ms::data::type::object};
  out.set("title", section.title);
  out.set("facts", list_of(section.facts, [](const std::string& fact) { return ms::data{fact}; }));
  out.set("cautions", list_of(section.cautions, [](const Caution& c) {
            ms::data d{ms::data::type::object};
            d.set("class", c.severity == Severity::serious ? "serious"
                           : c.severity == Severity::note  ? "kept"
                                                           : "");
            d.set("severity", std::string(severity_name(c.severity)));
            d.set("text", (c.channel.empty() ? "" : c.channel + ": ") + c.text +
                              (c.remedy.empty() ? "" : ". Remedy: " + c.remedy) + ".");
            return d;
          }));
  out.set("pictures", list_of(section.pictures, [](const ReportPicture& p) {
            ms::data d{ms::data::type::object};
            d.set("data", to_base64(p.png));
            d.set("alt", p.alt);
            d.set("caption", p.caption);
            return d;
          }));
  out.set("tables", list_of(section.tables, table_data));
  return out;
}

}  // namespace

std::string report_html(const Report& report) {
  ms::data data{ms::data::type::object};
  data.set("title", report.title);
  data.set("intro", report.intro);
  data.set("several", report.sections.size() > 1);
  data.set("has_findings", !report.findings.empty());
  data.set("numbered", report.numbered);
  data.set("accusing", std::any_of(report.findings.begin(), report.findings.end(),
                                   [](const Finding& f) { return !f.suspect.empty(); }));
  int number = 0;
  std::string recording;
  data.set("findings", list_of(report.findings, [&](const Finding& f) {
             ms::data d{ms::data::type::object};
             // The figure of each recording counts its own.
             number = f.recording == recording ? number + 1 : 1;
             recording = f.recording;
             d.set("number", std::to_string(number));
             d.set("suspect", f.suspect);
             Recording named;
             named.file = f.recording;
             d.set("recording", named.stem());
             d.set("channel", f.channel);
             d.set("text", f.text);
             d.set("frequency", f.kind == "event" ? "" : format_quantity(f.frequency_hz, "Hz", 6));
             d.set("level", format_quantity(f.level_rms, f.unit, 4));
             d.set("evidence", list_of(f.evidence, [](const std::string& line) { return ms::data{line}; }));
             return d;
           }));
  data.set("sections", list_of(report.sections, section_data));
  data.set("made_with", list_of(report.made_with, [](const auto& pair) {
             ms::data d{ms::data::type::object};
             d.set("key", pair.first);
             d.set("value", pair.second);
             return d;
           }));
  ms::mustache page_template{page};
  return page_template.render(data);
}

}  // namespace vprism
