// finding.h: what was identified, and the words for it.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "identify/lines/peaks.h"
#include "signal/recording.h"
#include "transform/maps/rests.h"
#include "transform/spectra/levels.h"
#include "transform/time/spikes.h"
#include "transform/time/statistics.h"

namespace vprism {

/// A line of a family.
struct FindingLine {
  double frequency_hz = 0, frequency_std_hz = 0, rms = 0;
  int order = 0;  ///< Of the fundamental; of sidebands the number of the pair, below zero on the lower side;
                  ///< 0: the carrier, or none.
};

/// One identified thing, as the result document shows it.
struct Finding {
  std::string kind;       ///< tone, harmonic-family, mains-hum, sideband-family, broadband, ...
  std::string recording;  ///< File it was found in.
  std::string channel;
  double frequency_hz = 0, frequency_std_hz = 0;
  double level_rms = 0;  ///< Of the whole family where it is one, in the channel's unit.
  std::string unit;
  std::string suspect;
  std::string text;                   ///< One sentence.
  std::vector<std::string> evidence;  ///< What it rests on, with numbers.
  std::vector<FindingLine> lines;     ///< Of a family.
  std::vector<std::size_t> members;   ///< Indices into the channel's peaks.
  std::string runner_up;              ///< Next best suspect, and what would tell the two apart.
  /// Further figures for the document, under their keys there: "damping_ratio", "spacing_hz", ...
  std::vector<std::pair<std::string, double>> numbers;
};

/// Peaks of one channel put into families and words: multiples of a common frequency (mains hum when that is
/// 50 or 60 Hz), pairs at equal distance around a stronger line, humps too wide for a tone, tones alone. Only
/// frequencies that agree within their uncertainties are joined. Lines more than 100 dB below the strongest
/// are not named. By descending level.
std::vector<Finding> name_peaks(const Channel& channel, const std::vector<Peak>& peaks,
                                const SpectrumPlan& plan);

/// What lines that stand alone may come from, written into their findings: products of two stronger ones
/// (sums and differences up to the fourth order), harmonics folded at half the rate (kind "alias"), a half,
/// third or quarter of a stronger line, two lines of equal level around a carrier that is suppressed.
/// `findings` are those of one channel.
void relate_lines(const std::vector<Peak>& peaks, const SpectrumPlan& plan, std::vector<Finding>& findings);

/// Cautions that level statistics give rise to: dead channel, clipping, spikes, large offset, values that are
/// no numbers.
std::vector<Caution> level_cautions(const Channel& channel, const Statistics& statistics,
                                    const Levels& levels, const Spikes& spikes, const Axis& axis);

/// A stretch in which the samples are exactly alike, though they differ elsewhere: neither the channel's rest
/// at an end of its range (clipping) nor at the record's end, and no channel of few values or long rests.
std::optional<Caution> rest_caution(const Channel& channel, const Rests& rests, const Statistics& statistics,
                                    const Axis& axis);

/// Cautions about a spectrum: lines closer than the RBW, periods cut without a window, a mean that leaks,
/// lines and noise that may be folded, a record that changes, densities of few averages. The peaks of the
/// whole spectrum are wanted, not those of a span.
std::vector<Caution> spectrum_cautions(const Channel& channel, const Spectrum& spectrum,
                                       const PeakSearch& search, Scale scale = Scale::rms);

/// Whether a window takes more than half of what moves in a record of one segment: something short lies where
/// it is small.
bool window_takes_most(const Spectrum& spectrum);
/// "highest at 1.2 kHz; 3 dB down at 0.9 kHz and 1.5 kHz, 10 dB at ..." of a broad spectrum.
std::string band_text(const Spectrum& spectrum);

}  // namespace vprism
