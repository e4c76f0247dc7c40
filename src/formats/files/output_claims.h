// output_claims.h: which files of an output folder are earlier results of this program, by the documents that
// lie beside them.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace vprism {

/// Digest of a file's bytes; of one over 64 MB of its size and some blocks of it, and named so. "" where it
/// can't be read.
std::string output_digest(const std::filesystem::path& path);

/// Notes on a file which command wrote these bytes. A file system that can't hold that leaves it to
/// documents.
void mark_output(const std::filesystem::path& path, const std::string& command);

/// A file that a result document lists.
struct ClaimedOutput {
  std::string name, digest;  ///< Of the bytes that were written; "" in documents that do not say.
};

/// Reads the folder's result documents when first asked.
class OutputClaims {
 public:
  explicit OutputClaims(std::filesystem::path folder) : folder_(std::move(folder)) {}
  /// "" if `name` is as a run of `command` left it; else why it is not.
  std::string why_foreign(const std::string& name, const std::string& command);

 private:
  struct Document {
    std::string name, command;
    std::filesystem::file_time_type time;
    std::vector<ClaimedOutput> outputs;
  };
  static bool read(const std::filesystem::path& path, Document& out);
  bool unchanged(const ClaimedOutput& output, const Document& document) const;
  std::filesystem::path folder_;
  bool all_read_ = false;
  std::vector<Document> documents_;
};

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
