// watch.h: one stream being watched: its newest stretch, looks, limits and alarms.
#pragma once

#include <fmt/format.h>

#include <chrono>
#include <optional>
#include <string>
#include <vector>

#include "base/text.h"
#include "commands/limits/limit_levels.h"
#include "commands/shared/input.h"
#include "commands/watch/alarm_records.h"
#include "commands/watch/files.h"
#include "commands/watch/view.h"
#include "condition/road.h"
#include "formats/files/live.h"
#include "frame/console.h"
#include "frame/option_groups.h"
#include "frame/process.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism {

struct WatchSettings {
  InputSettings input;
  AnalysisSettings analysis;
  OutputSettings output;
  std::optional<double> every_s, memory_s, files_s, for_s, late_s, idle_s, before_alarm_s;
  std::size_t history = 300;
  std::string limit_file;
  bool until_alarm = false, record = false;
};

/// One line held against one channel.
struct Guard {
  AskedLimit limit;
  std::size_t channel = 0;
  Scale scale = Scale::rms;
  bool broken = false, judged = false;
};

/// When a channel last had a valid number.
struct LastValid {
  double until_s = 0;
  bool silent = false;
};

class StreamWatch {
 public:
  StreamWatch(const WatchSettings& settings, Road& road, LiveSource& live, const std::string& stem,
              const std::string& recorded);

  /// Looks lie on the samples' own time, however large the pieces are in which they come.
  void push(const Block& block);

  bool over() const { return over_ || (settings_.until_alarm && state_.alarms > 0); }

  Status finish();

  void late(double silent_s);

  /// Keys on the terminal; asked again and again, also while nothing comes.
  void keys();

 private:
  std::vector<OutputFolder::Entry> write_files(bool ended, std::string* pictures_missing = nullptr) {
    state_.cautions = cautions();
    return write_watch(state_, settings_.output, ended, pictures_missing);
  }
  std::vector<Caution> cautions() const;

  void take(const Block& block);

  /// What is looked for, how finely, and how late an alarm may come.
  void say_start();

  /// A channel that has had no valid number for longer than --late is an alarm, whatever its limits say.
  void hear(const Block& block, std::size_t c);

  /// An alarm or an all-clear: counted, kept, shown.
  void note(const Json& event, bool alarm, const std::string& text);

  void set_guards();

  void look();

  /// One channel by itself: the gaps of one are not those of another. False where gaps leave not one whole
  /// segment.
  bool look_at(const Block& block, std::size_t c);

  void judge();

  static void line(const Json& json) {
    say(json.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n");
  }
  /// A line that stays: above the table, where there is one.
  void say_line(const std::string& text) {
    erase_table();
    say(clean_text(text, 2000) + "\n");
  }

  void erase_table() { view_.erase(); }
  void draw();

  std::string alarms_text() const {
    return state_.alarms == 1 ? "1 alarm" : fmt::format("{} alarms", state_.alarms);
  }

  std::string table() const;

  void show();

  void say_end();
  std::string too_short() const;

  const WatchSettings& settings_;
  LiveSource& live_;
  WatchState state_;
  SpectrumSettings cut_;
  std::optional<RollingSamples> rolling_;
  std::vector<Guard> guards_;
  std::vector<LastValid> valid_;
  std::vector<Caution> further_;
  std::int64_t every_ = 1, looked_at_ = 0;
  std::size_t memory_ = 0;
  Block piece_;
  bool over_ = false;
  LiveView view_;
  std::optional<AlarmRecords> alarm_records_;
  std::chrono::steady_clock::time_point written_ = std::chrono::steady_clock::now();
};

}  // namespace vprism
