// road.h: a source, the stages of its chain, and the passes over them.
#pragma once

#include <functional>
#include <memory>
#include <vector>

#include "condition/chain.h"
#include "signal/source.h"

namespace vprism {

/// Told now and then how far a pass is: samples read, samples in all (-1: not known).
using Progress = std::function<void(std::int64_t done, std::int64_t all)>;

/// read -> calibrate -> condition, ready for any number of passes. The next block is read while the last one
/// is being worked on.
class Road {
 public:
  Road(std::unique_ptr<SampleSource> source, Chain chain);

  /// Makes axis and length known, and the recording that comes out of the last stage.
  void resolve();
  /// The recording as it comes out of the last stage.
  const Recording& recording() const { return passing_; }
  /// One pass: every block, in order, is handed to `sink`, which may change it.
  void run(const Sink& sink, const Progress& progress = {});
  std::vector<StageReport> reports() const;

 private:
  void start_stages(std::size_t count);
  void pass(std::size_t stages, const Sink& sink, const Progress& progress);
  void survey_once();

  std::unique_ptr<SampleSource> source_;
  Chain chain_;
  Recording passing_;
  bool surveyed_ = false;
};

}  // namespace vprism
