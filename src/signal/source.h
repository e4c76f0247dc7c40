// source.h: where the road begins. A source is pulled for blocks; it never holds the whole record.
#pragma once

#include <cstddef>
#include <memory>
#include <vector>

#include "signal/block.h"
#include "signal/recording.h"

namespace vprism {

class SampleSource {
 public:
  virtual ~SampleSource() = default;
  /// What is known of the recording. Axis and length may be open until `resolve` or until `read` has come to
  /// the end.
  virtual const Recording& recording() const = 0;
  /// Fills `block` (as many channels as the recording has, stamps if the source is stamped) from where the
  /// last call ended. Returns the number of samples per channel, 0 at the end. Throws Error(input) for
  /// damaged data.
  virtual std::size_t read(Block& block) = 0;
  /// Back to the first sample.
  virtual void rewind() = 0;
  /// Goes to the beginning of the block in which a sample lies, as a pass from the first sample would cut
  /// them, and returns the number of that block's first sample; -1 where the samples before must be read
  /// first.
  virtual std::int64_t seek(std::int64_t /*sample*/) { return -1; }
  /// Makes axis and length known, by a pass over the file if there is no quicker way.
  virtual void resolve() {}
  /// Whether blocks from this source must have room for stamps.
  virtual bool carries_stamps() const { return false; }

  /// A block of a good size for this source.
  Block make_block() const;

 protected:
  /// The first sample of the block in which this one lies, where all blocks are full ones.
  std::int64_t block_start(std::int64_t sample) const;
};

/// The chosen channels of another source.
class ChannelSelection : public SampleSource {
 public:
  ChannelSelection(std::unique_ptr<SampleSource> source, std::vector<std::size_t> chosen);
  const Recording& recording() const override { return recording_; }
  std::size_t read(Block& block) override;
  void rewind() override { source_->rewind(); }
  std::int64_t seek(std::int64_t sample) override { return source_->seek(sample); }
  void resolve() override;
  bool carries_stamps() const override { return source_->carries_stamps(); }

 private:
  void take_over();
  std::unique_ptr<SampleSource> source_;
  std::vector<std::size_t> chosen_;
  Recording recording_;
  Block whole_;
};

/// A recording already in memory: for generated signals and tests. All columns have the same length; those of
/// a complex recording are ordered as in Block.
class MemorySource : public SampleSource {
 public:
  MemorySource(Recording recording, std::vector<std::vector<double>> columns);
  const Recording& recording() const override { return recording_; }
  std::size_t read(Block& block) override;
  void rewind() override { at_ = 0; }
  std::int64_t seek(std::int64_t sample) override;

 private:
  Recording recording_;
  std::vector<std::vector<double>> data_;
  std::size_t at_ = 0;
  bool gaps_ = false;
};

}  // namespace vprism
