// options.cpp: the options of `watch`, and how it opens its stream.
#include <signal.h>

#include <csignal>
#include <cstdio>
#include <filesystem>

#include "base/text.h"
#include "commands/watch/watch.h"
#include "frame/command.h"
#include "frame/console.h"

namespace vprism {

namespace {

volatile std::sig_atomic_t stop_wanted = 0;
void want_stop(int) { stop_wanted = 1; }

/// While it lives, an interrupt ends the stream instead of the program.
class StopSignals {
 public:
  StopSignals() {
    stop_wanted = 0;
    struct sigaction action {};
    action.sa_handler = want_stop;
    ::sigaction(SIGINT, &action, &old_int_);
    ::sigaction(SIGTERM, &action, &old_term_);
  }
  ~StopSignals() {
    ::sigaction(SIGINT, &old_int_, nullptr);
    ::sigaction(SIGTERM, &old_term_, nullptr);
  }
  StopSignals(const StopSignals&) = delete;
  StopSignals& operator=(const StopSignals&) = delete;

 private:
  struct sigaction old_int_ {
  }, old_term_{};
};

class WatchTask : public Task {
 public:
  WatchTask() { settings_.analysis.peaks = 5; }
  std::vector<OptionGroup> options() override {
    WatchSettings& s = settings_;
    return {{"Watch",
             {quantity_option("every", "T", "time of the stream between looks (default: 1 s)",
                              Dimension::time, s.every_s),
              quantity_option(
                  "memory", "T",
                  "length of the newest stretch that is looked at (default: four and a half segments)",
                  Dimension::time, s.memory_s),
              count_option("history", "looks that the rolling spectrogram shows (default: 300)", 2, 100000,
                           s.history),
              quantity_option("files-every", "T", "time between renewals of the files (default: 10 s)",
                              Dimension::time, s.files_s),
              text_option("limit", "FILE",
                          "limit lines; a line is printed for each that is broken or kept again, and the "
                          "exit status is 1",
                          s.limit_file),
              switch_option("until-alarm", "end with the first alarm", s.until_alarm),
              quantity_option("for", "T", "end after so much of the stream", Dimension::time, s.for_s),
              quantity_option(
                  "late", "T",
                  "silence that is reported, and time without a valid number on a channel that is an alarm "
                  "(default: 5 s)",
                  Dimension::time, s.late_s),
              quantity_option(
                  "idle-end", "T",
                  "a file that has not grown for so long has ended (default: it is followed until stopped)",
                  Dimension::time, s.idle_s),
              quantity_option(
                  "pre-trigger", "T",
                  "of each alarm keep the waveform, from so long before the look that broke the limit "
                  "to so long behind it, as a recording (the first 100 alarms)",
                  Dimension::time, s.before_alarm_s),
              switch_option("record", "also keep the stream itself, byte for byte, beside the results",
                            s.record)}},
            input_group(s.input),
            analysis_group(s.analysis),
            output_group(s.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>& inputs, const Json&) override {
    if (inputs.size() != 1) throw Error(Status::usage, "watch follows one stream; start it once for each");
    if (settings_.before_alarm_s && !settings_.output.writes_files())
      throw Error(Status::usage, "--pre-trigger writes recordings; with --json, name their folder by --out");
    const StopSignals signals;
    const std::string stem = inputs.front() == "-"
                                 ? "stdin"
                                 : clean_file_name(std::filesystem::path(inputs.front()).stem().string());
    if (settings_.output.writes_files())
      Outputs(settings_.output, "watch").expect({stem + "-watch.json", stem + "-watch-spectrum.csv"});
    std::unique_ptr<OutputFolder> kept;
    std::string recorded;
    std::unique_ptr<std::FILE, int (*)(std::FILE*)> keep(nullptr, std::fclose);
    if (settings_.record) {
      kept = std::make_unique<OutputFolder>(settings_.output.folder, settings_.output.force, "watch");
      kept->protect(inputs.front());
      recorded = stem + "-watch." + (settings_.input.read.binary.empty() ? "txt" : "bin");
      kept->expect({recorded});
      const std::string place = kept->place(recorded, "the stream itself");
      keep.reset(std::fopen(place.c_str(), "wb"));
      if (!keep) throw Error(Status::output, place + ": can't be written");
    }
    LiveSettings live;
    live.input = inputs.front();
    live.read = settings_.input.read;
    live.late_s = settings_.late_s.value_or(5);
    live.idle_end_s = settings_.idle_s.value_or(0);
    live.keep = keep.get();
    StreamWatch* watch = nullptr;
    live.stop = [&watch] {
      if (watch != nullptr) watch->keys();
      return stop_wanted != 0 || (watch != nullptr && watch->over());
    };
    live.late = [&watch](double silent_s) {
      if (watch) watch->late(silent_s);
    };
    auto source = std::make_unique<LiveSource>(live);
    LiveSource* const stream = source.get();
    std::unique_ptr<SampleSource> chosen =
        with_missing_values(std::move(source), settings_.input.missing_marks.given);
    if (!settings_.input.channels.empty()) {
      std::vector<std::size_t> list = select_channels(chosen->recording(), settings_.input.channels);
      chosen = std::make_unique<ChannelSelection>(std::move(chosen), std::move(list));
    }
    Road road(std::move(chosen), settings_.input.make_chain());
    for (const auto& stage : road.chain())
      if (stage->surveys())
        throw Error(Status::usage,
                    "--chain: a step needs the whole record before it can begin; a stream has none");
    StreamWatch looking(settings_, road, *stream, stem, recorded);
    watch = &looking;
    road.run([&](Block& block) { looking.push(block); });
    keep.reset();
    const Status status = looking.finish();
    if (kept) kept->commit();
    return status;
  }

 private:
  WatchSettings settings_;
};

}  // namespace

std::unique_ptr<Task> make_watch_task() { return std::make_unique<WatchTask>(); }

}  // namespace vprism
