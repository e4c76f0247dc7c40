// case_text.cpp: the case file of the demo.
#include "recordings.h"

namespace vprism::demo {

std::string case_file() {
  return R"toml(# The case of Tern Point: what smears the stars of its survey telescope?
#
#     vprism case tern-point.toml
#
# Names of files are relative to this one. Every step is a command with its options, by the same names.

title = "Tern Point: what shakes the telescope?"
question = "The 1.2 m survey telescope smears its stars. Which machine does it, by how much, and what should be changed?"
concern = ["mirror cell"]
suspects = "suspects.toml"

[variables]
sensor = "sensitivity 100 mV/(m/s^2)"

[recordings.mount]
file = "mount-daq.wav"
title = "Mount at night: four accelerometers"
calibrate = "*: {sensor}"

[recordings.drive]
file = "drive-scope.csv"
title = "Azimuth drive: phase voltage and motor current"
calibrate = "phase U: probe 10"

[recordings.slew]
file = "slew-runup.wav"
title = "Slew from rest to 25 turns a second"
calibrate = "mirror cell: {sensor}"

[recordings.tap]
file = "tap-test.uff"
title = "Tap test of the fork"

[recordings.cell]
file = "cell-field.h5"
title = "Mirror cell under the scanning vibrometer"

[recordings.dome]
file = "dome-tilt.h5"
title = "Pier's tilt while the dome's shutter moves"

[recordings.laser]
file = "laser-beat.sigmf-meta"
title = "Beat note of the guide laser"

[recordings.amplifier]
file = "amp-sim.raw"
title = "Servo amplifier, simulated"

[recordings.filter]
file = "fringe-scan.txt"
title = "White-light scan of the survey filter"
delay-line = "um"

[[steps]]
name = "mount lines"
title = "What shakes the mount, and who does it"
command = "identify"
recording = "mount"

[[steps]]
name = "mount spectrum"
title = "Density of the mirror cell's acceleration"
command = "spectrum"
recording = "mount"
channel = "mirror cell"
scale = "psd"
resolution = "0.5 Hz"
span = "10 Hz..500 Hz"

[[limits]]
name = "jitter"
title = "Does the mirror cell keep its limit?"
recording = "mount"
channel = "mirror cell"
limit = "jitter-limit.csv"

[[comparisons]]
name = "along the mount"
title = "Where each line is strongest"
recording = "mount"

[[steps]]
name = "without the cooler"
title = "How the mirror cell would move without its cooler"
command = "rebuild"
recording = "mount"
channel = "mirror cell"
suspects = "suspects.toml"
without = "cryocooler"

[[steps]]
name = "drive lines"
title = "Switching and hum"
command = "identify"
recording = "drive"
chain = "despike"

[[steps]]
name = "run-up"
title = "Orders of the drive, and the resonance they cross"
command = "orders"
cut = "1,2,17"
recording = "slew"

[[steps]]
name = "tap modes"
title = "Modes of the fork"
command = "response"
recording = "tap"

[[steps]]
name = "cell shapes"
title = "Plate modes of the mirror cell"
command = "field"
recording = "cell"

[[steps]]
name = "shutter bumps"
title = "Two bumps in drift and wind"
command = "scalogram"
recording = "dome"

[[steps]]
name = "mirror motion"
title = "What the mirror's motion does to the guide laser"
command = "modulation"
recording = "laser"

[[steps]]
name = "amplifier distortion"
title = "Distortion of the servo amplifier"
command = "distortion"
recording = "amplifier"
channel = "V(out)"
chain = "regrid 200kHz cubic"
gate = "8 ms..25 ms"

[[steps]]
name = "filter band"
title = "Pass band of the survey filter"
note = "The stage's position is half the light's path, so that the spectrum's axis is that of light."
command = "spectrum"
recording = "filter"
chain = "detrend constant | regrid"
phase-at = "0s"
span = "350 THz..550 THz"
)toml";
}

}  // namespace vprism::demo
