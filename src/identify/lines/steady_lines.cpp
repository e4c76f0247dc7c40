// steady_lines.cpp: see steady_lines.h. Lines are found one after the other, as the highest bin of what the
// ones before leave outside the places set aside (zeros there); all are then fitted anew together. A line
// that does not stand is kept from being found again, and fitted with the others as long as others are
// sought, so that its skirt is not taken for one.
#include "identify/lines/steady_lines.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/dot.h"
#include "base/fft.h"
#include "base/linear/linear.h"
#include "base/percentile.h"
#include "transform/windows/window.h"

namespace vprism {

namespace {

constexpr double radians_of_cycle = 2 * std::numbers::pi;

/// A product written out: that of std::complex looks after infinities.
std::complex<double> turned(std::complex<double> a, std::complex<double> by) {
  return {a.real() * by.real() - a.imag() * by.imag(), a.real() * by.imag() + a.imag() * by.real()};
}

class LineSearch {
 public:
  LineSearch(std::span<const double> x, const std::vector<char>& used) : x_(x), used_(used) {
    count_ = static_cast<std::size_t>(std::count(used_.begin(), used_.end(), char{1}));
    middle_ = static_cast<double>(x.size()) / 2;
    size_ = 16;
    while (size_ < 2 * x.size()) size_ *= 2;
    window_ = centred_hann(x.size());
  }

  std::vector<SteadyLine> run(std::size_t most) {
    fit();
    for (std::size_t tries = 0; tries < most + most / 2 && lines_.size() < most; ++tries) {
      const double cycles = highest();
      if (!(cycles > 0)) break;
      lines_.push_back({cycles, 0, 0});
      for (int i = 0; i < 4; ++i) fit();
    }
    // What does not stand goes, the rest is fitted without it.
    if (keep_standing() && !lines_.empty())
      for (int i = 0; i < 4; ++i) fit();
    std::vector<SteadyLine> out = lines_;
    for (SteadyLine& line : out) {
      // From the middle to sample 0.
      const std::complex<double> there =
          std::complex(line.cosine, -line.sine) * std::polar(1.0, -radians_of_cycle * line.cycles * middle_);
      line.cosine = there.real(), line.sine = -there.imag();
    }
    return out;
  }

 private:
  double at(const SteadyLine& line, std::size_t n) const {
    const double angle = radians_of_cycle * line.cycles * (static_cast<double>(n) - middle_);
    return line.cosine * std::cos(angle) + line.sine * std::sin(angle);
  }

  /// One Gauss-Newton step over all lines and a straight line; `left_` is then what they leave.
  void fit() {
    const auto k = static_cast<Eigen::Index>(3 * lines_.size() + 2);
    const double scale = 1 / middle_;
    Matrix square = Matrix::Zero(k, k);
    Vector right = Vector::Zero(k);
    // The model's columns in blocks, each then multiplied by all.
    constexpr std::size_t block = 256;
    const auto columns = static_cast<std::size_t>(k);
    std::vector<double> rows((columns + 3) * block, 0.0), samples(block);
    std::array<double, block> times{};
    for (std::size_t from = 0; from < x_.size(); from += block) {
      const std::size_t end = std::min(from + block, x_.size());
      std::size_t filled = 0;
      for (std::size_t n = from; n < end; ++n)
        if (used_[n] != 0) {
          times[filled] = (static_cast<double>(n) - middle_) * scale;
          samples[filled++] = x_[n];
        }
      std::fill_n(rows.begin(), filled, 1.0);
      std::copy_n(times.begin(), filled, rows.begin() + block);
      for (std::size_t l = 0; l < lines_.size(); ++l) {
        const double turn = radians_of_cycle * lines_[l].cycles;
        std::complex<double> p = std::polar(1.0, turn * (static_cast<double>(from) - middle_));
        const std::complex<double> step = std::polar(1.0, turn);
        double* const cosines = rows.data() + (3 * l + 2) * block;
        double* const sines = cosines + block;
        double* const slopes = sines + block;
        for (std::size_t n = from, i = 0; n < end; ++n, p = turned(p, step))
          if (used_[n] != 0) cosines[i] = p.real(), sines[i++] = p.imag();
        for (std::size_t i = 0; i < filled; ++i)
          slopes[i] = times[i] * (lines_[l].sine * cosines[i] - lines_[l].cosine * sines[i]);
      }
      for (std::size_t i = 0; i < columns; ++i) {
        const double* const own = rows.data() + i * block;
        right(static_cast<Eigen::Index>(i)) += dot(own, samples.data(), filled);
        for (std::size_t j = 0; j <= i; j += 4) {
          double four[4];
          four_dots(own, rows.data() + j * block, block, filled, four);
          for (std::size_t o = 0; o < 4 && j + o <= i; ++o)
            square(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j + o)) += four[o];
        }
      }
    }
    // A line that was only found has no slope yet.
    double largest = 0;
    for (Eigen::Index i = 0; i < k; ++i) largest = std::max(largest, square(i, i));
    for (std::size_t l = 0; l < lines_.size(); ++l)
      if (const auto i = static_cast<Eigen::Index>(3 * l + 4); !(square(i, i) > 1e-18 * largest))
        square(i, i) = std::max(largest, 1.0);
    const Vector values = solve_symmetric(square, right);
    offset_ = values(0), slope_ = values(1) * scale;
    for (std::size_t l = 0; l < lines_.size(); ++l) {
      const auto i = static_cast<Eigen::Index>(3 * l + 2);
      const double most = 0.5 / static_cast<double>(x_.size());  // Half a bin in one step.
      lines_[l].cycles += std::clamp(values(i + 2) * scale / radians_of_cycle, -most, most);
      lines_[l].cosine = values(i), lines_[l].sine = values(i + 1);
    }
    left_.resize(x_.size());
    for (std::size_t n = 0; n < x_.size(); ++n) {
      left_[n] = 0;
      if (used_[n] == 0) continue;
      left_[n] = x_[n] - offset_ - slope_ * (static_cast<double>(n) - middle_);
    }
    for (const SteadyLine& line : lines_) {
      std::complex<double> p;
      const std::complex<double> by = std::polar(1.0, radians_of_cycle * line.cycles);
      for (std::size_t n = 0; n < x_.size(); ++n, p = turned(p, by)) {
        if (n % 256 == 0)
          p = std::polar(1.0, radians_of_cycle * line.cycles * (static_cast<double>(n) - middle_));
        if (used_[n] != 0) left_[n] -= line.cosine * p.real() + line.sine * p.imag();
      }
    }
  }

  /// The highest bin of what is left under a Hann window, or 0 where noise may have made it.
  double highest() const {
    const RealFft fft(size_);
    FftArray<double> in(size_);
    FftArray<std::complex<double>> out(fft.bins());
    std::fill_n(in.data(), size_, 0.0);
    for (std::size_t n = 0; n < left_.size(); ++n) in.data()[n] = left_[n] * window_[n];
    fft.run(in, out);
    std::vector<double> power(fft.bins());
    for (std::size_t b = 0; b < power.size(); ++b) power[b] = std::norm(out.data()[b]);
    // Below three periods in the stretch nothing is steady.
    const std::size_t first = 3 * size_ / left_.size() + 1;
    if (first + 8 >= power.size()) return 0;
    std::size_t best = 0;
    for (std::size_t b = first; b + 2 < power.size(); ++b)
      if (power[b] > power[b - 1] && power[b] >= power[b + 1] && (best == 0 || power[b] > power[best]) &&
          !known(static_cast<double>(b) / static_cast<double>(size_)))
        best = b;
    if (best == 0) return 0;
    // Against the noise about it: the median of the bins on both sides, those under its lobe left out.
    const std::size_t lobe = 2 * size_ / left_.size() + 2, reach = std::max<std::size_t>(32 * lobe / 4, 64);
    std::vector<double> near;
    for (std::size_t b = best > reach + lobe ? best - reach - lobe : 1;
         b < std::min(power.size(), best + reach + lobe); ++b)
      if (b + lobe < best || b > best + lobe) near.push_back(power[b]);
    if (near.size() < 8) return 0;
    const double mean = median_in(near) / std::log(2.0);
    const double chance = std::log(1000.0 * static_cast<double>(left_.size()));
    if (!(power[best] > 1.5 * chance * mean)) return 0;
    const double a = std::sqrt(power[best - 1]), b = std::sqrt(power[best]), c = std::sqrt(power[best + 1]),
                 bend = a - 2 * b + c;
    return (static_cast<double>(best) + (bend < 0 ? std::clamp((a - c) / (2 * bend), -0.5, 0.5) : 0)) /
           static_cast<double>(size_);
  }

  bool known(double cycles) const {
    return std::any_of(lines_.begin(), lines_.end(), [&](const SteadyLine& line) {
      return std::abs(line.cycles - cycles) < 0.7 / static_cast<double>(x_.size());
    });
  }

  /// Whether a line that does not stand was dropped. Lines within four bins of each other may be what one
  /// that comes and goes is made of, and are judged together, as what they add up to.
  bool keep_standing() {
    std::sort(lines_.begin(), lines_.end(),
              [](const SteadyLine& a, const SteadyLine& b) { return a.cycles < b.cycles; });
    std::vector<SteadyLine> kept;
    const double near = 4 / static_cast<double>(x_.size());
    for (std::size_t from = 0; from < lines_.size();) {
      std::size_t to = from + 1;
      while (to < lines_.size() && lines_[to].cycles - lines_[to - 1].cycles < near) ++to;
      const std::span<const SteadyLine> group(lines_.data() + from, to - from);
      if (stands(group)) kept.insert(kept.end(), group.begin(), group.end());
      from = to;
    }
    const bool dropped = kept.size() != lines_.size();
    lines_ = std::move(kept);
    std::sort(lines_.begin(), lines_.end(), [](const SteadyLine& a, const SteadyLine& b) {
      return std::hypot(a.cosine, a.sine) > std::hypot(b.cosine, b.sine);
    });
    return dropped;
  }

  /// Whether a group is there in every quarter of the samples used, as strong and in phase.
  bool stands(std::span<const SteadyLine> group) const {
    double cycles = 0, most = 0;
    for (const SteadyLine& line : group) {
      if (!(line.cycles > 0) || !(line.cycles < 0.5)) return false;
      if (const double size = std::hypot(line.cosine, line.sine); size > most)
        most = size, cycles = line.cycles;
    }
    std::vector<std::complex<double>> quarters;
    std::complex<double> whole = 0;
    std::size_t n = 0;
    while (n < x_.size() && quarters.size() < 4) {
      std::complex<double> sum = 0;
      std::size_t seen = 0;
      for (; n < x_.size() && seen < (count_ + 3) / 4; ++n) {
        if (used_[n] == 0) continue;
        ++seen;
        double value = left_[n];
        for (const SteadyLine& line : group) value += at(line, n);
        sum += value * std::polar(2.0, -radians_of_cycle * cycles * (static_cast<double>(n) - middle_));
      }
      if (seen < 4) break;
      quarters.push_back(sum / static_cast<double>(seen));
      whole += sum / static_cast<double>(count_);
    }
    const double size = std::norm(whole);
    return size > 0 &&
           std::all_of(quarters.begin(), quarters.end(), [&](const std::complex<double>& quarter) {
             const double along = (quarter * std::conj(whole)).real() / size;
             return along > 0.5 && along < 1.5;
           });
  }

  std::span<const double> x_;
  const std::vector<char>& used_;
  std::size_t count_ = 0, size_ = 0;
  double middle_ = 0, offset_ = 0, slope_ = 0;
  std::vector<SteadyLine> lines_;
  std::vector<double> window_, left_;  ///< Hann's.
};

}  // namespace

std::vector<SteadyLine> steady_lines(std::span<const double> x, std::vector<SampleRange> aside,
                                     std::size_t most, double least_outside) {
  if (x.size() < 64) return {};
  std::vector<char> used(x.size(), 1);
  for (const auto& [from, to] : aside)
    std::fill(used.begin() + static_cast<std::ptrdiff_t>(std::min(from, x.size())),
              used.begin() + static_cast<std::ptrdiff_t>(std::clamp(to, std::min(from, x.size()), x.size())),
              char{0});
  for (std::size_t n = 0; n < x.size(); ++n)
    if (!std::isfinite(x[n])) used[n] = 0;
  const auto left = static_cast<std::size_t>(std::count(used.begin(), used.end(), char{1}));
  if (static_cast<double>(left) < least_outside * static_cast<double>(x.size())) return {};
  // Sums grow with samples times lines squared: half a second at the most.
  while (most > 1 && 3 * most * most * x.size() > (std::size_t{1} << 27)) --most;
  return LineSearch(x, used).run(most);
}

double left_by_steady_lines(std::span<const double> x, std::size_t most) {
  std::vector<double> left(x.begin(), x.end());
  take_off(left, steady_lines(x, {}, most));
  return variance_of(left);
}

namespace {

/// Levels of a line in so many pieces at the most, of eight cycles and more, each under a Hann window.
std::vector<std::complex<double>> levels_in_pieces(std::span<const double> x, const SteadyLine& line,
                                                   double most) {
  const auto samples = static_cast<double>(x.size());
  const double pieces = std::min({most, samples / 32, samples * line.cycles / 8});
  if (!(pieces >= 8)) return {};
  const auto length = static_cast<std::size_t>(samples / pieces);
  std::vector<std::complex<double>> levels;
  for (std::size_t from = 0; from + length <= x.size(); from += length) {
    std::complex<double> sum = 0;
    for (std::size_t n = 0; n < length; ++n) {
      const double hann =
          1 - std::cos(2 * std::numbers::pi * (static_cast<double>(n) + 0.5) / static_cast<double>(length));
      const double turns = line.cycles * static_cast<double>(from + n);
      sum += x[from + n] * hann * std::polar(1.0, -2 * std::numbers::pi * (turns - std::floor(turns)));
    }
    levels.push_back(sum);
  }
  return levels;
}

constexpr double most_scatter = 0.35;

}  // namespace

bool stands_in_each_piece(std::span<const double> x, const SteadyLine& line) {
  const std::vector<std::complex<double>> levels = levels_in_pieces(x, line, 256);
  if (levels.empty()) return false;
  std::complex<double> mean = 0;
  for (const auto& level : levels) mean += level / static_cast<double>(levels.size());
  double scatter = 0;
  for (const auto& level : levels) scatter += std::norm(level - mean) / static_cast<double>(levels.size());
  return std::sqrt(scatter) < most_scatter * std::abs(mean);
}

bool stands_in_most_pieces(std::span<const double> x, SteadyLine& line) {
  // Long ones: what passes is soon gone from the band of each.
  const std::vector<std::complex<double>> levels = levels_in_pieces(x, line, 20);
  if (levels.empty()) return false;
  std::vector<double> real, imaginary;
  for (const auto& level : levels) real.push_back(level.real()), imaginary.push_back(level.imag());
  const std::complex<double> usual(median_in(real), median_in(imaginary));
  const auto apart = std::count_if(levels.begin(), levels.end(), [&](const std::complex<double>& level) {
    return std::abs(level - usual) > most_scatter * std::abs(usual);
  });
  const double length = std::floor(static_cast<double>(x.size()) / static_cast<double>(levels.size()));
  line.cosine = 2 * usual.real() / length, line.sine = -2 * usual.imag() / length;
  return 4 * apart < static_cast<std::ptrdiff_t>(levels.size());
}

void take_off(std::span<double> x, const std::vector<SteadyLine>& lines) {
  for (const SteadyLine& line : lines) {
    const std::complex<double> by = std::polar(1.0, radians_of_cycle * line.cycles);
    std::complex<double> p;
    for (std::size_t n = 0; n < x.size(); ++n, p *= by) {
      if (n % 256 == 0) p = std::polar(1.0, radians_of_cycle * line.cycles * static_cast<double>(n));
      x[n] -= line.cosine * p.real() + line.sine * p.imag();
    }
  }
}

}  // namespace vprism
