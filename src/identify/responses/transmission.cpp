// transmission.cpp: see transmission.h.
#include "identify/responses/transmission.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/error.h"
#include "transform/spectra/chirp_z.h"

namespace vprism {

namespace {

using ScanNumber = std::complex<double>;
constexpr double scan_turn = 2 * std::numbers::pi;
constexpr double light_m_per_s = 299792458;
constexpr double usable_over_noise = 3.1623;  // 10 dB.

/// About the mean; ends that stand far from it are brought down by a quarter cosine over a tenth of the
/// record.
std::vector<double> prepared_scan(const TimedSamples& t, bool& tapered) {
  std::vector<double> x = t.x;
  double mean = 0, top = 0;
  for (const double v : x) mean += v / static_cast<double>(x.size());
  for (double& v : x) v -= mean, top = std::max(top, std::abs(v));
  if (top < 1e-12 * std::abs(mean)) std::fill(x.begin(), x.end(), 0.0);  // Rounding alone.
  const std::size_t n = x.size(), some = std::max<std::size_t>(1, n / 50), slope = n / 10;
  double at_ends = 0;
  for (std::size_t k = 0; k < some; ++k)
    at_ends = std::max({at_ends, std::abs(x[k]), std::abs(x[n - 1 - k])});
  if (at_ends > 0.05 * top) {
    tapered = true;
    for (std::size_t k = 0; k < slope; ++k) {
      const double w = 0.5 - 0.5 * std::cos(std::numbers::pi * (static_cast<double>(k) + 0.5) /
                                            static_cast<double>(slope));
      x[k] *= w, x[n - 1 - k] *= w;
    }
  }
  return x;
}

/// The Fourier integral at `count` frequencies from `first_hz` on, on the recording's own time axis.
std::vector<ScanNumber> fourier_integral(const std::vector<double>& x, const TimedSamples& t, double first_hz,
                                         double step_hz, std::size_t count) {
  const ChirpZ transform(x.size(), count, first_hz / t.rate_hz, step_hz / t.rate_hz);
  FftArray<ScanNumber> line(transform.points()), bins(transform.points());
  std::fill_n(line.data(), transform.points(), ScanNumber(0));
  for (std::size_t n = 0; n < x.size(); ++n) line.data()[n] = x[n];
  transform.run(line, bins);
  std::vector<ScanNumber> out(count);
  for (std::size_t k = 0; k < count; ++k) {
    const double hz = first_hz + step_hz * static_cast<double>(k);
    out[k] = line.data()[k] * std::polar(1 / t.rate_hz, -scan_turn * std::fmod(hz * t.start_s, 1.0));
  }
  return out;
}

/// What noise alone makes of a bin, RMS: by the median of the highest quarter (of an exponential distribution
/// ln 2 of the mean), no less than rounding leaves.
double scan_noise(const std::vector<ScanNumber>& x) {
  std::vector<double> power;
  double top = 0;
  for (std::size_t k = 0; k < x.size(); ++k) {
    top = std::max(top, std::norm(x[k]));
    if (k >= 3 * x.size() / 4) power.push_back(std::norm(x[k]));
  }
  const auto middle = power.begin() + static_cast<std::ptrdiff_t>(power.size() / 2);
  std::nth_element(power.begin(), middle, power.end());
  return std::sqrt(std::max(*middle / std::numbers::ln2, 1e-26 * top));
}

void take_scan_phase(Transmission& t, std::size_t strongest) {
  const std::size_t count = t.to - t.from;
  t.phase_deg.assign(count, 0);
  const auto turn = [&](std::size_t a, std::size_t b) {
    return std::arg(t.ratio[b] * std::conj(t.ratio[a]));
  };
  std::vector<double> phase(count);
  const std::size_t middle = strongest - t.from;
  phase[middle] = std::arg(t.ratio[strongest]);
  for (std::size_t k = middle; k + 1 < count; ++k) phase[k + 1] = phase[k] + turn(t.from + k, t.from + k + 1);
  for (std::size_t k = middle; k > 0; --k) phase[k - 1] = phase[k] + turn(t.from + k, t.from + k - 1);
  double w = 0, wf = 0, wff = 0, wp = 0, wfp = 0;
  for (std::size_t k = 0; k < count; ++k) {
    const double f = t.hz[t.from + k],
                 weight = 1 / std::max(t.error[t.from + k] * t.error[t.from + k], 1e-24);
    w += weight, wf += weight * f, wff += weight * f * f, wp += weight * phase[k],
        wfp += weight * f * phase[k];
  }
  const double spread = wff - wf * wf / w;
  const double slope = count > 2 && spread > 0 ? (wfp - wf * wp / w) / spread : 0;
  const double at_zero = (wp - slope * wf) / w;
  const double turns = scan_turn * std::round(at_zero / scan_turn);
  double misfit = 0;
  for (std::size_t k = 0; k < count; ++k) {
    const double f = t.hz[t.from + k];
    const double weight = 1 / std::max(t.error[t.from + k] * t.error[t.from + k], 1e-24);
    misfit += weight * std::pow(phase[k] - at_zero - slope * f, 2);
    t.phase_deg[k] = (phase[k] - turns) * 180 / std::numbers::pi;
  }
  t.anchor_turns = at_zero / scan_turn - std::round(at_zero / scan_turn);
  t.delay_s = -slope / scan_turn;
  if (count > 2 && spread > 0) {
    const double scale = std::max(1.0, misfit / static_cast<double>(count - 2));
    t.delay_std_s = std::sqrt(scale / spread) / scan_turn;
    t.anchor_std_turns = std::sqrt(scale * wff / (w * spread)) / scan_turn;
  }
}

/// The ratio over time, within the usable band under a raised cosine: what comes again after the first
/// arrival.
void look_for_echo(Transmission& t) {
  const std::size_t count = t.to - t.from;
  if (count < 16) return;
  const double step = t.hz[1] - t.hz[0];
  constexpr std::size_t finer = 8;
  std::size_t size = 1;
  while (size < finer * count) size *= 2;
  FftArray<ScanNumber> in(size), out(size);
  std::fill_n(in.data(), size, ScanNumber(0));
  for (std::size_t k = 0; k < count; ++k)
    in.data()[k] =
        std::conj(t.ratio[t.from + k]) *
        (0.5 - 0.5 * std::cos(scan_turn * (static_cast<double>(k) + 0.5) / static_cast<double>(count)));
  ComplexFft(size).run(in, out);
  // Conjugate in, conjugate out: the inverse transform's magnitude; place m is a time of m / (size step).
  std::vector<double> size_at(size);
  for (std::size_t m = 0; m < size; ++m) size_at[m] = std::abs(out.data()[m]);
  const auto first =
      static_cast<std::size_t>(std::max_element(size_at.begin(), size_at.end()) - size_at.begin());
  // The cosine's own lobe is four bins wide, side lobes fall below 1% after three more.
  const std::size_t clear = 5 * size / count;
  std::size_t best = 0;
  double most = 0;
  std::vector<double> rest;
  for (std::size_t d = clear; d < size / 2; ++d) {
    const double here = size_at[(first + d) % size];
    rest.push_back(here);
    const bool top = here >= size_at[(first + d - 1) % size] && here > size_at[(first + d + 1) % size];
    if (top && here > most) most = here, best = d;
  }
  if (rest.empty() || best == 0) return;
  std::nth_element(rest.begin(), rest.begin() + static_cast<std::ptrdiff_t>(rest.size() / 2), rest.end());
  if (most < 8 * rest[rest.size() / 2] || most < 0.01 * size_at[first]) return;
  t.echo = Transmission::Echo{static_cast<double>(best) / (static_cast<double>(size) * step),
                              most / size_at[first]};
}

}  // namespace

Transmission transmission_of(const TimedSamples& sample, const TimedSamples& reference) {
  if (sample.x.size() < 16 || reference.x.size() < 16)
    throw Error(Status::analysis, "a recording of fewer than 16 samples gives no ratio");
  Transmission out;
  const std::vector<double> a = prepared_scan(sample, out.tapered), b = prepared_scan(reference, out.tapered);
  const double shorter = std::min(static_cast<double>(a.size()) / sample.rate_hz,
                                  static_cast<double>(b.size()) / reference.rate_hz);
  out.rbw_hz = 1 / shorter;
  const double top = 0.5 * std::min(sample.rate_hz, reference.rate_hz);
  const auto count = static_cast<std::size_t>(std::floor(top / out.rbw_hz));
  if (count < 8)
    throw Error(Status::analysis,
                "the two recordings have no band in common: one lasts less than a few samples "
                "of the other");
  const std::vector<ScanNumber> s = fourier_integral(a, sample, out.rbw_hz, out.rbw_hz, count),
                                r = fourier_integral(b, reference, out.rbw_hz, out.rbw_hz, count);
  out.sample_noise = scan_noise(s), out.reference_noise = scan_noise(r);
  std::size_t strongest = 0;
  for (std::size_t k = 0; k < count; ++k) {
    out.hz.push_back(out.rbw_hz * static_cast<double>(k + 1));
    out.sample.push_back(std::abs(s[k])), out.reference.push_back(std::abs(r[k]));
    out.ratio.push_back(out.reference[k] > 0 ? s[k] / r[k] : ScanNumber(0));
    const double noise_s = out.sample_noise / std::max(out.sample[k], 1e-300),
                 noise_r = out.reference_noise / std::max(out.reference[k], 1e-300);
    out.error.push_back(std::sqrt((noise_s * noise_s + noise_r * noise_r) / 2));
    const auto strength = [&](std::size_t i) { return out.reference[i]; };
    if (strength(k) > strength(strongest)) strongest = k;
  }
  if (!(out.reference[strongest] > 0))
    throw Error(Status::analysis, "the reference is constant: nothing can be divided by it");
  const auto usable = [&](std::size_t k) {
    return out.sample[k] > usable_over_noise * out.sample_noise &&
           out.reference[k] > usable_over_noise * out.reference_noise;
  };
  // Single bins in which one dips below do not end the band.
  const auto runs_on = [&](std::size_t k) {
    std::size_t good = 0, seen = 0;
    for (std::size_t i = k > 1 ? k - 2 : 0; i < std::min(count, k + 3); ++i) ++seen, good += usable(i);
    return 2 * good > seen;
  };
  out.from = out.to = strongest;
  if (runs_on(strongest)) {
    while (out.from > 0 && runs_on(out.from - 1)) --out.from;
    while (out.to < count && runs_on(out.to)) ++out.to;
    while (out.from < out.to && !usable(out.from)) ++out.from;
    while (out.to > out.from && !usable(out.to - 1)) --out.to;
  }
  if (out.to > out.from + 1) take_scan_phase(out, std::clamp(strongest, out.from, out.to - 1));
  look_for_echo(out);
  return out;
}

SlabFigures slab_figures(const Transmission& t, double thickness_m) {
  SlabFigures out;
  for (std::size_t k = t.from; k < t.to; ++k) {
    const double phase = t.phase_deg[k - t.from] * std::numbers::pi / 180;
    const double index = 1 - light_m_per_s * phase / (scan_turn * t.hz[k] * thickness_m);
    const double faces = (index + 1) * (index + 1) / (4 * index);
    out.index.push_back(index);
    out.absorption_per_m.push_back(-2 / thickness_m * std::log(std::abs(t.ratio[k]) * faces));
  }
  return out;
}

}  // namespace vprism
