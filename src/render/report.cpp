// report.cpp: fills the page's template. {{x}} is escaped by the template library; pictures go in as base64
// data, curves as JSON in blocks that are not run. The page's script and style are in page/.
#include "render/report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <kainjow/mustache.hpp>

#include "render/base64.h"

namespace vprism {

// Made by cmake/embed.cmake.
std::string_view report_script();
std::string_view report_script_sha256();
std::string_view report_style();

namespace {

namespace ms = kainjow::mustache;

/// A text of several lines with what controls a terminal taken out.
std::string clean_lines(const std::string& text) {
  std::string out;
  for (const std::string& line : split(text, '\n')) out += clean_text(line, 10000) + "\n";
  return out;
}

constexpr const char* page = R"(<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; img-src data:; style-src 'unsafe-inline'; script-src 'sha256-{{&script_digest}}'; base-uri 'none'; form-action 'none'">
<title>{{title}}</title>
<style>{{&style}}</style>
</head>
<body>
<button class="theme" type="button">light or dark</button>
<h1>{{title}}</h1>
<p class="note">{{intro}}</p>
{{#has_answer}}<div class="answer {{verdict}}" role="status">{{#answer}}<p>{{.}}</p>{{/answer}}</div>{{/has_answer}}
{{#answer_tables}}{{>table}}{{/answer_tables}}
{{#list_findings}}
<h2 id="findings">What was found</h2>
{{^has_findings}}<p>No line stands above the noise in any channel.</p>{{/has_findings}}
{{#has_findings}}
<div class="scroll"><table>
<tr>{{#numbered}}<th class="n">#</th>{{/numbered}}{{#several}}<th>recording</th>{{/several}}<th>channel</th><th>finding</th>{{#accusing}}<th>suspect</th>{{/accusing}}<th class="n">frequency</th><th class="n">level, RMS</th></tr>
{{#findings}}
<tr>{{#numbered}}<td class="n">{{number}}</td>{{/numbered}}{{#several}}<td class="w">{{recording}}</td>{{/several}}<td>{{channel}}</td><td class="f">{{text}}<details><summary>evidence</summary><ul>{{#evidence}}<li>{{.}}</li>{{/evidence}}</ul></details></td>{{#accusing}}<td>{{suspect}}</td>{{/accusing}}<td class="n">{{frequency}}</td><td class="n">{{level}}</td></tr>
{{/findings}}
</table></div>
{{/has_findings}}
{{/list_findings}}
{{#has_contents}}<nav aria-label="contents">{{#contents}}<a href="#{{id}}">{{title}}</a> {{/contents}}<a href="#made">How this was made</a></nav>{{/has_contents}}
{{#sections}}
{{#below}}<h3 id="{{id}}">{{title}}</h3>{{/below}}{{^below}}<h2 id="{{id}}">{{title}}</h2>{{/below}}
{{#facts}}<p>{{.}}</p>{{/facts}}
{{#cautions}}<p class="caution {{class}}"><strong>{{severity}}</strong> {{text}}</p>{{/cautions}}
{{#pictures}}<figure class="{{class}}">{{#has_data}}<img src="data:{{kind}};base64,{{&data}}" alt="{{alt}}">{{/has_data}}{{#curves}}<script type="application/json" class="curves" id="{{id}}">{{&data}}</script>{{/curves}}<figcaption>{{caption}}</figcaption></figure>
{{/pictures}}
{{#tables}}{{>table}}{{/tables}}
{{/sections}}
<h2 id="made">How this was made</h2>
<div class="scroll"><table>
{{#made_with}}<tr><td>{{key}}</td><td>{{value}}</td></tr>
{{/made_with}}
</table></div>
{{#texts}}<h3>{{name}}</h3>
<pre>{{text}}</pre>
{{/texts}}
{{#scripted}}<script>{{&script}}</script>{{/scripted}}
</body>
</html>
)";

constexpr const char* table_part = R"(<h3>{{title}}</h3>
{{#note}}<p class="note">{{note}}</p>{{/note}}
<div class="scroll"><table>
<tr>{{#heads}}<th class="{{class}}">{{text}}</th>{{/heads}}</tr>
{{#rows}}<tr>{{#cells}}<td class="{{class}}">{{#jump}}<button class="jump" type="button" data-chart="{{chart}}" data-x="{{x}}">{{text}}</button>{{/jump}}{{^jump}}{{text}}{{/jump}}</td>{{/cells}}</tr>
{{/rows}}
</table></div>
)";

/// Hexadecimal digits as the base64 of the bytes they stand for.
std::string digest_base64(std::string_view hex) {
  std::string bytes;
  for (std::size_t i = 0; i + 1 < hex.size(); i += 2)
    bytes += static_cast<char>(std::stoi(std::string(hex.substr(i, 2)), nullptr, 16));
  return to_base64(bytes);
}

template <typename List, typename Make>
ms::data list_of(const List& items, Make make) {
  ms::data out{ms::data::type::list};
  for (const auto& item : items) out.push_back(make(item));
  return out;
}

/// A panel that can be zoomed, and where it is in the page.
struct Chart {
  std::string id, title, unit;
};

ms::data table_data(const ReportTable& table, const std::vector<Chart>& charts = {}) {
  const auto& columns = table.table.columns();
  const auto chart = std::find_if(charts.begin(), charts.end(), [&](const Chart& c) {
    return c.unit == table.place_unit && c.title.find(table.panel) != std::string::npos;
  });
  const auto cell = [&](std::size_t c, const std::string& text) {
    ms::data out{ms::data::type::object};
    out.set("text", text);
    out.set("class", columns[c].align == TextTable::Align::right ? "n" : "");
    out.set("jump", false);
    return out;
  };
  ms::data heads{ms::data::type::list}, rows{ms::data::type::list};
  for (std::size_t c = 0; c < columns.size(); ++c) heads.push_back(cell(c, columns[c].title));
  for (std::size_t r = 0; r < table.table.rows().size(); ++r) {
    const auto& row = table.table.rows()[r];
    ms::data cells{ms::data::type::list};
    for (std::size_t c = 0; c < columns.size(); ++c) {
      ms::data one = cell(c, row[c]);
      if (chart != charts.end() && c == table.place_column && r < table.places.size() &&
          std::isfinite(table.places[r])) {
        one.set("jump", true);
        one.set("chart", chart->id);
        one.set("x", fmt::format("{}", table.places[r]));
      }
      cells.push_back(one);
    }
    ms::data line{ms::data::type::object};
    line.set("cells", cells);
    rows.push_back(line);
  }
  ms::data out{ms::data::type::object};
  out.set("title", table.title);
  if (!table.note.empty()) out.set("note", table.note);
  out.set("heads", heads);
  out.set("rows", rows);
  return out;
}

std::string caution_text(const Caution& c) {
  return (c.channel.empty() ? "" : c.channel + ": ") + c.text +
         (c.remedy.empty() ? "" : ". Remedy: " + c.remedy) + ".";
}

ms::data section_data(const ReportSection& section, std::size_t number, std::size_t points) {
  ms::data out{ms::data::type::object};
  out.set("title", section.title);
  out.set("id", "s" + std::to_string(number));
  out.set("below", section.below);
  out.set("facts", list_of(section.facts, [](const std::string& fact) { return ms::data{fact}; }));
  out.set("cautions", list_of(section.cautions, [](const Caution& c) {
            ms::data d{ms::data::type::object};
            d.set("class", c.severity == Severity::serious ? "serious"
                           : c.severity == Severity::note  ? "kept"
                                                           : "");
            d.set("severity", std::string(severity_name(c.severity)));
            d.set("text", caution_text(c));
            return d;
          }));
  std::vector<Chart> charts;
  std::size_t count = 0;
  out.set("pictures", list_of(section.pictures, [&](const ReportPicture& p) {
            ms::data d{ms::data::type::object}, curves{ms::data::type::list};
            d.set("kind", p.kind == Picture::svg ? "image/svg+xml" : "image/png");
            d.set("has_data", !p.bytes.empty());
            d.set("data", to_base64(p.bytes));
            d.set("alt", p.alt);
            d.set("caption", p.caption);
            // With panels that only the picture shows, it stays beside the curves.
            bool all = p.figure.has_value();
            if (p.figure)
              for (const Panel& panel : p.figure->panels) {
                const std::string json = curves_json(panel, points);
                all = all && !json.empty();
                if (json.empty()) continue;
                charts.push_back({fmt::format("c{}-{}", number, ++count),
                                  panel.title.empty() ? p.figure->title : panel.title, panel.x.unit});
                ms::data one{ms::data::type::object};
                one.set("id", charts.back().id);
                one.set("data", json);
                curves.push_back(one);
              }
            d.set("curves", curves);
            d.set("class", all ? "charted" : "");
            return d;
          }));
  out.set("tables", list_of(section.tables, [&](const ReportTable& t) { return table_data(t, charts); }));
  return out;
}

}  // namespace

std::string report_html(const Report& report) {
  ms::data data{ms::data::type::object};
  data.set("title", report.title);
  data.set("intro", report.intro);
  data.set("style", std::string(report_style()));
  data.set("script", std::string(report_script()));
  data.set("script_digest", digest_base64(report_script_sha256()));
  data.set("scripted",
           std::any_of(report.sections.begin(), report.sections.end(), [](const ReportSection& s) {
             return std::any_of(s.pictures.begin(), s.pictures.end(),
                                [](const ReportPicture& p) { return p.figure.has_value(); });
           }));
  data.set("has_answer", !report.answer.empty());
  data.set("verdict", report.verdict == "fail" ? "serious" : report.verdict == "pass" ? "good" : "");
  data.set("answer", list_of(report.answer, [](const std::string& line) { return ms::data{line}; }));
  data.set("answer_tables",
           list_of(report.answer_tables, [](const ReportTable& t) { return table_data(t); }));
  data.set("list_findings", report.list_findings);
  data.set("several", report.sections.size() > 1);
  data.set("has_findings", !report.findings.empty());
  data.set("numbered", report.numbered);
  data.set("accusing", std::any_of(report.findings.begin(), report.findings.end(),
                                   [](const Finding& f) { return !f.suspect.empty(); }));
  int count = 0;
  std::string recording;
  data.set("findings", list_of(report.findings, [&](const Finding& f) {
             ms::data d{ms::data::type::object};
             // The figure of each recording counts its own.
             count = f.recording == recording ? count + 1 : 1;
             recording = f.recording;
             d.set("number", std::to_string(count));
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
  std::size_t section_count = 0;
  data.set("sections", list_of(report.sections, [&](const ReportSection& s) {
             return section_data(s, section_count++, report.curve_points);
           }));
  ms::data contents{ms::data::type::list};
  for (std::size_t i = 0; i < report.sections.size(); ++i) {
    if (report.sections[i].below) continue;
    ms::data one{ms::data::type::object};
    one.set("id", "s" + std::to_string(i));
    one.set("title", report.sections[i].title);
    contents.push_back(one);
  }
  data.set("has_contents", report.sections.size() > 3);
  data.set("contents", contents);
  data.set("made_with", list_of(report.made_with, [](const auto& pair) {
             ms::data d{ms::data::type::object};
             d.set("key", pair.first);
             d.set("value", pair.second);
             return d;
           }));
  data.set("texts", list_of(report.texts, [](const auto& pair) {
             ms::data d{ms::data::type::object};
             d.set("name", pair.first);
             d.set("text", clean_lines(pair.second));
             return d;
           }));
  data.set("table", ms::data{ms::partial{[] { return std::string(table_part); }}});
  ms::mustache page_template{page};
  return page_template.render(data);
}

}  // namespace vprism
