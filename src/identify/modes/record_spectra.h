// record_spectra.h: transforms of a whole record without a window, and ratios that hold in spite of its ends.
#pragma once

#include <complex>
#include <cstdint>
#include <vector>

#include "identify/responses/response.h"

namespace vprism {

/// Samples below which a record has too few bins for what follows.
constexpr std::int64_t least_whole_record = 64;

/// Of each channel: bins 0 .. samples / 2. Over the record's own length a linear system obeys
///     Y(k) = H(f_k) X(k) + T(f_k)
/// whatever drives it: T, which holds what rang before the record began and what rings on behind its end, is
/// as smooth as H and has the same poles (Pintelon & Schoukens, System Identification, 2nd ed., 2012, 6.3.2).
struct RecordSpectra {
  std::size_t samples = 0;  ///< Transformed: up to 1 in 100 is left off the end for a quick size.
  double rate_hz = 0;
  bool at_rest = false;  ///< All channels at both ends: 50 dB below the whole, so that T is nothing.
  std::vector<std::size_t> references;                    ///< Indices among the channels.
  std::vector<std::vector<std::complex<double>>> values;  ///< [channel][bin]
  double bin_hz() const { return rate_hz / static_cast<double>(samples); }
  std::size_t bins() const { return samples / 2 + 1; }
};

/// Whether the differences from sample to sample spread their power over the band more evenly than the
/// samples do, as those of steps and of long pulses: H is the same, and known where the samples have next to
/// nothing.
bool differences_are_flatter(const std::vector<double>& x);

/// With `differences`, of those from sample to sample. At least `least_whole_record` samples.
RecordSpectra record_spectra(const std::vector<std::vector<double>>& columns,
                             const std::vector<std::size_t>& references, double rate_hz, bool differences);

/// H and T as parabolas over 13 neighbouring bins, every fourth bin, over more in records of more than 2^18
/// samples (local polynomial method, Pintelon, Schoukens, Vandersteen & Barbe, Mech. Syst. Signal Process.
/// 24, 2010). One reference. What is left over gives the noise: errors and coherence are known from one
/// record, on `independent` - 1 degrees of freedom. Where the reference is as smooth as T, as a pulse at the
/// record's start is, T is left out. Of a record at rest at both ends the ratio is that of the bin alone,
/// which is exact however narrow a resonance is, and the parabolas give its error. `spectra` gets the powers
/// on the same grid.
ResponseSet local_ratios(const RecordSpectra& record, ResponseEstimator estimator, double floor_db,
                         CrossSpectra& spectra);

}  // namespace vprism
