// record_modes.h: poles of resonances from the bins of a whole record, its ends allowed for.
#pragma once

#include <complex>
#include <vector>

#include "identify/modes/mode_fit.h"
#include "identify/modes/record_spectra.h"

namespace vprism {

struct RecordMode {
  std::complex<double> pole;
  double frequency_std_hz = 0, damping_std = 0;
  std::size_t bins = 0;  ///< It was fitted on.
  bool refined = false;  ///< False: as it was given, since the record has too few bins about it.
};

/// Modes again, each with its near neighbours on the bins about them: in every channel y
///     Y(k) = sum_r [sum_m A_rm / (i w - s_m) + P_r(w)] X_r(k) + sum_m B_m / (i w - s_m) + Q(w)
/// with A, B and the polynomials P and Q of each channel, and the poles of all. B and Q hold what rang at the
/// record's ends, P whatever else there is in the band: other modes, filters, delays. No window, so that no
/// damping is added however long the ringing; exact for any excitation. Noise is what is left over, by
/// frequency; a mode that the likelihood does not ask for (BIC) is dropped, one that is two is parted.
/// Uncertainties from the information of the poles, larger where what is left is not white.
std::vector<RecordMode> refine_on_record(const RecordSpectra& record, const std::vector<Mode>& modes,
                                         double low_hz, double high_hz);

}  // namespace vprism
