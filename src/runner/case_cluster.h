// case_cluster.h: the steps of a case as jobs of a cluster, each behind those that it takes something from.
#pragma once

#include "runner/case.h"
#include "runner/case_run.h"

namespace vprism {

/// Submits a job for each step, and one behind them all that makes the report; waits for that.
Status spread_case(const std::string& path, const Case& value, const CaseTaskSettings& settings);
/// What the job of a step does: its results are kept.
Status run_one_step(const Case& value, const CaseTaskSettings& settings);
/// Steps that a job has just run were not kept from before, though they are found so.
void know_who_ran(const SpreadFolder& folder, std::vector<StepResult>& steps);
/// Where a case's results are kept; the line-up that stands in the case itself lies beside them.
KeptPlace case_place(const Case& value, const CaseTaskSettings& settings, const KeptFolder& folder);
void write_line_up(const Case& value, const KeptFolder& folder);

}  // namespace vprism
