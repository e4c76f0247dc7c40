// watch.cpp: a stream looked at while it comes: levels and peaks of its newest stretch, alarms where limits
// are broken, a rolling spectrum and spectrogram in files. Memory: the newest stretch and the map, whatever
// comes.
#include <fmt/format.h>
#include <signal.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <csignal>
#include <cstdio>
#include <filesystem>
#include <limits>

#include "base/text.h"
#include "cli/command.h"
#include "cli/console.h"
#include "cli/input.h"
#include "cli/limit_levels.h"
#include "cli/process.h"
#include "cli/watch_files.h"
#include "condition/road.h"
#include "formats/live.h"
#include "transform/spectrum_estimator.h"
#include "transform/statistics.h"

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

struct WatchSettings {
  InputSettings input;
  AnalysisSettings analysis;
  OutputSettings output;
  std::optional<double> every_s, memory_s, files_s, for_s, late_s, idle_s;
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

class Watch {
 public:
  Watch(const WatchSettings& settings, Road& road, LiveSource& live, const std::string& stem,
        const std::string& recorded)
      : settings_(settings), live_(live) {
    state_.stem = stem;
    state_.recorded = recorded;
    state_.recording = road.recording();
    const double rate = state_.recording.axis.rate_hz();
    SpectrumSettings cut = settings_.analysis.spectrum;
    if (!cut.segment && !cut.resolution_hz)
      cut.segment =
          static_cast<std::size_t>(std::exp2(std::round(std::log2(std::clamp(rate, 256.0, 65536.0)))));
    // As long as asked for, or as four and a half segments that overlap by half.
    const SpectrumPlan one = plan_spectrum(cut, std::int64_t{1} << 40, rate);
    every_ = std::max<std::int64_t>(1, std::llround(settings_.every_s.value_or(1) * rate));
    const double wanted = settings_.memory_s
                              ? *settings_.memory_s * rate
                              : std::max(4.5 * static_cast<double>(one.segment), static_cast<double>(every_));
    const auto samples = static_cast<std::size_t>(std::max(wanted, static_cast<double>(one.segment)));
    cut_ = cut;
    cut_.segment = one.segment, cut_.resolution_hz.reset();
    rolling_.emplace(state_.recording.channels.size(), samples);
    memory_ = samples;
    for (std::size_t c = 0; c < state_.recording.channels.size(); ++c)
      state_.maps.emplace_back(settings_.history);
    for (std::size_t c = 0; c < state_.recording.channels.size(); ++c) {
      const SpanRule* const rule = settings_.analysis.span_of(state_.recording, c);
      state_.spans.push_back(rule != nullptr ? std::optional<Range>(rule->range) : std::nullopt);
    }
    valid_.assign(state_.recording.channels.size(), {state_.recording.axis.start, false});
    if (static_cast<double>(every_) > 1.001 * static_cast<double>(samples))
      further_.push_back({"partly-looked-at", Severity::warning, "",
                          "each look takes the newest " +
                              format_quantity(static_cast<double>(samples) / rate, "s", 3) + " of every " +
                              format_quantity(static_cast<double>(every_) / rate, "s", 3) +
                              "; what lies between is not looked at",
                          "ask for a shorter --every or a longer --memory"});
    set_guards();
    say_start();
  }

  /// Looks lie on the samples' own time, however large the pieces are in which they come.
  void push(const Block& block) {
    const auto last = settings_.for_s ? std::llround(*settings_.for_s * state_.recording.axis.rate_hz())
                                      : std::numeric_limits<long long>::max();
    for (std::size_t from = 0; from < block.size() && !over();) {
      const std::int64_t next = std::min<std::int64_t>((state_.samples / every_ + 1) * every_, last);
      const auto count = std::min(block.size() - from, static_cast<std::size_t>(next - state_.samples));
      piece_.take_part(block, from, count);
      from += count;
      take(piece_);
      if (state_.samples % every_ == 0 && rolling_->size() >= *cut_.segment) {
        looked_at_ = state_.samples;
        look();
      }
      over_ = over_ || state_.samples >= last;
    }
  }

  bool over() const { return over_ || (settings_.until_alarm && state_.alarms > 0); }

  Status finish() {
    if (state_.samples > looked_at_ && rolling_->size() >= *cut_.segment) look();
    say_end();
    std::string pictures_missing;
    if (settings_.output.writes_files()) {
      std::string list = "\nWritten:\n";
      for (const auto& entry : write_files(true, &pictures_missing))
        list += "  " + entry.file + "  " + entry.what + "\n";
      if (!settings_.output.json) say(list);
    }
    if (const std::string why = live_.broken(); !why.empty())
      throw Error(Status::input, state_.recording.file + ": " + why + "; what came before is reported");
    if (state_.alarms > 0) return Status::check_failed;
    if (state_.looks == 0)
      throw Error(Status::analysis, state_.recording.file + ": " + too_short() +
                                        (guards_.empty() ? "" : "; no limit was judged"));
    for (const Guard& guard : guards_)
      if (!guard.judged)
        throw Error(Status::analysis,
                    state_.recording.file + ": limit \"" + guard.limit.line.name +
                        "\" could not be judged on channel \"" +
                        state_.recording.channels[guard.channel].name +
                        "\": no look had a whole segment of valid numbers or a bin on the line");
    if (pictures_missing.empty()) return Status::done;
    std::fprintf(stderr, "vprism: warning: %s [figure-missing]\n", pictures_missing.c_str());
    return Status::output;
  }

  void late(double silent_s) {
    if (settings_.output.quiet) return;
    std::fprintf(stderr, "warning: nothing has come for %s; still waiting [stream-late]\n",
                 format_quantity(silent_s, "s", 2).c_str());
    std::fflush(stderr);
  }

 private:
  std::vector<OutputFolder::Entry> write_files(bool ended, std::string* pictures_missing = nullptr) {
    state_.cautions = cautions();
    return write_watch(state_, settings_.output, ended, pictures_missing);
  }
  std::vector<Caution> cautions() const {
    std::vector<Caution> all = live_.cautions();
    all.insert(all.end(), further_.begin(), further_.end());
    return all;
  }

  void take(const Block& block) {
    rolling_->add(block);
    state_.samples = rolling_->came();
    state_.until_s =
        state_.recording.axis.start + static_cast<double>(state_.samples) * state_.recording.axis.interval;
    for (std::size_t c = 0; c < block.channels(); ++c) hear(block, c);
  }

  /// What is looked for, how finely, and how late an alarm may come.
  void say_start() {
    const double rate = state_.recording.axis.rate_hz();
    const SpectrumPlan plan = plan_spectrum(cut_, std::int64_t{1} << 40, rate);
    const double every_s = static_cast<double>(every_) / rate, memory_s = static_cast<double>(memory_) / rate;
    if (settings_.output.json) {
      line({{"event", "start"},
            {"segment", plan.segment},
            {"rbw_hz", number(plan.rbw_hz)},
            {"every_s", number(every_s)},
            {"memory_s", number(memory_s)},
            {"longest_delay_s", number(every_s + memory_s)}});
      return;
    }
    if (settings_.output.quiet) return;
    say(fmt::format(
        "{}: segments of {}, RBW {}; a look every {} over the newest {}: what fills that is seen {} later at "
        "most, "
        "what is shorter is weighed by its share\n",
        clean_text(state_.recording.file), format_quantity(static_cast<double>(plan.segment) / rate, "s", 3),
        format_quantity(plan.rbw_hz, "Hz", 3), format_quantity(every_s, "s", 3),
        format_quantity(memory_s, "s", 3), format_quantity(every_s + memory_s, "s", 3)));
  }

  /// A channel that has had no valid number for longer than --late is an alarm, whatever its limits say.
  void hear(const Block& block, std::size_t c) {
    const std::span<const double> samples = block.samples(c);
    const double interval = state_.recording.axis.interval;
    LastValid& last = valid_[c];
    for (std::size_t n = samples.size(); n-- > 0;)
      if (std::isfinite(samples[n])) {
        last.until_s = state_.until_s - static_cast<double>(samples.size() - 1 - n) * interval;
        break;
      }
    const double silent_s = state_.until_s - last.until_s;
    const bool silent = silent_s > settings_.late_s.value_or(5);
    if (silent == last.silent) return;
    last.silent = silent;
    const std::string& name = state_.recording.channels[c].name;
    note({{"event", silent ? "alarm" : "all-clear"},
          {"time_s", number(state_.until_s)},
          {"channel", name},
          {"what", silent ? "no valid numbers" : "valid numbers again"},
          {"silent_s", number(silent_s)}},
         silent,
         fmt::format("{} at {}: {} has {}", silent ? "ALARM" : "all clear",
                     format_quantity(state_.until_s, "s", 6), name,
                     silent ? "had no valid number for " + format_quantity(silent_s, "s", 3)
                            : "valid numbers again"));
  }

  /// An alarm or an all-clear: counted, kept, shown.
  void note(const Json& event, bool alarm, const std::string& text) {
    if (alarm) ++state_.alarms;
    state_.events.push_back(event);
    if (state_.events.size() > 1000) state_.events.erase(state_.events.begin());
    if (settings_.output.json)
      line(event);
    else
      say_line(text);
  }

  void set_guards() {
    if (settings_.limit_file.empty()) return;
    for (const AskedLimit& limit : read_limits(settings_.limit_file, LimitCourse::logarithmic))
      for (const std::size_t c : select_channels(state_.recording, {limit.channels})) {
        const auto [scale, factor] = limit_meaning(limit, state_.recording.channels[c].unit,
                                                   settings_.analysis, state_.recording.file);
        Guard guard{limit, c, scale, false};
        if (!limit.decibels)
          for (auto& [hz, level] : guard.limit.line.points) level *= factor;
        limit_from_decibels(guard.limit, scale, settings_.analysis);
        guards_.push_back(std::move(guard));
      }
  }

  void look() {
    const Block block = rolling_->block();
    state_.stretch_s = static_cast<double>(block.size()) * state_.recording.axis.interval;
    state_.now.assign(block.channels(), {});
    StatisticsEstimator levels(block.channels());
    levels.add(block);
    const std::vector<Statistics> statistics = levels.result();
    for (std::size_t c = 0; c < block.channels(); ++c)
      state_.now[c].rms = statistics[c].rms, state_.now[c].least = statistics[c].min,
      state_.now[c].greatest = statistics[c].max;
    bool any = false;
    for (std::size_t c = 0; c < block.channels(); ++c) any = look_at(block, c) || any;
    if (!any) return;
    ++state_.looks;
    judge();
    show();
    const auto clock = std::chrono::steady_clock::now();
    if (settings_.output.writes_files() &&
        std::chrono::duration<double>(clock - written_).count() >= settings_.files_s.value_or(10)) {
      written_ = clock;
      write_files(false);
    }
  }

  /// One channel by itself: the gaps of one are not those of another. False where gaps leave not one whole
  /// segment.
  bool look_at(const Block& block, std::size_t c) {
    const SpectrumPlan plan =
        plan_spectrum(cut_, static_cast<std::int64_t>(rolling_->size()), state_.recording.axis.rate_hz());
    ChannelNow& n = state_.now[c];
    try {
      SpectrumEstimator estimator(plan, cut_, {c});
      estimator.add(block);
      n.spectrum = std::move(estimator.result().front());
      const bool peaks = std::any_of(guards_.begin(), guards_.end(), [&](const Guard& guard) {
        return guard.channel == c && guard.limit.peak_detector;
      });
      if (peaks) {
        SpectrumSettings hold = cut_;
        hold.average = Average::peak_hold;
        SpectrumEstimator highest(plan, hold, {c});
        highest.add(block);
        n.highest = std::move(highest.result().front());
      }
    } catch (const Error& error) {
      if (error.status() != Status::analysis) throw;
      return false;
    }
    n.peaks = find_peaks(n.spectrum, settings_.analysis.search).peaks;
    if (const auto& span = state_.spans[c])
      std::erase_if(n.peaks, [&](const Peak& p) { return !span->contains(p.frequency_hz); });
    if (n.peaks.size() > settings_.analysis.peaks) n.peaks.resize(settings_.analysis.peaks);
    const auto [low, high] = state_.shown_bins(c);
    state_.maps[c].add(state_.until_s, {n.spectrum.power.begin() + static_cast<std::ptrdiff_t>(low),
                                        n.spectrum.power.begin() + static_cast<std::ptrdiff_t>(high)});
    return true;
  }

  void judge() {
    for (Guard& guard : guards_) {
      const ChannelNow& n = state_.now[guard.channel];
      if (n.spectrum.power.empty()) continue;
      const Spectrum& s = guard.limit.peak_detector ? n.highest : n.spectrum;
      const auto [low, high] = s.bins_within({}, {});
      LimitLevels levels = limit_levels(s, n.peaks, low, high, guard.scale);
      if (guard.limit.peak_detector) levels.std_db.clear();
      const LimitVerdict verdict =
          judge_limit(guard.limit.line, levels, scale_entry(guard.scale).amplitude, n.spectrum.plan.rbw_hz);
      if (!guard.judged && verdict.compared > 0)
        for (const LimitGap& gap : verdict.not_judged)
          further_.push_back({"not-judged", Severity::warning, state_.recording.channels[guard.channel].name,
                              "limit \"" + guard.limit.line.name + "\" is not judged from " +
                                  format_quantity(gap.low_hz, "Hz", 5) + " to " +
                                  format_quantity(gap.high_hz, "Hz", 5) + ", " + gap.why,
                              "a finer --resolution or a higher rate would reach further"});
      if (verdict.compared == 0) continue;
      guard.judged = guard.judged || verdict.compared > 0;
      if (verdict.pass == !guard.broken) continue;
      guard.broken = !verdict.pass;
      const Json told = {
          {"event", guard.broken ? "alarm" : "all-clear"},
          {"time_s", number(state_.until_s)},
          {"channel", state_.recording.channels[guard.channel].name},
          {"limit", guard.limit.line.name},
          {"frequency_hz", number(verdict.worst.frequency_hz)},
          {"level", number(verdict.worst.level)},
          {"limit_level", number(verdict.worst.limit)},
          {"level_unit", scale_unit(state_.recording.channels[guard.channel].unit, guard.scale)},
          {"margin_db", number(verdict.worst.margin_db)}};
      note(told, guard.broken,
           fmt::format("{} at {}: {} {} \"{}\" at {}: {}, limit {}, {:+.1f} dB",
                       guard.broken ? "ALARM" : "all clear", format_quantity(state_.until_s, "s", 6),
                       state_.recording.channels[guard.channel].name, guard.broken ? "breaks" : "keeps",
                       guard.limit.line.name, format_quantity(verdict.worst.frequency_hz, "Hz", 5),
                       format_number(verdict.worst.level, 4), format_number(verdict.worst.limit, 4),
                       verdict.worst.margin_db));
    }
  }

  static void line(const Json& json) {
    say(json.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n");
  }
  /// A line that stays: above the table, where there is one.
  void say_line(const std::string& text) {
    erase_table();
    say(clean_text(text, 2000) + "\n");
  }

  void erase_table() {
    if (table_lines_ == 0) return;
    say(fmt::format("\x1b[{}A\x1b[J", table_lines_));
    table_lines_ = 0;
  }

  std::string alarms_text() const {
    return state_.alarms == 1 ? "1 alarm" : fmt::format("{} alarms", state_.alarms);
  }

  std::string table() const {
    TextTable table({{"channel", TextTable::Align::left},
                     {"RMS"},
                     {"least"},
                     {"greatest"},
                     {"strongest lines (Hz: level)", TextTable::Align::left}});
    for (std::size_t c = 0; c < state_.now.size(); ++c) {
      const ChannelNow& n = state_.now[c];
      const std::string unit = state_.recording.channels[c].unit.label();
      std::string lines;
      for (std::size_t i = 0; i < std::min<std::size_t>(3, n.peaks.size()); ++i)
        lines += (i > 0 ? "  " : "") + format_number(n.peaks[i].frequency_hz, 6) + ": " +
                 format_number(n.peaks[i].rms, 4);
      table.add({clean_text(state_.recording.channels[c].name, 30), format_quantity(n.rms, unit, 4),
                 format_quantity(n.least, unit, 3), format_quantity(n.greatest, unit, 3), lines});
    }
    return table.text();
  }

  void show() {
    if (settings_.output.json) {
      Json channels = Json::array();
      for (std::size_t c = 0; c < state_.now.size(); ++c) {
        Json peaks = peaks_json(state_.now[c]);
        channels.push_back({{"channel", state_.recording.channels[c].name},
                            {"unit", state_.recording.channels[c].unit.label()},
                            {"rms", number(state_.now[c].rms)},
                            {"min", number(state_.now[c].least)},
                            {"max", number(state_.now[c].greatest)},
                            {"peaks", std::move(peaks)}});
      }
      line({{"event", "levels"}, {"time_s", number(state_.until_s)}, {"channels", std::move(channels)}});
      return;
    }
    if (::isatty(1) != 0) {
      erase_table();
      const std::string text = fmt::format("{} at {}, {}\n{}", clean_text(state_.recording.file, 60),
                                           format_quantity(state_.until_s, "s", 6), alarms_text(), table());
      say(text);
      table_lines_ = static_cast<std::size_t>(std::count(text.begin(), text.end(), '\n'));
    }
  }

  void say_end() {
    if (!settings_.output.quiet)
      for (const Caution& caution : cautions()) std::fprintf(stderr, "%s\n", caution_line(caution).c_str());
    if (settings_.output.json) {
      Json cautions = Json::array();
      for (const Caution& c : this->cautions()) cautions.push_back({{"code", c.code}, {"text", c.text}});
      line({{"event", "end"},
            {"time_s", number(state_.until_s)},
            {"samples", state_.samples},
            {"looks", state_.looks},
            {"alarms", state_.alarms},
            {"cautions", std::move(cautions)}});
      return;
    }
    erase_table();
    std::string text = fmt::format("{}: {} samples, until {}, {}\n", clean_text(state_.recording.file),
                                   state_.samples, format_quantity(state_.until_s, "s", 6), alarms_text());
    if (state_.looks == 0)
      text += "  " + too_short() + "\n";
    else
      text += table();
    say(text);
  }
  std::string too_short() const {
    return "too short for one look: a segment of valid numbers takes " +
           format_quantity(static_cast<double>(*cut_.segment) * state_.recording.axis.interval, "s", 3) +
           "; ask for a coarser --resolution";
  }

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
  std::size_t table_lines_ = 0;
  std::chrono::steady_clock::time_point written_ = std::chrono::steady_clock::now();
};

class WatchTask : public Task {
 public:
  WatchTask() { settings_.analysis.peaks = 5; }
  std::vector<OptionGroup> options() override {
    WatchSettings& s = settings_;
    return {
        {"Watch",
         {quantity_option("every", "T", "time of the stream between looks (default: 1 s)", Dimension::time,
                          s.every_s),
          quantity_option(
              "memory", "T",
              "length of the newest stretch that is looked at (default: four and a half segments)",
              Dimension::time, s.memory_s),
          count_option("history", "looks that the rolling spectrogram shows (default: 300)", 2, 100000,
                       s.history),
          quantity_option("files-every", "T", "time between renewals of the files (default: 10 s)",
                          Dimension::time, s.files_s),
          text_option(
              "limit", "FILE",
              "limit lines; a line is told for each that is broken or kept again, and the exit status is 1",
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
          switch_option("record", "also keep the stream itself, byte for byte, beside the results",
                        s.record)}},
        input_group(s.input),
        analysis_group(s.analysis),
        output_group(s.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>& inputs, const Json&) override {
    if (inputs.size() != 1) throw Error(Status::usage, "watch follows one stream; start it once for each");
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
    Watch* watch = nullptr;
    live.stop = [&watch] { return stop_wanted != 0 || (watch != nullptr && watch->over()); };
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
    Watch looking(settings_, road, *stream, stem, recorded);
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
