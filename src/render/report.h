// report.h: a report as one HTML page with its figures inside.
#pragma once

#include <string>
#include <vector>

#include "base/text.h"
#include "render/document.h"

namespace vprism {

struct ReportPicture {
  std::string bytes;  ///< PNG, or SVG.
  std::string alt;    ///< What it shows, in words.
  std::string caption;
  Picture kind = Picture::png;
  /// Where there is one, its curves can be zoomed in the page.
  std::optional<Figure> figure = {};
};

struct ReportTable {
  std::string title;
  std::string note;
  TextTable table;
  /// Of each row: what stands in `place_column` jumps to there on a curve. The curve: the panel of the
  /// section's figures whose title holds `panel` and whose x is in `place_unit`.
  std::vector<double> places = {};
  std::size_t place_column = 0;
  std::string panel = {}, place_unit = {};
};

/// One recording's part of the page, or one step's.
struct ReportSection {
  std::string title;
  std::vector<std::string> facts;
  std::vector<Caution> cautions;
  std::vector<ReportPicture> pictures;
  std::vector<ReportTable> tables;
  bool below = false;  ///< Belongs to the section before it.
};

struct Report {
  std::string title;
  std::string intro;
  std::vector<std::string> answer;  ///< Sentences, the first the most important.
  std::string verdict;              ///< "pass", "fail" or "": how the answer looks.
  std::vector<ReportTable> answer_tables;
  std::vector<Finding> findings;
  bool list_findings = true;
  bool numbered = false;  ///< Findings carry the numbers that the pictures show.
  std::vector<ReportSection> sections;
  std::vector<std::pair<std::string, std::string>> made_with;  ///< Settings, digests, version.
  std::vector<std::pair<std::string, std::string>> texts;      ///< Name and text, such as the case's.
  std::size_t curve_points = 3000;                             ///< Of each curve that can be zoomed.
};

/// The page: no request to anywhere, every text escaped, no script but the page's own, which its policy names
/// by digest. All is read as well without it.
std::string report_html(const Report& report);
/// The same as Markdown; `pictures` are the names of the files that the sections' pictures are in, in order.
std::string report_markdown(const Report& report, const std::vector<std::string>& pictures);

/// A panel's curves as the page's script takes them; "" where it has none that can be zoomed.
std::string curves_json(const Panel& panel, std::size_t points);

}  // namespace vprism
