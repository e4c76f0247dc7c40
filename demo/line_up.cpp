// line_up.cpp: the suspects of the demo case, and the limit that the mirror cell has to keep.
#include "recordings.h"

namespace vprism::demo {

std::string suspects_file() {
  return R"toml(# The line-up at Tern Point: what could shake the telescope, and where it would show.

[[suspect]]
name = "cryocooler"
frequency = "31.2 Hz"
harmonics = 4
near = "cryocooler head"

[[suspect]]
name = "dome fan"
speed = "24.3 Hz"
orders = [1, 7]        # once a turn, and its seven blades

[[suspect]]
name = "azimuth gear"
frequency = "412.7 Hz"
sidebands = "6.9 Hz"   # the pinion's turn

[[suspect]]
name = "mains"
mains = "50 Hz"

[[suspect]]
name = "drive switching"
frequency = "20.008 kHz"
harmonics = 2
tolerance = "0.1 %"
sidebands = "2 * motor field"

[[suspect]]
name = "motor field"
frequency = "262 Hz"

[[suspect]]
name = "mount resonance"
resonance = "36 Hz..39 Hz"

[[suspect]]
name = "coolant pump"
speed = "1430 rpm..1450 rpm"
orders = [1, 6]

[[suspect]]
name = "guide camera shutter"
frequency = "15 Hz"
tolerance = "1 %"

[[suspect]]
name = "servo clock"
frequency = "1.6 kHz"
tolerance = "0.1 %"

[[suspect]]
name = "bench oscillator"
frequency = "1 kHz"
harmonics = 3
tolerance = "0.1 %"
)toml";
}

std::string limit_file() {
  return "frequency (Hz),jitter limit ((m/s^2)^2/Hz)\n5,1e-4\n20,1e-4\n100,1e-5\n1000,1e-6\n2000,1e-6\n";
}

}  // namespace vprism::demo
