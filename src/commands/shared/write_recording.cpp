// write_recording.cpp: see write_recording.h.
#include "commands/shared/write_recording.h"

#include <algorithm>

#include "base/error.h"
#include "base/machine/spill.h"

namespace vprism {

Option format_option(std::string& to, const char* help) {
  std::string names;
  for (const WriteFormat& format : write_format_table())
    names += (names.empty() ? "" : "|") + std::string(format.name);
  return {"to",
          names,
          help,
          false,
          [&to](const std::string& t) { to = find_write_format(t).name; },
          [&to] { return Json(to); }};
}

Option numbers_option(WriteSettings& settings) {
  return {"numbers",
          "f64|f32|i16|i24|i32",
          "type of the numbers where the format leaves a choice (default: f64, exact)",
          false,
          [&settings](const std::string& t) {
            const std::vector<std::string> known = {"f64", "f32", "i16", "i24", "i32"};
            if (std::find(known.begin(), known.end(), t) == known.end())
              throw Error(Status::usage, unknown_name("number type", t, known));
            settings.numbers = t;
          },
          [&settings] { return Json(settings.numbers); }};
}

std::vector<std::string> names_written(const std::string& stem, const WriteFormat& format) {
  std::vector<std::string> names = {stem + format.ending};
  if (*format.second != '\0') names.push_back(stem + format.second);
  return names;
}

WrittenRecording write_recording(const Recording& recording, const Pass& pass, OutputFolder& folder,
                                 const std::string& stem, const WriteFormat& format,
                                 const WriteSettings& settings, const Progress& progress) {
  WrittenRecording out{names_written(stem, format), {}};
  const std::string what = std::to_string(recording.channels.size()) +
                           (recording.channels.size() == 1 ? " channel, " : " channels, ") +
                           std::to_string(recording.samples) + " samples";
  std::vector<std::string> paths;
  for (const std::string& name : out.names) paths.push_back(folder.place(name, what));
  const auto writer = format.open(paths, recording, settings);
  pass([&](Block& block) { writer->add(block); }, progress);
  writer->finish();
  out.cautions = writer->cautions();
  return out;
}

WrittenRecording write_recording(const Recording& recording, const Columns& columns, OutputFolder& folder,
                                 const std::string& stem, const WriteFormat& format,
                                 const WriteSettings& settings) {
  const auto pass = [&](const Sink& sink, const Progress&) {
    Block block(recording.channels.size(), Block::good_capacity(columns.size()), false, recording.complex);
    const auto samples = static_cast<std::size_t>(recording.samples);
    for (std::size_t at = 0; at < samples;) {
      const std::size_t count = std::min(block.capacity(), samples - at);
      for (std::size_t c = 0; c < columns.size(); ++c) {
        // The system takes back more of each column than is read of it.
        if (c % 64 == 63) keep_spilled_small();
        std::copy_n(columns[c].begin() + static_cast<std::ptrdiff_t>(at), count, block.room(c).begin());
      }
      block.set(static_cast<std::int64_t>(at), count);
      sink(block);
      at += count;
    }
  };
  return write_recording(recording, pass, folder, stem, format, settings, {});
}

WrittenRecording write_recording(Road& road, OutputFolder& folder, const std::string& stem,
                                 const WriteFormat& format, const WriteSettings& settings,
                                 const Progress& progress) {
  const auto pass = [&](const Sink& sink, const Progress& p) { road.run(sink, p); };
  return write_recording(road.recording(), pass, folder, stem, format, settings, progress);
}

}  // namespace vprism
