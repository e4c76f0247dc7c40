// crash_folder.cpp: see crash_folder.h. The channel files are delimited text, whose reader knows their
// headers.
#include "formats/crash_folder.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "signal/join.h"

namespace vprism {

namespace {

namespace fs = std::filesystem;

bool ends_in(const std::string& path, std::string_view ending) {
  return lower_case(fs::path(path).extension().string()) == ending;
}

/// ".001" to ".9999".
bool is_channel_file(const fs::path& path) {
  const std::string ending = path.extension().string();
  return ending.size() >= 4 && ending.size() <= 5 &&
         std::all_of(ending.begin() + 1, ending.end(), [](char c) { return c >= '0' && c <= '9'; });
}

/// What was joined, as the recording that the description stands for.
class FolderSource : public SampleSource {
 public:
  FolderSource(std::unique_ptr<SampleSource> joined, std::string path, std::vector<Part> parts,
               std::size_t part)
      : joined_(std::move(joined)), recording_(joined_->recording()) {
    recording_.file = std::move(path);
    recording_.format = "ISO/TS 13499, " + std::to_string(recording_.channels.size()) + " channel files";
    recording_.parts = std::move(parts), recording_.part = part;
  }
  const Recording& recording() const override { return recording_; }
  std::size_t read(Block& block) override { return joined_->read(block); }
  void rewind() override { joined_->rewind(); }
  bool carries_stamps() const override { return joined_->carries_stamps(); }

 private:
  std::unique_ptr<SampleSource> joined_;
  Recording recording_;
};

}  // namespace

// Those of the description's own name, beside it or in a folder beside it called Channel; by number.
std::vector<std::string> crash_channel_files(const std::string& path) {
  const fs::path file(path);
  std::vector<fs::path> folders = {file.parent_path().empty() ? fs::path(".") : file.parent_path()};
  std::error_code code;
  for (const auto& entry : fs::directory_iterator(folders.front(), code))
    if (entry.is_directory(code) && lower_case(entry.path().filename().string()) == "channel")
      folders.push_back(entry.path());
  std::vector<std::string> out;
  for (const fs::path& folder : folders)
    for (const auto& entry : fs::directory_iterator(folder, code))
      if (entry.is_regular_file(code) && is_channel_file(entry.path()) &&
          lower_case(entry.path().stem().string()) == lower_case(file.stem().string()))
        out.push_back(entry.path().string());
  std::sort(out.begin(), out.end());
  if (out.size() > most_channels) out.resize(most_channels);
  return out;
}

bool recognises_crash_folder(const FileHead& head) {
  if (ends_in(head.path, ".mme")) return head.bytes.find("ata format edition") != std::string::npos;
  return ends_in(head.path, ".chn") && head.bytes.find("umber of channels") != std::string::npos;
}

std::string crash_folder_entry(const std::string& folder) {
  std::error_code code;
  std::vector<std::string> found;
  for (const auto& entry : fs::directory_iterator(folder, code))
    if (ends_in(entry.path().string(), ".mme") || ends_in(entry.path().string(), ".chn"))
      found.push_back(entry.path().string());
  std::sort(found.begin(), found.end());
  // The description goes before the list.
  const auto description =
      std::find_if(found.begin(), found.end(), [](const std::string& f) { return ends_in(f, ".mme"); });
  return description != found.end() ? *description : found.empty() ? "" : found.front();
}

std::unique_ptr<SampleSource> open_crash_folder(const FileHead& head, const ReadSettings& settings) {
  const std::vector<std::string> files = crash_channel_files(head.path);
  if (files.empty())
    throw Error(Status::input, head.path + ": there is no channel file (" +
                                   fs::path(head.path).stem().string() +
                                   ".001 and so on) beside it or in a folder Channel beside it");
  ReadSettings each = settings;
  each.part.clear();
  each.digest.reset();
  std::map<double, std::vector<std::unique_ptr<SampleSource>>> by_rate;
  for (const std::string& file : files) {
    auto source = open_recording(file, each);
    source->resolve();
    by_rate[-source->recording().axis.interval].push_back(std::move(source));
  }
  // Quickest last in the map of negative intervals; parts begin with the most channels.
  std::vector<std::pair<std::size_t, double>> order;
  for (const auto& [interval, sources] : by_rate) order.emplace_back(sources.size(), interval);
  std::stable_sort(order.begin(), order.end(),
                   [](const auto& a, const auto& b) { return a.first > b.first; });
  std::vector<Part> parts;
  std::size_t chosen = 0;
  for (std::size_t i = 0; i < order.size(); ++i) {
    parts.push_back({std::to_string(i + 1), std::to_string(order[i].first) + " channels at " +
                                                format_quantity(-1 / order[i].second, "Hz")});
    if (settings.part == parts.back().name) chosen = i;
  }
  if (!settings.part.empty() && settings.part != parts[chosen].name) {
    std::vector<std::string> names;
    for (const Part& part : parts) names.push_back(part.name);
    throw Error(Status::usage, head.path + ": " + unknown_name("part", settings.part, names));
  }
  return std::make_unique<FolderSource>(join_channels(std::move(by_rate[order[chosen].second])), head.path,
                                        order.size() > 1 ? parts : std::vector<Part>(), chosen);
}

}  // namespace vprism
