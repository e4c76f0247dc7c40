// onward.h: a road continued by further stages, for what a command makes of a recording.
#pragma once

#include "condition/column.h"
#include "condition/road.h"

namespace vprism {

/// The road must outlive it. Further stages may not need surveys.
class Onward {
 public:
  Onward(Road& road, Chain stages) : road_(road), stages_(std::move(stages)) { start(); }
  /// As it comes out of the last stage.
  const Recording& recording() const { return out_; }
  void run(const Sink& sink, const Progress& progress = {}) {
    start();
    std::vector<Sink> sinks(stages_.size() + 1);
    sinks[stages_.size()] = sink;
    for (std::size_t i = stages_.size(); i-- > 0;)
      sinks[i] = [this, i, &sinks](Block& block) { stages_[i]->push(block, sinks[i + 1]); };
    road_.run(sinks[0], progress);
    for (std::size_t i = 0; i < stages_.size(); ++i) stages_[i]->finish(sinks[i + 1]);
  }

 private:
  void start() {
    out_ = road_.recording();
    for (const auto& stage : stages_) stage->start(out_);
  }
  Road& road_;
  Chain stages_;
  Recording out_;
};

/// A stage that runs every column through a worker of its own and keeps all else as it is.
class WorkerStage : public ColumnStage {
 public:
  using Make = std::function<std::unique_ptr<ColumnWorker>()>;
  WorkerStage(std::string name, Make make) : name_(std::move(name)), make_(std::move(make)) {}
  void start(Recording& passing) override { start_columns(passing); }
  StageReport report() const override { return {name_, {}, {}}; }

 protected:
  std::unique_ptr<ColumnWorker> make_worker() override { return make_(); }

 private:
  std::string name_;
  Make make_;
};

}  // namespace vprism
