// to_stdout.h: a recording that is written to standard output.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "frame/option_groups.h"

namespace vprism {

/// Where a command's recordings are written first when --out - is given: a folder of its own in the temporary
/// folder, removed again. For any other --out it does nothing.
class StdoutFolder {
 public:
  /// Lets `settings` write there. Throws Error(output) where there is no room for it.
  explicit StdoutFolder(OutputSettings& settings);
  ~StdoutFolder();
  StdoutFolder(const StdoutFolder&) = delete;
  StdoutFolder& operator=(const StdoutFolder&) = delete;
  explicit operator bool() const { return !path_.empty(); }
  /// All bytes of the only one of these files. Throws Error(usage) where there are several: a format that
  /// takes two, or more recordings than one.
  void send(const std::vector<std::string>& names) const;

 private:
  std::filesystem::path path_;
};

}  // namespace vprism
