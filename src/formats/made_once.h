// made_once.h: what is made of a file on the way (texts of a workbook, what was packed), made once although
// the file is opened several times.
#pragma once

#include <deque>
#include <mutex>
#include <string>
#include <utility>

#include "formats/files/input_file.h"
#include "formats/files/spool.h"
#include "formats/files/unfinished.h"

namespace vprism {

template <typename T>
class MadeOnce {
 public:
  /// What `make` gave for the file as it is now; `what` tells one thing made of it from another. `make` gets
  /// a folder of its own, which is gone with the process, or when many others have been made since.
  template <typename Make>
  T of(const std::string& path, const std::string& what, Make make) {
    const InputFile file(path);
    const std::string key =
        path + "\n" + what + "\n" + std::to_string(file.size()) + "\n" + std::to_string(file.changed_ns());
    const std::lock_guard guard(lock_);
    for (const Made& made : made_)
      if (made.key == key) return made.value;
    const std::string folder = folder_for_copies();
    made_.push_back({key, folder, make(folder)});
    if (made_.size() > most_kept) {
      remove_unfinished(made_.front().folder);
      made_.pop_front();
    }
    return made_.back().value;
  }

 private:
  static constexpr std::size_t most_kept = 64;
  struct Made {
    std::string key, folder;
    T value;
  };
  std::mutex lock_;
  std::deque<Made> made_;
};

}  // namespace vprism
