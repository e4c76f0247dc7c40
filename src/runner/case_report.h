// case_report.h: the results of a case's steps as one report.
#pragma once

#include "render/report.h"
#include "runner/case_answer.h"
#include "runner/case_run.h"

namespace vprism {

struct CaseReport {
  Report report;
  std::vector<std::string> pictures;  ///< Of each picture of the report, its file below the steps' folder.
  std::vector<Figure> figures;        ///< The same, to be drawn as pages.
  Json document;                      ///< The case's own.
};

/// Reads figures and pictures of the steps from `place`.
CaseReport report_case(const Case& value, const std::vector<StepResult>& steps, const KeptPlace& place);

}  // namespace vprism
