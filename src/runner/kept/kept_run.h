// kept_run.h: a command's results kept in a folder under a digest of all that they were made from, so that
// they are made anew only when something of it has changed.
#pragma once

#include <algorithm>
#include <filesystem>
#include <string>
#include <vector>

#include "render/document.h"
#include "runner/kept/digest_book.h"

namespace vprism {

struct KeptRun {
  std::string name;  ///< Of its folder, within that of all.
  std::string command;
  std::vector<std::string> inputs;
  std::vector<std::string> options;  ///< "--name=value"
  std::vector<std::string> files;    ///< Named by options.
  std::vector<std::string> keys;     ///< Of runs that this one takes something from.
};

struct KeptResult {
  std::string key;
  bool reused = false;
  int status = 0;    ///< As the command's exit status.
  std::string said;  ///< Its line of error, without the program's name.
  Json document;     ///< Its result document; null where it failed. Output files without folders.
  std::vector<std::string> figures;  ///< Names of *.figure.json in the folder, in the order they were made.
  std::vector<std::string> pictures_missing;  ///< Why each could not be drawn.
  bool done() const { return status <= 1; }
};

/// The folder that holds one for each run, with what is not finished in a hidden one, which is taken away at
/// the end. Throws Error(output) when it can't be made.
class KeptFolder {
 public:
  explicit KeptFolder(std::filesystem::path folder);
  ~KeptFolder();
  KeptFolder(const KeptFolder&) = delete;
  KeptFolder& operator=(const KeptFolder&) = delete;
  const std::filesystem::path& path() const { return path_; }
  const std::filesystem::path& unfinished() const { return unfinished_; }

 private:
  std::filesystem::path path_, unfinished_;
};

/// Where runs are kept, where commands run, their pictures.
struct KeptPlace {
  std::filesystem::path all, unfinished;
  std::filesystem::path working;  ///< Inputs and files are relative to it.
  bool fresh = false;             ///< Nothing kept is used.
  Picture picture = Picture::png;
  bool pictures = true;
  std::size_t threads = 0;  ///< For each command; 0: as many as there are cores.
};

/// Threads for each of so many commands, as many of which run side by side as there are threads. `asked`: in
/// all; 0: two commands for each core, since the last of them would leave cores idle.
std::size_t threads_each(std::size_t asked, std::size_t commands);

/// A digest of version, command, options and the bytes of all inputs and files.
std::string run_key(const KeptRun& run, const KeptPlace& place, DigestBook& digests);

/// What is kept, if its key is the same; else runs the command, draws its figures, and keeps the whole once
/// it is complete. Of a command that fails nothing is kept. Several may run at once under different names.
KeptResult run_kept(const KeptRun& run, const KeptPlace& place, DigestBook& digests);

/// A name for a folder or file from any text: letters, digits, points and hyphens; distinct from those given.
std::string folder_name(const std::string& text, const std::vector<std::string>& taken = {});

}  // namespace vprism
