// response.cpp: see response.h.
//
// One reference x, channel y, n independent averages (Bendat & Piersol, Random Data, 4th ed.,
// 2010, 6.2, 9.2):
//     H1 = Gyx / Gxx,  H2 = Gyy / Gxy,  Hv = sqrt(Gyy / Gxx) with the phase of Gyx
//     coherence g = |Gyx|^2 / (Gxx Gyy),  standard error of |H|: sqrt((1 - g) / (2 n g)) |H|
// Several references: h Gxx = gyx, error of h_i: (1 - g) Gyy (Gxx^-1)_ii / (2 (n - q)) of |h_i|^2; the
// partial coherence of reference i is |h_i|^2 / (|h_i|^2 + (1 - g) Gyy (Gxx^-1)_ii).
#include "identify/responses/response.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "base/fft.h"
#include "base/linear/linear.h"
#include "base/text.h"

namespace vprism {

namespace {

constexpr const char* estimator_names[] = {"h1", "h2", "hv"};
constexpr double unknown = std::numeric_limits<double>::quiet_NaN();

void one_reference(const CrossSpectra& s, ResponseEstimator estimator, ResponseSet& out) {
  const std::vector<double>& gxx = s.reference_power(0);
  for (ResponseCurve& curve : out.curves) {
    const std::size_t c = curve.channel;
    for (std::size_t k = 0; k < gxx.size(); ++k) {
      const std::complex<double> gyx = s.cross[c][0][k];
      const double gyy = s.own[c].power[k], g = std::min(1.0, s.coherence(c, 0, k));
      std::complex<double> h = 0;
      if (out.driven[k]) {
        if (estimator == ResponseEstimator::h1) h = gyx / gxx[k];
        if (estimator == ResponseEstimator::h2) h = std::norm(gyx) > 0 ? gyy / std::conj(gyx) : 0;
        if (estimator == ResponseEstimator::hv) h = std::polar(std::sqrt(gyy / gxx[k]), std::arg(gyx));
      }
      curve.ratio.push_back(h);
      curve.error.push_back(out.averages > 1 && g > 0 ? std::sqrt((1 - g) / (2 * g * out.independent))
                                                      : unknown);
      out.coherence[c].push_back(g);
    }
  }
}

void several_references(const CrossSpectra& s, ResponseSet& out) {
  const auto q = static_cast<Eigen::Index>(s.references.size());
  const double free = std::max(1.0, out.independent - static_cast<double>(q));
  std::vector<ResponseCurve*> curves(s.own.size() * s.references.size());
  for (ResponseCurve& curve : out.curves)
    curves[curve.channel * s.references.size() + curve.reference] = &curve;
  ComplexMatrix gxx(q, q);
  ComplexVector gyx(q);
  for (std::size_t k = 0; k < out.frequency_hz.size(); ++k) {
    // Gxx_ij = mean X_i conj(X_j); the row h solves h Gxx = gyx, so Gxx^T h^T = gyx^T.
    for (Eigen::Index i = 0; i < q; ++i)
      for (Eigen::Index j = 0; j < q; ++j)
        gxx(i, j) = s.cross[s.references[static_cast<std::size_t>(i)]][static_cast<std::size_t>(j)][k];
    const Vector parts = hermitian_parts(gxx).values;
    const double most = parts.maxCoeff(), least = parts.minCoeff();
    const bool known = out.driven[k] && least > most * 1e-8;
    if (!known) out.driven[k] = false;
    const ComplexMatrix inverse =
        known ? solve_symmetric(gxx, ComplexMatrix(ComplexMatrix::Identity(q, q))) : ComplexMatrix();
    for (std::size_t c = 0; c < s.own.size(); ++c) {
      if (curves[c * s.references.size()] == nullptr) continue;
      for (Eigen::Index j = 0; j < q; ++j) gyx(j) = s.cross[c][static_cast<std::size_t>(j)][k];
      const double gyy = s.own[c].power[k];
      ComplexVector h = ComplexVector::Zero(q);
      double g = 0;
      if (known) {
        h = inverse.transpose() * gyx;
        g = gyy > 0 ? std::clamp((gyx.array() * h.conjugate().array()).sum().real() / gyy, 0.0, 1.0) : 0;
      }
      out.coherence[c].push_back(g);
      for (Eigen::Index i = 0; i < q; ++i) {
        const auto r = static_cast<std::size_t>(i);
        ResponseCurve& curve = *curves[c * s.references.size() + r];
        curve.ratio.push_back(h(i));
        const double rest = known ? (1 - g) * gyy * inverse(i, i).real() : 0, own = std::norm(h(i));
        curve.error.push_back(known && out.averages > 1 && own > 0 ? std::sqrt(rest / (2 * free * own))
                                                                   : unknown);
        out.partial[c][r].push_back(own + rest > 0 ? own / (own + rest) : 0);
      }
    }
  }
}

}  // namespace

ResponseEstimator parse_response_estimator(std::string_view text) {
  for (std::size_t i = 0; i < 3; ++i)
    if (text == estimator_names[i]) return static_cast<ResponseEstimator>(i);
  throw Error(Status::usage, unknown_name("estimator", text, {"h1", "h2", "hv"}));
}

const char* response_estimator_name(ResponseEstimator estimator) {
  return estimator_names[static_cast<std::size_t>(estimator)];
}

double ResponseSet::significant() const {
  const double free = independent - static_cast<double>(references.size());
  return free > 0.5 ? 1 - std::pow(0.05, 1 / free) : 1;
}

const ResponseCurve* ResponseSet::curve_of(std::size_t channel, std::size_t reference) const {
  for (const ResponseCurve& curve : curves)
    if (curve.channel == channel && curve.reference == reference) return &curve;
  return nullptr;
}

ResponseSet responses_of(const CrossSpectra& s, ResponseEstimator estimator, double floor_db) {
  ResponseSet out;
  const Spectrum& grid = s.own.front();
  out.references = s.references;
  out.averages = grid.plan.averages;
  out.independent = std::max(1.0, grid.noise_averages);
  out.rbw_hz = grid.plan.rbw_hz;
  out.rate_hz = grid.plan.rate_hz;
  for (std::size_t k = 0; k < grid.bins(); ++k) out.frequency_hz.push_back(grid.frequency_hz(k));
  out.driven.assign(grid.bins(), true);
  for (std::size_t r = 0; r < s.references.size(); ++r) {
    const std::vector<double>& power = s.reference_power(r);
    const double least = *std::max_element(power.begin(), power.end()) * std::pow(10, floor_db / 10);
    for (std::size_t k = 0; k < power.size(); ++k)
      if (!(power[k] > least)) out.driven[k] = false;
  }
  out.coherence.resize(s.own.size());
  if (s.references.size() > 1)
    out.partial.assign(s.own.size(), std::vector<std::vector<double>>(s.references.size()));
  for (std::size_t c = 0; c < s.own.size(); ++c)
    if (std::find(s.references.begin(), s.references.end(), c) == s.references.end())
      for (std::size_t r = 0; r < s.references.size(); ++r) out.curves.push_back({c, r, {}, {}});
  if (s.references.size() == 1)
    one_reference(s, estimator, out);
  else
    several_references(s, out);
  return out;
}

std::vector<double> impulse_response(const ResponseSet& set, const ResponseCurve& curve) {
  const std::size_t bins = set.frequency_hz.size();
  const double half = set.rate_hz / 2, bin = set.bin_hz();
  if (bins < 3 || set.frequency_hz.front() != 0 || std::abs(set.frequency_hz.back() - half) > 0.75 * bin)
    return {};
  const auto points = static_cast<std::size_t>(std::llround(set.rate_hz / bin));
  FftArray<std::complex<double>> values(points / 2 + 1);
  FftArray<double> out(points);
  for (std::size_t k = 0; k < bins; ++k) values.data()[k] = set.driven[k] ? curve.ratio[k] : 0;
  RealFft(points).back(values, out);
  std::vector<double> h(out.data(), out.data() + points);
  for (double& v : h) v *= bin;
  return h;
}

std::optional<Delay> delay_of(const ResponseSet& set, const ResponseCurve& curve) {
  // Weighted by what each bin's phase is worth: g / (1 - g), no bin over 30, so that no tone decides alone.
  const std::vector<double>& coherence = set.coherence[curve.channel];
  const double least = set.averages > 1 ? std::max(set.significant(), 0.1) : 0;
  std::vector<std::size_t> bins;
  std::vector<double> weight;
  for (std::size_t k = 1; k < set.frequency_hz.size(); ++k) {
    if (!set.driven[k] || coherence[k] < least || std::norm(curve.ratio[k]) == 0) continue;
    bins.push_back(k);
    weight.push_back(std::min(30.0, coherence[k] / std::max(1e-3, 1 - coherence[k])));
  }
  const auto driven = static_cast<std::size_t>(std::count(set.driven.begin(), set.driven.end(), true));
  if (bins.size() < std::max<std::size_t>(16, driven / 5)) return std::nullopt;
  double all = 0;
  for (const double w : weight) all += w;
  // Coarse: the highest point of the weighted phases turned back into time.
  const std::size_t size = set.frequency_hz.size();
  const std::size_t points = 8 * size;
  FftArray<std::complex<double>> in(points), out(points);
  std::fill(in.data(), in.data() + points, std::complex<double>{});
  for (std::size_t i = 0; i < bins.size(); ++i)
    in.data()[bins[i]] = weight[i] * curve.ratio[bins[i]] / std::abs(curve.ratio[bins[i]]);
  ComplexFft(points).back(in, out);
  std::size_t top = 0;
  for (std::size_t n = 1; n < points; ++n)
    if (std::norm(out.data()[n]) > std::norm(out.data()[top])) top = n;
  // A constant phase (sign, a quarter turn) is no delay, so the magnitude was compared.
  const double step = 1 / (set.bin_hz() * static_cast<double>(points));
  double tau = static_cast<double>(top) * step;
  if (top > points / 2) tau -= static_cast<double>(points) * step;
  // Fine: a straight line through what phase is left.
  double offset = std::arg(out.data()[top]);
  for (int pass = 0; pass < 4; ++pass) {
    double s = 0, sf = 0, sff = 0, sp = 0, sfp = 0;
    for (std::size_t i = 0; i < bins.size(); ++i) {
      const double f = set.frequency_hz[bins[i]];
      const double left = std::remainder(
          std::arg(curve.ratio[bins[i]]) + 2 * std::numbers::pi * f * tau - offset, 2 * std::numbers::pi);
      const double w = weight[i];
      s += w, sf += w * f, sff += w * f * f, sp += w * left, sfp += w * f * left;
    }
    const double det = s * sff - sf * sf;
    if (!(det > 0)) return std::nullopt;
    tau -= (s * sfp - sf * sp) / det / (2 * std::numbers::pi);
    offset += (sff * sp - sf * sfp) / det;
  }
  Delay delay;
  double mean = 0, rest = 0, sf = 0, sff = 0;
  for (std::size_t i = 0; i < bins.size(); ++i) {
    const double f = set.frequency_hz[bins[i]];
    const double left = std::remainder(
        std::arg(curve.ratio[bins[i]]) + 2 * std::numbers::pi * f * tau - offset, 2 * std::numbers::pi);
    mean += weight[i] * std::cos(left), rest += weight[i] * left * left;
    sf += weight[i] * f, sff += weight[i] * f * f;
  }
  delay.seconds = tau;
  delay.explained = std::max(0.0, mean / all);
  // Scatter about the line, over the spread of frequencies; neighbours tell the same.
  const auto count = static_cast<double>(bins.size());
  const double spread = sff / all - sf * sf / all / all;
  delay.std_s = std::sqrt(rest / all * set.shared / (count * spread)) / (2 * std::numbers::pi);
  return delay;
}

}  // namespace vprism
