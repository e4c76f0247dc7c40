// lobe_leakage.cpp: what lines leave in the bins around and far from them, see lobe_fit.h.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "identify/lines/lobe_fit.h"

namespace vprism {

double LobeFit::direct(const std::vector<Line>& lines) const {
  if (!mirrored_) return 0;  // A line like any other, if it is in the band at all.
  if (!complex_fit() || lines.empty() || spectrum_.first.empty()) {
    // A true offset shows in the mean and in bin 0; a low tone's remainder shows in one more than in the
    // other.
    return std::copysign(std::min(std::abs(spectrum_.mean), std::sqrt(spectrum_.power[0])), spectrum_.mean);
  }
  double dc = spectrum_.first[0].real();
  for (const Line& line : lines) dc -= 2 * line.half.real() * transform_(line.bins);
  return dc;
}

double LobeFit::leakage(double d) const {
  const double distance = std::abs(d);
  const auto near = static_cast<std::size_t>(distance * 4);
  if (near < near_leakage_.size()) return near_leakage_[near];
  // Far away side lobes fall, never rise: the value at the last power of two before serves as a bound.
  const auto octave =
      static_cast<std::size_t>(std::log2(distance / (static_cast<double>(near_leakage_.size()) / 4)));
  return far_leakage_[std::min(octave, far_leakage_.size() - 1)];
}

void LobeFit::prepare_leakage() {
  const auto greatest = [this](double from, double to) {
    double most = 0;
    for (double d = from; d <= to; d += 0.125) most = std::max(most, std::abs(transform_(d)));
    return most * most;
  };
  constexpr std::size_t quarters = 512;
  for (std::size_t i = 0; i < quarters; ++i) {
    const double d = static_cast<double>(i) / 4;
    near_leakage_.push_back(greatest(d - 0.5, d + 0.75));
  }
  for (double d = quarters / 4.0; d < static_cast<double>(spectrum_.bins()) || far_leakage_.empty(); d *= 2)
    far_leakage_.push_back(greatest(d - 1, d + 1));
}

Line LobeFit::start(std::size_t bin, const std::vector<double>& power) const {
  // The ratio of the two highest bins fixes the place between them; it is found by bisection on R(1 - d) /
  // R(d).
  const auto one_sided = [&](std::size_t k) { return power[k] / spectrum_.crest(k); };
  const std::size_t last = spectrum_.bins() - 1;
  const double left = bin > 1 ? one_sided(bin - 1) : 0, right = bin < last ? one_sided(bin + 1) : 0;
  const bool up = right >= left;
  const double ratio = std::sqrt((up ? right : left) / one_sided(bin));
  double low = 0, high = 0.5;
  for (int i = 0; i < 40; ++i) {
    const double d = (low + high) / 2;
    (std::abs(transform_(1 - d)) / std::abs(transform_(d)) < ratio ? low : high) = d;
  }
  Line line;
  line.bins = static_cast<double>(bin) + (up ? low : -low);
  const double r = transform_(low);
  line.square = one_sided(bin) / (r * r);
  line.half = spectrum_.first.empty() ? 0 : std::polar(std::sqrt(line.square), std::arg(centred(bin)));
  return line;
}

std::vector<double> LobeFit::remainder(const std::vector<Line>& lines) const {
  const bool single = complex_fit();
  std::vector<double> left = spectrum_.power;
  const std::size_t bins = left.size();
  const double dc = direct(lines);
  // Far side lobes of many lines are only worth their cost where they matter: within some lobes, or all
  // where there are few bins.
  const bool all = bins <= 20000;
  const auto reach = [&](double place, double most) {
    if (all) return std::pair<std::size_t, std::size_t>(0, bins);
    const double end = static_cast<double>(bins);
    return std::pair(static_cast<std::size_t>(std::clamp(std::ceil(place - most), 0.0, end)),
                     static_cast<std::size_t>(std::clamp(std::floor(place + most) + 1, 0.0, end)));
  };
  const std::size_t some = std::min<std::size_t>(bins, 4096);
  std::vector<std::complex<double>> values(single ? some : 0);
  std::vector<double> model(some), near(some), mirror(some);
  for (std::size_t from = 0; from < bins; from += some) {
    const std::size_t end = std::min(bins, from + some);
    bool touched = false;
    // Works on the bins of this part within [low, high).
    const auto within = [&](std::pair<std::size_t, std::size_t> range, const auto& work) {
      const std::size_t low = std::max(from, range.first), high = std::min(end, range.second);
      if (low >= high) return;
      if (!touched) {
        std::fill(model.begin(), model.end(), 0.0);
        for (std::size_t k = from; k < end && single; ++k) values[k - from] = centred(k);
        touched = true;
      }
      work(low, high - low);
    };
    if (dc != 0)
      within(reach(0, 2000), [&](std::size_t low, std::size_t count) {
        transform_.run(static_cast<double>(low), count, near.data());
        for (std::size_t i = 0; i < count; ++i) {
          const double still = dc * near[i];
          if (single)
            values[low - from + i] -= still;
          else
            model[low - from + i] += still * still;
        }
      });
    for (const Line& line : lines)
      within(reach(line.bins, 200), [&](std::size_t low, std::size_t count) {
        transform_.run(static_cast<double>(low) - line.bins, count, near.data());
        if (mirrored_)
          transform_.run(static_cast<double>(low) + line.bins, count, mirror.data());
        else
          std::fill(mirror.begin(), mirror.end(), 0.0);
        for (std::size_t i = 0; i < count; ++i)
          if (single)
            // half times near, and its conjugate times mirror.
            values[low - from + i] -= std::complex<double>(line.half.real() * (near[i] + mirror[i]),
                                                           line.half.imag() * (near[i] - mirror[i]));
          else
            model[low - from + i] += line.square * (near[i] * near[i] + mirror[i] * mirror[i]);
      });
    for (std::size_t k = from; k < end && touched; ++k)
      left[k] = spectrum_.crest(k) *
                (single ? std::norm(values[k - from]) : std::max(0.0, square(k) - model[k - from]));
  }
  return left;
}

}  // namespace vprism
