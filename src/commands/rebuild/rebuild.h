// rebuild.h: signals from chosen components.
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <list>

#include "base/error.h"
#include "base/text.h"
#include "commands/identify/suspects_file.h"
#include "commands/shared/channel_groups.h"
#include "commands/shared/each_input.h"
#include "commands/shared/held.h"
#include "commands/shared/stored_spectrum.h"
#include "commands/shared/write_recording.h"
#include "identify/lines/whole_lines.h"
#include "identify/tones/rebuild.h"

namespace vprism {

struct ChannelRebuilt {
  Channel channel;
  std::vector<double> original;
  std::vector<Component> components;
  Rebuilt rebuilt;
};

struct RebuildResult {
  InputFacts facts;
  std::string how;
  std::vector<ChannelRebuilt> channels;
};

class RebuildTask : public EachInputTask<RebuildResult> {
 public:
  RebuildTask() : EachInputTask("rebuild") {}

  std::vector<OptionGroup> options() override;

 protected:
  void check_settings() const override;

  RebuildResult measure(Input& input, const Progress& progress) override;

  void report(const RebuildResult& result, Delivery& delivery) override;

  void write(RebuildResult& result, const std::string& base, Outputs& folder) override;

 private:
  /// What is taken.
  std::string how(double rate_hz) const;

  std::string share_text(const ChannelRebuilt& c) const;

  /// How the saved spectrum had to be read to be this record's.
  void report_match(const TurnedBack& back, const ChannelRebuilt& c, const Recording& r,
                    std::vector<Caution>& cautions) const;

  static std::string joined(const std::vector<std::string>& names);

  std::vector<double> from_spectrum(const std::string& name, std::size_t samples, double rate_hz) const;

  /// Lines of the suspects named, and at the frequencies named.
  std::vector<Component> lines_to_leave_out(std::span<const double> x, double rate_hz,
                                            const SuspectsFile& file) const;

  TextTable table(const ChannelRebuilt& c) const;

  /// What so many components leave; a channel may have fewer lines than were asked for.
  TextTable counts_table(const ChannelRebuilt& c, Json& document) const;

  /// The first so many components alone.
  static std::vector<double> first_of(const ChannelRebuilt& c, std::size_t count, double rate_hz);

  static Curve trace(const std::vector<double>& x, std::size_t from, std::size_t count, const Axis& axis);

  Figure figure(const RebuildResult& result) const;

  static constexpr std::size_t usual_lines = 10;
  std::size_t strongest_ = usual_lines;
  std::vector<std::size_t> side_by_side_;  ///< Numbers of components, rising.
  std::vector<double> hz_;
  std::optional<Range> band_;
  std::vector<std::string> without_;
  std::string suspects_, spectrum_, to_;
};

}  // namespace vprism
