// case.h: running a case file.
#pragma once

#include <string>
#include <vector>

#include "base/error.h"
#include "frame/option_groups.h"
#include "runner/case_file.h"
#include "runner/cluster/follow.h"

namespace vprism {

struct CaseTaskSettings {
  bool check = false, fresh = false;
  std::vector<std::string> only;
  std::vector<std::pair<std::string, std::string>> variables;
  ClusterSettings cluster;
  std::string step;     ///< What a job on a cluster runs: this step's results are kept, nothing is reported.
  bool gather = false;  ///< All steps have been jobs of their own.
  OutputSettings output;
};

/// Reads, runs and reports; prints what came of it. 0; 1 where a limit is broken; the status of the first
/// step that failed.
Status run_case(const std::string& path, const CaseTaskSettings& settings);

}  // namespace vprism
