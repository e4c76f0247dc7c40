// band_search.h: which of a spectrum's peaks steady lines do not explain, and what does, from the record.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "identify/lines/peaks.h"
#include "identify/modes/resonance_fit.h"
#include "identify/verdict/band_models.h"
#include "identify/verdict/impulses.h"

namespace vprism {

/// A stretch of the spectrum that stands above the noise without a gap.
struct JudgedBand {
  double low_hz = 0, high_hz = 0;
  std::vector<std::size_t> members;  ///< Peaks of the spectrum in it, strongest first.
  double density = 0;                ///< Of the noise around it, one-sided.
  double level_rms = 0;              ///< Of all in it above the noise, over the whole record.
  BandVerdict verdict;
  std::optional<ImpulseTrain> impulses;   ///< That ring in it.
  bool noise_alone = false;               ///< Of those: noise that comes and goes, and no ringing.
  std::optional<ResonanceFit> resonance;  ///< Of one driven by noise, where its shape fits.
};

/// Judges the bands whose lines leave more than noise, or of which several crowd. Members of a band that is
/// of another kind than steady get `of_band` set; those of one that steady lines explain are replaced by
/// these. `peaks` are those of `spectrum`, with its floor; `samples` the record it was made from.
std::vector<JudgedBand> judge_bands(std::span<const double> samples, double rate_hz, const Spectrum& spectrum,
                                    const std::vector<double>& floor, std::vector<Peak>& peaks);

/// The shape of a resonance in a band, from averages over segments long enough for its width; peaks of other
/// bands are left out. Nothing where it does not fit.
std::optional<ResonanceFit> shape_of(std::span<const double> x, double rate_hz, const Spectrum& s,
                                     const JudgedBand& band, const std::vector<Peak>& peaks);

/// Where a resonance turns out to be two: between two tops of the averaged spectrum lies a valley, and one
/// fitted on either side of it are likelier together than one alone by a factor of e^12 or more.
std::optional<std::pair<ResonanceFit, ResonanceFit>> two_shapes_of(std::span<const double> x, double rate_hz,
                                                                   const ResonanceFit& one);

}  // namespace vprism
