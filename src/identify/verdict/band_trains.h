// band_trains.h: trains of impulses among judged bands.
#pragma once

#include "identify/findings/comb.h"
#include "identify/verdict/band_search.h"

namespace vprism {

/// Mean square of the steady lines at multiples of a rate.
double orders_square(const std::vector<Peak>& peaks, double rate_hz);

/// Whether the peaks at multiples of a rate are those of one frequency, as well as they are known: impulses
/// that come as regularly are a comb of lines, a family.
bool exactly_periodic(const std::vector<Peak>& peaks, double rate_hz, double bin_hz);
/// Trains that ring so widely, or so weakly, that no peak shows them: in wide bands of the whole record; none
/// at a rate of `exact`, which lines under the others make.
void find_wide_trains(const BandSource& source, std::span<const double> x, double rate_hz, const Spectrum& s,
                      const std::vector<double>& floor, const std::vector<Peak>& peaks,
                      const ExactRates& exact, std::vector<JudgedBand>& bands);
/// Bands at multiples of a train's rate become the train's.
void join_trains(std::vector<JudgedBand>& bands);
/// Peaks at multiples of a train's rate, or in its resonance, become the train's.
void peaks_of_trains(std::vector<JudgedBand>& bands, std::vector<Peak>& peaks);

}  // namespace vprism
