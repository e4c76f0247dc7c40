// join.cpp: see join.h.
#include "signal/join.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

using Sources = std::vector<std::unique_ptr<SampleSource>>;

/// Error(analysis) unless all are sampled alike.
void require_alike(Sources& sources) {
  for (auto& source : sources) source->resolve();
  const Recording& first = sources.front()->recording();
  for (const auto& source : sources) {
    const Recording& r = source->recording();
    const auto refuse = [&](const std::string& why) {
      throw Error(Status::analysis, r.file + ": can't be joined with " + first.file + ": " + why);
    };
    if (r.axis.domain != first.axis.domain) refuse("its axis is of another kind");
    if (r.axis.stamped) refuse("its samples are not evenly spaced");
    if (r.complex != first.complex) refuse("one is complex, the other is not");
    if (std::abs(r.axis.interval - first.axis.interval) > 1e-6 * first.axis.interval)
      refuse("its rate is " + (r.axis.interval > 0 ? format_quantity(r.axis.rate_hz(), "Hz", 9) : "unknown") +
             ", the other's " +
             (first.axis.interval > 0 ? format_quantity(first.axis.rate_hz(), "Hz", 9) : "unknown"));
  }
}

/// Cautions of all parts, each under its file's name.
void gather_cautions(const Sources& sources, Recording& joined) {
  joined.cautions.clear();
  for (const auto& source : sources)
    for (Caution caution : source->recording().cautions) {
      caution.text = source->recording().stem() + ": " + caution.text;
      joined.cautions.push_back(std::move(caution));
    }
}

class JoinedChannels : public SampleSource {
 public:
  explicit JoinedChannels(Sources sources) : sources_(std::move(sources)) {
    require_alike(sources_);
    recording_ = sources_.front()->recording();
    gather_cautions(sources_, recording_);
    recording_.channels.clear();
    recording_.format = std::to_string(sources_.size()) + " files joined by channels; " + recording_.format;
    std::int64_t longest = 0;
    for (const auto& source : sources_) {
      const Recording& r = source->recording();
      recording_.samples = std::min(recording_.samples, r.samples);
      longest = std::max(longest, r.samples);
      for (Channel channel : r.channels) {
        const bool taken = std::any_of(recording_.channels.begin(), recording_.channels.end(),
                                       [&](const Channel& c) { return c.name == channel.name; });
        // Two recorders both call their first channel "CH1"; the file's name tells them apart.
        if (taken || channel.name == "channel 1") channel.name = r.stem() + " " + channel.name;
        recording_.channels.push_back(std::move(channel));
      }
      if (std::abs(r.axis.start - recording_.axis.start) > 0.01 * recording_.axis.interval)
        recording_.cautions.push_back({"start-differs", Severity::warning, "",
                                       r.stem() + " starts at " + format_quantity(r.axis.start, "s", 9) +
                                           ", " + recording_.stem() + " at " +
                                           format_quantity(recording_.axis.start, "s", 9) +
                                           "; samples are put side by side by their number",
                                       "gate the files to a common start before joining them"});
    }
    make_names_distinct(recording_.channels);
    parts_.resize(sources_.size());
    if (longest != recording_.samples)
      recording_.cautions.push_back({"unequal-lengths", Severity::warning, "",
                                     "the files have " + std::to_string(recording_.samples) + " to " +
                                         std::to_string(longest) + " samples; the first " +
                                         std::to_string(recording_.samples) + " of each are taken",
                                     "check that the files belong together"});
  }
  const Recording& recording() const override { return recording_; }
  void rewind() override {
    for (auto& source : sources_) source->rewind();
    at_ = 0;
  }
  std::size_t read(Block& block) override {
    std::size_t wanted = static_cast<std::size_t>(
        std::min<std::int64_t>(static_cast<std::int64_t>(block.capacity()), recording_.samples - at_));
    const std::size_t channels = recording_.channels.size();
    bool gaps = false;
    std::size_t base = 0, index = 0;
    for (auto& source : sources_) {
      const std::size_t own = source->recording().channels.size();
      for (std::size_t done = 0; done < wanted;) {
        const std::size_t room = std::min(wanted - done, Block::good_capacity(own));
        if (parts_[index].capacity() != room)
          parts_[index] = Block(own, room, source->carries_stamps(), recording_.complex);
        Block& part = parts_[index];
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
  Sources sources_;
  std::vector<Block> parts_;  ///< One per source, kept from read to read.
  Recording recording_;
  std::int64_t at_ = 0;
};

class JoinedTime : public SampleSource {
 public:
  explicit JoinedTime(Sources sources) : sources_(std::move(sources)) {
    require_alike(sources_);
    const bool told = order();
    recording_ = sources_.front()->recording();
    gather_cautions(sources_, recording_);
    recording_.format = std::to_string(sources_.size()) + " files joined in time; " + recording_.format;
    recording_.samples = 0;
    const double interval = recording_.axis.interval;
    double end = 0;  // Where the last file ended, from the first one's start.
    for (std::size_t i = 0; i < sources_.size(); ++i) {
      const Recording& r = sources_[i]->recording();
      if (r.channels.size() != recording_.channels.size())
        throw Error(Status::analysis, r.file + ": can't be joined with " + recording_.file + ": it has " +
                                          std::to_string(r.channels.size()) + " channels, not " +
                                          std::to_string(recording_.channels.size()));
      std::int64_t missing = 0;
      if (told && i > 0) {
        const double gap = (starts_[i] - end) / interval;
        const auto shown = [&] {
          return format_quantity(std::abs(gap) * interval, "s", 4) + " (" + format_number(std::abs(gap), 4) +
                 " samples)";
        };
        if (gap > 0.5) {
          missing = std::llround(gap);
          if (missing > 100 * (recording_.samples + r.samples) + 1000000)
            throw Error(Status::analysis, r.file + ": begins " + shown() + " after " +
                                              sources_[i - 1]->recording().file +
                                              " ends; too long a gap to fill: analyse them one by one");
          recording_.cautions.push_back(
              {"join-gap", Severity::warning, "",
               r.stem() + " begins " + shown() + " after the file before it ends; the gap is left open",
               "spectra are averaged between the gaps"});
        } else if (gap < -0.5) {
          recording_.cautions.push_back(
              {"join-overlap", Severity::serious, "",
               r.stem() + " begins " + shown() +
                   " before the file before it ends; it is put behind it all the same",
               "check the files' times and order"});
        }
      }
      missing_.push_back(missing);
      recording_.samples += missing + r.samples;
      end = (told ? std::max(end, starts_[i]) : end) + static_cast<double>(r.samples) * interval;
    }
    if (!told)
      recording_.cautions.push_back(
          {"join-assumed", Severity::note, "",
           "the files do not say when they began; they are joined without gaps, in the order given",
           "check the joints in the time trace"});
  }
  const Recording& recording() const override { return recording_; }
  void rewind() override {
    for (auto& source : sources_) source->rewind();
    at_ = 0;
    file_ = 0;
    filled_ = 0;
  }
  std::size_t read(Block& block) override {
    std::size_t count = 0;
    bool gaps = false;
    while (file_ < sources_.size() && count == 0) {
      if (filled_ < missing_[file_]) {
        count = static_cast<std::size_t>(
            std::min<std::int64_t>(static_cast<std::int64_t>(block.capacity()), missing_[file_] - filled_));
        for (std::size_t c = 0; c < block.columns(); ++c)
          std::fill_n(block.room(c).begin(), count, std::nan(""));
        filled_ += static_cast<std::int64_t>(count);
        gaps = true;
        break;
      }
      // The source may carry stamps that were found even; a block for it then has room for them.
      if (sources_[file_]->carries_stamps()) {
        if (part_.capacity() != block.capacity())
          part_ = Block(block.channels(), block.capacity(), true, recording_.complex);
        count = sources_[file_]->read(part_);
        for (std::size_t c = 0; c < block.columns(); ++c)
          std::copy_n(part_.samples(c).begin(), count, block.room(c).begin());
        gaps = part_.gaps();
      } else {
        count = sources_[file_]->read(block);
        gaps = block.gaps();
      }
      if (count == 0) {
        ++file_;
        filled_ = 0;
      }
    }
    block.set(at_, count);
    block.set_gaps(gaps);
    at_ += static_cast<std::int64_t>(count);
    return count;
  }

 private:
  /// Puts the sources in the order of their times; false when the files do not tell them.
  bool order() {
    const bool dated = std::all_of(sources_.begin(), sources_.end(),
                                   [](const auto& s) { return s->recording().zero_ns.has_value(); });
    std::vector<std::pair<double, std::size_t>> starts;
    const std::int64_t zero = sources_.front()->recording().zero_ns.value_or(0);
    bool distinct = true;
    for (std::size_t i = 0; i < sources_.size(); ++i) {
      const Recording& r = sources_[i]->recording();
      starts.emplace_back(r.axis.start + (dated ? seconds_between(zero, *r.zero_ns) : 0), i);
    }
    std::sort(starts.begin(), starts.end());
    for (std::size_t i = 1; i < starts.size(); ++i)
      distinct = distinct && starts[i].first > starts[i - 1].first;
    if (!distinct) return false;
    Sources ordered;
    for (const auto& [start, index] : starts) {
      ordered.push_back(std::move(sources_[index]));
      starts_.push_back(start - starts.front().first);
    }
    sources_ = std::move(ordered);
    return true;
  }

  Sources sources_;
  std::vector<double> starts_;
  std::vector<std::int64_t> missing_;
  Block part_;  ///< With room for stamps, kept from read to read.
  Recording recording_;
  std::int64_t at_ = 0, filled_ = 0;
  std::size_t file_ = 0;
};

}  // namespace

std::unique_ptr<SampleSource> join_channels(Sources sources) {
  return std::make_unique<JoinedChannels>(std::move(sources));
}

std::unique_ptr<SampleSource> join_time(Sources sources) {
  return std::make_unique<JoinedTime>(std::move(sources));
}

}  // namespace vprism
