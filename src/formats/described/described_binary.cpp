// described_binary.cpp: see described_binary.h.
#include "formats/described/described_binary.h"

#include <filesystem>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace fs = std::filesystem;

namespace {

bool has_ending(const fs::path& path, std::string_view ending) {
  return lower_case(path.extension().string()) == ending;
}

}  // namespace

std::string header_beside(const FileHead& head, std::string_view header_ending,
                          std::initializer_list<std::string_view> data_endings) {
  const fs::path path(head.path);
  if (has_ending(path, header_ending)) return head.path;
  for (const std::string_view ending : data_endings) {
    if (!has_ending(path, ending)) continue;
    for (const bool capitals : {false, true}) {
      std::string other(header_ending);
      for (char& c : other) c = capitals && c >= 'a' && c <= 'z' ? static_cast<char>(c - 32) : c;
      const fs::path beside = fs::path(path).replace_extension(other);
      std::error_code code;
      if (fs::is_regular_file(beside, code)) return beside.string();
    }
  }
  return "";
}

std::string header_text(const std::string& path) {
  constexpr std::uint64_t longest = 4u << 20;
  const InputFile file(path);
  if (file.size() > longest)
    throw Error(Status::input, path + ": a header of more than 4 MB; is this the right file?");
  return file.text(0, static_cast<std::size_t>(file.size()));
}

std::string header_text_seen(const FileHead& head, const std::string& path) {
  if (path.empty() || path == head.path) return path.empty() ? "" : head.bytes;
  try {
    return header_text(path);
  } catch (const Error&) {
    return "";
  }
}

std::string data_beside(const std::string& header, std::string_view named) {
  const fs::path own(header), other = fs::path(std::string(trimmed(named))).filename();
  if (lower_case(other.stem().string()) != lower_case(own.stem().string()))
    throw Error(Status::input, header + ": its numbers are said to be in \"" + clean_text(named, 60) +
                                   "\"; only a file of its own name is opened: rename both alike");
  const fs::path data = own.parent_path() / other;
  std::error_code code;
  if (!fs::is_regular_file(data, code) || fs::equivalent(own, data, code))
    throw Error(Status::input, header + ": its numbers, " + clean_text(other.string(), 60) +
                                   ", are not there; copy both files");
  return data.string();
}

std::unique_ptr<SampleSource> open_described(DescribedBinary d, const ReadSettings& settings) {
  InputFile data(d.data);
  Recording& recording = d.recording;
  if (recording.channels.empty())
    throw Error(Status::input, recording.file + ": its header has no channel; export it again");
  if (recording.channels.size() > most_channels)
    throw Error(Status::input, recording.file + ": " + std::to_string(recording.channels.size()) +
                                   " channels; at most " + std::to_string(most_channels));
  std::uint64_t first = d.layout.columns.front().offset;
  for (const Field& field : d.layout.columns) first = std::min(first, field.offset);
  const std::uint64_t bytes = data.size() > first ? data.size() - first : 0;
  std::int64_t there = 0;
  if (d.layout.columns.front().stride == d.frame) {
    there = static_cast<std::int64_t>(bytes / d.frame);
    if (bytes % d.frame != 0)
      recording.cautions.push_back(
          {"partial-frame", Severity::warning, "",
           std::to_string(bytes % d.frame) +
               " bytes at the end do not fill a sample of all channels and are left out",
           "the data file may be cut: copy it again"});
  } else {
    // One channel behind the other: as many as the last of them has.
    std::uint64_t last = 0;
    for (const Field& field : d.layout.columns) last = std::max(last, field.offset);
    there = data.size() > last
                ? static_cast<std::int64_t>((data.size() - last) / d.layout.columns.front().stride)
                : 0;
  }
  recording.samples = d.promised < 0 ? there : std::min(there, d.promised);
  if (recording.samples == 0) throw Error(Status::input, d.data + ": holds not one sample; copy it again");
  if (d.promised >= 0 && there != d.promised)
    recording.cautions.push_back(
        {"length-disagrees", there < d.promised ? Severity::serious : Severity::warning, "",
         "the header promises " + std::to_string(d.promised) + " samples, the data hold " +
             std::to_string(there),
         there < d.promised ? "the data file may be cut: copy it again" : "the promised ones are read"});
  make_names_distinct(recording.channels);
  const double interval = d.interval_s;
  return std::make_unique<FieldSource>(std::move(data), std::move(d.recording), std::move(d.layout), settings,
                                       interval, "header");
}

}  // namespace vprism
