// column.h: stages that treat every column (real or imaginary part of a channel) alike and by itself.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "condition/stage.h"

namespace vprism {

/// One column's worker. Samples go in by `add`; what is ready is appended to `out`, sooner or later.
class ColumnWorker {
 public:
  virtual ~ColumnWorker() = default;
  virtual void add(std::span<const double> in, std::vector<double>& out) = 0;
  /// The record has ended; what is still held is appended.
  virtual void finish(std::vector<double>& /*out*/) {}
};

/// Workers one after the other.
class WorkerSeries : public ColumnWorker {
 public:
  explicit WorkerSeries(std::vector<std::unique_ptr<ColumnWorker>> workers) : workers_(std::move(workers)) {}
  void add(std::span<const double> in, std::vector<double>& out) override;
  void finish(std::vector<double>& out) override;

 private:
  std::vector<std::unique_ptr<ColumnWorker>> workers_;
  std::vector<double> now_, next_;
};

/// Queues of samples per column, handed on as blocks.
class Outlet {
 public:
  /// For a recording that goes out; its columns start empty, the first sample is number 0.
  void start(const Recording& passing);
  std::vector<double>& column(std::size_t c) { return columns_[c]; }
  std::size_t columns() const { return columns_.size(); }
  /// Marks all blocks to come as holding gaps.
  void set_gaps() { gaps_ = true; }
  /// Hands on all that every column has.
  void flush(const Sink& next);

 private:
  std::vector<std::vector<double>> columns_;
  Block block_;
  std::int64_t first_ = 0;
  bool gaps_ = false;
};

/// A stage with one worker per column. All workers must turn the same numbers of samples into the same
/// numbers of samples. Columns are worked on side by side.
class ColumnStage : public Stage {
 public:
  void push(Block& block, const Sink& next) override;
  void finish(const Sink& next) override;

 protected:
  /// To be called at the end of `start`, with the recording that goes out.
  void start_columns(const Recording& out);
  virtual std::unique_ptr<ColumnWorker> make_worker() = 0;

 private:
  std::vector<std::unique_ptr<ColumnWorker>> workers_;
  Outlet outlet_;
};

}  // namespace vprism
