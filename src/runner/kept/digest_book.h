// digest_book.h: digests of the files that results were made from, remembered from run to run.
#pragma once

#include <filesystem>
#include <future>
#include <map>
#include <mutex>
#include <string>
#include <vector>

namespace vprism {

/// Digests of files and folders, each made once a run; remembered from run to run
/// as long as device, inode, size and both times of change stay.
class DigestBook {
 public:
  /// `memory`: where they are remembered, or "". What can't be read there is not. `quick`: of large files
  /// only size, time of change and sampled blocks, named as such; nothing is remembered.
  explicit DigestBook(std::filesystem::path memory, bool quick = false);
  /// Of a file with those beside it that belong to it (the same name before the last point), or of all files
  /// of a folder. "missing" where there is none.
  std::string of(const std::filesystem::path& path);
  /// Writes the memory; what can't be written is not remembered.
  void save() const;

 private:
  std::string of_file(const std::filesystem::path& path);
  /// The files of a folder with this name before the last point. A folder is listed once.
  std::vector<std::filesystem::path> beside(const std::filesystem::path& path);
  struct Known {
    std::vector<std::int64_t> facts;  ///< Device, inode, size, times of change of bytes and of place.
    std::string digest;
  };
  std::filesystem::path memory_;
  bool quick_;
  std::map<std::string, std::multimap<std::string, std::filesystem::path>> folders_;
  mutable std::mutex lock_;
  std::map<std::string, Known> known_;
  std::map<std::string, std::shared_future<std::string>> being_made_;
};

}  // namespace vprism
