// compare_curves.h: spectra or responses that stand in files, point by point: for frequencies that have no
// even steps, where no floor and no lines can be told from each other.
#pragma once

#include <string>
#include <vector>

#include "cli/stored_spectrum.h"
#include "render/document.h"
#include "render/figure.h"

namespace vprism {

struct ComparedCurves {
  StoredSpectrum a, b;
  std::vector<double> hz, difference_db;  ///< At the frequencies of A that B reaches.
  std::vector<double> phase_deg;          ///< Of B less that of A; empty where either is real.
  double mean_db = 0, rms_db = 0, greatest_db = 0, greatest_at_hz = 0;
};

/// Whether the frequencies of a spectrum have even steps, sixteen at least, so that lines can be looked for.
bool has_even_steps(const StoredSpectrum& spectrum);

/// B between its points (cubics of the logarithm of its level) at the frequencies of A. Throws
/// Error(analysis) where they do not overlap.
ComparedCurves compare_curves(StoredSpectrum a, StoredSpectrum b);

void report_compared(const std::vector<ComparedCurves>& all, Telling& telling);
std::string compared_csv(const std::vector<ComparedCurves>& all);
Figure compared_figure(const std::vector<ComparedCurves>& all);

}  // namespace vprism
