// tern_point.h: makes the recordings of the demo case, and the truth about them, from fixed seeds.
#pragma once

#include <string>
#include <vector>

namespace vprism::demo {

struct DemoFile {
  std::string name;
  std::string bytes;
};

/// The recordings and TRUTH.md; the same bytes on every run.
std::vector<DemoFile> make_files();

/// Import settings that the recordings need to be in their physical units, as `--calibrate` takes them.
std::vector<std::string> calibrations();

}  // namespace vprism::demo
