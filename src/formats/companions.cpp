// companions.cpp: see companions.h.
#include "formats/companions.h"

#include <algorithm>
#include <array>
#include <filesystem>

#include "base/text.h"
#include "formats/files/crash_folder.h"

namespace vprism {

std::vector<std::string> companion_files(const std::string& path) {
  namespace fs = std::filesystem;
  const fs::path file(path);
  const std::string ending = lower_case(file.extension().string());
  if (ending == ".mme" || ending == ".chn") return crash_channel_files(path);
  std::vector<std::string> endings;
  static constexpr std::array<std::array<const char*, 2>, 6> pairs = {{{".sigmf-meta", ".sigmf-data"},
                                                                       {".cfg", ".dat"},
                                                                       {".hdr", ".dat"},
                                                                       {".hea", ".dat"},
                                                                       {".vhdr", ".eeg"},
                                                                       {".hdr", ".wvf"}}};
  for (const auto& [description, data] : pairs) {
    if (ending == description) endings.emplace_back(data);
    if (ending == data) endings.emplace_back(description);
  }
  std::vector<std::string> out;
  std::error_code code;
  if (endings.empty()) return out;
  const fs::path folder = file.parent_path().empty() ? fs::path(".") : file.parent_path();
  for (const auto& entry : fs::directory_iterator(folder, code))
    if (entry.path().stem() == file.stem() && entry.path().filename() != file.filename() &&
        entry.is_regular_file(code) &&
        std::find(endings.begin(), endings.end(), lower_case(entry.path().extension().string())) !=
            endings.end())
      out.push_back(entry.path().string());
  std::sort(out.begin(), out.end());
  return out;
}

}  // namespace vprism
