// identified.h: what the program finds in a record of one channel.
#pragma once

#include <fmt/format.h>
#include <gtest/gtest.h>

#include "cli/run_program.h"

namespace vprism::zoo {

inline nlohmann::json identified(const std::vector<double>& x, double rate_hz) {
  const ScratchFolder folder;
  folder.write("x.f64", std::string(reinterpret_cast<const char*>(x.data()), 8 * x.size()));
  const auto run = run_program(
      folder,
      fmt::format("identify x.f64 --binary f64le:1ch --rate {}Hz --quiet --figure none --json", rate_hz));
  EXPECT_EQ(run.status, 0) << run.err;
  return run.json();
}

}  // namespace vprism::zoo
