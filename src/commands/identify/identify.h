// identify.h: what is in the signal, how sure, and who did it.
#pragma once

#include "commands/identify/suspects_file.h"
#include "commands/spectrum/spectrum.h"
#include "identify/courses/line_states.h"
#include "identify/courses/line_watch.h"
#include "identify/courses/noise_course.h"
#include "identify/courses/run_up.h"
#include "identify/courses/slow_course.h"
#include "identify/findings/rounding_lines.h"
#include "identify/noise/noise_shape.h"
#include "identify/swings/frequency_swing.h"
#include "identify/verdict/band_search.h"
#include "transform/maps/rests.h"
#include "transform/time/statistics.h"

namespace vprism {

struct IdentifySettings {
  InputSettings input;
  AnalysisSettings analysis;
  OutputSettings output;
  std::string suspects;                 ///< TOML file of the line-up; "" for none.
  std::string explain;                  ///< Findings whose evidence is printed: numbers, "all", or "".
  std::vector<std::string> references;  ///< Channels that others are attributed to.
  double false_alarms = 1e-3;
  // What is not worth a finding.
  std::optional<double> min_level, min_rise_db, min_apart_hz, max_width_hz;
};
OptionGroup identify_group(IdentifySettings& settings);

/// What was found of one suspect.
struct SuspectVerdict {
  enum class Kind { seen, cleared, out_of_reach } kind = Kind::cleared;
  SuspectMatch match;
  std::string name, text;
  std::vector<std::string> evidence;
  std::string channel;   ///< Where it is strongest (seen), or where the least would show (cleared).
  double level_rms = 0;  ///< Of its lines there; of one line it would have to exceed where it is cleared.
};

struct IdentifyResult {
  SpectrumResult spectrum;
  std::vector<NoiseShape> noise;     ///< One for each channel.
  std::vector<double> rms;           ///< Of each channel about its mean: what shares are of.
  std::vector<WatchResult> watches;  ///< One for each finding.
  double watch_rbw_hz = 0;
  std::vector<Finding> findings;      ///< Ranked by their share of their channel's power.
  std::vector<std::size_t> channels;  ///< Of the findings.
  std::vector<SuspectVerdict> verdicts;
  std::vector<Caution> cautions;
};

/// What one channel's spectrum shows by itself: tones, families, resonances, bands of noise.
/// `bands`: those that were judged on the record.
std::vector<Finding> name_channel(const Recording& recording, const ChannelSpectrum& channel,
                                  const NoiseShape& noise, const IdentifySettings& settings,
                                  const std::vector<JudgedBand>& bands = {});

// commands/identify/kinds.cpp
Finding report_band(const Recording& recording, const ChannelSpectrum& channel, const JudgedBand& band);
/// One line that jumps between states.
Finding report_switching(const Recording& recording, const ChannelSpectrum& channel,
                         const LineStates& states);
/// One carrier whose frequency swings far.
Finding report_swing(const Recording& recording, const ChannelSpectrum& channel, const FrequencySwing& swing);
/// A straight line that explains `share` of the mean square about the mean.
std::optional<Finding> report_trend(const Recording& recording, const Channel& channel, double per_s,
                                    double share, double rms, bool beside_lines);
/// Noise that is louder at some times.
/// Orders that run up or down together; what is left of them is no finding.
void leave_to_run_up(const RunUp& run, std::vector<Finding>& findings);
Finding report_run_up(const Recording& recording, const ChannelSpectrum& c, const RunUp& run);
Finding report_noise_course(const Recording& recording, const Channel& channel, const NoiseCourse& course);
/// A level that moves once and stays, where it moves by more than three of its uncertainties.
std::optional<Finding> report_step(const Recording& recording, const Channel& channel,
                                   const LevelShift& shift);
/// What was found of noise and holds less than rounding to `step` makes, where neighbours are mostly alike.
Caution below_rounding(const Channel& channel, double step, std::size_t count);

/// The finding of lines that rounding makes (rounding_lines.h).
Finding report_quantisation(const Recording& recording, const ChannelSpectrum& channel, const Levels& levels,
                            const std::vector<std::size_t>& members, double other_squares);
/// A straight line through a channel, as it passes.
struct Slope {
  double n = 0, t = 0, tt = 0, x = 0, xx = 0, tx = 0, first = 0;
  /// `ramp`: 0, 1, 2, ..., as long as a block.
  void add(const Block& block, std::size_t c, const std::vector<double>& ramp);
  double per_sample() const { return (tx - t * x / n) / (tt - t * t / n); }
  double share() const {
    const double all = xx - x * x / n, b = n > 8 ? tx - t * x / n : 0;
    return all > 0 ? b * b / ((tt - t * t / n) * all) : 0;
  }
};

/// Whether a line of few periods explains the slope better.
bool slow_line(const Recording& recording, std::size_t channel, const Finding& trend,
               const IdentifyResult& result);
/// Lines that are asked to be left out.
void leave_out_by_settings(const IdentifySettings& settings, std::vector<Peak>& peaks);
/// Of a channel that stood still now and then, noise that the held values make around its lines is no
/// finding; a caution.
void leave_out_of_rests(std::size_t channel, const Rests& rests, double std, double rate_hz,
                        IdentifyResult& result);
/// Whether a finding's peaks are what one band holds, and no lines of their own.
bool of_one_band(const Finding& f);

/// A channel's findings hold no more than it has: what can't stand beside the rest is taken out, with a
/// caution.
void hold_power_rule(std::size_t channel, IdentifyResult& result);

// commands/identify/behaviour.cpp
/// What the segments say of one finding.
void show_behaviour(const WatchResult& watch, std::size_t channel, double rbw_hz, const SpectrumPlan& plan,
                    Finding& f);
/// Humps that a drifting tone left on its way are part of it.
void merge_drifts(std::vector<Finding>& findings, std::vector<WatchResult>& watches,
                  std::vector<std::size_t>& channels);
/// What the other channels show at a finding's frequency.
void show_channels(const Recording& recording, const std::vector<std::size_t>& references,
                   const WatchResult& watch, std::size_t own, Finding& f);

IdentifyResult compute_identify(Input& input, const IdentifySettings& settings, const SuspectsFile& suspects,
                                const Progress& progress);

/// Verdicts on a line-up, and the findings' suspects filled in (suspects.cpp).
void judge_suspects(const SuspectsFile& suspects, const IdentifySettings& settings, IdentifyResult& result);

/// `explain`: the findings whose evidence is wanted, "all", or "".
std::string identify_text(const IdentifyResult& result, const std::string& explain);
Json identify_json(const IdentifyResult& result, const AnalysisSettings& settings);
Json suspects_json(const IdentifyResult& result);
TextTable finding_table(const IdentifyResult& result);
TextTable suspect_table(const IdentifyResult& result, bool in_full = true);
/// The spectrum of each channel with the findings' numbers.
Figure identify_figure(const IdentifyResult& result, const AnalysisSettings& settings);

/// Adds what happens once in a channel of RMS `rms`: the ten largest, or one finding for many alike. What
/// comes as often as a family's fundamental is the family's, what lies where noise is louder (`course`, may
/// be null) that noise's. Levels are from `samples` where they are at hand; empty otherwise.
void name_events(const Recording& recording, std::size_t channel, const Outline& outline, double rms,
                 std::span<const double> samples, const NoiseCourse* course,
                 const std::vector<RunUp>& run_ups, IdentifyResult& result);

}  // namespace vprism
