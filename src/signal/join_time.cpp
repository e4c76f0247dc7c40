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
  Conversion conversion = {};
};

/// What is taken of one file.
struct Piece {
  std::vector<TakenChannel> channels = {};
  std::int64_t missing = 0, left_out = 0;  ///< Samples to be filled in before it; of its own first ones.
  double shift_s = 0;                      ///< Of its stamps.
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
    pieces_.resize(sources_.size());
    match_channels();
    if (stamped_)
      lay_out_stamped(known);
    else
      lay_out_even(known);
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
  std::int64_t seek(std::int64_t sample) override {
    rewind();
    std::int64_t begin = 0;
    for (; file_ + 1 < sources_.size() && sample - begin >= kept(file_); ++file_) begin += kept(file_);
    const Piece& piece = pieces_[file_];
    if (stamped_ || !cut_alike()) return -1;
    const std::int64_t at = sources_[file_]->seek(sample - begin + piece.left_out);
    passed_ = std::min(at, piece.left_out);
    return at < 0 ? at : at_ = begin + at - passed_;
  }
  std::size_t read(Block& block) override {
    std::size_t count = 0;
    bool gaps = false;
    while (file_ < sources_.size() && count == 0) {
      if (filled_ < pieces_[file_].missing) {
        count = static_cast<std::size_t>(std::min<std::int64_t>(static_cast<std::int64_t>(block.capacity()),
                                                                pieces_[file_].missing - filled_));
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
  /// Samples of a file that are handed on.
  std::int64_t kept(std::size_t file) const {
    return sources_[file]->recording().samples - pieces_[file].left_out;
  }
  /// Whether the files are read in blocks of the size that they have by themselves, with nothing between.
  bool cut_alike() const {
    const auto capacity = [](const Recording& r) {
      return Block::good_capacity(r.channels.size() * (r.complex ? 2 : 1));
    };
    for (std::size_t i = 0; i < sources_.size(); ++i)
      if (pieces_[i].missing > 0 || capacity(sources_[i]->recording()) != capacity(recording_)) return false;
    return true;
  }

  std::size_t read_file(Block& block, bool& gaps) {
    SampleSource& source = *sources_[file_];
    const Piece& piece = pieces_[file_];
    const std::size_t own = source.recording().channels.size();
    Block& part = parts_[file_];
    if (part.capacity() != block.capacity())
      part = Block(own, block.capacity(), source.carries_stamps(), recording_.complex);
    // What the file before has covered already.
    std::size_t count = 0, skip = 0;
    for (;;) {
      count = source.read(part);
      skip = static_cast<std::size_t>(
          std::min<std::int64_t>(static_cast<std::int64_t>(count), piece.left_out - passed_));
      passed_ += static_cast<std::int64_t>(skip);
      if (count == 0 || skip < count) break;
    }
    const std::size_t kept = count - skip, channels = recording_.channels.size();
    for (std::size_t c = 0; c < block.columns(); ++c) {
      const TakenChannel& taken = piece.channels[c % channels];
      const auto from = part.samples(c < channels ? taken.from : own + taken.from).subspan(skip, kept);
      const auto to = block.room(c).subspan(0, kept);
      const Conversion convert{taken.conversion.factor, c < channels ? taken.conversion.offset : 0};
      if (convert.plain())
        std::copy(from.begin(), from.end(), to.begin());
      else
        std::transform(from.begin(), from.end(), to.begin(), convert);
    }
    if (stamped_)
      for (std::size_t n = 0; n < kept; ++n)
        block.stamp_room()[n] = piece.shift_s + time_of(source, part, skip + n);
    gaps = part.gaps();
    return kept;
  }

  /// By name; those that not all files have are left out. Where no names agree, by place.
  void match_channels() {
    const std::vector<Channel> all = recording_.channels;
    recording_.channels.clear();
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
    std::vector<std::string> only;
    for (std::size_t c = 0; c < all.size(); ++c) {
      std::vector<TakenChannel> taken;
      for (const auto& source : sources_) {
        const std::vector<Channel>& own = source->recording().channels;
        const std::size_t from = any ? place_of(own, all[c].name) : c;
        if (from == own.size()) break;
        taken.push_back(converted(own[from], all[c], from, source->recording()));
      }
      if (taken.size() < sources_.size()) {
        only.push_back(all[c].name);
        continue;
      }
      for (std::size_t i = 0; i < taken.size(); ++i) pieces_[i].channels.push_back(taken[i]);
      recording_.channels.push_back(all[c]);
    }
    for (const auto& source : sources_)
      for (const Channel& c : source->recording().channels)
        if (any && place_of(all, c.name) == all.size() &&
            std::find(only.begin(), only.end(), c.name) == only.end())
          only.push_back(c.name);
    if (!only.empty())
      recording_.cautions.push_back(
          {"channels-left-out", Severity::warning, "",
           "some channels are not in all of the files and are left out: " + quoted_names(only),
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

  TakenChannel converted(const Channel& from, const Channel& to, std::size_t place, const Recording& r) {
    if (from.unit == to.unit) return {place};
    if (!from.unit.converts_to(to.unit))
      throw Error(Status::analysis, r.file + ": can't be joined with " + recording_.file + ": \"" +
                                        from.name + "\" is in " + from.unit.label() + ", there in " +
                                        to.unit.label() + "; calibrate both alike");
    recording_.cautions.push_back({"units-converted", Severity::note, from.name,
                                   r.stem() + " has it in " + from.unit.label() + ": converted to " +
                                       to.unit.label() + ", the first file's unit",
                                   ""});
    return {place, from.unit.conversion(to.unit)};
  }

  void overlap(const Recording& r, const std::string& by, bool whole) {
    recording_.cautions.push_back({"join-overlap", Severity::serious, "",
                                   r.stem() + " begins " + by + " before the file before it ends; " +
                                       (whole ? "all of it is left out" : "so much of it is left out"),
                                   "check the files' times and order"});
  }
  void gap(const Recording& r, const std::string& by) {
    recording_.cautions.push_back(
        {"join-gap", Severity::warning, "",
         r.stem() + " begins " + by + " after the file before it ends; the gap is left open",
         "spectra are averaged between the gaps"});
  }

  /// Gaps, overlaps and the length of it all, of samples at even steps.
  void lay_out_even(bool known) {
    const double interval = recording_.axis.interval;
    recording_.samples = 0;
    double end = 0;  // Where the last file ended, from the first one's start.
    for (std::size_t i = 0; i < sources_.size(); ++i) {
      const Recording& r = sources_[i]->recording();
      Piece& piece = pieces_[i];
      if (known && i > 0 && interval > 0) {
        const double late = (starts_[i] - end) / interval;
        if (late > 0.5) {
          piece.missing = std::llround(late);
          if (piece.missing > 100 * (recording_.samples + r.samples) + 1000000)
            throw Error(Status::analysis, r.file + ": begins " + span_of_samples(late, interval) + " after " +
                                              sources_[i - 1]->recording().file +
                                              " ends; too long a gap to fill: analyse them one by one");
          gap(r, span_of_samples(late, interval));
        } else if (late < -0.5) {
          piece.left_out = std::min(r.samples, static_cast<std::int64_t>(std::llround(-late)));
          overlap(r, span_of_samples(late, interval), piece.left_out == r.samples);
        }
      }
      recording_.samples += piece.missing + r.samples - piece.left_out;
      end = std::max(end, (known ? starts_[i] : end) + static_cast<double>(r.samples) * interval);
    }
  }

  /// The same at uneven steps: each sample has its time, and those not later than the file before's last are
  /// left out.
  void lay_out_stamped(bool known) {
    constexpr double longest_pause = 8;  // Usual steps, as of a grid that is made of them.
    const double first = recording_.axis.start;
    recording_.samples = 0;
    double last = 0, step_before = 0;  // The last sample's time, from the first one's.
    for (std::size_t i = 0; i < sources_.size(); ++i) {
      const Recording& r = sources_[i]->recording();
      Piece& piece = pieces_[i];
      const double usual = std::max(step_before, r.axis.interval), start = i == 0  ? 0
                                                                           : known ? starts_[i]
                                                                                   : last + usual;
      piece.shift_s = first + start - r.axis.start;
      if (i > 0 && start <= last) {
        piece.left_out = samples_until(*sources_[i], r.axis.start + last - start);
        overlap(r,
                format_quantity(last - start, "s", 4) + " (" + std::to_string(piece.left_out) + " samples)",
                piece.left_out == r.samples);
      } else if (start - last > longest_pause * usual) {
        gap(r, format_quantity(start - last, "s", 4));
      }
      recording_.samples += r.samples - piece.left_out;
      last = std::max(last, start + static_cast<double>(r.samples - 1) * r.axis.interval);
      step_before = r.axis.interval;
      recording_.axis.jitter = std::max(recording_.axis.jitter, r.axis.jitter);
    }
    recording_.axis.stamped = true;
    recording_.axis.interval = last / static_cast<double>(std::max<std::int64_t>(1, recording_.samples - 1));
  }

  static double time_of(const SampleSource& source, const Block& block, std::size_t n) {
    const Axis& axis = source.recording().axis;
    return source.carries_stamps()
               ? block.stamps()[n]
               : axis.start +
                     axis.interval * static_cast<double>(block.first() + static_cast<std::int64_t>(n));
  }

  /// How many samples come before the first that is later.
  static std::int64_t samples_until(SampleSource& source, double time_s) {
    std::int64_t count = 0;
    bool later = false;
    Block block = source.make_block();
    source.rewind();
    while (!later && source.read(block) > 0)
      for (std::size_t n = 0; n < block.size() && !later; ++n) {
        later = time_of(source, block, n) > time_s;
        count += later ? 0 : 1;
      }
    source.rewind();
    return count;
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
  std::vector<Piece> pieces_;  ///< By file.
  std::vector<Block> parts_;   ///< One per source, kept from read to read.
  Recording recording_;
  std::int64_t at_ = 0, filled_ = 0, passed_ = 0;
  std::size_t file_ = 0;
};

}  // namespace

std::unique_ptr<SampleSource> join_time(std::vector<std::unique_ptr<SampleSource>> sources) {
  return std::make_unique<JoinedTime>(std::move(sources));
}

}  // namespace vprism
