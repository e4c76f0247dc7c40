// crash_folder.cpp: see crash_folder.h. The channel files are delimited text, whose reader knows their
// headers.
#include "formats/files/crash_folder.h"

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <fstream>
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
  FolderSource(std::unique_ptr<SampleSource> joined, const FileHead& head, std::vector<Part> parts,
               std::size_t part)
      : joined_(std::move(joined)), recording_(joined_->recording()) {
    recording_.file = head.path;
    take_notes(head.bytes);
    recording_.format = "ISO/TS 13499, " + std::to_string(recording_.channels.size()) + " channel files";
    recording_.parts = std::move(parts), recording_.part = part;
  }
  const Recording& recording() const override { return recording_; }
  std::size_t read(Block& block) override { return joined_->read(block); }
  void rewind() override { joined_->rewind(); }
  bool carries_stamps() const override { return joined_->carries_stamps(); }
  void warn(Caution caution) { recording_.cautions.push_back(std::move(caution)); }

 private:
  /// "Key :value" lines of the description.
  void take_notes(const std::string& text) {
    constexpr std::size_t most = 200;
    for (const std::string& line : split(text, '\n')) {
      const std::size_t mark = line.find(':');
      if (mark == std::string::npos || recording_.notes.size() == most) continue;
      const std::string key = clean_text(std::string(trimmed(line.substr(0, mark)))),
                        value = clean_text(std::string(trimmed(line.substr(mark + 1))));
      if (!key.empty() && !value.empty() && value != "NOVALUE") recording_.notes.emplace_back(key, value);
    }
  }

  std::unique_ptr<SampleSource> joined_;
  Recording recording_;
};

/// How many channels a list says there are; 0: it does not say.
std::size_t channels_promised(const std::string& text) {
  const std::size_t at = text.find("umber of channels"), mark = text.find(':', at);
  if (at == std::string::npos || mark == std::string::npos || mark > at + 40) return 0;
  return static_cast<std::size_t>(std::strtoul(text.c_str() + mark + 1, nullptr, 10));
}

/// Files of a recording's own name, beside it or in a folder beside it called Channel, that are wanted; by
/// name.
template <typename Wanted>
std::vector<std::string> files_of_recording(const std::string& path, Wanted wanted) {
  const fs::path file(path);
  std::vector<fs::path> folders = {file.parent_path().empty() ? fs::path(".") : file.parent_path()};
  std::error_code code;
  for (const auto& entry : fs::directory_iterator(folders.front(), code))
    if (entry.is_directory(code) && lower_case(entry.path().filename().string()) == "channel")
      folders.push_back(entry.path());
  std::vector<std::string> out;
  for (const fs::path& folder : folders)
    for (const auto& entry : fs::directory_iterator(folder, code))
      if (entry.is_regular_file(code) && wanted(entry.path()) &&
          lower_case(entry.path().stem().string()) == lower_case(file.stem().string()))
        out.push_back(entry.path().string());
  std::sort(out.begin(), out.end());
  return out;
}

/// What the lists of a recording say there are; 0: nothing.
std::size_t channels_listed(const std::string& path) {
  std::size_t out = 0;
  for (const std::string& list :
       files_of_recording(path, [](const fs::path& p) { return ends_in(p.string(), ".chn"); })) {
    std::string text(4096, '\0');
    std::ifstream in(list, std::ios::binary);
    in.read(text.data(), static_cast<std::streamsize>(text.size()));
    text.resize(static_cast<std::size_t>(in.gcount()));
    out = std::max(out, channels_promised(text));
  }
  return out;
}

}  // namespace

std::vector<std::string> crash_channel_files(const std::string& path) {
  std::vector<std::string> out = files_of_recording(path, is_channel_file);
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
  if (files.size() > most_channels)
    throw Error(Status::input, head.path + ": " + std::to_string(files.size()) + " channel files; at most " +
                                   std::to_string(most_channels) +
                                   " can be taken: move some to another folder");
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
  for (const auto& [count, interval] : order)
    parts.push_back({interval < 0 ? format_quantity(-1 / interval, "Hz", 9) : "without a rate",
                     std::to_string(count) + (count == 1 ? " channel" : " channels")});
  const std::size_t chosen = choose_part(head.path, parts, settings, 0);
  auto source = std::make_unique<FolderSource>(join_channels(std::move(by_rate[order[chosen].second])), head,
                                               order.size() > 1 ? parts : std::vector<Part>(), chosen);
  if (const std::size_t promised = channels_listed(head.path); promised > 0 && promised != files.size())
    source->warn({"channels-disagree", Severity::warning, "",
                  "the list names " + std::to_string(promised) + " channels, " +
                      std::to_string(files.size()) + " files are there",
                  "copy the folder again if some are missing"});
  return source;
}

}  // namespace vprism
