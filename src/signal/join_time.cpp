// join_time.cpp: files one after another; see join.h.
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "signal/join.h"
#include "signal/join_alike.h"

namespace vprism {

namespace {

/// Where a joined channel stands in one of the files, and how its numbers become those of the first file's
/// unit.
struct TakenChannel {
  std::size_t from = 0;
  double factor = 1, offset = 0;
  bool plain() const { return factor == 1 && offset == 0; }
};

class JoinedTime : public SampleSource {
 public:
  explicit JoinedTime(JoinedSources sources) : sources_(std::move(sources)) {
    for (auto& source : sources_) source->resolve();
    stamped_ = std::any_of(sources_.begin(), sources_.end(),
                           [](const auto& s) { return s->recording().axis.stamped; });
    require_alike(sources_, stamped_);
    const bool known = order();
    recording_ = sources_.front()->recording();
    gather_cautions(sources_, recording_);
    recording_.format = std::to_string(sources_.size()) + " files joined in time; " + recording_.format;
    match_channels();
    lay_out(known);
    if (!known)
      recording_.cautions.push_back(
          {"join-assumed", Severity::note, "",
           "the files do not say when they began; they are joined without gaps, in the order given",
           "check the joints in the time trace"});
    parts_.resize(sources_.size());
  }
  const Recording& recording() const override { return recording_; }
  bool carries_stamps() const override { return stamped_; }
  void rewind() override {
    for (auto& source : sources_) source->rewind();
    at_ = 0, file_ = 0, filled_ = 0, passed_ = 0;
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
      count = read_file(block, gaps);
      if (count == 0) ++file_, filled_ = 0, passed_ = 0;
    }
    block.set(at_, count);
    block.set_gaps(gaps);
    at_ += static_cast<std::int64_t>(count);
    return count;
  }

 private:
  std::size_t read_file(Block& block, bool& gaps) {
    SampleSource& source = *sources_[file_];
    const std::size_t own = source.recording().channels.size();
    Block& part = parts_[file_];
    if (part.capacity() != block.capacity())
      part = Block(own, block.capacity(), source.carries_stamps(), recording_.complex);
    // What the file before has covered already.
    std::size_t count = 0, skip = 0;
    for (;;) {
      count = source.read(part);
      skip = static_cast<std::size_t>(
          std::min<std::int64_t>(static_cast<std::int64_t>(count), left_out_[file_] - passed_));
      passed_ += static_cast<std::int64_t>(skip);
      if (count == 0 || skip < count) break;
    }
    const std::size_t kept = count - skip, channels = recording_.channels.size();
    for (std::size_t c = 0; c < block.columns(); ++c) {
      const TakenChannel& taken = taken_[file_][c % channels];
      const auto from = part.samples(c < channels ? taken.from : own + taken.from).subspan(skip, kept);
      const auto to = block.room(c).subspan(0, kept);
      const double offset = c < channels ? taken.offset : 0;
      if (taken.plain())
        std::copy(from.begin(), from.end(), to.begin());
      else
        std::transform(from.begin(), from.end(), to.begin(),
                       [&](double x) { return taken.factor * x + offset; });
    }
    if (stamped_ && kept > 0) {
      const Recording& r = source.recording();
      const double shift = starts_.empty() ? 0 : first_s_ + starts_[file_] - r.axis.start;
      const auto stamps = block.stamp_room();
      for (std::size_t n = 0; n < kept; ++n)
        stamps[n] =
            shift +
            (source.carries_stamps()
                 ? part.stamps()[skip + n]
                 : r.axis.start + r.axis.interval * static_cast<double>(part.first() +
                                                                        static_cast<std::int64_t>(skip + n)));
    }
    gaps = part.gaps();
    return kept;
  }

  /// By name; those that not all files have are left out. Where no names agree, by place.
  void match_channels() {
    const std::vector<Channel> all = recording_.channels;
    recording_.channels.clear();
    taken_.assign(sources_.size(), {});
    bool any = false;
    for (const auto& source : sources_)
      for (const Channel& c : source->recording().channels)
        any = any || (source != sources_.front() && place_of(all, c.name) < all.size());
    const bool same_count = std::all_of(sources_.begin(), sources_.end(), [&](const auto& s) {
      return s->recording().channels.size() == all.size();
    });
    if (!any && sources_.size() > 1 && !same_count)
      throw Error(Status::analysis, sources_.back()->recording().file + ": can't be joined with " +
                                        recording_.file +
                                        ": none of its channels has the name of one there, and it has " +
                                        std::to_string(sources_.back()->recording().channels.size()) +
                                        ", not " + std::to_string(all.size()));
    if (!any && sources_.size() > 1)
      recording_.cautions.push_back(
          {"joined-by-place", Severity::warning, "",
           "none of the channels have one name in all files: they are joined in the order "
           "in which they stand",
           "give the channels of all files the same names"});
    std::string only;
    for (std::size_t c = 0; c < all.size(); ++c) {
      std::vector<TakenChannel> taken;
      for (const auto& source : sources_) {
        const std::vector<Channel>& own = source->recording().channels;
        const std::size_t from = any ? place_of(own, all[c].name) : c;
        if (from == own.size()) break;
        taken.push_back(converted(own[from], all[c], from, source->recording().file));
      }
      if (taken.size() < sources_.size()) {
        only += (only.empty() ? "\"" : ", \"") + all[c].name + "\"";
        continue;
      }
      for (std::size_t i = 0; i < taken.size(); ++i) taken_[i].push_back(taken[i]);
      recording_.channels.push_back(all[c]);
    }
    for (const auto& source : sources_)
      for (const Channel& c : source->recording().channels)
        if (any && place_of(all, c.name) == all.size() &&
            only.find("\"" + c.name + "\"") == std::string::npos)
          only += (only.empty() ? "\"" : ", \"") + c.name + "\"";
    if (!only.empty())
      recording_.cautions.push_back({"channels-left-out", Severity::warning, "",
                                     "some channels are not in all of the files and are left out: " + only,
                                     "join the files that have them"});
    if (recording_.channels.empty())
      throw Error(Status::analysis,
                  recording_.file + ": can't be joined with the others: no channel is in all of the files");
  }

  static std::size_t place_of(const std::vector<Channel>& channels, const std::string& name) {
    std::size_t at = 0;
    while (at < channels.size() && channels[at].name != name) ++at;
    return at;
  }

  TakenChannel converted(const Channel& from, const Channel& to, std::size_t place,
                         const std::string& file) const {
    TakenChannel out{place};
    if (from.unit == to.unit) return out;
    if (!from.unit.converts_to(to.unit))
      throw Error(Status::analysis, file + ": can't be joined with " + recording_.file + ": \"" + from.name +
                                        "\" is in " + from.unit.label() + ", there in " + to.unit.label() +
                                        "; calibrate both alike");
    out.offset = from.unit.convert(0, to.unit);
    out.factor = from.unit.convert(1, to.unit) - out.offset;
    return out;
  }

  /// Gaps, overlaps and the length of it all.
  void lay_out(bool known) {
    const double interval = recording_.axis.interval;
    recording_.samples = 0;
    double end = 0;  // Where the last file ended, from the first one's start.
    first_s_ = recording_.axis.start;
    for (std::size_t i = 0; i < sources_.size(); ++i) {
      const Recording& r = sources_[i]->recording();
      std::int64_t missing = 0, left_out = 0;
      if (known && i > 0 && interval > 0) {
        const double gap = (starts_[i] - end) / interval;
        if (gap > 0.5) {
          missing = stamped_ ? 0 : std::llround(gap);
          if (missing > 100 * (recording_.samples + r.samples) + 1000000)
            throw Error(Status::analysis, r.file + ": begins " + span_of_samples(gap, interval) + " after " +
                                              sources_[i - 1]->recording().file +
                                              " ends; too long a gap to fill: analyse them one by one");
          recording_.cautions.push_back({"join-gap", Severity::warning, "",
                                         r.stem() + " begins " + span_of_samples(gap, interval) +
                                             " after the file before it ends; the gap is left open",
                                         "spectra are averaged between the gaps"});
        } else if (gap < -0.5) {
          left_out = std::min(r.samples, static_cast<std::int64_t>(std::llround(-gap)));
          recording_.cautions.push_back(
              {"join-overlap", Severity::serious, "",
               r.stem() + " begins " + span_of_samples(gap, interval) + " before the file before it ends; " +
                   (left_out == r.samples ? "all of it is left out" : "so much of it is left out"),
               "check the files' times and order"});
        }
      }
      missing_.push_back(missing), left_out_.push_back(left_out);
      recording_.samples += missing + r.samples - left_out;
      end = std::max(end, (known ? starts_[i] : end) + static_cast<double>(r.samples) * r.axis.interval);
    }
    if (!stamped_) return;
    recording_.axis.stamped = true;
    const std::int64_t steps = std::max<std::int64_t>(1, recording_.samples - 1);
    recording_.axis.interval = end / static_cast<double>(steps);
    for (const auto& source : sources_)
      recording_.axis.jitter = std::max(recording_.axis.jitter, source->recording().axis.jitter);
  }

  /// Puts the sources in the order of their times; false when the files do not say them.
  bool order() {
    const JoinedStarts found = starts_of(sources_);
    std::vector<std::pair<double, std::size_t>> starts;
    for (std::size_t i = 0; i < found.at_s.size(); ++i) starts.emplace_back(found.at_s[i], i);
    std::sort(starts.begin(), starts.end());
    for (std::size_t i = 1; i < starts.size(); ++i)
      if (!(starts[i].first > starts[i - 1].first)) return false;
    JoinedSources ordered;
    for (const auto& [start, index] : starts) {
      ordered.push_back(std::move(sources_[index]));
      starts_.push_back(start - starts.front().first);
    }
    sources_ = std::move(ordered);
    return true;
  }

  JoinedSources sources_;
  bool stamped_ = false;
  std::vector<double> starts_;
  double first_s_ = 0;
  std::vector<std::int64_t> missing_, left_out_;
  std::vector<std::vector<TakenChannel>> taken_;  ///< By file, then by channel.
  std::vector<Block> parts_;                      ///< One per source, kept from read to read.
  Recording recording_;
  std::int64_t at_ = 0, filled_ = 0, passed_ = 0;
  std::size_t file_ = 0;
};

}  // namespace

std::unique_ptr<SampleSource> join_time(std::vector<std::unique_ptr<SampleSource>> sources) {
  return std::make_unique<JoinedTime>(std::move(sources));
}

}  // namespace vprism
