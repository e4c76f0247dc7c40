// report.h: the survey report, one HTML page with the figures inside.
#pragma once

#include <string>
#include <vector>

#include "base/text.h"
#include "render/document.h"

namespace vprism {

struct ReportPicture {
  std::string png;  ///< Bytes.
  std::string alt;  ///< What it shows, in words.
  std::string caption;
};

struct ReportTable {
  std::string title;
  std::string note;
  TextTable table;
};

/// One recording's part of the page.
struct ReportSection {
  std::string title;
  std::vector<std::string> facts;
  std::vector<Caution> cautions;
  std::vector<ReportPicture> pictures;
  std::vector<ReportTable> tables;
};

struct Report {
  std::string title;
  std::string intro;
  std::vector<Finding> findings;
  bool numbered = false;  ///< Findings carry the numbers that the pictures show.
  std::vector<ReportSection> sections;
  std::vector<std::pair<std::string, std::string>> made_with;  ///< Settings, digests, version.
};

/// The page: no script, no request to anywhere, every text escaped.
std::string report_html(const Report& report);

}  // namespace vprism
