// case_run.h: the steps of a case, run side by side where none waits for another.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "runner/case_file.h"
#include "runner/kept/kept_run.h"

namespace vprism {

struct StepResult {
  const CaseStep* step = nullptr;
  KeptResult kept;
  bool asked_for = true;  ///< Not with --only others.
  std::string why_not;    ///< Set where a step that it takes something from has failed.
};

/// Told how many steps are done of how many, and the one that has just ended.
using StepProgress = std::function<void(std::size_t done, std::size_t all, const StepResult&)>;

/// One result for each step, in the case's order. `only`: names of steps; empty for all; what they take
/// something from is run too. Throws Error(usage) for a name that no step has, Error(output) when results
/// can't be kept or figures not be drawn.
std::vector<StepResult> run_steps(const Case& value, const std::vector<std::string>& only,
                                  const KeptPlace& place, DigestBook& digests, std::size_t side_by_side,
                                  const StepProgress& progress);

/// Work items 0 .. count - 1 on so many threads, each as soon as `ready(i)` says so; `work(i)` is called once
/// for each. The first exception stops what has not begun and is thrown again at the end.
void run_side_by_side(std::size_t count, std::size_t threads, const std::function<bool(std::size_t)>& ready,
                      const std::function<void(std::size_t)>& work);

}  // namespace vprism
