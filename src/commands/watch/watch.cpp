// watch.cpp: see watch.h. A stream looked at while it comes: levels and peaks of its newest stretch, alarms
// where limits are broken, a rolling spectrum and spectrogram in files. Memory: the newest stretch and the
// map, whatever comes.
#include "commands/watch/watch.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <limits>

#include "base/text.h"
#include "transform/time/statistics.h"

namespace vprism {

StreamWatch::StreamWatch(const WatchSettings& settings, Road& road, LiveSource& live, const std::string& stem,
                         const std::string& recorded)
    : settings_(settings), live_(live), view_(!settings.output.json) {
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
  if (settings_.before_alarm_s) {
    const double before = std::ceil(*settings_.before_alarm_s * rate);
    if (before > 1e9)
      throw Error(Status::usage,
                  "--pre-trigger: more than a thousand million samples would be held; ask for less");
    alarm_records_.emplace(state_.recording, stem, static_cast<std::size_t>(before), samples);
  }
  set_guards();
  say_start();
}

void StreamWatch::push(const Block& block) {
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

Status StreamWatch::finish() {
  if (state_.samples > looked_at_ && rolling_->size() >= *cut_.segment) look();
  if (alarm_records_) {
    alarm_records_->end(settings_.output);
    state_.alarm_records = alarm_records_->written();
    if (alarm_records_->left_out() > 0)
      further_.push_back({"alarms-not-kept", Severity::warning, "",
                          fmt::format("the waveform of {} alarms behind the first 100 is not kept",
                                      alarm_records_->left_out()),
                          "--record keeps the whole stream"});
  }
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
                      "\" could not be judged on channel \"" + state_.recording.channels[guard.channel].name +
                      "\": no look had a whole segment of valid numbers or a bin on the line");
  if (pictures_missing.empty()) return Status::done;
  std::fprintf(stderr, "vprism: warning: %s [figure-missing]\n", pictures_missing.c_str());
  return Status::output;
}

std::vector<Caution> StreamWatch::cautions() const {
  std::vector<Caution> all = live_.cautions();
  all.insert(all.end(), further_.begin(), further_.end());
  return all;
}

void StreamWatch::take(const Block& block) {
  rolling_->add(block);
  if (alarm_records_) alarm_records_->add(block, settings_.output);
  state_.samples = rolling_->came();
  state_.until_s =
      state_.recording.axis.start + static_cast<double>(state_.samples) * state_.recording.axis.interval;
  for (std::size_t c = 0; c < block.channels(); ++c) hear(block, c);
}

void StreamWatch::hear(const Block& block, std::size_t c) {
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
       fmt::format(
           "{} at {}: {} has {}", silent ? "ALARM" : "all clear", format_quantity(state_.until_s, "s", 6),
           name,
           silent ? "had no valid number for " + format_quantity(silent_s, "s", 3) : "valid numbers again"));
}

void StreamWatch::set_guards() {
  if (settings_.limit_file.empty()) return;
  for (const AskedLimit& limit : read_limits(settings_.limit_file, LimitCourse::logarithmic))
    for (const std::size_t c : select_channels(state_.recording, {limit.channels})) {
      const auto [scale, factor] =
          limit_meaning(limit, state_.recording.channels[c].unit, settings_.analysis, state_.recording.file);
      Guard guard{limit, c, scale, false};
      if (!limit.decibels)
        for (auto& [hz, level] : guard.limit.line.points) level *= factor;
      limit_from_decibels(guard.limit, scale, settings_.analysis);
      guards_.push_back(std::move(guard));
    }
}

void StreamWatch::look() {
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

bool StreamWatch::look_at(const Block& block, std::size_t c) {
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

void StreamWatch::judge() {
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
    const Json listed = {
        {"event", guard.broken ? "alarm" : "all-clear"},
        {"time_s", number(state_.until_s)},
        {"channel", state_.recording.channels[guard.channel].name},
        {"limit", guard.limit.line.name},
        {"frequency_hz", number(verdict.worst.frequency_hz)},
        {"level", number(verdict.worst.level)},
        {"limit_level", number(verdict.worst.limit)},
        {"level_unit", scale_unit(state_.recording.channels[guard.channel].unit, guard.scale)},
        {"margin_db", number(verdict.worst.margin_db)}};
    note(listed, guard.broken,
         fmt::format("{} at {}: {} {} \"{}\" at {}: {}, limit {}, {:+.1f} dB",
                     guard.broken ? "ALARM" : "all clear", format_quantity(state_.until_s, "s", 6),
                     state_.recording.channels[guard.channel].name, guard.broken ? "breaks" : "keeps",
                     guard.limit.line.name, format_quantity(verdict.worst.frequency_hz, "Hz", 5),
                     format_number(verdict.worst.level, 4), format_number(verdict.worst.limit, 4),
                     verdict.worst.margin_db));
  }
}

std::string StreamWatch::too_short() const {
  return "too short for one look: a segment of valid numbers takes " +
         format_quantity(static_cast<double>(*cut_.segment) * state_.recording.axis.interval, "s", 3) +
         "; ask for a coarser --resolution";
}

}  // namespace vprism
