// to_stdout.cpp: see to_stdout.h.
#include "frame/to_stdout.h"

#include <cstdlib>
#include <fstream>

#include "base/error.h"
#include "frame/process.h"

namespace vprism {

namespace fs = std::filesystem;

StdoutFolder::StdoutFolder(OutputSettings& settings) {
  if (!settings.to_stdout) return;
  std::error_code none;
  fs::path folder = fs::temp_directory_path(none);
  if (none) folder = "/tmp";
  std::string pattern = (folder / "vprism-stdout-XXXXXX").string();
  if (::mkdtemp(pattern.data()) == nullptr)
    throw Error(Status::output,
                "--out -: no folder can be made in " + folder.string() + "; name one with TMPDIR");
  path_ = pattern, settings.folder = pattern;
}

StdoutFolder::~StdoutFolder() {
  std::error_code none;
  if (!path_.empty()) fs::remove_all(path_, none);
}

void StdoutFolder::send(const std::vector<std::string>& names) const {
  if (names.size() != 1)
    throw Error(Status::usage, "--out -: standard output takes one file, and " +
                                   std::to_string(names.size()) + " would be written; name a folder");
  std::ifstream in(path_ / names.front(), std::ios::binary);
  std::string piece(std::size_t{1} << 20, '\0');
  while (in) {
    in.read(piece.data(), static_cast<std::streamsize>(piece.size()));
    say(piece.substr(0, static_cast<std::size_t>(in.gcount())));
  }
  if (in.bad()) throw Error(Status::output, "--out -: what was written can't be read again");
}

}  // namespace vprism
