// row_source.cpp: see row_source.h.
#include "formats/text/rows/row_source.h"

#include <cmath>

#include "base/error.h"

namespace vprism {

RowSource::RowSource(Recording recording, bool stamped, const ReadSettings& settings, double file_interval,
                     std::string file_source)
    : recording_(std::move(recording)),
      stamped_(stamped),
      settings_(settings),
      file_interval_(file_interval),
      file_source_(std::move(file_source)),
      row_(recording_.channels.size() * (recording_.complex ? 2 : 1)) {
  if (!stamped_) settle_interval(recording_, settings_, file_interval_, file_source_);
}

void RowSource::rewind() {
  at_ = 0;
  begun_ = false;
}

std::size_t RowSource::read(Block& block) {
  if (!begun_) {
    start();
    begun_ = true;
    if (!settled_) judge_ = {};
  }
  std::size_t count = 0;
  bool gaps = false;
  double stamp = 0;
  while (count < block.capacity() && at_ + static_cast<std::int64_t>(count) < recording_.samples) {
    if (!next(row_.data(), stamp))
      throw Error(Status::input, recording_.file + ": cut short: its header promises " +
                                     std::to_string(recording_.samples) + " samples, " +
                                     std::to_string(at_ + static_cast<std::int64_t>(count)) +
                                     " are there; copy or export it again");
    for (std::size_t c = 0; c < row_.size(); ++c) {
      block.room(c)[count] = row_[c];
      gaps = gaps || std::isnan(row_[c]);
    }
    if (stamped_) block.stamp_room()[count] = stamp;
    ++count;
  }
  if (stamped_ && !settled_) {
    judge_.add(block.stamp_room().subspan(0, count));
    if (at_ + static_cast<std::int64_t>(count) >= recording_.samples) {
      settled_ = true;
      settle_stamps(recording_, settings_, judge_, stamp_resolution(), file_interval_, file_source_);
    }
  }
  if (!ended_ && at_ + static_cast<std::int64_t>(count) >= recording_.samples) {
    ended_ = true;
    ended();
  }
  block.set(at_, count);
  block.set_gaps(gaps);
  at_ += static_cast<std::int64_t>(count);
  return count;
}

void RowSource::resolve() {
  if (settled_ || !stamped_) return;
  rewind();
  Block block = make_block();
  while (read(block) > 0) continue;
  rewind();
}

}  // namespace vprism
