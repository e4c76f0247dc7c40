// kinds.cpp: findings that are no steady lines, put into words: bands judged on the record, trends,
// quantisation; and the rule that all of a channel's findings together hold no more than it has.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/dot.h"
#include "base/text.h"
#include "commands/identify/identify.h"

namespace vprism {

namespace {

std::string hz_text(double hz, double std_hz) { return format_uncertain(hz, std_hz, "Hz"); }

void report_decaying(const JudgedBand& band, double start_s, Finding& f) {
  const Exponential& e = band.verdict.exponential;
  const double w = 2 * std::numbers::pi * e.frequency_hz, size = std::hypot(w, e.decay_per_s);
  const double damping = e.decay_per_s / size, damping_std = e.decay_std_per_s / size;
  f.kind = e.decay_per_s > 0 ? "decaying" : "growing";
  f.frequency_hz = e.frequency_hz, f.frequency_std_hz = e.frequency_std_hz;
  f.text = fmt::format("a line that {}: {}, damping {}, amplitude {} at {}, {} RMS over the record",
                       e.decay_per_s > 0 ? "dies away" : "grows", hz_text(e.frequency_hz, e.frequency_std_hz),
                       format_uncertain(100 * damping, 100 * damping_std, "%"),
                       format_quantity(e.amplitude, f.unit, 4), format_quantity(start_s + e.start_s, "s", 4),
                       format_quantity(f.level_rms, f.unit, 4));
  f.numbers = {{"damping_ratio", damping},        {"damping_std", damping_std},
               {"decay_per_s", e.decay_per_s},    {"decay_std_per_s", e.decay_std_per_s},
               {"start_s", start_s + e.start_s},  {"amplitude", e.amplitude},
               {"amplitude_std", e.amplitude_std}};
}

void report_wandering(const JudgedBand& band, Finding& f) {
  const BandVerdict& v = band.verdict;
  f.kind = "wandering";
  f.text = fmt::format(
      "a line near {}, {} RMS, that wanders: its amplitude by {:.2g}%, its frequency by {}, within about {}",
      hz_text(v.frequency_hz, v.frequency_std_hz), format_quantity(f.level_rms, f.unit, 4),
      100 * v.amplitude_wander, format_quantity(v.frequency_wander_hz, "Hz", 2),
      format_quantity(v.wander_s, "s", 2));
  f.numbers = {{"amplitude_wander", v.amplitude_wander},
               {"frequency_wander_hz", v.frequency_wander_hz},
               {"wander_s", v.wander_s}};
}

void report_stepping(const JudgedBand& band, double start_s, Finding& f) {
  const BandVerdict& v = band.verdict;
  f.kind = "stepping";
  f.text = fmt::format("a line at {} whose level steps: ", hz_text(v.frequency_hz, v.frequency_std_hz));
  for (std::size_t i = 0; i < v.levels.size(); ++i) {
    const HeldLevel& level = v.levels[i];
    const std::string name = "level_" + std::to_string(i + 1);
    f.text +=
        (i > 0 ? ", " : "") +
        format_uncertain(level.amplitude / std::sqrt(2.0), level.amplitude_std / std::sqrt(2.0), f.unit) +
        " RMS";
    if (i + 1 < v.levels.size()) f.text += " until " + format_quantity(start_s + level.to_s, "s", 4);
    f.numbers.emplace_back(name + "_rms", level.amplitude / std::sqrt(2.0));
    f.numbers.emplace_back(name + "_std", level.amplitude_std / std::sqrt(2.0));
    f.numbers.emplace_back(name + "_from_s", start_s + level.from_s);
    f.numbers.emplace_back(name + "_to_s", start_s + level.to_s);
  }
  f.text += " to the end, " + format_quantity(f.level_rms, f.unit, 4) + " over the record";
}

void report_burst(const JudgedBand& band, double start_s, Finding& f) {
  const BandVerdict& v = band.verdict;
  f.kind = "burst";
  const bool wide = band.high_hz - band.low_hz > 0.2 * v.frequency_hz;
  f.text = fmt::format("a burst near {}{}, from {} to {}, {} RMS over the record",
                       format_quantity(v.frequency_hz, "Hz", 4),
                       wide ? fmt::format(" ({} to {})", format_quantity(band.low_hz, "Hz", 3),
                                          format_quantity(band.high_hz, "Hz", 3))
                            : "",
                       format_quantity(start_s + v.from_s, "s", 4), format_quantity(start_s + v.to_s, "s", 4),
                       format_quantity(f.level_rms, f.unit, 4));
  f.numbers = {{"start_s", start_s + v.from_s}, {"end_s", start_s + v.to_s}};
  if (wide) f.numbers.emplace_back("low_hz", band.low_hz), f.numbers.emplace_back("high_hz", band.high_hz);
}

void report_sweep(const Sweep& s, double start_s, Finding& f) {
  f.kind = "sweep";
  f.text = fmt::format("a sweep from {} at {} to {} at {}, {} of {}, {} RMS over the record",
                       hz_text(s.from_hz, s.from_std_hz), format_quantity(start_s + s.from_s, "s", 4),
                       hz_text(s.to_hz, s.to_std_hz), format_quantity(start_s + s.to_s, "s", 4),
                       s.exponential ? "exponential" : "linear",
                       s.exponential ? format_uncertain(s.rate, s.rate_std, "octaves/s")
                                     : format_uncertain(s.rate, s.rate_std, "Hz/s"),
                       format_quantity(f.level_rms, f.unit, 4));
  f.evidence.push_back("one line holds most of each segment, and its places lie on this course");
  f.numbers = {{"from_hz", s.from_hz},     {"from_std_hz", s.from_std_hz},  {"to_hz", s.to_hz},
               {"to_std_hz", s.to_std_hz}, {"start_s", start_s + s.from_s}, {"end_s", start_s + s.to_s}};
  f.numbers.emplace_back(s.exponential ? "octaves_per_s" : "drift_hz_per_s", s.rate);
  f.numbers.emplace_back(s.exponential ? "octaves_per_s_std" : "drift_std_hz_per_s", s.rate_std);
}

void report_impulses(const JudgedBand& band, Finding& f) {
  const ImpulseTrain& train = *band.impulses;
  const double ring = band.resonance ? band.resonance->frequency_hz : band.verdict.frequency_hz;
  f.kind = "impulse-family";
  f.frequency_hz = train.rate_hz, f.frequency_std_hz = train.rate_std_hz;
  if (band.noise_alone) {
    f.kind = "intermittent";
    f.text = fmt::format("noise that comes and goes at {}, {} RMS from {} to {}",
                         hz_text(train.rate_hz, train.rate_std_hz), format_quantity(f.level_rms, f.unit, 4),
                         format_quantity(band.low_hz, "Hz", 4), format_quantity(band.high_hz, "Hz", 4));
    f.evidence = {fmt::format(
        "its power swings at that rate and its multiples, by {:.0f}% of its mean at the rate itself",
        100 * train.depth)};
    f.numbers = {{"envelope_depth", train.depth}, {"low_hz", band.low_hz}, {"high_hz", band.high_hz}};
    return;
  }
  f.text = fmt::format("impulses that repeat at {} and ring near {}, {} RMS together",
                       hz_text(train.rate_hz, train.rate_std_hz), format_quantity(ring, "Hz", 4),
                       format_quantity(f.level_rms, f.unit, 4));
  std::string orders;
  for (const std::size_t order : train.orders) orders += (orders.empty() ? "" : ", ") + std::to_string(order);
  f.evidence.push_back(
      fmt::format("the power in the band from {} to {} repeats at orders {} of that rate; noise through a "
                  "resonance shows none",
                  format_quantity(band.low_hz, "Hz", 4), format_quantity(band.high_hz, "Hz", 4), orders));
  f.numbers = {{"ringing_hz", ring}, {"envelope_depth", train.depth}};
  if (band.resonance) {
    f.numbers.emplace_back("damping_ratio", band.resonance->damping);
    f.numbers.emplace_back("damping_std", band.resonance->damping_std);
  }
}

void report_noise(const JudgedBand& band, Finding& f) {
  if (band.impulses) return report_impulses(band, f);
  const BandVerdict& v = band.verdict;
  if (!band.resonance) {
    f.kind = "broadband";
    f.frequency_std_hz = v.spread_hz;
    f.text = fmt::format("noise from {} to {}, {} RMS, higher than what lies around",
                         format_quantity(band.low_hz, "Hz", 4), format_quantity(band.high_hz, "Hz", 4),
                         format_quantity(f.level_rms, f.unit, 4));
    f.numbers = {{"low_hz", band.low_hz}, {"high_hz", band.high_hz}};
    return;
  }
  const ResonanceFit& fit = *band.resonance;
  f.kind = "resonance";
  f.frequency_hz = fit.frequency_hz, f.frequency_std_hz = fit.frequency_std_hz;
  f.text = fmt::format("a resonance at {}, damping {}, {} RMS, driven by noise",
                       hz_text(fit.frequency_hz, fit.frequency_std_hz),
                       format_uncertain(100 * fit.damping, 100 * fit.damping_std, "%"),
                       format_quantity(f.level_rms, f.unit, 4));
  f.evidence.push_back(
      fmt::format("for a resonance: half-power width {}; the shape of one degree of freedom fits: "
                  "log-likelihood {:.0f} above noise of one level",
                  format_quantity(fit.width_hz(), "Hz", 3), fit.gain / 2));
  f.numbers = {
      {"damping_ratio", fit.damping}, {"damping_std", fit.damping_std}, {"width_hz", fit.width_hz()}};
}

}  // namespace

void Slope::add(const Block& block, std::size_t c, const std::vector<double>& ramp) {
  const auto values = block.samples(c);
  if (n == 0 && !values.empty() && std::isfinite(values[0])) first = values[0];
  const auto begin = static_cast<double>(block.first());
  if (!block.gaps()) {
    // sum (begin + i) = count begin + ..., and so on, each in lanes.
    const std::size_t size = values.size();
    const auto count = static_cast<double>(size), steps = count * (count - 1) / 2;
    const double v = sum_of(values.data(), size) - count * first;
    n += count, x += v, xx += squares_about(values.data(), size, first);
    t += count * begin + steps;
    tt += count * begin * begin + 2 * begin * steps + steps * (2 * count - 1) / 3;
    tx += begin * v + dot(ramp.data(), values.data(), size) - first * steps;
    return;
  }
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (std::isnan(values[i])) continue;
    const double at = begin + ramp[i], v = values[i] - first;
    n += 1, t += at, tt += at * at, x += v, xx += v * v, tx += at * v;
  }
}

Finding report_band(const Recording& r, const ChannelSpectrum& c, const JudgedBand& band) {
  const BandVerdict& v = band.verdict;
  Finding f;
  f.channel = c.channel.name;
  f.unit = c.channel.unit.label();
  f.members = band.members;
  f.frequency_hz = v.frequency_hz, f.frequency_std_hz = v.frequency_std_hz;
  f.level_rms = band.level_rms;
  switch (v.kind) {
    case BandVerdict::Kind::decaying:
      report_decaying(band, r.axis.start, f);
      break;
    case BandVerdict::Kind::wandering:
      report_wandering(band, f);
      break;
    case BandVerdict::Kind::stepping:
      report_stepping(band, r.axis.start, f);
      break;
    case BandVerdict::Kind::burst:
      report_burst(band, r.axis.start, f);
      break;
    case BandVerdict::Kind::noise:
      report_noise(band, f);
      break;
    case BandVerdict::Kind::sweep:
      report_sweep(v.sweep, r.axis.start, f);
      return f;
    default:
      f.kind = "unresolved";
      f.frequency_std_hz = std::max(f.frequency_std_hz, v.spread_hz);
      f.text = fmt::format(
          "something from {} to {}, {} RMS, that neither steady lines nor a line that decays or wanders, nor "
          "noise through "
          "a resonance explain; a longer record, spectrogram or response may resolve it",
          format_quantity(band.low_hz, "Hz", 5), format_quantity(band.high_hz, "Hz", 5),
          format_quantity(f.level_rms, f.unit, 4));
      f.numbers = {{"low_hz", band.low_hz}, {"high_hz", band.high_hz}};
  }
  if (v.misfit == 0) return f;  // No model was tried.
  f.evidence.push_back(
      fmt::format("the record in this band: amplitude fluctuation {:.2f} (steady 1, noise 2); this model "
                  "leaves {:.3g} times the noise",
                  v.fluctuation, v.misfit));
  if (v.runner_up_gain > 1)
    f.evidence.push_back(
        fmt::format("the next best model is less likely by a factor of e^{:.3g}", v.runner_up_gain / 2));
  return f;
}

Finding report_quantisation(const Recording& r, const ChannelSpectrum& c, const Levels& levels,
                            const std::vector<std::size_t>& members, double other_squares) {
  Finding q;
  q.kind = "quantisation";
  q.recording = r.file, q.channel = c.channel.name, q.unit = c.channel.unit.label();
  double square = other_squares;
  for (const std::size_t m : members) square += c.peaks[m].rms * c.peaks[m].rms;
  const Peak& first = c.peaks[members.front()];
  q.frequency_hz = first.frequency_hz, q.frequency_std_hz = first.frequency_std_hz;
  q.level_rms = std::sqrt(square);
  q.members = members;
  q.text = fmt::format("{} lines, {} RMS together, that rounding to steps of {} makes", members.size(),
                       format_quantity(q.level_rms, q.unit, 3), format_quantity(levels.step, q.unit, 4));
  q.evidence.push_back(
      fmt::format("{} different values in {} samples, {} apart; rounding alone errs by {} RMS",
                  levels.distinct, levels.kept, format_quantity(levels.step, q.unit, 4),
                  format_quantity(levels.step / std::sqrt(12.0), q.unit, 3)));
  q.evidence.push_back(
      "without noise of about a step, what rounding leaves repeats with the signal and stands as lines");
  q.numbers = {{"step", levels.step}};
  return q;
}

bool of_one_band(const Finding& f) {
  return f.kind == "resonance" || f.kind == "broadband" || f.kind == "burst" || f.kind == "unresolved";
}

namespace {

/// By how much lines may hold more mean square together than the record has: two that beat k times over it,
/// of a and b RMS, up to 2ab / (pi k), as far as the last beat is not whole; of several, whose last beats
/// have nothing to do with each other, the root of the squares. Nearer than a beat and a half lines are not
/// apart, and count as if they were.
double shared_by_beats(const std::vector<Finding>& findings, const std::vector<std::size_t>& own,
                       double duration_s) {
  constexpr double beats_looked_at = 64, least_beats = 1.5;
  std::vector<std::pair<double, double>> lines;  // Frequency and RMS.
  for (const std::size_t i : own) {
    const Finding& f = findings[i];
    if (of_one_band(f)) continue;
    if (f.lines.empty()) lines.emplace_back(f.frequency_hz, f.level_rms);
    for (const FindingLine& line : f.lines) lines.emplace_back(line.frequency_hz, line.rms);
  }
  std::sort(lines.begin(), lines.end());
  double out = 0;
  for (std::size_t i = 0; i < lines.size(); ++i)
    for (std::size_t j = i + 1; j < lines.size(); ++j) {
      const double beats = (lines[j].first - lines[i].first) * duration_s;
      if (beats > beats_looked_at) break;
      out += std::pow(
          2 * lines[i].second * lines[j].second / (std::numbers::pi * std::max(least_beats, beats)), 2);
    }
  return std::sqrt(out);
}

std::vector<std::size_t> beyond_power(const std::vector<Finding>& findings,
                                      const std::vector<std::size_t>& own, double rms, double duration_s) {
  // A part of a period more or less: of a line of few periods the record holds more or less than its square.
  double most = 1.02;
  for (const std::size_t i : own)
    if (findings[i].frequency_hz * duration_s < 6) most = 1.3;
  // What is least sure goes first.
  const auto trust = [](const Finding& f) {
    return f.kind == "unresolved" || f.kind == "broadband" ? 0
           : f.kind == "resonance" || f.kind == "burst"    ? 1
                                                           : 2;
  };
  std::vector<std::size_t> order = own, gone;
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return trust(findings[a]) != trust(findings[b]) ? trust(findings[a]) < trust(findings[b])
                                                    : findings[a].level_rms < findings[b].level_rms;
  });
  double square = 0;
  for (const std::size_t i : own) square += findings[i].level_rms * findings[i].level_rms;
  const double room = most * rms * rms + shared_by_beats(findings, own, duration_s);
  const auto drop = [&](std::size_t i) {
    square -= findings[i].level_rms * findings[i].level_rms;
    gone.push_back(i);
  };
  for (const std::size_t i : own)
    if (findings[i].level_rms * findings[i].level_rms > room) drop(i);
  for (const std::size_t i : order)
    if (square > room && findings[i].level_rms * findings[i].level_rms <= room) drop(i);
  return gone;
}

}  // namespace

Caution below_rounding(const Channel& channel, double step, std::size_t count) {
  return {"below-rounding", Severity::note, channel.name,
          fmt::format("{} {} of noise hold{} less than rounding to {} makes ({} RMS): left out", count,
                      count == 1 ? "finding" : "findings", count == 1 ? "s" : "",
                      format_quantity(step, channel.unit.label(), 3),
                      format_quantity(step / std::sqrt(12.0), channel.unit.label(), 3)),
          "use a finer range"};
}

void hold_power_rule(std::size_t c, IdentifyResult& result) {
  std::vector<std::size_t> own;
  for (std::size_t i = 0; i < result.findings.size(); ++i)
    if (result.channels[i] == c && result.findings[i].kind != "event") own.push_back(i);
  // One that holds all there is may have been read a little too high.
  for (const std::size_t i : own) {
    Finding& f = result.findings[i];
    if (f.kind != "tone" && f.kind != "mains-hum" && f.level_rms < 1.3 * result.rms[c])
      f.level_rms = std::min(f.level_rms, result.rms[c]);
  }
  std::vector<std::size_t> gone =
      beyond_power(result.findings, own, result.rms[c], result.spectrum.facts.recording.duration_s());
  std::sort(gone.begin(), gone.end());
  // What happens in time is partly what was found over frequency: it has what that leaves.
  double room = result.rms[c] * result.rms[c], events = 0;
  for (std::size_t i = 0; i < result.findings.size(); ++i) {
    if (result.channels[i] != c || std::binary_search(gone.begin(), gone.end(), i)) continue;
    const double square = result.findings[i].level_rms * result.findings[i].level_rms;
    if (result.findings[i].kind == "event")
      events += square;
    else
      room -= square;
  }
  const double share = events > room ? std::sqrt(std::max(0.0, room) / events) : 1;
  for (std::size_t i = 0; i < result.findings.size(); ++i)
    if (result.channels[i] == c && result.findings[i].kind == "event") result.findings[i].level_rms *= share;
  // The noise is what is left, as far as levels are known: the floor holds what no line was taken off it for.
  constexpr double known_to = 0.005;
  const double left = std::max(0.0, room - share * share * events) + known_to * result.rms[c] * result.rms[c];
  result.noise[c].rms = std::min(result.noise[c].rms, std::sqrt(left));
  if (gone.empty()) return;
  result.cautions.push_back(
      {"unresolved", Severity::warning, result.spectrum.channels[c].channel.name,
       fmt::format(
           "{} of what was found would hold more power than the channel has, the first near {}: left out",
           gone.size(), format_quantity(result.findings[gone.front()].frequency_hz, "Hz", 5)),
       "look at the spectrogram; take a longer record"});
  for (std::size_t i = gone.size(); i-- > 0;) {
    const auto at = static_cast<std::ptrdiff_t>(gone[i]);
    result.findings.erase(result.findings.begin() + at);
    result.watches.erase(result.watches.begin() + at);
    result.channels.erase(result.channels.begin() + at);
  }
}

}  // namespace vprism
