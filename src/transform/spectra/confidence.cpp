// confidence.cpp: see confidence.h.
#include "transform/spectra/confidence.h"

#include <boost/math/special_functions/gamma.hpp>

namespace vprism {

std::pair<double, double> confidence_factors(double averages, double share) {
  return {averages / boost::math::gamma_p_inv(averages, (1 + share) / 2),
          averages / boost::math::gamma_p_inv(averages, (1 - share) / 2)};
}

}  // namespace vprism
