// cores.h: how many cores this process may use.
#pragma once

#include <cstddef>
#include <optional>
#include <string>

namespace vprism {

/// Those of the machine that its affinity allows, no more than its control group's share of their time, as
/// containers and schedulers set it, no more than a batch scheduler says that it gave, and no more than
/// threads can be begun; one at least.
std::size_t usable_cores();

/// Cores of this node that a batch scheduler gave to the job that this process is part of, by its variables.
std::optional<std::size_t> scheduler_cores();

/// The share of its control group and those above it, in cores, by Linux's version 2 (cpu.max) or 1
/// (cpu.cfs_quota_us); nothing where none is set. `root` stands before /proc and /sys.
std::optional<double> control_group_cores(const std::string& root = "");

}  // namespace vprism
