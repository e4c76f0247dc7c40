// family_lines.h: which lines belong together: multiples of one frequency, and sidebands around them.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "identify/lines/peaks.h"

namespace vprism {

/// How far two frequencies may lie apart and still agree: four joint standard uncertainties, and never less
/// than 1e-5 of the frequency, what a recorder's clock may be off by between exports.
double agreement_hz(double std_a, double std_b, double frequency);

/// Lines that stand free: `used` are those of other findings.
struct FreeLines {
  const std::vector<Peak>& peaks;
  const std::vector<bool>& used;
  double bin_hz = 0, rate_hz = 0;  ///< `rate_hz`: of the samples; 0: nothing is folded.
  bool has(std::size_t i) const { return !used[i] && !peaks[i].broad(); }
};

/// Lines at multiples of a frequency, one an order, the nearest.
struct Multiples {
  std::vector<std::size_t> members, orders;
};
Multiples multiples_of(const FreeLines& lines, double fundamental, double std_hz, double highest = 40);

/// How many of some lines are neither of a family nor where half the rate folds its orders to.
std::size_t beside_family(const FreeLines& lines, const Multiples& family,
                          const std::vector<std::size_t>& members);

/// A part of a family's fundamental that lines beside it speak for: impulses whose third order and its
/// multiples are strongest. Each further line lies near some order of the part by accident with a chance of
/// twice its tolerance over the part; and most orders among the lowest three quarters are there, which
/// those of two machines are not, or the part itself is and chance would do it once in 1e9. What the family's
/// own orders make where half the rate folds them speaks for nothing. Nothing where no part is.
std::optional<Multiples> finer_family(const FreeLines& lines, const Multiples& family);

/// Lines at one spacing and its multiples to either side of a family's members.
struct FamilySidebands {
  struct Side {
    std::size_t line = 0, member = 0;
    int order = 0;  ///< Spacings from the member; below zero on its lower side.
  };
  std::vector<Side> sides;
  double spacing_hz = 0, spacing_std_hz = 0;
  std::size_t carrier = 0;  ///< The strongest member that has any.
};
/// The spacing that explains most, where no accident would: gear mesh and shaft. `members` are the family's.
std::optional<FamilySidebands> sidebands_of(const FreeLines& lines, const std::vector<std::size_t>& members,
                                            double fundamental_hz);

/// What repeats makes lines at all multiples of its rate within its band, though none at low ones: a family
/// by the step between neighbours, where a dozen lines or more fill most of an even grid that goes through 0
/// Hz. Nothing where they don't.
std::optional<Multiples> grid_family(const FreeLines& lines);

/// "orders 1, 2, 5 to 19": runs of eight and more in short; "120 orders from 281 to 482" where that is long.
/// `step`: from one to the next in a run, 2 where all are odd.
std::string listed_orders(const std::vector<std::size_t>& orders, std::size_t step);

}  // namespace vprism
