// A line between two bins, as a parabola has it and as it is.
#include <gmock/gmock.h>

#include <cmath>

#include "identify/events/ridges.h"

namespace vprism::summit_test {
namespace {

TEST(SummitTable, TakesTheParabolasBiasOff) {
  for (const char* name : {"hann", "hamming", "blackman", "flat-top", "kaiser(8)", "gaussian(3)"}) {
    const Window window = parse_window(name);
    const WindowTransform transform(window, 4096);
    const SummitTable table(window);
    for (double place = -0.48; place < 0.5; place += 0.12) {
      const auto level = [&](double bin) { return 2 * std::log(std::abs(transform(bin - place))); };
      const double below = level(-1), at = level(0), above = level(1);
      double off = (below - above) / (2 * (below - 2 * at + above)),
             power = 4 * std::exp(at - (below - above) * off / 4);
      const double biased = std::abs(off - place);
      table.correct(off, power);
      EXPECT_NEAR(off, place, 2e-3) << name << " " << place << " before: " << biased;
      EXPECT_NEAR(power, 4, 4e-3) << name << " " << place;
    }
  }
}

}  // namespace
}  // namespace vprism::summit_test
