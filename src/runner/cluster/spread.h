// spread.h: a batch spread over a cluster: which recordings each task takes, and what became of them. All of
// it lies in a folder that the tasks share, so that whoever comes later finds how far it has got.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "render/document.h"

namespace vprism {

/// Shares of like size in bytes, each the numbers of its recordings in ascending order. `most`: shares at
/// most. No share is empty.
std::vector<std::vector<std::size_t>> even_shares(const std::vector<std::uint64_t>& bytes, std::size_t most);

/// Size of a file, or of all files in a folder; 0 where there is none.
std::uint64_t bytes_of(const std::filesystem::path& path);

/// What a task notes of one recording.
struct Outcome {
  std::size_t file = 0;  ///< Its number.
  bool ended = false;    ///< Else it has only begun.
  bool reused = false;
  int status = 0;
  std::string said, node;
};

/// The folder with the plan, a log for each task and the table.
class SpreadFolder {
 public:
  explicit SpreadFolder(std::filesystem::path outputs) : path_(std::move(outputs) / "cluster") {}
  const std::filesystem::path& path() const { return path_; }
  /// Throws Error(output).
  void write_plan(const Json& plan) const;
  /// Throws Error(input) where there is none.
  Json plan() const;
  /// A line behind those of the same task, whole whoever else writes to the folder. Throws Error(output).
  void note(std::size_t task, const Outcome& outcome) const;
  /// The last of each recording. A line that was cut counts for nothing.
  std::vector<Outcome> outcomes(std::size_t task) const;
  /// All lines of all tasks of an earlier run are removed, and what was made of them.
  void clear() const;
  std::filesystem::path table() const { return path_ / "table.txt"; }
  std::filesystem::path said() const { return path_ / "said.txt"; }
  /// Holds the exit status once the table is there.
  std::filesystem::path status() const { return path_ / "status"; }
  std::filesystem::path log(std::size_t task) const {
    return path_ / ("task-" + std::to_string(task) + ".log");
  }

 private:
  std::filesystem::path notes(std::size_t task) const {
    return path_ / ("task-" + std::to_string(task) + ".jsonl");
  }
  std::filesystem::path path_;
};

}  // namespace vprism
