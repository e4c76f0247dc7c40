// reflected_ends.h: what filters see before the first and after the last sample.
#pragma once

#include <span>
#include <vector>

#include "condition/column.h"

namespace vprism {

/// A record continued at both ends by odd reflection about its first and last sample, `reach` samples each
/// way, as it passes; where the record is shorter than that, its farthest sample is repeated.
class ReflectedEnds {
 public:
  explicit ReflectedEnds(std::size_t reach) : reach_(reach) {}
  /// Appends what can be told of the continued record.
  void add(std::span<const double> in, std::vector<double>& out);
  void finish(std::vector<double>& out);

 private:
  void begin(std::vector<double>& out);
  std::size_t reach_;
  bool begun_ = false;
  std::vector<double> held_;  ///< The head until the record is as long as the reach, then the last samples.
};

/// A worker that runs over such a continued record.
class ReflectedWorker : public ColumnWorker {
 public:
  explicit ReflectedWorker(std::size_t reach) : ends_(reach) {}
  void add(std::span<const double> in, std::vector<double>& out) final {
    ends_.add(in, line_);
    run(false, out);
  }
  void finish(std::vector<double>& out) final {
    ends_.finish(line_);
    run(true, out);
  }

 protected:
  /// Appends what `line_` tells by now, and takes off its head what is not needed any more.
  virtual void run(bool ended, std::vector<double>& out) = 0;
  std::vector<double> line_;

 private:
  ReflectedEnds ends_;
};

}  // namespace vprism
