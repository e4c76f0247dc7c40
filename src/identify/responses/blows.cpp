// blows.cpp: see blows.h.
//
// A segment begins a little before its blow. The force window is 1 over the pulse and as much again before
// and after, then falls as a cosine over one pulse width: what the force channel shows later is noise. The
// exponential window exp(-t / T), t from the blow, goes over force and responses alike; it adds 1 / T to the
// decay rate of every mode, d w -> d w + 1 / T, which is taken off the fitted modes again.
#include "identify/responses/blows.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/fft.h"
#include "base/percentile.h"
#include "base/text.h"

namespace vprism {

namespace {

struct Rest {
  double level = 0, noise = 0;  ///< Median, and 1.4826 times the median distance from it.
};

Rest rest_of(const std::vector<double>& x) {
  Rest rest;
  rest.level = percentile_of(x, 0.5);
  std::vector<double> apart;
  for (const double v : x) apart.push_back(std::abs(v - rest.level));
  rest.noise = 1.4826 * median_in(apart);
  return rest;
}

/// Root of the mean square of a stretch, its mean taken off.
double rms_of(const double* x, std::size_t count) {
  double sum = 0, squares = 0;
  for (std::size_t n = 0; n < count; ++n) sum += x[n];
  const double mean = sum / static_cast<double>(count);
  for (std::size_t n = 0; n < count; ++n) squares += (x[n] - mean) * (x[n] - mean);
  return std::sqrt(squares / static_cast<double>(count));
}

}  // namespace

std::vector<Blow> find_blows(const std::vector<double>& force, double rate_hz, const BlowSettings& settings) {
  std::vector<Blow> out;
  if (force.size() < 16) return out;
  const Rest rest = rest_of(force);
  double top = 0, sign = 1;
  for (const double v : force)
    if (std::abs(v - rest.level) > top) top = std::abs(v - rest.level), sign = v > rest.level ? 1 : -1;
  const double high = settings.level ? std::abs(*settings.level) : std::max(12 * rest.noise, 0.1 * top);
  // Second hits are looked for further down, but never in the noise.
  const double low = std::max(6 * rest.noise, std::min(high, settings.double_hit * high) / 2);
  struct Pulse {
    std::size_t start, end, peak;
    double force;
  };
  std::vector<Pulse> pulses;
  for (std::size_t n = 0; n < force.size();) {
    if (sign * (force[n] - rest.level) < low) {
      ++n;
      continue;
    }
    Pulse p{n, n, n, 0};
    for (; n < force.size() && sign * (force[n] - rest.level) >= low; ++n)
      if (sign * (force[n] - rest.level) > p.force) p.peak = n, p.force = sign * (force[n] - rest.level);
    p.end = n;
    pulses.push_back(p);
  }
  // A main pulse is one that no stronger one precedes within its ringing: blows begin where the force passes
  // the high level after a rest.
  std::vector<double> widths;
  for (const Pulse& p : pulses)
    if (p.force >= high) widths.push_back(static_cast<double>(p.end - p.start));
  if (widths.empty()) return out;
  const double width = median_in(widths);
  // Hits closer than a tenth of the usual time between high pulses, and than a quarter second, belong
  // together.
  std::vector<double> apart;
  const Pulse* before = nullptr;
  for (const Pulse& p : pulses) {
    if (p.force < high) continue;
    if (before != nullptr) apart.push_back(static_cast<double>(p.start - before->start));
    before = &p;
  }
  const double near = std::max(
      6 * width, apart.empty()
                     ? 0.25 * rate_hz
                     : std::min(0.25 * rate_hz, 0.25 * *std::max_element(apart.begin(), apart.end())));
  for (const Pulse& p : pulses) {
    const bool close = !out.empty() && static_cast<double>(p.start - out.back().peak) < near;
    if (close) {
      Blow& blow = out.back();
      if (static_cast<double>(p.start) - static_cast<double>(blow.end) <= 2) {
        blow.end = p.end;  // The same pulse, parted by noise on its flank.
        if (p.force > blow.force) blow.force = p.force, blow.peak = p.peak;
      } else if (p.force > blow.second) {
        blow.second = p.force, blow.second_at = p.peak;
      }
      continue;
    }
    if (p.force >= high)
      out.push_back({p.start, p.end, p.peak, p.force, 0, 0, {}});
    else if (!out.empty() && p.force > out.back().second)
      out.back().second = p.force, out.back().second_at = p.peak;
  }
  for (Blow& blow : out)
    if (blow.second < settings.double_hit * blow.force) blow.second = 0, blow.second_at = 0;
  return out;
}

bool looks_like_blows(const std::vector<double>& force, double rate_hz) {
  const std::vector<Blow> blows = find_blows(force, rate_hz, {});
  if (blows.empty()) return false;
  const Rest rest = rest_of(force);
  double all = 0, within = 0, time = 0;
  for (const double v : force) all += (v - rest.level) * (v - rest.level);
  for (const Blow& blow : blows) {
    const std::size_t margin = blow.end - blow.start + 2;
    const std::size_t from = blow.start > margin ? blow.start - margin : 0,
                      to = std::min(force.size(), blow.end + margin);
    for (std::size_t n = from; n < to; ++n) within += (force[n] - rest.level) * (force[n] - rest.level);
    time += static_cast<double>(to - from);
  }
  return within > 0.9 * all && time < 0.05 * static_cast<double>(force.size());
}

BlowSpectra blow_spectra(const std::vector<std::vector<double>>& columns, std::size_t reference,
                         double rate_hz, const BlowSettings& settings) {
  BlowSpectra out;
  const std::vector<double>& force = columns[reference];
  out.blows = find_blows(force, rate_hz, settings);
  if (out.blows.empty())
    throw Error(
        Status::analysis,
        "no blow stands out of the force; name the force's channel with --reference, or the level that "
        "a blow exceeds with --blow-level");
  // As long as fits between most blows.
  std::size_t segment = settings.segment.value_or(0);
  if (segment == 0) {
    std::vector<double> rooms;
    for (std::size_t b = 0; b < out.blows.size(); ++b) {
      const std::size_t next = b + 1 < out.blows.size() ? out.blows[b + 1].start : force.size();
      rooms.push_back(static_cast<double>(next - out.blows[b].start));
    }
    // The last room may be cut by the end of the record: it counts when it is not the shortest by far.
    std::sort(rooms.begin(), rooms.end());
    const double least = rooms.size() > 1 && rooms[0] < 0.7 * rooms[1] ? rooms[1] : rooms[0];
    segment = static_cast<std::size_t>(least / (1 + 1.5 * settings.before));
  }
  if (segment < 16)
    throw Error(Status::analysis, "blows follow each other within " +
                                      format_quantity(static_cast<double>(segment) / rate_hz, "s", 3) +
                                      "; no response can be measured between them");
  out.segment = segment;
  std::size_t longest = 1;
  for (const Blow& blow : out.blows) longest = std::max(longest, blow.end - blow.start);
  out.before = std::max(static_cast<std::size_t>(settings.before * static_cast<double>(segment)), longest);
  out.before = std::min(out.before, segment / 4);
  for (std::size_t b = 0; b < out.blows.size(); ++b) {
    Blow& blow = out.blows[b];
    const std::size_t next = b + 1 < out.blows.size() ? out.blows[b + 1].start : force.size();
    if (blow.second > 0 && !settings.keep_doubles)
      blow.rejected = "double hit: " + format_number(100 * blow.second / blow.force, 3) + "% of the blow, " +
                      format_quantity(static_cast<double>(blow.second_at - blow.peak) / rate_hz, "s", 3) +
                      " after it";
    else if (blow.start < out.before)
      blow.rejected = "the record begins with it";
    else if (blow.start - out.before + segment > force.size())
      blow.rejected = "the record ends before its response";
    else if (b + 1 < out.blows.size() && blow.start - out.before + segment > next)
      blow.rejected = "the next blow falls into its response";
  }
  std::vector<const Blow*> good;
  for (const Blow& blow : out.blows)
    if (blow.rejected.empty()) good.push_back(&blow);
  if (good.empty())
    throw Error(Status::analysis, "none of the " + std::to_string(out.blows.size()) +
                                      " blows can be used; the first: " + out.blows.front().rejected +
                                      " (--double-hits keep, or a shorter --segment)");
  // How far the responses have died down at the end: the last twentieth against the twentieth after the blow.
  const std::size_t twentieth = std::max<std::size_t>(8, segment / 20);
  double worst = 0;
  for (std::size_t c = 0; c < columns.size(); ++c) {
    if (c == reference) continue;
    double first = 0, last = 0, rest = 0;
    for (const Blow* blow : good) {
      const std::size_t from = blow->start - out.before;
      first += rms_of(&columns[c][blow->end], std::min(twentieth, columns[c].size() - blow->end));
      last += rms_of(&columns[c][from + segment - twentieth], twentieth);
      rest += rms_of(&columns[c][from], std::max<std::size_t>(2, out.before - out.before / 4));
    }
    // What stood before the blow is noise or the last blow's end; it does not count as ringing unless it is
    // no more.
    const double ringing = std::sqrt(std::max(0.0, last * last - std::min(last * last, rest * rest)));
    const double share = first > 0 ? std::max(ringing, last > 0.02 * first ? last : 0.0) / first : 0;
    worst = std::max(worst, share);
  }
  out.left = worst;
  out.decayed_to = settings.decay_to.value_or(worst > 0.01 ? 0.01 : 1);
  const double after = static_cast<double>(segment - out.before);
  out.decay_per_s = out.decayed_to < 1 ? -std::log(out.decayed_to) * rate_hz / after : 0;

  // The sums.
  const RealFft fft(segment);
  FftArray<double> in(segment);
  std::vector<FftArray<std::complex<double>>> transforms;
  for (std::size_t c = 0; c < columns.size(); ++c) transforms.emplace_back(fft.bins());
  std::vector<const std::complex<double>*> all;
  for (const auto& t : transforms) all.push_back(t.data());
  CrossSums sums;
  sums.references = {reference};
  sums.resize(columns.size(), fft.bins());
  for (const Blow* blow : good) {
    const std::size_t from = blow->start - out.before;
    const auto pulse = static_cast<double>(blow->end - blow->start);
    for (std::size_t c = 0; c < columns.size(); ++c) {
      // What the channel showed just before the blow is its rest.
      double rest = 0;
      const std::size_t quiet = std::max<std::size_t>(1, out.before - out.before / 4);
      if (c == reference)
        for (std::size_t n = 0; n < quiet; ++n) rest += columns[c][from + n] / static_cast<double>(quiet);
      for (std::size_t n = 0; n < segment; ++n) {
        const double t = static_cast<double>(n) - static_cast<double>(out.before);
        double w = t > 0 ? std::exp(-out.decay_per_s * t / rate_hz) : 1;
        if (c == reference && settings.force_window) {
          const double beyond = t > 0 ? t - 2 * pulse : -t - pulse;
          if (beyond > pulse)
            w = 0;
          else if (beyond > 0)
            w *= 0.5 + 0.5 * std::cos(std::numbers::pi * beyond / pulse);
        }
        in.data()[n] = w == 0 ? 0 : w * (columns[c][from + n] - rest);
      }
      fft.run(in, transforms[c]);
    }
    sums.add(all);
  }
  out.spectra = cross_spectra(std::move(sums), segment, rate_hz, static_cast<std::int64_t>(good.size()));
  return out;
}

}  // namespace vprism
