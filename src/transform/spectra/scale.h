// scale.h: what the numbers of a spectrum mean.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/units/unit.h"

namespace vprism {

/// Amplitudes are in the channel's unit, powers in its square, densities in its square per Hz (of energy:
/// times seconds), amplitude densities their roots.
enum class Scale { peak, peak_to_peak, rms, power, psd, asd, esd };

struct ScaleEntry {
  Scale scale;
  const char* name;
  const char* what;
  bool amplitude;  ///< dB is 20 log10; otherwise 10 log10.
  bool density;    ///< Per hertz: noise keeps its level when the segment changes, lines do not.
};
const std::vector<ScaleEntry>& scale_table();
const ScaleEntry& scale_entry(Scale scale);
Scale parse_scale(std::string_view text);
/// Unit of a level: "V", "V\u00B2", "V\u00B2/Hz", "(m/s\u00B2)\u00B2/Hz".
std::string scale_unit(const Unit& unit, Scale scale);

/// Of "V/\u221aHz", "nV/sqrt(Hz)", "pA/rtHz": the unit above the root; nothing where it is another kind of
/// unit.
std::optional<Unit> unit_over_root_hertz(const Unit& unit);

/// A mean square in a scale. `crest` is the square of peak over RMS of a line there: 2 for a sine, 1 at DC
/// and for a turning complex tone; densities are those of an analysis of `rbw_hz` over `segment_s`.
double level_of(double mean_square, Scale scale, double crest, double rbw_hz, double segment_s);

}  // namespace vprism
