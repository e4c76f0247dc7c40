// response.cpp: ratios of channels, and the resonances they show.
#include "cli/response.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

#include "base/error.h"
#include "base/percentile.h"
#include "base/text.h"
#include "cli/channel_groups.h"
#include "transform/derived.h"
#include "transform/statistics.h"

namespace vprism {

namespace {

constexpr double two_pi = 2 * std::numbers::pi;

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

/// What the mode fit is given: ratios with standard errors that are smoothed over neighbours, since from a
/// few averages they scatter themselves.
ModeData mode_data(const ResponseResult& result) {
  const ResponseSet& set = result.set;
  ModeData data;
  data.frequency_hz = set.frequency_hz;
  data.shared = set.shared;
  for (const ResponseCurve& curve : set.curves) {
    data.curves.push_back(curve.ratio);
    std::vector<double> error(curve.ratio.size(), 1.0);
    if (set.averages > 1) {
      double top = 0;
      for (std::size_t k = 0; k < error.size(); ++k)
        if (set.driven[k]) top = std::max(top, std::abs(curve.ratio[k]));
      for (std::size_t k = 0; k < error.size(); ++k) {
        std::vector<double> near;
        for (std::size_t j = k > 3 ? k - 3 : 0; j < std::min(error.size(), k + 4); ++j)
          if (!std::isnan(curve.error[j])) near.push_back(curve.error[j] * std::abs(curve.ratio[j]));
        const double usual = near.empty() ? 0 : median_in(near);
        error[k] = std::sqrt(usual * usual + 1e-8 * std::norm(curve.ratio[k]) + 1e-14 * top * top);
      }
    }
    for (std::size_t k = 0; k < error.size(); ++k)
      if (!set.driven[k]) error[k] = 0;
    data.error.push_back(std::move(error));
  }
  return data;
}

/// Takes what an exponential window adds off the fitted decay rates.
void correct_decay(Mode& mode, double added_per_s) {
  if (added_per_s == 0) return;
  const std::complex<double> pole = mode.pole() + added_per_s;
  const double w = std::abs(pole);
  mode.damping_std *= two_pi * mode.frequency_hz / w;
  mode.frequency_hz = w / two_pi;
  mode.damping = -pole.real() / w;
}

int order_of(const Channel& channel) {
  try {
    return motion_order(channel);
  } catch (const Error&) {
    return -1;
  }
}

void check_mode(ResponseResult& result, KnownMode& known, double fitted_hz, double fitted_damping,
                double room_hz) {
  const ResponseSet& set = result.set;
  const auto bin =
      static_cast<std::size_t>(std::clamp((fitted_hz - set.frequency_hz.front()) / set.bin_hz() + 0.5, 0.0,
                                          static_cast<double>(set.frequency_hz.size() - 1)));
  for (const ResponseCurve& curve : set.curves) {
    // Between the bins by the fit; where the fit is not the curve, the curve.
    known.magnitude.push_back(std::abs(curve.ratio[bin]));
    known.phase_deg.push_back(std::arg(curve.ratio[bin]) * 360 / two_pi);
    known.coherence.push_back(set.coherence[curve.channel][bin]);
  }
  double best = 0;
  for (std::size_t i = 0; i < set.curves.size(); ++i) {
    // By the share that the mode has of the curve around it.
    const double share = std::abs(known.mode.residue[i]) /
                         std::max(known.mode.residue_std[i], 1e-9 * std::abs(known.mode.residue[i]));
    if (share > best) best = share, known.strongest = i;
  }
  const ResponseCurve& curve = set.curves[known.strongest];
  const double width = 2 * fitted_damping * fitted_hz;
  const double reach = std::min(room_hz / 2, std::max(8 * width, 12 * set.bin_hz()));
  CurveStretch stretch;
  for (std::size_t k = 0; k < set.frequency_hz.size(); ++k)
    if (std::abs(set.frequency_hz[k] - fitted_hz) <= reach && set.driven[k] && set.frequency_hz[k] > 0) {
      stretch.frequency_hz.push_back(set.frequency_hz[k]);
      stretch.ratio.push_back(curve.ratio[k]);
    }
  known.narrow = result.window.kind != WindowKind::rectangular && width < 4 * set.rbw_hz;
  if (stretch.ratio.size() < 5) return;
  const double added = set.decay_per_s / (two_pi * fitted_hz);  // What the window adds to a damping ratio.
  known.peak = read_peak(stretch);
  known.half_power = read_half_power(stretch);
  if (known.half_power) known.half_power->damping -= added;
  const int order = order_of(result.channel_of(curve));
  known.circle = read_circle(stretch, {fitted_hz, fitted_damping}, order);
  if (known.circle) {
    const int used = order >= 0 ? order : 1;
    for (std::size_t k = 0; k < stretch.ratio.size(); ++k)
      if (std::abs(stretch.frequency_hz[k] - fitted_hz) < 3 * width)
        known.circle_points.push_back(
            stretch.ratio[k] * std::pow(std::complex<double>(0, two_pi * stretch.frequency_hz[k]), 1 - used));
    known.circle->mode.damping -= added;
  }
  if (!result.impulses[known.strongest].empty())
    known.decay = read_decay(result.impulses[known.strongest], set.rate_hz, {fitted_hz, fitted_damping},
                             room_hz, set.decay_per_s);
}

void find_modes(ResponseResult& result, const ResponseSettings& settings) {
  result.data = mode_data(result);
  result.fit = fit_modes(result.data, result.low_hz, result.high_hz, settings.search);
  for (std::size_t i = 0; i < result.fit.modes.size(); ++i) {
    const Mode& fitted = result.fit.modes[i];
    double room = std::min(fitted.frequency_hz, result.set.rate_hz / 2 - fitted.frequency_hz);
    for (std::size_t j = 0; j < result.fit.modes.size(); ++j)
      if (j != i) room = std::min(room, std::abs(result.fit.modes[j].frequency_hz - fitted.frequency_hz));
    KnownMode known;
    known.mode = fitted;
    check_mode(result, known, fitted.frequency_hz, fitted.damping, room);
    correct_decay(known.mode, result.set.decay_per_s);
    result.modes.push_back(std::move(known));
  }
}

Caution caution(const char* code, Severity severity, std::string text, std::string remedy) {
  return {code, severity, "", std::move(text), std::move(remedy)};
}

void warn(ResponseResult& result) {
  std::vector<Caution>& out = result.facts.recording.cautions;
  const ResponseSet& set = result.set;
  if (result.blows) {
    std::string lost;
    std::size_t count = 0;
    for (std::size_t b = 0; b < result.blows->blows.size(); ++b) {
      const Blow& blow = result.blows->blows[b];
      if (blow.rejected.empty()) continue;
      ++count;
      lost += (lost.empty() ? "" : "; ") +
              fmt::format("blow {} at {} s ({})", b + 1,
                          format_number(
                              result.recording.axis.start + static_cast<double>(blow.start) / set.rate_hz, 5),
                          blow.rejected);
    }
    if (count > 0)
      out.push_back(caution("blows-left-out", Severity::warning,
                            fmt::format("{} of {} blows {} left out: {}", count, result.blows->blows.size(),
                                        count == 1 ? "is" : "are", lost),
                            "repeat them, or keep double hits with --double-hits keep"));
    if (result.blows->left > 0.01 && result.blows->decayed_to == 1)
      out.push_back(caution(
          "ringing-cut", Severity::warning,
          fmt::format("responses still ring at {:.2g}% when their segment ends", 100 * result.blows->left),
          "take longer segments, or let an exponential window end them: --decay-to 1%"));
  }
  if (set.averages == 1 && result.excitation != Excitation::impulse)
    out.push_back(caution("one-average", Severity::note,
                          "from one average, coherence and random error can't be told",
                          "repeat the excitation, or take shorter segments"));
  else if (set.independent < 4 + static_cast<double>(set.references.size()) && set.averages > 1)
    out.push_back(caution("few-averages", Severity::note,
                          fmt::format("{:.1f} independent averages: coherence below {:.2f} may be chance",
                                      set.independent, set.significant()),
                          "take more averages or shorter segments"));
  std::size_t dark = 0, weak = 0, all = 0;
  for (std::size_t k = 0; k < set.frequency_hz.size(); ++k) {
    if (set.frequency_hz[k] < result.low_hz || set.frequency_hz[k] > result.high_hz) continue;
    ++all;
    if (!set.driven[k]) ++dark;
    bool any = false;
    for (const ResponseCurve& curve : set.curves) any = any || result.known(curve, k);
    if (!any) ++weak;
  }
  if (dark > 0)
    out.push_back(
        caution("reference-silent", Severity::warning,
                fmt::format("in {} of {} bins the reference{} no energy of {} own: no ratio is told there",
                            dark, all, set.references.size() > 1 ? "s have" : " has",
                            set.references.size() > 1 ? "their" : "its"),
                "drive the structure over the whole band, or narrow it with --span"));
  if (all > 0 && weak - dark > all / 2)
    out.push_back(caution(
        "little-coherence", Severity::warning,
        fmt::format("in {} of {} bins no channel goes with the reference beyond chance (coherence {:.2f})",
                    weak, all, set.significant()),
        "what drives the structure there is something else; see --output-only"));
  std::string narrow;
  for (const KnownMode& m : result.modes)
    if (m.narrow) narrow += (narrow.empty() ? "" : ", ") + format_quantity(m.mode.frequency_hz, "Hz", 4);
  if (!narrow.empty())
    out.push_back(caution(
        "resolution-coarse", Severity::warning,
        fmt::format("{}: less than four RBW ({}) wide, so that the window makes the damping look larger",
                    narrow, format_quantity(set.rbw_hz, "Hz", 3)),
        "take longer segments: --resolution or --segment"));
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
  const double rate = r.axis.rate_hz();
  if (r.complex) throw Error(Status::analysis, r.file + ": ratios of complex channels are not made");
  result.excitation = settings.output_only ? Excitation::noise : settings.excitation;
  std::vector<std::size_t> references, taken;  // `taken`: instead of all channels.
  if (settings.output_only) {
    if (r.channels.size() < 2)
      throw Error(Status::analysis, r.file + ": --output-only compares channels; this recording has one");
    taken = strongest_channels(input, r);
    if (!taken.empty()) r.channels = chosen(r.channels, taken);
    for (std::size_t c = 0; c < r.channels.size(); ++c) references.push_back(c);
  } else {
    references = references_of(r, settings);
  }
  constexpr std::int64_t most_held = std::int64_t{1} << 24;
  const bool held_anyway = result.excitation == Excitation::automatic
                               ? r.samples <= most_held / 4
                               : result.excitation != Excitation::noise;
  Held held;
  if (held_anyway) {
    held = hold_samples(input, progress, most_held);
    result.facts = held.facts;
  }
  if (result.excitation == Excitation::automatic) {
    result.excitation = Excitation::noise;
    if (held_anyway && references.size() == 1) {
      const std::vector<double>& x = held.columns[references[0]];
      // What stays on its new level is, seen from there, a blow at the start.
      if (looks_like_step(x, rate))
        result.excitation = Excitation::step;
      else if (looks_like_blows(x, rate))
        result.excitation = Excitation::blows;
    }
  }
  if (result.excitation != Excitation::noise && result.excitation != Excitation::impulse &&
      references.size() > 1)
    throw Error(Status::analysis,
                r.file + ": with several references only noise can be told apart; give one --reference");
  result.window = {WindowKind::rectangular, 0};
  double floor_db = -120;
  switch (result.excitation) {
    case Excitation::blows:
      try {
        result.blows = blow_spectra(held.columns, references[0], rate, settings.blows);
      } catch (const Error& error) {
        throw Error(error.status(), r.file + ": " + error.what());
      }
      result.spectra = std::move(result.blows->spectra);
      floor_db = -60;
      break;
    case Excitation::transient:
    case Excitation::step:
      result.spectra =
          whole_record_spectra(held.columns, references, rate, result.excitation == Excitation::step);
      floor_db = -80;
      break;
    case Excitation::impulse:
      result.set = responses_of_impulses(held.columns, rate);
      break;
    default: {
      const SpectrumSettings cut = cut_for(settings.spectrum, r.samples);
      try {
        result.plan = plan_spectrum(cut, r.samples, rate);
      } catch (const Error& error) {
        throw Error(error.status(), r.file + ": " + error.what());
      }
      if (result.plan.averages < 2)
        throw Error(Status::analysis,
                    r.file +
                        ": one segment gives no coherence; take shorter ones, or --excitation transient "
                        "where the excitation dies away within the record");
      result.window = cut.window;
      CrossEstimator estimator(result.plan, cut, references);
      if (held_anyway) {
        MemorySource source(held.recording, held.columns);
        Block block = source.make_block();
        while (source.read(block) > 0) estimator.add(block);
      } else {
        const auto add = [&](const Block& block) { estimator.add(block); };
        if (taken.empty())
          input.road().run([&](Block& block) { add(block); }, progress);
        else
          run_channels(input, taken, progress, add);
        result.facts = input.facts();
        if (!taken.empty())
          result.facts.recording.cautions.push_back(
              {"channels-left-out", Severity::warning, "",
               fmt::format(
                   "a matrix of all {} channels would be too large: the {} that move most are compared",
                   result.facts.recording.channels.size(), taken.size()),
               "choose others with --channel"});
      }
      result.spectra = estimator.result();
    }
  }
  if (result.excitation != Excitation::impulse) {
    result.plan = result.spectra.own.front().plan;
    if (!settings.output_only) result.set = responses_of(result.spectra, settings.estimator, floor_db);
  }
  if (settings.output_only) {
    const Spectrum& grid = result.spectra.own.front();
    result.low_hz = settings.span && settings.span->low ? *settings.span->low : 0;
    result.high_hz =
        settings.span && settings.span->high ? *settings.span->high : grid.frequency_hz(grid.bins() - 1);
    result.output_only = decompose(result.spectra, result.low_hz, result.high_hz);
    return result;
  }
  ResponseSet& set = result.set;
  set.shared = result.excitation == Excitation::noise ? bins_alike(result.window) : 1;
  if (result.blows) set.decay_per_s = result.blows->decay_per_s;
  const auto [low, high] = result.excitation == Excitation::impulse
                               ? std::pair{set.frequency_hz[2], set.frequency_hz.back()}
                               : driven_band(result);
  result.low_hz = settings.span && settings.span->low ? *settings.span->low : low;
  result.high_hz = settings.span && settings.span->high ? *settings.span->high : high;
  for (const ResponseCurve& curve : set.curves) {
    result.impulses.push_back(impulse_response(set, curve));
    result.delays.push_back(set.references.empty() ? std::nullopt : delay_of(set, curve));
  }
  find_modes(result, settings);
  warn(result);
  return result;
}

}  // namespace vprism
