// batch_work.h: what a batch runs over which recordings, wherever it runs.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "runner/kept/kept_run.h"

namespace vprism {

struct BatchWork {
  std::string what;  ///< A command or a case file.
  bool is_case = false;
  std::vector<std::string> files;        ///< One for each recording,
  std::vector<std::string> names;        ///< and of the folder that its results are kept in.
  std::vector<std::string> options;      ///< Of the command, "--name=value".
  std::vector<std::string> files_named;  ///< By those options.
  std::string variable = "file";         ///< Of the case.
  std::optional<Picture> figure;
  bool fresh = false;
  bool quick = false;  ///< Large files are known by size, time of change and sampled blocks.

  /// Gives each recording a name of its own, from the file's.
  void name_recordings();
  KeptPlace place(const KeptFolder& folder, std::size_t threads) const;
  /// One recording. Several may run at once.
  KeptResult run(std::size_t recording, const KeptPlace& place, DigestBook& digests) const;

  Json json() const;
  static BatchWork from_json(const Json& json);
};

/// Where the results of a batch are kept, within the folder of its outputs.
std::filesystem::path kept_in(const std::string& outputs);

}  // namespace vprism
