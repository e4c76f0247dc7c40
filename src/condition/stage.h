// stage.h: one step of the chain. Blocks are pushed in and pushed on.
#pragma once

#include <complex>
#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/error.h"
#include "signal/block.h"
#include "signal/recording.h"

namespace vprism {

using Sink = std::function<void(Block&)>;

/// Something a stage found or did at one place of a channel.
struct StageEvent {
  std::string channel;
  double time_s = 0;
  double size = 0;   ///< In the channel's unit.
  std::string what;  ///< "repaired", "kept: ..."
};

/// What a stage was set to and what it did, as pairs to be shown; values carry their units.
struct StageReport {
  std::string name;
  std::vector<std::pair<std::string, std::string>> values;
  std::vector<std::pair<std::string, std::string>> effects;
  std::vector<StageEvent> events{};  ///< The first thousand.
  std::vector<Caution> cautions{};
};

class Stage {
 public:
  virtual ~Stage() = default;
  /// Called before every pass and after it: `passing` is the recording as it comes in and is changed
  /// into what goes out (units, axis, length). Throws Error(analysis) when the step can't be made on this
  /// recording. What is reported of the pass before stays until the first block of the next one.
  virtual void start(Recording& passing) = 0;
  /// Whether `start` needs the axis and the length.
  virtual bool needs_axis() const { return true; }
  /// Whether the whole record must be seen once before it can be conditioned; `survey` is then pushed every
  /// block of a first pass, as it comes out of the stages before.
  virtual bool surveys() const { return false; }
  virtual void survey(const Block&) {}
  /// Whether what the survey finds changes the recording that goes out: its rate, its length.
  virtual bool survey_reshapes() const { return false; }
  /// May change the block in place and hand it on, or hand on blocks of its own.
  virtual void push(Block& block, const Sink& next) = 0;
  /// The record has ended; what is still held is handed on.
  virtual void finish(const Sink&) {}
  /// False once nothing that could still come would be handed on, so that reading can stop.
  virtual bool wants_more() const { return true; }
  virtual StageReport report() const = 0;
  /// Whether what it makes of a sample depends on that sample alone.
  virtual bool by_sample() const { return false; }
  /// Gain of the stage at a frequency, for stages that are linear and the same at all times; after `start`.
  virtual std::optional<std::complex<double>> response(double /*hz*/) const { return {}; }
  /// Whether the stage can hand on, instead of its result, an estimate of that result's error
  /// (interpolation). `doubt(true)` makes it do so from the next pass on; stages that take something off or
  /// add it then leave that out.
  virtual bool has_doubt() const { return false; }
  virtual void doubt(bool) {}
};

/// A step that takes evenly spaced samples only has met uneven ones: a grid put before it is the remedy.
class NeedsGrid : public Error {
 public:
  using Error::Error;
};

/// Throws Error(analysis) unless the passing samples are evenly spaced in time, so that `step` can be made;
/// NeedsGrid where they have uneven times.
void require_even_time(const Recording& passing, const char* step);
/// Throws Error(analysis) for complex channels.
void require_real(const Recording& passing, const char* step);

}  // namespace vprism
