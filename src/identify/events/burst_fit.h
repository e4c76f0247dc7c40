// burst_fit.h: short events fitted to the samples themselves: bells, decays, clicks.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <utility>
#include <vector>

namespace vprism {

enum class BurstShape {
  bell,   ///< amplitude exp(-(t - time)^2 / (2 width^2)) cos(2 pi f (t - time) + phase)
  decay,  ///< From `time` on, amplitude exp(-(t - time) / width) cos(...): a blow's ring-down.
  click   ///< Over within half a period: it has a time and a level, but no pitch.
};

/// Times count from the first sample given.
struct BurstFit {
  BurstShape shape = BurstShape::bell;
  bool decays = false;                ///< Its envelope is a decay's: of a click, which of the two was fitted.
  double time_s = 0, time_std_s = 0;  ///< The bell's middle, the decay's beginning.
  double width_s = 0, width_std_s = 0;
  double hz = 0, hz_std = 0;
  double amplitude = 0, amplitude_std = 0;  ///< Peak, at `time_s`.
  double cosine = 0, sine = 0;              ///< Its parts there.
  double explained = 0;                     ///< Share of the stretch's mean square about a straight line.
  double start_s() const;
  double end_s() const;  ///< Where the envelope is half its greatest, as start_s.
  double at(double t) const;
  /// Half the width of its transform at half height.
  double half_hz() const;
};

/// The likelier of a bell and a decay in `x`, from a guess of its middle, length at half height and
/// frequency. A straight line is fitted with it. Uncertainties from the information of the unknowns and what
/// is left over, its correlation from sample to sample allowed for. Nothing where neither explains a fifth of
/// the stretch.
std::optional<BurstFit> fit_burst(std::span<const double> x, double rate_hz, double time_s, double length_s,
                                  double hz, double least_explained = 0.2);

/// Samples of some stretches of a record.
class Stretches {
 public:
  /// Half-open, of sample numbers; those that meet are joined.
  explicit Stretches(std::vector<std::pair<std::int64_t, std::int64_t>> wanted);
  std::size_t samples() const;
  /// Samples from number `first` on, in the record's order.
  void add(std::int64_t first, std::span<const double> x);
  /// The samples from..to where one stretch holds them; empty where not.
  std::span<double> part(std::int64_t from, std::int64_t to);
  /// `work` gets the number of each stretch's first sample and its samples.
  void each(const std::function<void(std::int64_t from, std::span<double> x)>& work) {
    for (Piece& piece : pieces_) work(piece.from, piece.values);
  }

 private:
  struct Piece {
    std::int64_t from, to;
    std::vector<double> values;
  };
  std::vector<Piece> pieces_;
};

}  // namespace vprism
