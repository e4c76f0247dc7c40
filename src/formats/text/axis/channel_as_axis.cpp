// channel_as_axis.cpp: see channel_as_axis.h.
#include "formats/text/axis/channel_as_axis.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

class ChannelAsAxis : public SampleSource {
 public:
  ChannelAsAxis(std::unique_ptr<SampleSource> source, std::size_t channel, const ReadSettings& settings)
      : source_(std::move(source)), channel_(channel), settings_(settings), recording_(source_->recording()) {
    const Channel axis_channel = recording_.channels[channel];
    recording_.channels.erase(recording_.channels.begin() + static_cast<std::ptrdiff_t>(channel));
    Axis& axis = recording_.axis;
    axis = {};
    axis.source = "channel \"" + axis_channel.name + "\"";
    const Unit &unit = axis_channel.unit, seconds = Unit::parse("s"), hertz = Unit::parse("Hz");
    if (unit.dimensionless()) return;
    if (unit.converts_to(seconds)) {
      factor_ = unit.convert(1, seconds);
      return;
    }
    const bool frequency = unit.converts_to(hertz);
    axis.domain = frequency ? Axis::Domain::frequency : Axis::Domain::other;
    axis.name = axis_channel.name;
    axis.unit = frequency ? hertz : unit;
    if (frequency) factor_ = unit.convert(1, hertz);
  }

  const Recording& recording() const override { return recording_; }
  bool carries_stamps() const override { return true; }
  void rewind() override { source_->rewind(); }

  std::size_t read(Block& block) override {
    if (whole_.capacity() != block.capacity())
      whole_ = Block(recording_.channels.size() + 1, block.capacity());
    const std::size_t count = source_->read(whole_);
    for (std::size_t c = 0; c < recording_.channels.size(); ++c) {
      const auto x = whole_.samples(c < channel_ ? c : c + 1);
      std::copy(x.begin(), x.end(), block.room(c).begin());
    }
    const auto times = whole_.samples(channel_);
    const auto stamps = block.stamp_room();
    for (std::size_t n = 0; n < count; ++n) {
      if (!std::isfinite(times[n]))
        throw Error(Status::input, recording_.file + ": " + recording_.axis.source +
                                       " is to be the axis, but row " +
                                       std::to_string(whole_.first() + static_cast<std::int64_t>(n) + 1) +
                                       " holds no number; take another with --axis, or none and --rate");
      stamps[n] = times[n] * factor_;
      greatest_ = std::max(greatest_, std::abs(stamps[n]));
    }
    block.set(whole_.first(), count);
    block.set_gaps(whole_.gaps());
    if (settled_) return count;
    judge_.add(stamps.subspan(0, count));
    seen_ += static_cast<std::int64_t>(count);
    if (count == 0 || seen_ == recording_.samples) {
      settled_ = true;
      // Times may have been kept as floats.
      const double digits = greatest_ * std::numeric_limits<float>::epsilon();
      settle_stamps(recording_, settings_, judge_, single_ ? digits : 0, 0, "");
    }
    return count;
  }

  void resolve() override {
    if (settled_) return;
    judge_ = {}, seen_ = 0;
    Block block = make_block();
    source_->rewind();
    while (read(block) > 0) continue;
    source_->rewind();
  }

  void add_caution(Caution caution) { recording_.cautions.push_back(std::move(caution)); }
  /// All of its values are floats: known from the first ones.
  void set_single(bool single) { single_ = single; }

 private:
  std::unique_ptr<SampleSource> source_;
  std::size_t channel_;
  ReadSettings settings_;
  Recording recording_;
  Block whole_;
  StampJudge judge_;
  double factor_ = 1, greatest_ = 0;
  std::int64_t seen_ = 0;
  bool settled_ = false, single_ = false;
};

bool all_single(std::span<const double> x) {
  return std::all_of(x.begin(), x.end(),
                     [](double v) { return static_cast<double>(static_cast<float>(v)) == v; });
}

}  // namespace

std::unique_ptr<SampleSource> with_axis_channel(std::unique_ptr<SampleSource> source,
                                                const ReadSettings& settings) {
  const Recording& r = source->recording();
  const bool named = !settings.axis.empty() && settings.axis != "none";
  if (settings.axis == "none" || source->carries_stamps() || r.axis.domain != Axis::Domain::time ||
      r.samples < 2)
    return source;
  if (r.complex && named)
    throw Error(Status::usage,
                "--axis " + settings.axis + ": " + r.file + " has complex channels, which are no axis");
  if (r.complex) return source;
  std::size_t chosen = 0;
  if (named) {
    std::vector<std::string> names;
    for (const Channel& channel : r.channels) names.push_back(channel.name);
    while (chosen < names.size() && names[chosen] != settings.axis &&
           std::to_string(chosen + 1) != settings.axis)
      ++chosen;
    if (chosen == names.size())
      throw Error(Status::usage, "--axis: " + r.file + ": " + unknown_name("channel", settings.axis, names));
    if (names.size() < 2)
      throw Error(Status::usage, "--axis " + settings.axis + ": " + r.file +
                                     " has one channel alone, which can't be the axis as well");
  } else if (r.channels.size() < 2 || r.axis.interval > 0 || settings.rate_hz || settings.interval_s ||
             settings.duration_s || !r.channels[0].unit.dimensionless()) {
    return source;
  }
  Block head = source->make_block();
  source->read(head);
  source->rewind();
  const std::span<const double> x = head.samples(chosen);
  // Where all channels are straight lines, none of them is the time of the others.
  const auto swings = [&](std::size_t c) {
    const auto y = head.samples(c);
    const double step = (y.back() - y.front()) / static_cast<double>(std::max<std::size_t>(1, y.size() - 1));
    for (std::size_t n = 1; n < y.size(); ++n)
      if (!(std::abs(y[n] - y[n - 1] - step) <= 0.2 * std::abs(step))) return true;
    return false;
  };
  bool any = false;
  for (std::size_t c = 1; c < r.channels.size() && !any; ++c) any = swings(c);
  if (!named && (!rises_evenly(x) || !any)) return source;
  const std::string name = r.channels[chosen].name;
  auto out = std::make_unique<ChannelAsAxis>(std::move(source), chosen, settings);
  out->set_single(all_single(x));
  if (!named)
    out->add_caution({"axis-assumed", Severity::warning, "",
                      "\"" + name +
                          "\", the first of the array's channels, rises by even steps and is taken as time "
                          "in seconds",
                      "name the time with --axis, or --axis none if there is none"});
  return out;
}

}  // namespace vprism
