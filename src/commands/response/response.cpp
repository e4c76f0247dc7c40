// response.cpp: ratios of channels, and the resonances they show.
#include "commands/response/response.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/error.h"
#include "base/text.h"
#include "commands/shared/channel_groups.h"
#include "transform/time/derived.h"
#include "transform/time/statistics.h"

namespace vprism {

namespace {

/// Channels named, or those of force; none for impulse responses.
std::vector<std::size_t> references_of(const Recording& r, const ResponseSettings& settings) {
  std::vector<std::size_t> out;
  if (settings.excitation == Excitation::impulse) return out;
  if (!settings.references.empty()) {
    for (const std::string& name : settings.references) {
      try {
        for (const std::size_t c : select_channels(r, {name}))
          if (std::find(out.begin(), out.end(), c) == out.end()) out.push_back(c);
      } catch (const Error& error) {
        throw Error(error.status(), "--reference: " + std::string(error.what()));
      }
    }
  } else {
    for (std::size_t c = 0; c < r.channels.size(); ++c)
      if (r.channels[c].quantity == "force") out.push_back(c);
  }
  if (out.empty())
    throw Error(Status::analysis,
                r.file +
                    ": no channel is a force; name the reference with --reference CHANNEL, or "
                    "use --output-only when what drives the structure was not recorded");
  if (out.size() == r.channels.size())
    throw Error(Status::usage,
                r.file + ": there is no channel beside the reference" + (out.size() > 1 ? "s" : ""));
  return out;
}

/// With more channels than a matrix of all with all has room for, those that move most, in their order; none
/// where there is room. A pass of its own.
std::vector<std::size_t> strongest_channels(Input& input, const Recording& r) {
  constexpr std::size_t most = 32;
  std::vector<std::size_t> out;
  if (r.channels.size() <= most) return out;
  StatisticsEstimator statistics(r.channels.size());
  input.road().run([&](Block& block) { statistics.add(block); }, {});
  const std::vector<Statistics> known = statistics.result();
  out.resize(r.channels.size());
  std::iota(out.begin(), out.end(), std::size_t{0});
  std::stable_sort(out.begin(), out.end(),
                   [&](std::size_t a, std::size_t b) { return known[a].std > known[b].std; });
  out.resize(most);
  std::sort(out.begin(), out.end());
  return out;
}

std::vector<Channel> chosen(const std::vector<Channel>& all, const std::vector<std::size_t>& which) {
  std::vector<Channel> out;
  for (const std::size_t c : which) out.push_back(all[c]);
  return out;
}

/// Averages need many segments; each as long as leaves ten of them without overlap.
SpectrumSettings cut_for(const SpectrumSettings& asked, std::int64_t samples) {
  SpectrumSettings out = asked;
  if (!out.segment && !out.resolution_hz) {
    auto segment = static_cast<std::size_t>(std::clamp<std::int64_t>(samples / 10, 64, 65536));
    out.segment = segment - segment % 2;
  }
  return out;
}

/// Where the references have energy: from the third bin to the last before it has fallen by 40 dB for good,
/// at most to nine tenths of half the rate.
std::pair<double, double> driven_band(const ResponseResult& result) {
  const ResponseSet& set = result.set;
  // What folds back at half the rate looks like poles there.
  auto last = static_cast<std::size_t>(0.9 * static_cast<double>(set.frequency_hz.size() - 1));
  for (const std::size_t c : set.references) {
    const std::vector<double>& power = result.spectra.own[c].power;
    const double least = *std::max_element(power.begin(), power.end()) * 1e-4;
    std::size_t here = last;
    while (here > 8 && power[here] < least) --here;
    last = std::min(last, here);
  }
  return {set.frequency_hz[std::min<std::size_t>(2, last)], set.frequency_hz[last]};
}

constexpr std::int64_t most_held = std::int64_t{1} << 24;  ///< Values.
constexpr std::int64_t most_recognised = std::int64_t{1}
                                         << 22;  ///< Samples that the excitation is read from.

/// As asked for, or as the reference's own record shows it, read alone. Segments that are asked for are
/// averaged as those of noise.
Recognised excitation_of(Input& input, const ResponseSettings& settings,
                         const std::vector<std::size_t>& references) {
  Recognised out{settings.excitation};
  const bool repeats = settings.excitation == Excitation::multi_sine;
  if (settings.excitation != Excitation::automatic && !repeats) return out;
  out.kind = Excitation::noise;
  const Recording& r = input.road().recording();
  const bool cut = settings.spectrum.segment || settings.spectrum.resolution_hz ||
                   settings.spectrum.window.kind != WindowKind::hann;
  if (references.size() > 1 || r.samples > most_recognised) return out;
  std::vector<double> x;
  bool gaps = false;
  run_channels(input, {references[0]}, {}, [&](const Block& block) {
    gaps = gaps || block.gaps();
    x.insert(x.end(), block.samples(0).begin(), block.samples(0).end());
  });
  if (gaps || x.empty()) return out;
  if (repeats) {
    out.kind = Excitation::multi_sine, out.period = period_of(x);
    if (out.period == 0)
      throw Error(Status::analysis, r.file +
                                        ": the reference does not repeat, at least three times alike to "
                                        "2%; see --excitation noise");
    return out;
  }
  out = recognise_excitation(x, r.axis.rate_hz());
  if (cut && out.kind != Excitation::blows) out = {Excitation::noise};
  if (out.kind == Excitation::blows) {
    // A pulse that can't stand as a blow, such as one at the very start, is a transient.
    bool any = false;
    try {
      any = !blow_spectra({x}, 0, r.axis.rate_hz(), settings.blows).blows.empty();
    } catch (const Error&) {
    }
    if (!any && find_blows(x, r.axis.rate_hz(), settings.blows).size() == 1) out.kind = Excitation::transient;
  }
  return out;
}

void by_blows(const Held& held, const ResponseSettings& settings, std::size_t reference,
              ResponseResult& result) {
  const Recording& r = result.recording;
  try {
    result.blows = blow_spectra(held.columns, reference, r.axis.rate_hz(), settings.blows);
  } catch (const Error& error) {
    throw Error(error.status(), r.file + ": " + error.what());
  }
  result.spectra = std::move(result.blows->spectra);
  result.set = responses_of(result.spectra, settings.estimator, -60);
}

SpectrumPlan response_plan(const SpectrumSettings& cut, const Recording& r) {
  SpectrumPlan plan;
  try {
    plan = plan_spectrum(cut, r.samples, r.axis.rate_hz());
  } catch (const Error& error) {
    throw Error(error.status(), r.file + ": " + error.what());
  }
  if (plan.averages < 2)
    throw Error(Status::analysis,
                r.file +
                    ": one segment gives no coherence; take shorter ones, or --excitation transient "
                    "where the excitation dies away within the record");
  return plan;
}

/// Averages over windowed segments; of a record that repeats over its periods, without a window.
void by_segments(Input& input, const ResponseSettings& settings, const std::vector<std::size_t>& references,
                 const Held* held, const Progress& progress, ResponseResult& result) {
  Recording r = result.recording;
  SpectrumSettings cut = cut_for(settings.spectrum, r.samples);
  std::size_t skipped = 0;
  if (const std::size_t period = result.excitation.period; period > 0) {
    cut.segment = period, cut.resolution_hz.reset();
    cut.window = {WindowKind::rectangular, 0}, cut.overlap = 0;
    // The first period holds what the beginning set off, where more than two are left.
    const auto samples = static_cast<std::size_t>(r.samples);
    skipped = samples % period;
    if (skipped < period / 2 && samples / period > 3) skipped += period;
    if (held == nullptr) skipped = 0;
    r.samples -= static_cast<std::int64_t>(skipped);
  }
  result.window = cut.window;
  CrossEstimator estimator(response_plan(cut, r), cut, references);
  if (held != nullptr) {
    std::vector<std::vector<double>> columns = held->columns;
    for (auto& column : columns)
      column.erase(column.begin(), column.begin() + static_cast<std::ptrdiff_t>(skipped));
    MemorySource source(r, std::move(columns));
    Block block = source.make_block();
    while (source.read(block) > 0) estimator.add(block);
  } else {
    input.road().run([&](Block& block) { estimator.add(block); }, progress);
    result.facts = input.facts();
  }
  result.spectra = estimator.result();
  result.set = responses_of(result.spectra, settings.estimator, result.excitation.period > 0 ? -60 : -120);
  if (result.excitation.period == 0) result.set.shared = bins_alike(result.window);
}

/// How resonances lean in what the channels measure: their powers go with f^4 in accelerations.
ResonanceLean lean_of(const Recording& r) {
  std::optional<int> order;
  for (const Channel& channel : r.channels) {
    try {
      const int now = motion_order(channel);
      if (order && *order != now) return {2, 2};
      order = now;
    } catch (const Error&) {
      return {2, 2};
    }
  }
  if (!order) return {2, 2};
  return {2.0 * *order, 1};
}

void compute_output_only(Input& input, const ResponseSettings& settings, const Progress& progress,
                         ResponseResult& result) {
  Recording& r = result.recording;
  if (r.channels.size() < 2)
    throw Error(Status::analysis, r.file + ": --output-only compares channels; this recording has one");
  const std::vector<std::size_t> taken = strongest_channels(input, r);
  if (!taken.empty()) r.channels = chosen(r.channels, taken);
  std::vector<std::size_t> all(r.channels.size());
  std::iota(all.begin(), all.end(), std::size_t{0});
  const SpectrumSettings cut = cut_for(settings.spectrum, r.samples);
  result.window = cut.window;
  CrossEstimator estimator(response_plan(cut, r), cut, all);
  if (taken.empty())
    input.road().run([&](Block& block) { estimator.add(block); }, progress);
  else
    run_channels(input, taken, progress, [&](const Block& block) { estimator.add(block); });
  result.facts = input.facts();
  if (!taken.empty())
    result.facts.recording.cautions.push_back(
        {"channels-left-out", Severity::warning, "",
         fmt::format("a matrix of all {} channels would be too large: the {} that move most are compared",
                     result.facts.recording.channels.size(), taken.size()),
         "choose others with --channel"});
  result.spectra = estimator.result();
  const Spectrum& grid = result.spectra.own.front();
  result.plan = grid.plan;
  result.low_hz = settings.span && settings.span->low ? *settings.span->low : 0;
  result.high_hz =
      settings.span && settings.span->high ? *settings.span->high : grid.frequency_hz(grid.bins() - 1);
  constexpr std::size_t most_modes = 20;
  result.output_only =
      decompose(result.spectra, result.low_hz, result.high_hz, most_modes, lean_of(result.facts.recording));
}

}  // namespace

std::string ResponseResult::curve_name(const ResponseCurve& curve) const {
  const std::string& own = recording.channels[curve.channel].name;
  if (set.references.empty()) return own;
  return own + " / " + recording.channels[set.references[curve.reference]].name;
}

Unit ResponseResult::curve_unit(const ResponseCurve& curve) const {
  const Unit& own = recording.channels[curve.channel].unit;
  if (set.references.empty()) return own.times(Unit::parse("s"));
  return own.over(recording.channels[set.references[curve.reference]].unit);
}

bool ResponseResult::known(const ResponseCurve& curve, std::size_t bin) const {
  if (!set.driven[bin]) return false;
  return set.averages < 2 || set.coherence[curve.channel][bin] > set.significant();
}

ResponseResult compute_response(Input& input, const ResponseSettings& settings, const Progress& progress) {
  input.require_even_axis();
  ResponseResult result;
  result.recording = input.road().recording();
  Recording& r = result.recording;
  if (r.complex) throw Error(Status::analysis, r.file + ": ratios of complex channels are not made");
  if (settings.output_only) {
    compute_output_only(input, settings, progress, result);
    return result;
  }
  const std::vector<std::size_t> references = references_of(r, settings);
  result.excitation = excitation_of(input, settings, references);
  Excitation& kind = result.excitation.kind;
  if (references.size() > 1 && kind != Excitation::noise && kind != Excitation::impulse)
    throw Error(Status::analysis,
                r.file + ": with several references only noise can be separated; give one --reference");
  // Where all fits in memory the record is held, so that resonances can be fitted on it whole.
  const bool holds =
      kind != Excitation::noise || r.samples * static_cast<std::int64_t>(r.channels.size()) <= most_held;
  Held held;
  if (holds) {
    held = hold_samples(input, progress, most_held);
    result.facts = held.facts;
  }
  result.window = {WindowKind::rectangular, 0};
  std::optional<RecordSpectra> record;
  const bool whole = kind == Excitation::sweep || kind == Excitation::transient || kind == Excitation::step;
  if (whole && r.samples < least_whole_record)
    throw Error(Status::analysis, r.file +
                                      ": the record is too short: " + std::to_string(least_whole_record) +
                                      " samples are needed, " + std::to_string(r.samples) + " are there");
  const bool refines =
      holds && settings.estimator == ResponseEstimator::h1 && r.samples >= least_whole_record;
  switch (kind) {
    case Excitation::blows:
      by_blows(held, settings, references[0], result);
      if (refines) record = record_spectra(held.columns, references, r.axis.rate_hz(), false);
      break;
    case Excitation::sweep:
    case Excitation::transient:
    case Excitation::step:
      record =
          record_spectra(held.columns, references, r.axis.rate_hz(),
                         kind == Excitation::step || differences_are_flatter(held.columns[references[0]]));
      result.set =
          local_ratios(*record, settings.estimator, kind == Excitation::sweep ? -60 : -80, result.spectra);
      break;
    case Excitation::impulse:
      result.set = responses_of_impulses(held.columns, r.axis.rate_hz());
      break;
    default:
      by_segments(input, settings, references, holds ? &held : nullptr, progress, result);
      if (refines) record = record_spectra(held.columns, references, r.axis.rate_hz(), false);
  }
  held.columns.clear();
  ResponseSet& set = result.set;
  if (!result.spectra.own.empty()) result.plan = result.spectra.own.front().plan;
  if (result.blows) set.decay_per_s = result.blows->decay_per_s;
  const auto [low, high] = kind == Excitation::impulse
                               ? std::pair{set.frequency_hz[2], set.frequency_hz.back()}
                               : driven_band(result);
  result.low_hz = settings.span && settings.span->low ? *settings.span->low : low;
  result.high_hz = settings.span && settings.span->high ? *settings.span->high : high;
  for (const ResponseCurve& curve : set.curves) {
    result.impulses.push_back(impulse_response(set, curve));
    result.delays.push_back(set.references.empty() ? std::nullopt : delay_of(set, curve));
  }
  if (settings.resonances) find_modes(result, settings, record ? &*record : nullptr);
  warn_of_response(result);
  return result;
}

}  // namespace vprism
