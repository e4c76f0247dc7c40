// alarm_records.cpp: see alarm_records.h.
#include "commands/watch/alarm_records.h"

#include <algorithm>

#include "base/text.h"
#include "commands/shared/write_recording.h"
#include "formats/files/output_folder.h"

namespace vprism {

namespace {

constexpr std::size_t most_records = 100;

}  // namespace

AlarmRecords::AlarmRecords(const Recording& recording, std::string stem, std::size_t before, std::size_t look)
    : recording_(recording),
      stem_(std::move(stem)),
      before_(static_cast<std::int64_t>(before)),
      look_(static_cast<std::int64_t>(look)),
      samples_(recording.channels.size(), 2 * before + look) {}

void AlarmRecords::add(const Block& block, const OutputSettings& output) {
  // No piece may push out what is due.
  Block piece;
  for (std::size_t at = 0; at < block.size();) {
    std::size_t count = block.size() - at;
    if (!due_.empty())
      count = std::min(count, static_cast<std::size_t>(
                                  std::max<std::int64_t>(1, due_.front() + before_ - samples_.came())));
    piece.take_part(block, at, count);
    samples_.add(piece);
    at += count;
    while (!due_.empty() && samples_.came() >= due_.front() + before_) {
      write(due_.front(), output);
      due_.pop_front();
    }
  }
}

void AlarmRecords::alarm() {
  if (!due_.empty() && due_.back() == samples_.came()) return;  // Several limits at once are one record.
  if (written_.size() + due_.size() >= most_records)
    ++left_out_;
  else
    due_.push_back(samples_.came());
}

void AlarmRecords::end(const OutputSettings& output) {
  for (const std::int64_t alarm : due_) write(alarm, output);
  due_.clear();
}

void AlarmRecords::write(std::int64_t alarm, const OutputSettings& output) {
  const Block all = samples_.block();
  const std::int64_t first = samples_.came() - static_cast<std::int64_t>(all.size());
  const std::int64_t from = std::max(first, alarm - look_ - before_),
                     to = std::min(samples_.came(), alarm + before_);
  Recording recording = recording_;
  recording.samples = to - from;
  recording.axis.start += static_cast<double>(from) * recording.axis.interval;
  Columns columns;
  for (std::size_t c = 0; c < all.columns(); ++c)
    columns.push_back(
        all.samples(c).subspan(static_cast<std::size_t>(from - first), static_cast<std::size_t>(to - from)));
  OutputFolder folder(output.folder, output.force, "watch");
  const WriteFormat& format = entry_named("format", "hdf5", write_format_table());
  const WrittenRecording made = write_recording(
      recording, columns, folder, stem_ + "-watch-alarm-" + std::to_string(written_.size() + 1), format, {});
  folder.commit();
  written_.push_back(made.names.front());
}

}  // namespace vprism
