// generator.cpp: see generator.h.
#include "generate/generator.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "generate/random.h"

namespace vprism {

namespace {

/// What is done to the whole sum.
struct Shaper {
  enum class Kind { clip, quantise } kind;
  double size;
  void apply(std::span<double> x) const {
    if (kind == Kind::clip)
      for (double& v : x) v = std::clamp(v, -size, size);
    else
      for (double& v : x) v = size * std::round(v / size);
  }
};

struct MadeChannel {
  std::vector<std::unique_ptr<Term>> terms;
  std::vector<Shaper> shapers;
};

/// At a plus between blanks: "1e+3" is a number.
std::vector<std::string> split_sum(std::string text) {
  text += ' ';
  std::vector<std::string> out;
  std::size_t from = 0;
  for (std::size_t at = text.find(" + "); at != std::string::npos; at = text.find(" + ", from)) {
    out.push_back(text.substr(from, at - from));
    from = at + 3;
  }
  out.push_back(text.substr(from));
  return out;
}

Shaper parse_shaper(const std::string& text, const Unit& unit) {
  const std::vector<std::string> words = split(std::string(trimmed(text)), ' ');
  const std::vector<std::string> known = {"clip", "quantise"};
  const auto found = std::find(known.begin(), known.end(), words.front());
  if (found == known.end()) throw Error(Status::usage, unknown_name("step", words.front(), known));
  std::string value;
  for (std::size_t i = 1; i < words.size(); ++i) value += words[i];
  if (value.empty()) throw Error(Status::usage, "\"" + words.front() + "\" needs a value behind it");
  const double size = parse_amount(value, unit);
  if (!(size > 0)) throw Error(Status::usage, "\"" + words.front() + "\" needs a value above 0");
  return {found == known.begin() ? Shaper::Kind::clip : Shaper::Kind::quantise, size};
}

MadeChannel make_channel(const ChannelDescription& description, std::uint64_t seed, std::uint64_t& label,
                         const EarlierChannels* earlier) {
  MadeChannel out;
  try {
    const std::vector<std::string> parts = split(description.signal, '|');
    for (const std::string& term : split_sum(parts.front()))
      out.terms.push_back(parse_term(term, {description.unit, seed, label++, earlier}));
    for (std::size_t i = 1; i < parts.size(); ++i)
      out.shapers.push_back(parse_shaper(parts[i], description.unit));
  } catch (const Error& error) {
    throw Error(error.status(), "channel \"" + description.name + "\": " + error.what());
  }
  return out;
}

class Generator : public SampleSource {
 public:
  explicit Generator(const GeneratorSettings& settings)
      : settings_(settings),
        stretch_{settings.rate_hz, settings.start_s, settings.samples},
        stray_(settings.seed, ~0u) {
    recording_.file = "generated";
    recording_.format = "generated";
    std::uint64_t label = 1;
    for (const ChannelDescription& d : settings.channels) {
      recording_.channels.push_back({d.name, d.unit, quantity_of(d.unit)});
      channels_.push_back(make_channel(d, settings.seed, label, &earlier_));
      earlier_.names.push_back(d.name);
      earlier_.samples.emplace_back();
    }
    make_names_distinct(recording_.channels);
    recording_.samples = settings.samples;
    recording_.axis.start = time_of(0);
    recording_.axis.stamped = settings.uneven > 0;
    recording_.axis.interval =
        settings.uneven > 0 && settings.samples > 1
            ? (time_of(settings.samples - 1) - time_of(0)) / static_cast<double>(settings.samples - 1)
            : 1 / settings.rate_hz;
    recording_.axis.source = "generated";
    rewind();
  }

  const Recording& recording() const override { return recording_; }
  bool carries_stamps() const override { return settings_.uneven > 0; }
  void rewind() override {
    at_ = 0;
    for (std::size_t c = 0; c < channels_.size(); ++c)
      for (const auto& term : channels_[c].terms) {
        try {
          term->start(stretch_);
        } catch (const Error& error) {
          throw Error(Status::usage, "channel \"" + recording_.channels[c].name + "\": " + error.what());
        }
      }
  }

  std::size_t read(Block& block) override {
    const auto count = static_cast<std::size_t>(
        std::min<std::int64_t>(static_cast<std::int64_t>(block.capacity()), settings_.samples - at_));
    times_.resize(count);
    for (std::size_t n = 0; n < count; ++n) times_[n] = time_of(at_ + static_cast<std::int64_t>(n));
    for (std::size_t c = 0; c < channels_.size(); ++c) {
      const std::span<double> out = block.room(c).first(count);
      std::fill(out.begin(), out.end(), 0.0);
      for (const auto& term : channels_[c].terms) term->add(at_, times_, out);
      for (const Shaper& shaper : channels_[c].shapers) shaper.apply(out);
      earlier_.samples[c] = out;
    }
    if (block.stamped()) std::copy(times_.begin(), times_.end(), block.stamp_room().begin());
    block.set(at_, count);
    block.set_gaps(false);
    at_ += static_cast<std::int64_t>(count);
    return count;
  }

  std::vector<std::vector<Truth>> truths() const {
    std::vector<std::vector<Truth>> out;
    for (const MadeChannel& channel : channels_) {
      out.emplace_back();
      for (const auto& term : channel.terms) out.back().push_back(term->truth());
      for (const Shaper& shaper : channel.shapers)
        out.back().push_back({{"kind", std::string(shaper.kind == Shaper::Kind::clip ? "clip" : "quantise")},
                              {"size", shaper.size}});
    }
    return out;
  }

 private:
  double time_of(std::int64_t n) const {
    const double place = static_cast<double>(n);
    const double off =
        settings_.uneven > 0 ? settings_.uneven * (2 * stray_.uniform(static_cast<std::uint64_t>(n)) - 1) : 0;
    return settings_.start_s + (place + off) / settings_.rate_hz;
  }

  GeneratorSettings settings_;
  Stretch stretch_;
  RandomStream stray_;
  Recording recording_;
  std::vector<MadeChannel> channels_;
  EarlierChannels earlier_;
  std::vector<double> times_;
  std::int64_t at_ = 0;
};

}  // namespace

ChannelDescription parse_channel_description(std::string_view text) {
  const std::size_t colon = text.find(':');
  if (colon == std::string_view::npos)
    throw Error(Status::usage,
                "\"" + clean_text(text, 60) +
                    "\" names no channel; write for example \"mast (V): tone 50Hz 1 + white 1e-3\"");
  const Channel channel = channel_from_title(trimmed(text.substr(0, colon)));
  if (channel.name.empty()) throw Error(Status::usage, "a channel has no name before its colon");
  return {channel.name, channel.unit, std::string(trimmed(text.substr(colon + 1)))};
}

std::unique_ptr<SampleSource> make_generator(const GeneratorSettings& settings) {
  return std::make_unique<Generator>(settings);
}

std::vector<std::vector<Truth>> generator_truth(const GeneratorSettings& settings) {
  return Generator(settings).truths();
}

}  // namespace vprism
