// lobe_fit.cpp: lines by least squares on the bins around them.
//
// (Of a complex channel, or in a band far from 0 Hz, there is no mirror image: R(k + f) is left out.)
//
// About the segment's centre a sine is Y[k] = g R(k - f) + conj(g) R(k + f), g = (A/2) exp(i (p + pi f)), R
// real and even (WindowTransform). So Re Y[k] = Re g S, S = R(k-f) + R(k+f), and Im Y[k] = Im g D, D = R(k-f)
// - R(k+f): the mirror image is part of the model, not an error. Bins of white noise have covariance V r(k -
// l), r(m) = sum w^2 cos(2 pi m (n - N/2)/N) / sum w^2.
//
// One segment: Gauss-Newton on Re and Im jointly over f, Re g, Im g of all lines of a cluster (and DC, near
// it). More: Gauss-Newton on Q[k] = mean |Y[k]|^2 = sum_m G_m (R(k-f_m)^2 + R(k+f_m)^2) + V, weighted by by 1
// / var(Q_k). With J segments that overlap by hops of h samples,
//     cov(Q_k, Q_l) = (2 G R(k-f) R(l-f) V / J) [r_0 + 2 sum_m (1 - m/J) cos(2 pi (m h / N) ((k+l)/2 - f))
//     r_m]
//                   + (V^2 / J) [r_0^2 + 2 sum_m (1 - m/J) r_m^2],   r_m(k - l) the correlation of noise m
//                   hops apart:
// noise that two segments share beats with the line at phases that turn with the bin's distance from it.
// Uncertainties are (J'WJ)^-1 J'W C W J (J'WJ)^-1 with that covariance C.
#include "identify/lines/lobe_fit.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>

#include "identify/lines/least_squares.h"

namespace vprism {

namespace {

double misfit_of(double squares, Eigen::Index freedom) {
  return freedom > 0 ? squares / static_cast<double>(freedom) : 1;
}

/// What variances are multiplied with: the misfit where it is more than chance. Neighbouring bins share
/// noise: they are worth half their number.
double excess(double misfit, Eigen::Index bins) {
  const double chance = 1 + 3.5 * std::sqrt(2 / std::max(1.0, static_cast<double>(bins)));
  return misfit > chance ? misfit : 1;
}

}  // namespace

LobeFit::LobeFit(const Spectrum& spectrum)
    : spectrum_(spectrum),
      mirrored_(spectrum.mirrored()),
      transform_(spectrum.window, spectrum.plan.segment),
      half_width_(window_half_width_bins(spectrum.window)),
      noise_(spectrum, transform_, half_width_) {
  prepare_leakage();
}

std::complex<double> LobeFit::centred(std::size_t bin) const {
  const double k = spectrum_.start_bins + static_cast<double>(bin);
  if (const auto whole = static_cast<std::int64_t>(k); static_cast<double>(whole) == k)
    return whole % 2 == 0 ? spectrum_.first[bin] : -spectrum_.first[bin];
  return std::polar(1.0, std::numbers::pi * std::fmod(k, 2)) * spectrum_.first[bin];
}

std::vector<std::size_t> LobeFit::bins_around(const std::vector<Line>& lines, const Cluster& cluster) const {
  std::vector<std::size_t> bins;
  const auto reach = static_cast<long>(std::ceil(half_width_));
  for (const std::size_t m : cluster) {
    const long middle = std::lround(lines[m].bins);
    for (long k = middle - reach; k <= middle + reach; ++k)
      if (k >= 0 && k < static_cast<long>(spectrum_.bins())) bins.push_back(static_cast<std::size_t>(k));
  }
  std::sort(bins.begin(), bins.end());
  bins.erase(std::unique(bins.begin(), bins.end()), bins.end());
  return bins;
}

void LobeFit::refine_complex(std::vector<Line>& lines, const Cluster& cluster, double floor) const {
  const std::vector<std::size_t> bins = bins_around(lines, cluster);
  const auto rows = static_cast<Eigen::Index>(bins.size());
  const auto count = static_cast<Eigen::Index>(cluster.size());
  // DC is a line of its own kind where its lobe reaches: real, at 0.
  const bool with_dc = mirrored_ && static_cast<double>(bins.front()) <= half_width_ + 1;
  const double all_dc = direct(lines);
  Vector far_re(rows), far_im(rows);  // Data less the lines outside the cluster.
  for (Eigen::Index i = 0; i < rows; ++i) {
    const auto k = static_cast<double>(bins[static_cast<std::size_t>(i)]);
    std::complex<double> y = centred(bins[static_cast<std::size_t>(i)]);
    for (std::size_t m = 0; m < lines.size(); ++m) {
      if (std::find(cluster.begin(), cluster.end(), m) != cluster.end()) continue;
      y -= lines[m].half * transform_(k - lines[m].bins) + std::conj(lines[m].half) * image(k, lines[m].bins);
    }
    if (!with_dc) y -= all_dc * transform_(k);
    far_re[i] = y.real();
    far_im[i] = y.imag();
  }
  Matrix jacobian(2 * rows, 3 * count + (with_dc ? 1 : 0));
  Vector residual(2 * rows), parameters(jacobian.cols());
  for (Eigen::Index c = 0; c < count; ++c) {
    const Line& line = lines[cluster[static_cast<std::size_t>(c)]];
    parameters.segment(3 * c, 3) << line.bins, line.half.real(), line.half.imag();
  }
  if (with_dc) parameters[3 * count] = all_dc;
  const Vector weights = Vector::Ones(2 * rows);
  minimise(parameters, weights, 3, count, jacobian, residual, [&](const Vector& at) {
    jacobian.setZero();
    residual << far_re, far_im;
    for (Eigen::Index i = 0; i < rows; ++i) {
      const auto k = static_cast<double>(bins[static_cast<std::size_t>(i)]);
      for (Eigen::Index c = 0; c < count; ++c) {
        const double f = at[3 * c], re = at[3 * c + 1], im = at[3 * c + 2];
        const auto [near, near_slope] = transform_.evaluate(k - f);
        const auto [mirror, mirror_slope] =
            mirrored_ ? transform_.evaluate(k + f) : WindowTransform::Point{0, 0};
        residual[i] -= re * (near + mirror);
        residual[rows + i] -= im * (near - mirror);
        jacobian(i, 3 * c) = re * (mirror_slope - near_slope);
        jacobian(rows + i, 3 * c) = -im * (near_slope + mirror_slope);
        jacobian(i, 3 * c + 1) = near + mirror;
        jacobian(rows + i, 3 * c + 2) = near - mirror;
      }
      if (with_dc) {
        jacobian(i, 3 * count) = transform_(k);
        residual[i] -= at[3 * count] * transform_(k);
      }
    }
  });
  for (Eigen::Index c = 0; c < count; ++c) {
    Line& line = lines[cluster[static_cast<std::size_t>(c)]];
    line.bins = std::clamp(parameters[3 * c], lowest_bins(), static_cast<double>(spectrum_.bins()) - 1.0);
    line.half = {parameters[3 * c + 1], parameters[3 * c + 2]};
  }
  Matrix data = Matrix::Zero(2 * rows, 2 * rows);
  for (Eigen::Index i = 0; i < rows; ++i)
    for (Eigen::Index j = 0; j < rows; ++j)
      data(i, j) = data(rows + i, rows + j) =
          floor / 2 *
          noise_.correlation(0, bins[static_cast<std::size_t>(i)], bins[static_cast<std::size_t>(j)]);
  const double misfit = misfit_of(residual.squaredNorm() / (floor / 2), 2 * rows - 3 * count);
  const Matrix covariance = excess(misfit, rows) * parameter_covariance(jacobian, weights, data);
  for (Eigen::Index c = 0; c < count; ++c) {
    Line& line = lines[cluster[static_cast<std::size_t>(c)]];
    line.misfit = misfit;
    line.square = std::norm(line.half);
    line.bins_std = std::sqrt(std::max(0.0, covariance(3 * c, 3 * c)));
    const double re = line.half.real(), im = line.half.imag();
    const double variance =
        4 * (re * re * covariance(3 * c + 1, 3 * c + 1) + im * im * covariance(3 * c + 2, 3 * c + 2) +
             2 * re * im * covariance(3 * c + 1, 3 * c + 2));
    line.square_rel_std = std::sqrt(std::max(0.0, variance)) / line.square;
  }
}

void LobeFit::refine_power(std::vector<Line>& lines, const Cluster& cluster, double floor) const {
  std::vector<std::size_t> bins = bins_around(lines, cluster);
  if (mirrored_) std::erase_if(bins, [](std::size_t k) { return k == 0; });
  const auto rows = static_cast<Eigen::Index>(bins.size());
  const auto count = static_cast<Eigen::Index>(cluster.size());
  Vector data(rows);
  const double all_dc = direct(lines);
  for (Eigen::Index i = 0; i < rows; ++i) {
    const std::size_t bin = bins[static_cast<std::size_t>(i)];
    const auto k = static_cast<double>(bin);
    data[i] = square(bin) - floor;
    for (std::size_t m = 0; m < lines.size(); ++m) {
      if (std::find(cluster.begin(), cluster.end(), m) != cluster.end()) continue;
      data[i] -= lines[m].square *
                 (std::pow(transform_(k - lines[m].bins), 2) + std::pow(image(k, lines[m].bins), 2));
    }
    data[i] -= std::pow(all_dc * transform_(k), 2);
  }
  Matrix jacobian(rows, 2 * count);
  Vector residual(rows), weights(rows), parameters(2 * count);
  for (Eigen::Index c = 0; c < count; ++c)
    parameters.segment(2 * c, 2) << lines[cluster[static_cast<std::size_t>(c)]].bins,
        lines[cluster[static_cast<std::size_t>(c)]].square;
  const auto linearise = [&](const Vector& at) {
    residual = data;
    for (Eigen::Index i = 0; i < rows; ++i) {
      const auto k = static_cast<double>(bins[static_cast<std::size_t>(i)]);
      for (Eigen::Index c = 0; c < count; ++c) {
        const double f = at[2 * c];
        const auto [near, near_slope] = transform_.evaluate(k - f);
        const auto [mirror, mirror_slope] =
            mirrored_ ? transform_.evaluate(k + f) : WindowTransform::Point{0, 0};
        const double shape = near * near + mirror * mirror;
        residual[i] -= at[2 * c + 1] * shape;
        jacobian(i, 2 * c) = 2 * at[2 * c + 1] * (mirror * mirror_slope - near * near_slope);
        jacobian(i, 2 * c + 1) = shape;
      }
    }
  };
  // The weights follow the model, in a few rounds.
  for (int round = 0; round < 3; ++round) {
    linearise(parameters);
    for (Eigen::Index i = 0; i < rows; ++i) {
      const double model = data[i] - residual[i];
      // The last terms keep noise-free lines from resting on one bin.
      weights[i] = 1 / ((2 * std::abs(model) * floor + floor * floor) / spectrum_.noise_averages +
                        1e-12 * model * model + 1e-300);
    }
    minimise(parameters, weights, 2, count, jacobian, residual, linearise);
  }
  for (Eigen::Index c = 0; c < count; ++c) {
    Line& line = lines[cluster[static_cast<std::size_t>(c)]];
    line.bins = std::clamp(parameters[2 * c], lowest_bins(), static_cast<double>(spectrum_.bins()) - 1.0);
    line.square = std::max(parameters[2 * c + 1], 1e-300);
  }
  Matrix covariance_of_data(rows, rows);
  for (Eigen::Index i = 0; i < rows; ++i)
    for (Eigen::Index j = 0; j < rows; ++j) {
      const std::size_t one = bins[static_cast<std::size_t>(i)], other = bins[static_cast<std::size_t>(j)];
      covariance_of_data(i, j) = floor * floor * noise_.noise_covariance(one, other);
      for (const std::size_t m : cluster)
        covariance_of_data(i, j) +=
            floor * lines[m].square * noise_.beat_covariance(lines[m].bins, one, other);
    }
  linearise(parameters);
  const double misfit = misfit_of(residual.cwiseAbs2().cwiseProduct(weights).sum(), rows - 2 * count);
  const Matrix covariance =
      excess(misfit, rows) * parameter_covariance(jacobian, weights, covariance_of_data);
  for (Eigen::Index c = 0; c < count; ++c) {
    Line& line = lines[cluster[static_cast<std::size_t>(c)]];
    line.misfit = misfit;
    line.bins_std = std::sqrt(std::max(0.0, covariance(2 * c, 2 * c)));
    line.square_rel_std = std::sqrt(std::max(0.0, covariance(2 * c + 1, 2 * c + 1))) / line.square;
  }
}

void LobeFit::fit_first_segment(std::vector<Line>& lines) const {
  if (!transform_.symmetric()) {
    // Lobes turn on their own: each line's phase is read at its nearest bin.
    for (Line& line : lines) {
      const auto at = static_cast<std::size_t>(
          std::clamp(std::round(line.bins), 0.0, static_cast<double>(spectrum_.bins() - 1)));
      const double d = static_cast<double>(at) - line.bins;
      line.half = spectrum_.first.empty()
                      ? 0
                      : centred(at) * (1 / transform_(d) * std::polar(1.0, -transform_.angle(d)));
    }
    return;
  }
  // With the frequencies fixed the half amplitudes of neighbours are a linear fit; a sweep of one line at a
  // time over the others' remainder settles in few rounds, since lobes overlap little.
  const double all_dc = direct(lines);
  for (Line& line : lines) line.half = 0;
  for (int round = 0; round < 4; ++round) {
    for (std::size_t m = 0; m < lines.size(); ++m) {
      double re = 0, im = 0, re_shape = 0, im_shape = 0;
      for (const std::size_t bin : bins_around(lines, {m})) {
        if (mirrored_ && bin == 0) continue;
        const auto k = static_cast<double>(bin);
        std::complex<double> y = centred(bin) - all_dc * transform_(k);
        for (std::size_t o = 0; o < lines.size(); ++o) {
          if (o == m || std::abs(lines[o].bins - lines[m].bins) > 4 * half_width_) continue;
          y -= lines[o].half * transform_(k - lines[o].bins) +
               std::conj(lines[o].half) * image(k, lines[o].bins);
        }
        const double s = transform_(k - lines[m].bins) + image(k, lines[m].bins);
        const double d = transform_(k - lines[m].bins) - image(k, lines[m].bins);
        re += s * y.real(), re_shape += s * s;
        im += d * y.imag(), im_shape += d * d;
      }
      lines[m].half = {re_shape > 0 ? re / re_shape : 0, im_shape > 0 ? im / im_shape : 0};
    }
  }
}

std::vector<LobeFit::Cluster> LobeFit::clusters_of(const std::vector<Line>& lines) const {
  // A cluster is kept small enough for a dense fit.
  constexpr std::size_t most = 12;
  std::vector<Cluster> clusters;
  for (std::size_t m = 0; m < lines.size(); ++m) {
    const bool joins = !clusters.empty() && clusters.back().size() < most &&
                       lines[m].bins - lines[clusters.back().back()].bins < 2 * half_width_ + 1;
    if (!joins) clusters.emplace_back();
    clusters.back().push_back(m);
  }
  return clusters;
}

void LobeFit::refine(std::vector<Line>& lines, const std::vector<double>& floor) const {
  if (lines.empty()) return;
  std::sort(lines.begin(), lines.end(), [](const Line& a, const Line& b) { return a.bins < b.bins; });
  const std::vector<Cluster> clusters = clusters_of(lines);
  const bool single = complex_fit();
  for (int round = 0; round < 3; ++round) {
    for (const Cluster& cluster : clusters) {
      const auto at = std::min(static_cast<std::size_t>(std::lround(lines[cluster[cluster.size() / 2]].bins)),
                               floor.size() - 1);
      const double noise = floor[at] / spectrum_.crest(at);
      single ? refine_complex(lines, cluster, noise) : refine_power(lines, cluster, noise);
    }
  }
  if (!single) fit_first_segment(lines);
}

}  // namespace vprism
