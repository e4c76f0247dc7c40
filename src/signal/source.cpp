// source.cpp: see source.h.
#include "signal/source.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace vprism {

Block SampleSource::make_block() const {
  const std::size_t channels = recording().channels.size();
  const bool complex = recording().complex;
  return {channels, Block::good_capacity(complex ? 2 * channels : channels), carries_stamps(), complex};
}

std::int64_t SampleSource::block_start(std::int64_t sample) const {
  const std::size_t columns = recording().channels.size() * (recording().complex ? 2 : 1);
  const auto capacity = static_cast<std::int64_t>(Block::good_capacity(columns));
  return sample / capacity * capacity;
}

ChannelSelection::ChannelSelection(std::unique_ptr<SampleSource> source, std::vector<std::size_t> chosen)
    : source_(std::move(source)), chosen_(std::move(chosen)) {
  take_over();
}

void ChannelSelection::take_over() {
  recording_ = source_->recording();
  std::vector<Channel> kept;
  for (const std::size_t c : chosen_) {
    kept.push_back(recording_.channels[c]);
    if (kept.back().number == 0) kept.back().number = c + 1;
  }
  recording_.channels = std::move(kept);
}

void ChannelSelection::resolve() {
  source_->resolve();
  take_over();
}

std::size_t ChannelSelection::read(Block& block) {
  if (whole_.capacity() == 0) whole_ = source_->make_block();
  // The whole source's blocks are shorter where it has many more channels.
  const std::size_t capacity = std::min(block.capacity(), whole_.capacity());
  if (whole_.capacity() != capacity)
    whole_ = Block(source_->recording().channels.size(), capacity, source_->carries_stamps(),
                   source_->recording().complex);
  const std::size_t count = source_->read(whole_);
  for (std::size_t c = 0; c < block.columns(); ++c) {
    const std::size_t from =
        c < chosen_.size() ? chosen_[c] : whole_.channels() + chosen_[c - chosen_.size()];
    std::copy_n(whole_.samples(from).begin(), count, block.room(c).begin());
  }
  if (block.stamped()) std::copy_n(whole_.stamps().begin(), count, block.stamp_room().begin());
  block.set(whole_.first(), count);
  block.set_gaps(whole_.gaps());
  if (count == 0) take_over();  // The end may have told the source its length and axis.
  return count;
}

MemorySource::MemorySource(Recording recording, std::vector<std::vector<double>> columns)
    : recording_(std::move(recording)), data_(std::move(columns)) {
  for (const auto& column : data_)
    gaps_ = gaps_ || std::any_of(column.begin(), column.end(), [](double x) { return std::isnan(x); });
  recording_.samples = data_.empty() ? 0 : static_cast<std::int64_t>(data_.front().size());
}

std::int64_t MemorySource::seek(std::int64_t sample) {
  at_ = static_cast<std::size_t>(block_start(sample));
  return static_cast<std::int64_t>(at_);
}

std::size_t MemorySource::read(Block& block) {
  const std::size_t left = static_cast<std::size_t>(recording_.samples) - at_;
  const std::size_t count = std::min(block.capacity(), left);
  for (std::size_t c = 0; c < data_.size(); ++c)
    std::copy_n(data_[c].begin() + static_cast<std::ptrdiff_t>(at_), count, block.room(c).begin());
  block.set(static_cast<std::int64_t>(at_), count);
  block.set_gaps(gaps_);
  at_ += count;
  return count;
}

}  // namespace vprism
