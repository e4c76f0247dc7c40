// excitation.cpp: see excitation.h.
#include "identify/responses/excitation.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/fft.h"
#include "base/percentile.h"
#include "identify/responses/blows.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;

std::size_t quick_above(std::size_t n) {
  std::size_t size = 1;
  while (size < n) size *= 2;
  return 3 * size / 4 >= n ? 3 * size / 4 : size;
}

double mean_of(const std::vector<double>& x) {
  double sum = 0;
  for (const double v : x) sum += v;
  return sum / static_cast<double>(x.size());
}

/// Frequency and amplitude of a tone that moves, stretch by stretch.
struct Tone {
  double hz = 0, amplitude = 0;
  double purity = 0;  ///< 1: one tone; noise of the whole band has 0.64.
};

std::vector<Tone> tone_of(const std::vector<double>& x, double rate_hz) {
  const std::size_t size = x.size() / 2 * 2;
  FftArray<double> in(size);
  FftArray<Complex> half(size / 2 + 1), whole(size), analytic(size);
  const double mean = mean_of(x);
  for (std::size_t n = 0; n < size; ++n) in.data()[n] = x[n] - mean;
  RealFft(size).run(in, half);
  std::fill(whole.data(), whole.data() + size, Complex{});
  for (std::size_t k = 1; k < size / 2; ++k)
    whole.data()[k] = half.data()[k] * 2.0 / static_cast<double>(size);
  ComplexFft(size).back(whole, analytic);
  const std::size_t stretches = std::clamp<std::size_t>(size / 512, 24, 160), length = size / stretches;
  std::vector<Tone> out(stretches);
  for (std::size_t s = 0; s < stretches; ++s) {
    Complex turned = 0;
    double sizes = 0, squares = 0;
    for (std::size_t n = s * length; n + 1 < (s + 1) * length; ++n) {
      const Complex a = analytic.data()[n], b = analytic.data()[n + 1];
      turned += b * std::conj(a), sizes += std::abs(a) * std::abs(b), squares += std::norm(a);
    }
    out[s].hz = std::arg(turned) * rate_hz / (2 * std::numbers::pi);
    out[s].amplitude = std::sqrt(squares / static_cast<double>(length));
    out[s].purity = sizes > 0 ? std::abs(turned) / sizes : 0;
  }
  return out;
}

/// A sweep: one tone in every stretch where there is anything, whose frequency goes on in one direction but
/// for a few turns, over at least a third of its height.
bool looks_like_sweep(const std::vector<double>& x, double rate_hz, Recognised& out) {
  if (x.size() < 2048) return false;
  double top = 0;
  const std::vector<Tone> tones = tone_of(x, rate_hz);
  for (const Tone& t : tones) top = std::max(top, t.amplitude);
  std::vector<double> hz, purity;
  for (const Tone& t : tones)
    if (t.amplitude > 0.1 * top) hz.push_back(t.hz), purity.push_back(t.purity);
  if (hz.size() < 12 || 4 * hz.size() < tones.size() || percentile_of(purity, 0.25) < 0.9) return false;
  // Several periods in most stretches, or the drift of what is slow would count as a frequency.
  const double stretch_s = static_cast<double>(x.size() / tones.size()) / rate_hz;
  if (percentile_of(hz, 0.4) * stretch_s < 2) return false;
  std::size_t turns = 0;
  for (std::size_t i = 2; i < hz.size(); ++i)
    if ((hz[i] - hz[i - 1]) * (hz[i - 1] - hz[i - 2]) < 0) ++turns;
  const double low = percentile_of(hz, 0.05), high = percentile_of(hz, 0.95);
  if (!(low > 0) || high < 1.33 * low || turns > hz.size() / 8) return false;
  out.kind = Excitation::sweep;
  out.from_hz = hz.front(), out.to_hz = hz.back();
  return true;
}

/// At rest at both ends, with most of the record's energy within less than two thirds of it.
bool looks_like_transient(const std::vector<double>& x) {
  const double mean = percentile_of(
      std::vector<double>(x.begin(),
                          x.begin() + static_cast<std::ptrdiff_t>(std::max<std::size_t>(4, x.size() / 100))),
      0.5);
  const auto energy = [&](std::size_t from, std::size_t to) {
    double sum = 0;
    for (std::size_t n = from; n < to; ++n) sum += (x[n] - mean) * (x[n] - mean);
    return sum / static_cast<double>(to - from);
  };
  const std::size_t parts = 60, length = x.size() / parts;
  if (length < 4) return false;
  std::vector<double> powers;
  for (std::size_t p = 0; p < parts; ++p) powers.push_back(energy(p * length, (p + 1) * length));
  const double top = *std::max_element(powers.begin(), powers.end());
  std::size_t first = parts, last = 0;
  for (std::size_t p = 0; p < parts; ++p)
    if (powers[p] > 1e-3 * top) first = std::min(first, p), last = p;
  // One piece: noise that comes and goes is averaged as noise is.
  for (std::size_t p = first; p < last; ++p)
    if (powers[p] < 1e-4 * top && powers[p + 1] > 1e-2 * top) return false;
  return last + 1 < parts - parts / 20 && 3 * (last + 1 - first) < 2 * parts;
}

}  // namespace

std::size_t period_of(const std::vector<double>& x) {
  const std::size_t size = x.size(), padded = quick_above(2 * size);
  if (size < 64) return 0;
  FftArray<double> in(padded);
  FftArray<Complex> bins(padded / 2 + 1);
  const double mean = mean_of(x);
  std::fill(in.data(), in.data() + padded, 0.0);
  for (std::size_t n = 0; n < size; ++n) in.data()[n] = x[n] - mean;
  const RealFft fft(padded);
  fft.run(in, bins);
  std::vector<double> energy(size + 1, 0.0);
  for (std::size_t n = 0; n < size; ++n) energy[n + 1] = energy[n] + in.data()[n] * in.data()[n];
  for (std::size_t k = 0; k < bins.size(); ++k) bins.data()[k] = std::norm(bins.data()[k]);
  fft.back(bins, in);
  const auto likeness = [&](std::size_t lag) {
    const double both = std::sqrt(energy[size - lag] * (energy[size] - energy[lag]));
    return both > 0 ? in.data()[lag] / static_cast<double>(padded) / both : 0;
  };
  // Past the first lag at which it is unlike itself, so that slowness is no period.
  std::size_t lag = 1;
  while (lag <= size / 3 && likeness(lag) > 0.5) ++lag;
  for (lag = std::max<std::size_t>(lag, 16); lag + 1 <= size / 3; ++lag) {
    const double here = likeness(lag);
    if (here > 0.98 && here >= likeness(lag - 1) && here >= likeness(lag + 1)) return lag;
  }
  return 0;
}

Recognised recognise_excitation(const std::vector<double>& x, double rate_hz) {
  Recognised out;
  if (looks_like_step(x, rate_hz)) {
    out.kind = Excitation::step;  // What stays on its new level is, seen from there, a blow at the start.
  } else if (looks_like_blows(x, rate_hz)) {
    out.kind = Excitation::blows;
  } else if (const std::size_t period = period_of(x); period > 0) {
    out.kind = Excitation::multi_sine, out.period = period;
  } else if (!looks_like_sweep(x, rate_hz, out) && looks_like_transient(x)) {
    out.kind = Excitation::transient;
  }
  return out;
}

bool looks_like_step(const std::vector<double>& x, double rate_hz) {
  std::vector<double> differences(x.size(), 0.0);
  for (std::size_t n = 1; n < x.size(); ++n) differences[n] = x[n] - x[n - 1];
  if (!looks_like_blows(differences, rate_hz)) return false;
  const auto blows = find_blows(differences, rate_hz, {});
  double first = 0, last = 0;
  const std::size_t part = std::max<std::size_t>(1, x.size() / 50);
  for (std::size_t n = 0; n < part; ++n) first += x[n], last += x[x.size() - 1 - n];
  const double moved = std::abs(last - first) / static_cast<double>(part);
  double top = 0;
  for (const double v : x) top = std::max(top, std::abs(v - x.front()));
  return blows.size() == 1 && moved > 0.5 * top;
}

ResponseSet responses_of_impulses(const std::vector<std::vector<double>>& columns, double rate_hz) {
  ResponseSet set;
  const std::size_t size = columns[0].size();
  const RealFft fft(size);
  FftArray<double> in(size);
  FftArray<std::complex<double>> out(fft.bins());
  set.rate_hz = rate_hz;
  set.rbw_hz = rate_hz / static_cast<double>(size);
  set.averages = 1;
  for (std::size_t k = 0; k < fft.bins(); ++k)
    set.frequency_hz.push_back(static_cast<double>(k) * set.rbw_hz);
  set.driven.assign(fft.bins(), true);
  for (std::size_t c = 0; c < columns.size(); ++c) {
    std::copy(columns[c].begin(), columns[c].end(), in.data());
    fft.run(in, out);
    ResponseCurve curve{c, 0, {}, std::vector<double>(fft.bins(), std::nan(""))};
    for (std::size_t k = 0; k < fft.bins(); ++k) curve.ratio.push_back(out.data()[k] / rate_hz);
    set.curves.push_back(std::move(curve));
    set.coherence.emplace_back(fft.bins(), 1.0);
  }
  return set;
}

}  // namespace vprism
