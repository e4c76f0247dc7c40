// expression.h: an expression over channels, by muParser, and the unit that follows from it.
//
// Channels are called by their names, in quotes where these are no plain words. Numbers may have a unit,
// which stands behind a blank and holds none: 9.80665 m/s^2. Functions: abs sqrt exp log log10 log2 sin cos
// tan asin acos atan atan2 sinh cosh tanh min max clamp sign; comparisons give 1 or 0.
//
// The unit is found by trying: if every base unit (metre, kilogram, ...) were twice as small, the numbers of
// all channels and constants would change by known powers of two; where the expression follows with a power
// of two for every one of them, that power is the result's; where it does not, unlike things are added or
// compared.
#pragma once

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/units/unit.h"

namespace vprism {

class Expression {
 public:
  /// `names`: what may be called. Throws Error(usage) for what can't be read, with the nearest name.
  Expression(const std::string& text, const std::vector<std::string>& names);
  ~Expression();
  Expression(Expression&&) noexcept;
  Expression& operator=(Expression&&) noexcept;

  /// Indices into `names` that the expression needs, in the order in which it calls them.
  const std::vector<std::size_t>& needs() const;
  /// The unit that follows where the needed names have these; a plain SI one. Throws Error(usage).
  Unit unit_of(const std::vector<Unit>& of_needed);
  /// Results for as many values of each needed name, all in SI.
  void evaluate(const std::vector<const double*>& of_needed, std::span<double> results);

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

}  // namespace vprism
