// join_channels.cpp: files side by side, each with channels of its own; see join.h.
//
// Where the files say when they began, by absolute clocks or by times from one trigger, the samples of all
// are put side by side by their times: those before the latest start are left out.
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "signal/join.h"
#include "signal/join_alike.h"

namespace vprism {

namespace {

class JoinedChannels : public SampleSource {
 public:
  explicit JoinedChannels(JoinedSources sources) : sources_(std::move(sources)) {
    require_alike(sources_, false);
    recording_ = sources_.front()->recording();
    gather_cautions(sources_, recording_);
    recording_.channels.clear();
    recording_.format = std::to_string(sources_.size()) + " files joined by channels; " + recording_.format;
    line_up();
    for (const auto& source : sources_) {
      const Recording& r = source->recording();
      for (Channel channel : r.channels) {
        const bool taken = std::any_of(recording_.channels.begin(), recording_.channels.end(),
                                       [&](const Channel& c) { return c.name == channel.name; });
        // Two recorders both call their first channel "CH1"; the file's name tells them apart.
        if (taken || channel.name == "channel 1") channel.name = r.stem() + " " + channel.name;
        recording_.channels.push_back(std::move(channel));
      }
    }
    make_names_distinct(recording_.channels);
    parts_.resize(sources_.size());
    rewind_to_start();
  }
  const Recording& recording() const override { return recording_; }
  void rewind() override {
    for (auto& source : sources_) source->rewind();
    rewind_to_start();
  }
  std::size_t read(Block& block) override {
    if (!passed_) pass_over();
    const auto wanted = static_cast<std::size_t>(
        std::min<std::int64_t>(static_cast<std::int64_t>(block.capacity()), recording_.samples - at_));
    const std::size_t channels = recording_.channels.size();
    bool gaps = false;
    std::size_t base = 0, index = 0;
    for (auto& source : sources_) {
      const std::size_t own = source->recording().channels.size();
      for (std::size_t done = 0; done < wanted;) {
        Block& part = part_of(index, wanted - done);
        const std::size_t count = source->read(part);
        if (count == 0) break;
        for (std::size_t c = 0; c < part.columns(); ++c) {
          const std::size_t to = c < own ? base + c : channels + base + c - own;
          std::copy_n(part.samples(c).begin(), count,
                      block.room(to).begin() + static_cast<std::ptrdiff_t>(done));
        }
        gaps = gaps || part.gaps();
        done += count;
      }
      base += own;
      ++index;
    }
    block.set(at_, wanted);
    block.set_gaps(gaps);
    at_ += static_cast<std::int64_t>(wanted);
    return wanted;
  }

 private:
  Block& part_of(std::size_t index, std::size_t samples) {
    const SampleSource& source = *sources_[index];
    const std::size_t own = source.recording().channels.size();
    const std::size_t room = std::min(samples, Block::good_capacity(own));
    if (parts_[index].capacity() != room)
      parts_[index] = Block(own, room, source.carries_stamps(), recording_.complex);
    return parts_[index];
  }

  /// Which samples of each file stand beside each other.
  void line_up() {
    const JoinedStarts starts = starts_of(sources_);
    const double interval = recording_.axis.interval,
                 latest = *std::max_element(starts.at_s.begin(), starts.at_s.end());
    const std::string by = starts.dated ? "by their clocks" : "by their times";
    std::int64_t shortest = -1, longest = 0;
    for (std::size_t i = 0; i < sources_.size(); ++i) {
      const Recording& r = sources_[i]->recording();
      const double early = interval > 0 ? (latest - starts.at_s[i]) / interval : 0;
      const std::int64_t skip = early < 1e15 ? std::llround(early) : r.samples;
      if (skip >= r.samples)
        throw Error(Status::analysis,
                    r.file + ": has no time in common with the others: it ends " +
                        format_quantity((early - static_cast<double>(r.samples)) * interval, "s", 4) +
                        " before the latest of them begins; join files in time with --join time");
      skip_.push_back(skip);
      if (skip > 0)
        recording_.cautions.push_back({"starts-aligned", Severity::note, "",
                                       r.stem() + " begins " +
                                           span_of_samples(static_cast<double>(skip), interval) +
                                           " earlier than the latest of the files: put side by side " + by +
                                           ", so much of it is left out",
                                       ""});
      if (std::abs(early - static_cast<double>(skip)) > 0.01)
        recording_.cautions.push_back({"start-differs", Severity::warning, "",
                                       "the samples of " + r.stem() + " lie " +
                                           format_number(early - static_cast<double>(skip), 2) +
                                           " of an interval beside those of the latest file",
                                       "phases between them carry that delay"});
      const std::int64_t left = r.samples - skip;
      shortest = shortest < 0 ? left : std::min(shortest, left);
      longest = std::max(longest, left);
    }
    recording_.samples = shortest;
    recording_.axis.start += static_cast<double>(skip_[0]) * interval;
    if (longest != shortest)
      recording_.cautions.push_back({"unequal-lengths", Severity::warning, "",
                                     "the files have " + std::to_string(shortest) + " to " +
                                         std::to_string(longest) + " samples from there on; the first " +
                                         std::to_string(shortest) + " of each are taken",
                                     "check that the files belong together"});
  }

  void rewind_to_start() {
    at_ = 0;
    passed_ = std::all_of(skip_.begin(), skip_.end(), [](std::int64_t skip) { return skip == 0; });
  }

  /// What lies before the common start.
  void pass_over() {
    passed_ = true;
    for (std::size_t i = 0; i < sources_.size(); ++i)
      for (std::int64_t left = skip_[i]; left > 0;) {
        const std::size_t count =
            sources_[i]->read(part_of(i, static_cast<std::size_t>(std::min<std::int64_t>(left, 65536))));
        if (count == 0) break;
        left -= static_cast<std::int64_t>(count);
      }
  }

  JoinedSources sources_;
  std::vector<std::int64_t> skip_;
  std::vector<Block> parts_;  ///< One per source, kept from read to read.
  Recording recording_;
  std::int64_t at_ = 0;
  bool passed_ = false;
};

}  // namespace

std::unique_ptr<SampleSource> join_channels(std::vector<std::unique_ptr<SampleSource>> sources) {
  return std::make_unique<JoinedChannels>(std::move(sources));
}

}  // namespace vprism
