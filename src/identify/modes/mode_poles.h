// mode_poles.h: candidate poles of a band by polynomials of rising order, and which of them stay.
#pragma once

#include <complex>
#include <vector>

#include "identify/modes/mode_fit.h"

namespace vprism {

struct PoleSearch {
  std::vector<ChartPole> chart;
  std::vector<std::complex<double>> poles;     ///< Those that stay from order to order, by frequency.
  std::vector<std::size_t> orders;             ///< How many orders found each.
  std::vector<std::complex<double>> doubtful;  ///< Whose frequency stays, but not their damping.
};

/// Bins `low` .. `high` - 1 of the data.
PoleSearch search_poles(const ModeData& data, std::size_t low, std::size_t high, const ModeSearch& search);

}  // namespace vprism
