// alarm_records.h: the waveform around each alarm of a stream.
#pragma once

#include <deque>
#include <string>
#include <vector>

#include "frame/option_groups.h"
#include "signal/recording.h"
#include "transform/time/rolling.h"

namespace vprism {

/// Holds the newest samples, and writes those around an alarm once so many have come behind it. Memory: twice
/// the time kept before an alarm, and one look.
class AlarmRecords {
 public:
  /// `before`: samples kept before a look of `look` samples that breaks a limit, and behind it.
  AlarmRecords(const Recording& recording, std::string stem, std::size_t before, std::size_t look);
  void add(const Block& block, const OutputSettings& output);
  /// A look that ends now has broken a limit.
  void alarm();
  /// The stream has ended: what is due is written as far as it has come.
  void end(const OutputSettings& output);
  /// Names of the files, in the order of the alarms.
  const std::vector<std::string>& written() const { return written_; }
  std::int64_t left_out() const { return left_out_; }

 private:
  void write(std::int64_t alarm, const OutputSettings& output);

  Recording recording_;
  std::string stem_;
  std::int64_t before_, look_;
  RollingSamples samples_;
  std::deque<std::int64_t> due_;  ///< Alarms that wait for what comes behind them, by sample.
  std::vector<std::string> written_;
  std::int64_t left_out_ = 0;
};

}  // namespace vprism
