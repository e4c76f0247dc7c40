// generator.h: recordings of known content from a short description.
#pragma once

#include "generate/term.h"
#include "signal/source.h"

namespace vprism {

/// One channel: "NAME (UNIT): term + term > resonator ... | clip X | quantise STEP".
struct ChannelDescription {
  std::string name;
  Unit unit;
  std::string signal;  ///< What stands behind the colon.
};
/// Throws Error(usage).
ChannelDescription parse_channel_description(std::string_view text);

struct GeneratorSettings {
  std::vector<ChannelDescription> channels;
  double rate_hz = 0;
  std::int64_t samples = 0;
  double start_s = 0;
  std::uint64_t seed = 1;
  /// Stamps that stray at random from the even grid, by up to this share of an interval; 0: an even axis.
  double uneven = 0;
};

/// Throws Error(usage) for a description that can't be read, naming channel and term.
std::unique_ptr<SampleSource> make_generator(const GeneratorSettings& settings);

/// All that is known of such a recording, per channel: its terms, then what is done to their sum.
std::vector<std::vector<Truth>> generator_truth(const GeneratorSettings& settings);

}  // namespace vprism
