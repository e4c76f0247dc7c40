// rebuild.cpp: see rebuild.h.
#include "identify/tones/rebuild.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/error.h"
#include "base/fft.h"
#include "base/text.h"
#include "base/turns.h"
#include "identify/lines/whole_lines.h"
#include "transform/windows/window.h"

namespace vprism {

namespace {

using std::numbers::pi;

std::vector<Component> listed(const std::vector<Sine>& sines) {
  std::vector<Component> out;
  for (const Sine& s : sines) out.push_back({s.frequency_hz, s.amplitude, s.phase_deg});
  std::stable_sort(out.begin(), out.end(),
                   [](const Component& a, const Component& b) { return a.amplitude > b.amplitude; });
  return out;
}

/// Adds a cosine; the phasor is made anew now and then, so that it does not drift.
void add_cosine(const Component& c, double rate_hz, double sign, std::vector<double>& to) {
  const double turns = c.hz / rate_hz;
  const std::complex<double> step = turned(turns),
                             start = sign * c.amplitude * std::polar(1.0, c.phase_deg * pi / 180);
  std::complex<double> now;
  for (std::size_t n = 0; n < to.size(); ++n) {
    if (n % 256 == 0) now = start * turned(part_of_turn(static_cast<double>(n), turns));
    to[n] += now.real();
    now = {now.real() * step.real() - now.imag() * step.imag(),
           now.real() * step.imag() + now.imag() * step.real()};
  }
}

double mean_of(std::span<const double> x) {
  double sum = 0;
  for (const double v : x) sum += v;
  return sum / static_cast<double>(std::max<std::size_t>(1, x.size()));
}

double rms_of(std::span<const double> x) {
  double sum = 0;
  for (const double v : x) sum += v * v;
  return std::sqrt(sum / static_cast<double>(std::max<std::size_t>(1, x.size())));
}

double explained_by(double residual, double rms) {
  return rms > 0 ? 1 - residual * residual / (rms * rms) : 0;
}

}  // namespace

std::vector<Component> strongest_components(std::span<const double> x, double rate_hz, std::size_t most) {
  return listed(fit_whole_lines(x, rate_hz, most).sines);
}

std::vector<Component> components_at(std::span<const double> x, double rate_hz,
                                     const std::vector<double>& hz) {
  std::vector<Sine> first;
  for (const double f : hz) {
    if (!(f > 0 && f < rate_hz / 2))
      throw Error(Status::analysis, format_quantity(f, "Hz") +
                                        " does not lie between 0 Hz and half the rate, " +
                                        format_quantity(rate_hz / 2, "Hz"));
    Sine s;
    s.frequency_hz = f;
    s.fixed = true;
    first.push_back(s);
  }
  return listed(fit_sines(x, rate_hz, std::move(first)).sines);
}

std::vector<double> band_part(std::span<const double> x, double rate_hz, double low_hz, double high_hz) {
  const std::size_t count = x.size();
  const double mean = mean_of(x);
  FftArray<double> time(count);
  FftArray<std::complex<double>> bins(count / 2 + 1);
  for (std::size_t n = 0; n < count; ++n) time.data()[n] = x[n] - mean;
  const RealFft fft(count);
  fft.run(time, bins);
  const auto edge = [](double hz, double at, bool up) {
    const double wide = 0.01 * at;
    if (!(wide > 0)) return up ? 1.0 : 0.0;
    const double u = std::clamp((hz - at) / wide + 0.5, 0.0, 1.0), rise = 0.5 - 0.5 * std::cos(pi * u);
    return up ? rise : 1 - rise;
  };
  for (std::size_t k = 0; k <= count / 2; ++k) {
    const double hz = static_cast<double>(k) * rate_hz / static_cast<double>(count);
    bins.data()[k] *=
        (k == 0 ? 0 : edge(hz, low_hz, true) * edge(hz, high_hz, false)) / static_cast<double>(count);
  }
  fft.back(bins, time);
  return {time.data(), time.data() + count};
}

std::vector<double> inverse_of_bins(const std::vector<double>& hz, const std::vector<double>& rms,
                                    const std::vector<double>& phase_deg, std::size_t samples,
                                    double rate_hz) {
  const double bin = rate_hz / static_cast<double>(samples);
  const bool on_bins = std::all_of(hz.begin(), hz.end(), [&](double f) {
    const double k = f / bin;
    return std::abs(k - std::round(k)) < 1e-3 && k < static_cast<double>(samples) / 2 + 0.5;
  });
  if (on_bins) {
    FftArray<std::complex<double>> bins(samples / 2 + 1);
    FftArray<double> time(samples);
    std::fill(bins.data(), bins.data() + samples / 2 + 1, std::complex<double>{});
    for (std::size_t i = 0; i < hz.size(); ++i) {
      const auto k = static_cast<std::size_t>(std::lround(hz[i] / bin));
      const bool alone = k == 0 || 2 * k == samples;
      bins.data()[k] += std::polar(alone ? rms[i] : rms[i] / std::sqrt(2.0), phase_deg[i] * pi / 180);
    }
    RealFft(samples).back(bins, time);
    return {time.data(), time.data() + samples};
  }
  if (static_cast<double>(hz.size()) * static_cast<double>(samples) > 4e9)
    throw Error(Status::analysis, std::to_string(hz.size()) + " bins that are not those of a transform of " +
                                      std::to_string(samples) +
                                      " samples; save the spectrum with --segment " +
                                      std::to_string(samples));
  std::vector<double> out(samples, 0.0);
  for (std::size_t i = 0; i < hz.size(); ++i)
    add_cosine({hz[i], hz[i] == 0 ? rms[i] : rms[i] * std::sqrt(2.0), phase_deg[i]}, rate_hz, 1, out);
  return out;
}

namespace {

double share_of(std::span<const double> x, const std::vector<double>& part) {
  const double mean = mean_of(x), own = mean_of(part);
  double left = 0, all = 0;
  for (std::size_t n = 0; n < x.size(); ++n)
    left += std::pow(x[n] - mean - part[n] + own, 2), all += std::pow(x[n] - mean, 2);
  return all > 0 ? 1 - left / all : 0;
}

/// Circular shift of `part` after which it is most like `x`.
std::size_t best_shift(std::span<const double> x, const std::vector<double>& part) {
  const std::size_t size = x.size();
  FftArray<double> in(size);
  FftArray<std::complex<double>> one(size / 2 + 1), other(size / 2 + 1);
  const RealFft fft(size);
  std::copy(x.begin(), x.end(), in.data());
  fft.run(in, one);
  std::copy(part.begin(), part.end(), in.data());
  fft.run(in, other);
  one.data()[0] = 0;
  for (std::size_t k = 1; k < one.size(); ++k) one.data()[k] *= std::conj(other.data()[k]);
  fft.back(one, in);
  return static_cast<std::size_t>(std::max_element(in.data(), in.data() + size) - in.data());
}

std::vector<double> shifted(const std::vector<double>& part, std::size_t by) {
  std::vector<double> out(part.size());
  for (std::size_t n = 0; n < part.size(); ++n) out[(n + by) % part.size()] = part[n];
  return out;
}

}  // namespace

TurnedBack matched_to(std::span<const double> x, std::vector<double> part) {
  double best = share_of(x, part);
  TurnedBack out{part, 0, {}};
  if (best > 0.98 || x.size() < 16) return out;
  const auto consider = [&](const std::vector<double>& trial, std::size_t shift, const std::string& window) {
    const double share = share_of(x, trial);
    if (share > best + 0.02 && share > 0.5) best = share, out = {trial, shift, window};
  };
  const std::size_t shift = best_shift(x, part);
  if (shift > 0) consider(shifted(part, shift), shift, "");
  for (const char* name : {"hann", "hamming", "blackman-harris", "flat-top"}) {
    Window window;
    try {
      window = parse_window(name);
    } catch (const Error&) {
      continue;
    }
    const std::vector<double> w = make_window(window, x.size());
    double mean = 0;
    for (const double v : w) mean += v / static_cast<double>(w.size());
    std::vector<double> seen(x.begin(), x.end());
    for (std::size_t n = 0; n < seen.size(); ++n) seen[n] *= w[n] / mean;
    // What was read under the window may count from another place, too.
    const std::size_t moved = best_shift(seen, part);
    std::vector<double> trial = moved > 0 ? shifted(part, moved) : part;
    for (std::size_t n = 0; n < trial.size(); ++n) trial[n] = w[n] > 0.01 ? trial[n] * mean / w[n] : 0;
    consider(trial, moved, name);
  }
  return out;
}

Rebuilt rebuild(std::span<const double> x, double rate_hz, const std::vector<Component>& components) {
  Rebuilt out;
  out.mean = mean_of(x);
  out.residual.assign(x.begin(), x.end());
  for (double& v : out.residual) v -= out.mean;
  out.rms = rms_of(out.residual);
  out.steps.push_back({0, out.rms, 0});
  for (std::size_t i = 0; i < components.size(); ++i) {
    add_cosine(components[i], rate_hz, -1, out.residual);
    const double left = rms_of(out.residual);
    out.steps.push_back({i + 1, left, explained_by(left, out.rms)});
  }
  out.residual_rms = out.steps.back().residual_rms;
  out.explained = out.steps.back().explained;
  for (std::size_t n = 0; n < x.size(); ++n) out.samples.push_back(x[n] - out.residual[n]);
  return out;
}

Rebuilt rebuild_as(std::span<const double> x, std::vector<double> part) {
  Rebuilt out;
  out.mean = mean_of(x);
  const double own = mean_of(part);
  std::vector<double> about;
  for (std::size_t n = 0; n < x.size(); ++n) {
    about.push_back(x[n] - out.mean);
    part[n] += out.mean - own;
    out.residual.push_back(x[n] - part[n]);
  }
  out.rms = rms_of(about), out.residual_rms = rms_of(out.residual);
  out.explained = explained_by(out.residual_rms, out.rms);
  out.samples = std::move(part);
  return out;
}

}  // namespace vprism
