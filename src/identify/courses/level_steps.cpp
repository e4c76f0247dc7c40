// level_steps.cpp: see level_steps.h.
#include "identify/courses/level_steps.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "identify/courses/exponential_fit.h"

namespace vprism {

namespace {

using Complex = std::complex<double>;

constexpr std::size_t smeared_values = 3, shortest_piece = 8;

class StepFit {
 public:
  StepFit(const std::vector<Complex>& z, double noise) : z_(z), count_(z.size()), noise_(noise) {}

  std::optional<LevelSteps> run(std::size_t steps) {
    if (count_ < (steps + 1) * (shortest_piece + 2 * smeared_values)) return {};
    turn_ = strongest_turn(z_);
    std::vector<std::size_t> at;
    for (int round = 0; round < 3; ++round) {
      add_up();
      at.clear();
      while (at.size() < steps)
        if (!place(at)) return {};
      // Each once more, the others where they are.
      for (std::size_t i = 0; i < at.size() && at.size() > 1; ++i) {
        std::vector<std::size_t> others = at;
        others.erase(others.begin() + static_cast<std::ptrdiff_t>(i));
        if (!place(others)) return {};
        at = others;
      }
      refine(at);
    }
    add_up();
    return judged(at);
  }

 private:
  /// Sums of the values, turned back, and of their squares, up to each place.
  void add_up() {
    sums_.assign(count_ + 1, 0), squares_.assign(count_ + 1, 0);
    for (std::size_t m = 0; m < count_; ++m) {
      sums_[m + 1] = sums_[m] + z_[m] * std::polar(1.0, -turn_ * static_cast<double>(m));
      squares_[m + 1] = squares_[m] + std::norm(z_[m]);
    }
  }
  double left_in(std::size_t from, std::size_t to) const {
    const Complex sum = sums_[to] - sums_[from];
    return squares_[to] - squares_[from] - std::norm(sum) / static_cast<double>(to - from);
  }
  /// One more step, where it leaves least; `at` stays sorted. False where there is no room.
  bool place(std::vector<std::size_t>& at) const {
    std::vector<std::size_t> ends = {0};
    ends.insert(ends.end(), at.begin(), at.end());
    ends.push_back(count_);
    double best = 0;
    std::size_t found = 0, begin = 0, end = 0;
    for (std::size_t p = 0; p + 1 < ends.size(); ++p) {
      const std::size_t from = ends[p] + (p > 0 ? smeared_values : 0),
                        to = ends[p + 1] - (p + 2 < ends.size() ? smeared_values : 0);
      if (to < from + 2 * (shortest_piece + smeared_values)) continue;
      const double whole = left_in(from, to);
      for (std::size_t k = from + shortest_piece + smeared_values; k + shortest_piece + smeared_values <= to;
           ++k) {
        const double gain = whole - left_in(from, k - smeared_values) - left_in(k + smeared_values, to) -
                            (squares_[k + smeared_values] - squares_[k - smeared_values]) * noise_share();
        if (gain > best) best = gain, found = k, begin = from, end = to;
      }
    }
    if (found == 0) return false;
    // Where exactly, by all values around it.
    std::size_t exact = found;
    const auto left = [&](std::size_t k) { return left_in(begin, k) + left_in(k, end); };
    for (std::size_t k = found - smeared_values; k <= found + smeared_values; ++k)
      if (left(k) < left(exact)) exact = k;
    found = exact;
    at.insert(std::upper_bound(at.begin(), at.end(), found), found);
    return true;
  }
  /// What is left out around a step is not won by it: as a share of its squares.
  double noise_share() const {
    const double all = squares_[count_] / static_cast<double>(count_);
    return all > 0 ? std::min(1.0, noise_ / all) : 0;
  }
  std::vector<LevelSteps::Piece> pieces_of(const std::vector<std::size_t>& at) const {
    std::vector<LevelSteps::Piece> out;
    for (std::size_t p = 0; p <= at.size(); ++p) {
      LevelSteps::Piece piece;
      piece.from = p == 0 ? 0 : at[p - 1] + smeared_values;
      piece.to = p == at.size() ? count_ : at[p] - smeared_values;
      out.push_back(piece);
    }
    return out;
  }
  /// The turn that the pieces together have most at.
  void refine(const std::vector<std::size_t>& at) {
    const auto pieces = pieces_of(at);
    const auto held = [&](double turn) {
      double sum = 0;
      for (const auto& piece : pieces) {
        Complex s = 0;
        for (std::size_t m = piece.from; m < piece.to; ++m)
          s += z_[m] * std::polar(1.0, -turn * static_cast<double>(m));
        sum += std::norm(s) / static_cast<double>(piece.to - piece.from);
      }
      return sum;
    };
    // Golden section within a bin of the record.
    const double golden = (std::sqrt(5.0) - 1) / 2, bin = 2 * std::numbers::pi / static_cast<double>(count_);
    double low = turn_ - bin, high = turn_ + bin;
    double a = high - golden * (high - low), b = low + golden * (high - low), at_a = held(a), at_b = held(b);
    for (int i = 0; i < 40; ++i)
      if (at_a > at_b)
        high = b, b = a, at_b = at_a, a = high - golden * (high - low), at_a = held(a);
      else
        low = a, a = b, at_a = at_b, b = low + golden * (high - low), at_b = held(b);
    turn_ = (low + high) / 2;
  }

  std::optional<LevelSteps> judged(const std::vector<std::size_t>& at) const {
    LevelSteps out;
    out.pieces = pieces_of(at);
    out.turn = turn_;
    out.unknowns = 1 + static_cast<double>(2 * out.pieces.size() + at.size() * (1 + 4 * smeared_values));
    double top = 0, weight = 0, values = 0;
    for (LevelSteps::Piece& piece : out.pieces) {
      const auto n = static_cast<double>(piece.to - piece.from);
      piece.amplitude = (sums_[piece.to] - sums_[piece.from]) / n;
      const double left = left_in(piece.from, piece.to);
      if (left > 1.5 * noise_ * n + 4 * noise_ * std::sqrt(n)) return {};
      out.left += left, values += n;
      top = std::max(top, std::abs(piece.amplitude));
      weight += std::norm(piece.amplitude) * n * (n * n - 1) / 12;
    }
    // What it leaves tells the noise; what was given may have been read where the level steps.
    const double noise = out.left / std::max(1.0, values - static_cast<double>(out.pieces.size()) - 0.5);
    for (LevelSteps::Piece& piece : out.pieces)
      piece.std = std::sqrt(noise / 2 / static_cast<double>(piece.to - piece.from));
    for (std::size_t p = 0; p < out.pieces.size(); ++p) {
      const double own = std::abs(out.pieces[p].amplitude), std = out.pieces[p].std;
      if (own < std::max(0.01 * top, 4 * std)) return {};
      if (p == 0) continue;
      const double before = std::abs(out.pieces[p - 1].amplitude);
      if (std::abs(own - before) < std::max(10 * std::hypot(std, out.pieces[p - 1].std), 0.05 * top))
        return {};
    }
    out.turn_std = weight > 0 ? std::sqrt(noise / 2 / weight) : 0;
    return out;
  }

  const std::vector<Complex>& z_;
  std::size_t count_;
  double noise_, turn_ = 0;
  std::vector<Complex> sums_;
  std::vector<double> squares_;
};

}  // namespace

std::optional<LevelSteps> fit_level_steps(const std::vector<Complex>& z, std::size_t steps, double noise) {
  return StepFit(z, noise).run(steps);
}

}  // namespace vprism
