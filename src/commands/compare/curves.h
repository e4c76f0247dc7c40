// curves.h: spectra or responses that stand in files, point by point: for frequencies that have no
// even steps, where lines and floor can not be looked for.
#pragma once

#include <string>
#include <vector>

#include "commands/shared/stored_spectrum.h"
#include "render/document.h"
#include "render/figure.h"

namespace vprism {

struct ComparedCurves {
  StoredSpectrum a, b;
  std::vector<double> hz, difference_db;  ///< At the frequencies of A that B reaches.
  std::vector<double> phase_deg;          ///< Of B less that of A; empty where either is real.
  double mean_db = 0, rms_db = 0, greatest_db = 0, greatest_at_hz = 0;
};

/// B between its points (cubics of the logarithm of its level) at the frequencies of A, in A's unit, powers
/// as powers. Throws Error(analysis) where they do not overlap or their units do not fit.
ComparedCurves compare_curves(StoredSpectrum a, StoredSpectrum b);
/// Channels of the same name of the first file and of each other one, or the only ones; of one file the first
/// channel with each other. Throws Error(usage) where none go together.
std::vector<ComparedCurves> compare_files(const std::vector<std::vector<StoredSpectrum>>& files);

void report_compared(const std::vector<ComparedCurves>& all, Delivery& delivery);
std::string compared_csv(const std::vector<ComparedCurves>& all);
Figure compared_figure(const std::vector<ComparedCurves>& all);

}  // namespace vprism
