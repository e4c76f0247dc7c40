// output_ledger.h: which files of an output folder are results of this program, and of which command.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace vprism {

/// A small hidden file in the folder, `.vprism-outputs.json`, which names each output with the command that
/// wrote it and a digest. A file that is not in it (another version's, a copied folder) belongs to a command
/// if a result document beside it says so.
class OutputLedger {
 public:
  static constexpr const char* file_name = ".vprism-outputs.json";
  explicit OutputLedger(std::filesystem::path folder);
  /// "" if `name` is as a run of `command` left it; else why it is not.
  std::string why_foreign(const std::string& name, const std::string& command) const;
  /// Notes what `command` has just put into the folder and saves it. A folder in which it can't be saved
  /// keeps its documents to tell.
  void note(const std::vector<std::string>& names, const std::string& command);

 private:
  struct Entry {
    std::string command, digest;
  };
  bool document_claims(const std::string& name, const std::string& command) const;
  std::filesystem::path folder_;
  std::map<std::string, Entry> entries_;
};

/// Digest of a file's size and bytes; of a file over 64 MB of some blocks of it. "" where it can't be read.
std::string output_digest(const std::filesystem::path& path);

/// Held while outputs are put in place, so that two runs into one folder do not mix.
class FolderLock {
 public:
  explicit FolderLock(const std::filesystem::path& folder);
  ~FolderLock();
  FolderLock(const FolderLock&) = delete;
  FolderLock& operator=(const FolderLock&) = delete;

 private:
  int descriptor_;
};

}  // namespace vprism
