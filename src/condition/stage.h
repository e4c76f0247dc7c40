// stage.h: one step of the chain. Blocks are pushed in and pushed on.
#pragma once

#include <functional>
#include <string>
#include <utility>
#include <vector>

#include "signal/block.h"
#include "signal/recording.h"

namespace vprism {

using Sink = std::function<void(Block&)>;

/// What a stage was set to and what it did, as pairs to be shown; values carry their units.
struct StageReport {
  std::string name;
  std::vector<std::pair<std::string, std::string>> values;
  std::vector<std::pair<std::string, std::string>> effects;
};

class Stage {
 public:
  virtual ~Stage() = default;
  /// Called before the first block of every pass: `passing` is the recording as it comes in and is changed
  /// into what goes out (units, axis, length). Throws Error(analysis) when the step can't be made on this
  /// recording.
  virtual void start(Recording& passing) = 0;
  /// Whether `start` needs the axis and the length.
  virtual bool needs_axis() const { return true; }
  /// Whether the whole record must be seen once before it can be conditioned; `survey` is then pushed every
  /// block of a first pass, as it comes out of the stages before.
  virtual bool surveys() const { return false; }
  virtual void survey(const Block&) {}
  /// May change the block in place and hand it on, or hand on blocks of its own.
  virtual void push(Block& block, const Sink& next) = 0;
  /// The record has ended; what is still held is handed on.
  virtual void finish(const Sink&) {}
  /// False once nothing that could still come would be handed on, so that reading can stop.
  virtual bool wants_more() const { return true; }
  virtual StageReport report() const = 0;
};

}  // namespace vprism
