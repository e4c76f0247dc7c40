// level_steps.h: a line of one frequency whose level steps, once or twice.
#pragma once

#include <complex>
#include <optional>
#include <vector>

namespace vprism {

struct LevelSteps {
  struct Piece {
    std::size_t from = 0, to = 0;  ///< Values, where the level holds.
    std::complex<double> amplitude;
    double std = 0;  ///< Of its size.
  };
  std::vector<Piece> pieces;
  double turn = 0, turn_std = 0;  ///< Radians per value.
  double left = 0;                ///< Squares that it leaves, without those around the steps.
  double unknowns = 0;            ///< As many as it uses, values around the steps among them.
};

/// z[m] = A_p exp(i w m) in each piece p: w, the A_p and the steps by least squares, with `steps` of them.
/// `noise`: mean of |n|^2. The filter of a band smears a step: three values to either side say nothing.
/// Nothing where a piece is shorter than eight values, has no level of its own (within ten standard
/// deviations or 5% of its neighbour's), is silent (under 1% of the largest, or four standard deviations), or
/// where more than 1.5 times the noise is left in any piece.
std::optional<LevelSteps> fit_level_steps(const std::vector<std::complex<double>>& z, std::size_t steps,
                                          double noise);

}  // namespace vprism
