// output_folder.h: outputs that appear whole or not at all.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace vprism {

/// All bytes of a file; "" where it can't be read.
std::string read_whole_file(const std::filesystem::path& path);
/// Throws Error(output); nothing is left of a file that could not be written whole.
void write_whole_file(const std::filesystem::path& path, const std::string& bytes);

/// Files of one command. Each is written beside its place under a temporary name; `commit` puts all in place
/// by renaming. What is not committed is removed again. A file that is already there with the same bytes is
/// left as it is; with other bytes it is replaced if it is an earlier result of the same command
/// (output_claims.h) or `replace` is set, else it is an error.
class OutputFolder {
 public:
  /// Makes the folder if need be. Throws Error(output) when it can't be written to. Without a `command`
  /// nothing that is there is taken for an earlier result. Folders made for nothing are removed again.
  OutputFolder(const std::string& folder, bool replace, std::string command = "");
  ~OutputFolder();
  OutputFolder(const OutputFolder&) = delete;
  OutputFolder& operator=(const OutputFolder&) = delete;

  /// Paths that must never be written: the inputs.
  void protect(const std::string& input);
  /// Names that will be written: throws Error(output) at once where that would be an error at the end.
  void expect(const std::vector<std::string>& names) const;
  void add(const std::string& name, const std::string& bytes, const std::string& what);
  /// Where a file that grows with the data is to be written; it becomes `name` in the folder on commit.
  std::string place(const std::string& name, const std::string& what);
  /// Where that is, once placed.
  std::string waiting_path(const std::string& name) const { return (waiting_ / name).string(); }
  /// Other bytes for what was added; where they can't be written, those before stay.
  void renew(const std::string& name, const std::string& bytes);
  /// Takes back a file that could not be made.
  void withdraw(const std::string& name);
  void commit();

  struct Entry {
    std::string file;  ///< Folder and name, as the user gave the folder.
    std::string what;
    std::string digest = {};  ///< Of its bytes, by which a later run knows it again; "" if not made.
  };
  const std::vector<Entry>& entries() const { return entries_; }
  /// The same with the digests of all that is written by now.
  std::vector<Entry> entries_with_digests() const;
  std::string path_of(const std::string& name) const;

 private:
  void check_input(const std::string& name) const;
  std::filesystem::path folder_, waiting_;
  bool replace_;
  std::string command_;
  std::vector<std::string> names_;
  std::vector<Entry> entries_;
  std::vector<std::filesystem::path> inputs_;
  std::vector<std::filesystem::path> made_;  ///< Folders, the innermost first.
  bool committed_ = false;
};

}  // namespace vprism
