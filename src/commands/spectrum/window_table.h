// window_table.h: the same lines under several windows, in numbers.
#pragma once

#include <string>
#include <vector>

#include "commands/spectrum/spectrum.h"

namespace vprism {

/// What one window shows of a channel's lines, whose levels are known from their fits.
struct WindowNumbers {
  std::string window;
  double rbw_hz = 0, sidelobe_db = 0;
  double noise_rms = 0;   ///< RMS that a bin between the lines shows, by the median.
  std::size_t seen = 0;   ///< Lines that stand as a top of their own within 3 dB of their level.
  double reading_db = 0;  ///< Greatest difference of a seen line's highest bin from its level.
};

/// The main window first; empty where no others were asked for or there are no lines.
std::vector<WindowNumbers> window_numbers(const ChannelSpectrum& channel);
/// Which of them shows most lines and reads them best, and why: "flat-top: ...".
std::string window_advice(const std::vector<WindowNumbers>& numbers, std::size_t lines);

std::string windows_text(const ChannelSpectrum& channel);
Json windows_json(const ChannelSpectrum& channel);

}  // namespace vprism
