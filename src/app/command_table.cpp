// command_table.cpp: the table of commands.
#include "frame/command.h"

namespace vprism {

const std::vector<CommandEntry>& command_table() {
  static const std::vector<CommandEntry> table = {
      {"demo", "", "write the demo case to a folder and run it", "vprism demo --out tern-point",
       "writes the recordings, the truth about them, and the report that names the culprit", make_demo_task},
      {"survey", "FILE...", "first look in one go: inspect, time trace, spectrum, peaks in words, one report",
       "vprism survey tern-point/drive-scope.csv --calibrate 'phase U: probe 10'",
       "one HTML page with what is in both channels", make_survey_task},
      {"inspect", "FILE...", "what a file holds: channels, rate, length, level statistics, cautions",
       "vprism inspect tern-point/drive-scope.csv", "two channels, 20,000 samples at 1 MHz",
       make_inspect_task},
      {"convert", "FILE...", "read any format, calibrate, condition, write an open format",
       "vprism convert tern-point/mount-daq.wav --calibrate '*: sensitivity 100 mV/g' --to hdf5",
       "the same recording in g, with names and units, as HDF5", make_convert_task},
      {"condition", "FILE...",
       "what a chain of conditioning steps does: levels, lines and figures before and after",
       "vprism condition tern-point/drive-scope.csv --channel 'motor current' --chain 'despike | "
       "lowpass 2kHz zero-phase'",
       "the motor current without its spikes and switching ripple, beside the raw one", make_condition_task},
      {"generate", "DESCRIPTION...", "make a signal of known content, with the truth about it beside it",
       "vprism generate 'mast (m/s^2): tone 31.2Hz 0.5 + white 1e-3 > resonator 37Hz damping 2%' --rate "
       "4096Hz "
       "--duration 10s --to wav",
       "a tone and a resonance driven by noise, and what they are, in generated-truth.toml",
       make_generate_task},
      {"spectrum", "FILE...",
       "averaged windowed spectrum, density, zoom or bands of each channel and its strongest peaks",
       "vprism spectrum tern-point/mount-daq.wav --channel 'mirror cell' --resolution 0.5Hz --span "
       "10Hz..200Hz",
       "the tones that shake the mirror cell, with level and uncertainty", make_spectrum_task},
      {"spectrogram", "FILE...",
       "spectrum against time: level map, lines that wander, events, slices, in 3-D with --waterfall",
       "vprism spectrogram tern-point/slew-runup.wav --channel 'mirror cell'",
       "the orders of the drive as they run up, and the mount's resonance where they cross it",
       make_spectrogram_task},
      {"scalogram", "FILE...",
       "continuous wavelet transform: short events with time, band and level, and their waveform by the "
       "inverse",
       "vprism scalogram tern-point/dome-tilt.h5 --extract '0.2Hz..0.6Hz @ 680s..740s'",
       "the two bumps of the dome's shutter, apart in time and pitch, and their waveform without drift and "
       "noise",
       make_scalogram_task},
      {"response", "FILE...",
       "frequency responses to a reference, coherence, resonances with damping and shape; also from outputs "
       "alone",
       "vprism response tern-point/tap-test.uff --also universal",
       "the fork's three modes with damping, each known by five methods, and its responses for other "
       "programs",
       make_response_task},
      {"field", "FILE|FOLDER...",
       "recordings of many points: mean spectrum, maps, shapes and phases at a frequency, animation",
       "vprism field tern-point/cell-field.h5 --animate",
       "the mirror cell's two plate modes, with damping, maps and moving shapes", make_field_task},
      {"identify", "FILE...",
       "what is in the signal, how sure, and who did it: tones, families, resonances, matched with suspects",
       "vprism identify tern-point/mount-daq.wav --suspects tern-point/suspects.toml",
       "the cooler shakes the mirror cell most; shutter, pump and servo clock are cleared",
       make_identify_task},
      {"distortion", "FILE...",
       "what a sine became: THD, SNR, SINAD, SFDR, effective bits and the harmonic table",
       "vprism distortion tern-point/amp-sim.raw --chain 'regrid 200kHz cubic' --gate 8ms..25ms --channel "
       "'V(out)'",
       "0.105% of distortion, nearly all of it the second harmonic", make_distortion_task},
      {"modulation", "FILE...",
       "amplitude, frequency and phase of a carrier against time: depth, deviation, rate, shape, drift, "
       "jumps",
       "vprism modulation tern-point/laser-beat.sigmf-meta",
       "the guide laser's beat note swings 9 kHz at the cooler's 31.2 Hz and jumps by 17.5 kHz",
       make_modulation_task},
      {"levels", "FILE...",
       "levels over time: RMS, peaks, running level, how often and how long a level is exceeded",
       "vprism levels tern-point/slew-runup.wav --channel 'mirror cell' --every 100ms --over 5mV",
       "when the mirror cell shakes by more than 5 mV, how often and how long", make_levels_task},
      {"peaks", "FILE...",
       "what stands out in time: beats, impacts, pulses; heights, widths, intervals and their rate",
       "vprism peaks tern-point/mount-daq.wav --channel 'cryocooler head' --min-distance 20ms",
       "the cooler's strokes, one every 32.05 ms", make_peaks_task},
      {"cycles", "FILE...",
       "the averaged cycle of a periodic signal, its Fourier coefficients and what they leave over",
       "vprism cycles tern-point/mount-daq.wav --channel 'cryocooler head' --frequency 31.2Hz --orders 6",
       "four orders of the cooler make up its motion; the rest is noise", make_cycles_task},
      {"rebuild", "FILE...", "the signal from chosen components, beside the original and what is left over",
       "vprism rebuild tern-point/mount-daq.wav --channel 'mirror cell' --suspects tern-point/suspects.toml "
       "--without "
       "cryocooler",
       "how the mirror cell would move without its cooler", make_rebuild_task},
      {"orders", "FILE...",
       "run-up or run-down: orders of a shaft over its speed, their cuts, and the resonances they cross",
       "vprism orders tern-point/slew-runup.wav --calibrate 'mirror cell: sensitivity 100 mV/(m/s^2)'",
       "orders 1, 2 and 17 of the drive, and the mount's resonance at 37 Hz where they cross it",
       make_orders_task},
      {"occupancy", "FILE...", "how often each level is reached at each frequency, and the rare events",
       "vprism occupancy tern-point/drive-scope.csv --channel 'motor current'",
       "the share of time at each level, with the median, the 99% level and what stands out of them",
       make_occupancy_task},
      {"compare", "FILE...",
       "recordings, channels, saved results or settings side by side, with the differences listed",
       "vprism compare tern-point/mount-daq.wav --channel 'mirror cell' --channel fork",
       "which lines the fork has stronger than the mirror cell, and which it has not", make_compare_task},
      {"limits", "FILE...",
       "levels against limit lines: margins, violations and a verdict; exit status 1 on failure",
       "vprism limits tern-point/mount-daq.wav --channel 'mirror cell' --calibrate '*: sensitivity 100 "
       "mV/(m/s^2)' "
       "--limit tern-point/jitter-limit.csv",
       "the mirror cell exceeds its jitter limit at the cooler's frequency", make_limits_task},
      {"case", "CASE.toml", "run a case: recordings, suspects, steps and limits in one file, to one report",
       "vprism case tern-point/tern-point.toml",
       "who shakes the telescope, with the evidence; a second run redoes only what has changed",
       make_case_task},
      {"batch", "COMMAND|CASE.toml INPUT...",
       "one command or case over many recordings: a table, a trend over the files, what failed",
       "vprism batch spectrum 'tern-point/mount-daq.*' --channel 'mirror cell' --trend "
       "rms_total,peaks.0.level",
       "one row for each file; run again, it goes on where it was stopped", make_batch_task},
      {"report", "FILE.json...",
       "a page from result documents that commands have written: findings, cautions, tables, pictures",
       "vprism report vprism-out/mount-daq-identify.json vprism-out/mount-daq-spectrum.json --title 'Mount'",
       "both results on one page, without computing anything again", make_report_task},
      {"watch", "FILE|-|tcp:HOST:PORT",
       "a growing file, a pipe or a device: levels and peaks as they come, alarms where limits are broken",
       "vprism watch tern-point/laser-beat.sigmf-data --binary i16le:2ch --rate 200kHz --every 100ms "
       "--idle-end 1s",
       "the guide laser's two components as if they were still coming in", make_watch_task},
  };
  return table;
}

const CommandEntry* command_named(const std::string& name) {
  for (const CommandEntry& row : command_table())
    if (name == row.name) return &row;
  return nullptr;
}

}  // namespace vprism
