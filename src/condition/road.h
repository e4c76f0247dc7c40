// road.h: a source, the stages of its chain, and the passes over them.
#pragma once

#include <functional>
#include <memory>
#include <vector>

#include "condition/chain.h"
#include "condition/missing.h"
#include "signal/parted_sink.h"
#include "signal/source.h"

namespace vprism {

/// Told now and then how far a pass is: samples read, samples in all (-1: not known).
using Progress = std::function<void(std::int64_t done, std::int64_t all)>;

/// read -> calibrate -> condition, ready for any number of passes. The next block is read while the last one
/// is being worked on.
class Road {
 public:
  Road(std::unique_ptr<SampleSource> source, Chain chain);

  /// Makes axis and length known, and the recording that comes out of the last stage. A grid is put in before
  /// the first stage that can't do without one.
  void resolve();
  /// The same, and where what comes out is at uneven times, a grid is put in behind, fit for a band up to
  /// `band_hz` (0: as the times have it).
  void resolve_even(double band_hz = 0);
  /// The recording as it comes out of the last stage.
  const Recording& recording() const { return passing_; }
  /// As it was read.
  const Recording& source_recording() const { return source_->recording(); }
  /// One pass: every block, in order, is handed to `sink`, which may change it.
  void run(const Sink& sink, const Progress& progress = {});
  /// One pass for what adds up over the record, made by all ranks together where there are several: each
  /// reads a stretch, and all have the whole in the end. `sink` gets the blocks, and adds them to `parted` as
  /// well. Returns whether ranks shared it: `sink` has then seen a stretch only, and nothing was missing
  /// anywhere.
  bool run_parted(std::span<PartedSink* const> parted, const Sink& sink, const Progress& progress = {});
  std::vector<StageReport> reports() const;
  /// What is missing in what was read and in what came out of the chain, known once a pass has been made.
  std::vector<Caution> cautions() const;
  /// Values too large to be squared are handed on as they are: for who only copies them.
  void keep_large() { keep_large_ = true; }
  const Chain& chain() const { return chain_; }
  /// Whether a stage can tell an estimate of its own error.
  bool has_doubt() const;
  /// One pass in which that estimate goes down the road instead of the signal: what later stages make of it.
  void run_doubt(const Sink& sink);

 private:
  void start_stages(std::size_t count);
  void put_in_grid(std::size_t before);
  /// Samples from..to of the source.
  struct Stretch {
    std::int64_t from = 0, to = INT64_MAX;
  };
  void pass(std::size_t stages, const Sink& sink, const Progress& progress, const Stretch& stretch);
  void pass(std::size_t stages, const Sink& sink, const Progress& progress) {
    pass(stages, sink, progress, {});
  }
  /// Where the record may be parted; empty where it may not.
  std::vector<std::int64_t> part_starts();
  /// The pass of this rank over its share.
  void share(std::span<PartedSink* const> parted, const std::vector<std::int64_t>& starts, std::size_t parts,
             const Sink& sink, const Progress& progress);
  /// The surveys of the stages before `end`, each once.
  void survey_stages(std::size_t end);

  std::unique_ptr<SampleSource> source_;
  Chain chain_;
  Recording passing_;
  std::vector<bool> surveyed_;
  MissingCount read_, made_;
  bool keep_large_ = false, doubting_ = false;
  double band_hz_ = 0;
};

}  // namespace vprism
