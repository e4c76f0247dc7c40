// row_source.h: the source behind formats that write their samples as text, one instant after another.
#pragma once

#include "formats/format.h"

namespace vprism {

class RowSource : public SampleSource {
 public:
  const Recording& recording() const override { return recording_; }
  bool carries_stamps() const override { return stamped_; }
  void rewind() final;
  std::size_t read(Block& block) final;
  void resolve() final;

 protected:
  /// `recording.samples` is what the header promises. Without stamps the axis is settled here.
  RowSource(Recording recording, bool stamped, const ReadSettings& settings, double file_interval,
            std::string file_source);
  /// Back to the first row.
  virtual void start() = 0;
  /// The next instant: one number per column (NaN: missing) and its stamp. False when the data end; throws
  /// Error(input) for what is no number.
  virtual bool next(double* columns, double& stamp) = 0;
  /// All that was promised has been read, for the first time: what is found then goes into `recording_`.
  virtual void ended() {}
  /// Last digit of the stamps seen so far, in the axis's unit.
  virtual double stamp_resolution() const { return 0; }

  Recording recording_;

 private:
  bool stamped_;
  ReadSettings settings_;
  double file_interval_;
  std::string file_source_;
  std::vector<double> row_;
  std::int64_t at_ = 0;
  bool begun_ = false, settled_ = false, ended_ = false;
  StampJudge judge_;
};

}  // namespace vprism
